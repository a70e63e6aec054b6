"""What all topic modules of the nginx reader share: scopes with nginx's inheritance, claims, findings.

Source:   nginx development guide, "Configuration": a level inherits a directive, or a whole list of one, only where it
          has none of its own.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from ....codes import PATTERN_UNREAD, VALUE_UNREAD, VARIABLE_UNREAD
from ....model import Code, Finding, Pattern, Pool, Span, Template, Unread, finding
from ....patterns import problem
from ...dialect import Claim
from .. import values
from ..syntax import Directive


@dataclass(slots=True, eq=False)
class Scope:
    """A block after its includes were put in place. `kind` is http, server, location, if or upstream.

    prefix: the text of a location by prefix or exact path; None for all else
    """

    kind: str
    directives: list[Directive]
    parent: "Scope | None" = None
    opened_by: Directive | None = None
    prefix: str | None = None

    def own(self, name: str) -> list[Directive]:
        return [directive for directive in self.directives if directive.name == name]

    def inherited(self, name: str) -> list[Directive]:
        """The level's own directives of that name, or else those of the nearest level above that has some."""
        scope: Scope | None = self
        while scope is not None:
            if found := scope.own(name):
                return found
            scope = scope.parent
        return []


@dataclass
class Context:
    """Collects what reading finds. `set_names`: every variable that some `set` makes; `captures`: every named group."""

    claims: dict[Span, Claim] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    set_names: frozenset[str] = frozenset()
    captures: frozenset[str] = frozenset()
    pools: dict[str, Pool] = field(default_factory=dict)
    formats: dict[str, Span] = field(default_factory=dict)
    blocks: dict[int, list[Directive]] = field(default_factory=dict)
    labels: int = 0
    gathering: list[list[Span]] = field(default_factory=list)
    _said: set[Finding] = field(default_factory=set)

    def use(self, directive: Directive) -> Directive:
        self.claims[directive.span].claimed = True
        for spans in self.gathering:
            spans.append(directive.span)
        return directive

    @contextmanager
    def gather(self) -> Iterator[list[Span]]:
        """Collects the spans of all directives used within: an element's `also`."""
        spans: list[Span] = []
        self.gathering.append(spans)
        try:
            yield spans
        finally:
            self.gathering.remove(spans)

    def used(self, scope: Scope, name: str) -> Directive | None:
        """The directive that is in force at a scope, claimed; None when none is written."""
        found = scope.inherited(name)
        return self.use(found[-1]) if found else None

    def switch(self, scope: Scope, name: str, silence: bool) -> bool:
        directive = self.used(scope, name)
        return silence if directive is None else directive.args[:1] == ["on"]

    def seconds(self, scope: Scope, name: str) -> float | None:
        directive = self.used(scope, name)
        if directive is None:
            return None
        value = values.read_time(directive.args[0])
        if value is None:
            self.unread(directive, directive.args[0], "a time such as 30s, 5m or 1h was expected")
        return value

    def say(self, code: Code, span: Span | None, **facts: object) -> Finding:
        made = finding(code, span, **facts)
        if made not in self._said:
            self._said.add(made)
            self.findings.append(made)
        return made

    def unread(self, directive: Directive, value: str, expected: str) -> None:
        claim = self.claims[directive.span]
        claim.finding = self.say(VALUE_UNREAD, directive.span, value=value, directive=directive.name, expected=expected)

    def template(self, text: str, directive: Directive, *, escapes: bool = False) -> Template:
        made = values.read_template(text, self.set_names, self.captures, escapes=escapes)
        for part in made:
            if isinstance(part, Unread):
                claim = self.claims[directive.span]
                claim.finding = self.say(VARIABLE_UNREAD, directive.span, variable=part.spelling, directive=directive.name)
        return made

    def pattern(self, text: str, directive: Directive, *, ignores_case: bool = False) -> Pattern:
        made = Pattern(text, "pcre", ignores_case)
        if reason := problem(made):
            self.claims[directive.span].finding = self.say(PATTERN_UNREAD, directive.span, pattern=text, reason=reason)
        return made

    def block(self, directive: Directive) -> list[Directive]:
        """The directives of a block, its includes put in place."""
        return self.blocks.get(id(directive), directive.block or [])

    def label(self, stem: str) -> str:
        self.labels += 1
        return f"{stem}_{self.labels}"
