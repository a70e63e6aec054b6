"""What all topic modules of the Caddy writer share: notes on source directives, names of matchers, templates.

Unknown:  what cannot be written is Unwritable; the caller notes it with the source line and leaves it out.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....codes import NO_COUNTERPART, PLACEHOLDER_OPEN
from ....model import Code, Condition, Disposition, Estate, Lookup, Part, Placeholder, Site, Span, Template, Var, Variable, finding
from ....model.walk import walk
from ...dialect import WriterNote, WriterOptions
from .. import values
from ..values import Unwritable

TARGET, SOURCE = "caddy", "the source"


@dataclass
class Context:
    """One writing. `site`, `root` and `strip` change as the writer goes.

    root:  the template that `root` was written with, where writing stands
    strip: the prefix that was cut off the path already, where writing stands
    forwards: whether the site forwards anything, so that an added field is written as one everywhere
    rewritten: whether the path may have been changed by then, so that the target as received has another name
    left: what stands in a route that could not be written
    tables: what the site's tables are called, and their nodes
    pattern_names: label of a pattern in the fitted program -> the name its captures have here
    """

    estate: Estate
    options: WriterOptions
    notes: list[WriterNote] = field(default_factory=list)
    site: Site | None = None
    root: Template = ()
    strip: str = ""
    rewritten: bool = False
    forwards: bool = False
    pattern_names: dict[str, str] = field(default_factory=dict)
    taken: set[str] = field(default_factory=set)
    reached: set[Span] = field(default_factory=set)
    tables: dict[str, tuple[str, object]] = field(default_factory=dict)
    left: set[Span] = field(default_factory=set)
    _said: set[tuple[Span, str]] = field(default_factory=set)

    def note(self, span: Span | None, disposition: Disposition, code: Code, **facts: object) -> None:
        """Says once for each span and code what becomes of a source directive."""
        key = (span or Span("", 0), code.name + str(sorted(facts.items())) if span is None else code.name)
        if key not in self._said:
            self._said.add(key)
            self.notes.append(WriterNote(span, disposition, finding(code, span, **{"target": TARGET, "source": self.estate.dialect, **facts})))  # type: ignore[arg-type]

    def implied(self, span: Span | None, reason: str) -> None:
        if span is not None:
            self.notes.append(WriterNote(span, Disposition.IMPLIED, None, reason))

    def lost(self, span: Span | None, what: str, reason: str, advice: str = "write it by hand, or change the source so that it is not needed") -> None:
        """A source directive that has no equivalent."""
        directive = span.directive.split("{")[0].strip() if span else what
        self.note(span, Disposition.UNSUPPORTED, NO_COUNTERPART, directive=directive or what, reason=reason, advice=advice)

    def template(self, template: Template, span: Span | None) -> str | Unwritable:
        """The text of a template, not yet quoted; placeholders are noted."""
        template = tuple(self._fixed(part) for part in template)
        if any(isinstance(part, Lookup) for part in template):
            from .tables import write_table

            made = [write_table(part, self) if isinstance(part, Lookup) else self.template((part,), span) for part in template]
            return next((piece for piece in made if isinstance(piece, Unwritable)), None) or "".join(map(str, made))
        for part in walk(template):
            if isinstance(part, Placeholder):
                written = values.spell(part.spelling, self.options.placeholder)
                self.note(span, Disposition.KEPT, PLACEHOLDER_OPEN, placeholder=part.spelling, written=written)
        return values.write_template(template, self.pattern_names, self.options.placeholder, rewritten=self.rewritten)

    def _fixed(self, part: Part) -> Part:
        """What is the same for every request of the site stands for itself: its first name, and its port if it has one."""
        if self.site is None or not isinstance(part, Var):
            return part
        if part.variable is Variable.SITE_NAME:
            first = next((name.text for name in self.site.names if name.is_exact), None)
            return first if first is not None else part
        ports = {str(listener.port) for listener in self.estate.listeners_of(self.site.key) if isinstance(listener.port, int)}
        return ports.pop() if part.variable is Variable.PORT and len(ports) == 1 else part

    def name(self, wish: str) -> str:
        """A free matcher name of this site, made of the letters in `wish`."""
        words = re.findall(r"[a-z0-9]+", wish.lower())
        base = "_".join(words[:3])[:24].strip("_") or "match"
        name, number = base, 2
        while name in self.taken:
            name, number = f"{base}_{number}", number + 1
        self.taken.add(name)
        return name


@dataclass(frozen=True, slots=True)
class Matcher:
    """How a condition is asked: the word that stands in directives ("" for always), its definition if it has a name."""

    word: str
    definition: object | None = None
    paths: tuple[str, ...] = ()
    condition: Condition | None = None
