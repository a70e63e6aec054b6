"""What all topic modules of the Tomcat reader share: elements with their claims, values that are filled in at the start, findings.

Source:   Tomcat documentation, "Configuration Reference": `${name}` stands for a system property, one of catalina.properties, or what is written behind
          `:-`; Digester, IntrospectionUtils.replaceProperties (10.1.60).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ....codes import PART_UNREAD, PATTERN_OF_THE_WHOLE, RULES_MISSING
from ....model import Disposition, Pattern, Span
from ....model.placeholders import is_open
from ....source.places import Places
from ...collecting import Collector
from .. import values
from ..rules import Line
from ..syntax import Attribute, Element

_PROPERTY = re.compile(r"\$\{([\w.\-]+)(?::-([^}]*))?\}")


@dataclass
class Context(Collector):
    """Collects what reading finds.

    base:       what `catalina.base` is taken to be, as the configuration would write it
    properties: values of `${name}` that the configuration gives
    places:     where its paths lie on this machine
    read_text:  reads a file beside the configuration: a path here, and its name -> its text
    """

    base: str = ""
    properties: dict[str, str] = field(default_factory=dict)
    places: Places = field(default_factory=Places)
    read_text: Callable[[Path], tuple[str, str]] | None = None

    def use(self, element: Element | Line) -> None:
        self.claim(element.span)

    def said(self, element: Element, name: str) -> Attribute | None:
        """An attribute, claimed; None where it is not written."""
        held = element.attributes.get(name)
        if held is not None:
            self.claim(held.span)
        return held

    def value(self, element: Element, name: str, default: str = "") -> str:
        """The value of an attribute, claimed, and filled in as far as that is known."""
        held = self.said(element, name)
        return default if held is None else self.filled(held.value)

    def filled(self, text: str) -> str:
        return _PROPERTY.sub(lambda found: self.properties.get(found[1], found[2] if found[2] is not None else found[0]), text)

    def truth(self, element: Element, name: str, default: bool = False) -> bool:
        """`true` in any letters; all else is false, as in Java."""
        held = self.said(element, name)
        if held is None:
            return default
        said = self.filled(held.value)
        if said.lower() not in ("true", "false"):
            self.unread(held, "true or false was expected")
        return said.lower() == "true"

    def number(self, element: Element, name: str, default: int) -> int:
        held = self.said(element, name)
        said = default if held is None else self.filled(held.value)
        if isinstance(said, str):
            if not re.fullmatch(r"-?\d{1,9}", said):
                if held is not None:
                    self.unread(held, "a number was expected")
                return default
            return int(said)
        return said

    def unread(self, held: Attribute, expected: str) -> None:
        self.value_unread(held.span, held.name, held.value, expected)

    def lose(self, span: Span, setting: str, reason: str) -> None:
        """A line, or attribute, that is not read: with the reason, in the ledger."""
        self.blame(PART_UNREAD, span, setting=setting, directive=span.directive, reason=reason)

    def settled(self, span: Span, disposition: Disposition, why: str) -> None:
        """What becomes of a line whatever the target is."""
        claim = self.claims.get(span)
        if claim is not None and claim.disposition is None:
            claim.disposition, claim.why = disposition, why

    def say_without_rules(self, valve: Element, file: str) -> None:
        """A RewriteValve whose file is not there (RewriteValve.startInternal; 10.1.60, probed): nothing is rewritten."""
        self.say(RULES_MISSING, valve.span, valve=valve.span.directive, file=file)
        self.settled(valve.span, Disposition.IMPLIED, "it has no rules")

    def path(self, text: str, below: str = "") -> str:
        """A path of the configuration, whole: below a folder of the server's where it is none. A placeholder counts as whole."""
        said = self.filled(text).rstrip("/") or "/"
        return said if said.startswith("/") or is_open(said.split("/")[0]) else f"{below or self.base}/{said}".replace("/./", "/")

    def tell_whole(self, text: str, span: Span) -> None:
        """Says of a pattern that is tied to one end alone that it is for the whole all the same."""
        bare = text.removeprefix("!")
        start, end = bare.startswith("^"), bare.endswith("$")
        if start != end and not re.search(r"[*+?})]$" if start else r"^[(.]", bare):
            self.say(PATTERN_OF_THE_WHOLE, span, pattern=bare)

    def pattern(self, text: str, span: Span, *, label: str = "", prefix: str = "", ignores_case: bool = False) -> Pattern:
        """A pattern of the whole text (Java, Matcher.matches), behind a prefix; told where no other engine has it."""
        made = Pattern(values.whole(text, prefix), ignores_case=ignores_case, label=label)
        if reason := values.unlike(text):
            self.condition_unread(span, f"{text} ({reason})")
        return self.checked_pattern(made, span)

    def blame_application(self, path: str, archive: str, span: Span) -> None:
        """A context that is an application."""
        self.lose(span, f"the application {path or '/'}", f"it brings classes ({archive}), and what they answer nobody here knows: keep Tomcat for it, and pass requests for {path or '/'} on to it")
