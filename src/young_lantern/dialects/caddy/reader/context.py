"""What all topic modules of the Caddy reader share: levels with their matchers, claims, findings.

Source:   Caddy documentation, "Caddyfile Concepts"; httpcaddyfile parseSegmentAsConfig: named matchers of a level are
          known in the levels below it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ....codes import PATTERN_UNREAD, VALUE_UNREAD, VARIABLE_UNREAD
from ....model import Code, Finding, Pattern, Pool, Span, Step, Template, Unread, finding
from ....patterns import problem
from ...dialect import Claim
from .. import values
from ..syntax import Directive


@dataclass
class Context:
    """Collects what reading finds. `pools` by name."""

    claims: dict[Span, Claim] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    pools: dict[str, Pool] = field(default_factory=dict)
    options: dict[str, list[str]] = field(default_factory=dict)
    labels: int = 0
    _said: set[Finding] = field(default_factory=set)

    def use(self, directive: Directive) -> Directive:
        if directive.span in self.claims:
            self.claims[directive.span].claimed = True
        return directive

    def say(self, code: Code, span: Span | None, **facts: object) -> Finding:
        made = finding(code, span, **facts)
        if made not in self._said:
            self._said.add(made)
            self.findings.append(made)
        return made

    def unread(self, directive: Directive, value: str, expected: str) -> None:
        made = self.say(VALUE_UNREAD, directive.span, value=value or "nothing", directive=directive.name, expected=expected)
        if directive.span in self.claims:
            self.claims[directive.span].finding = made

    def template(self, text: str, directive: Directive) -> Template:
        made = values.read_template(text)
        for part in made:
            if isinstance(part, Unread):
                said = self.say(VARIABLE_UNREAD, directive.span, variable=part.spelling, directive=directive.name)
                if directive.span in self.claims:
                    self.claims[directive.span].finding = said
        return made

    def pattern(self, text: str, directive: Directive, label: str = "") -> Pattern:
        made = Pattern(text, "re2", label=label)
        if reason := problem(made):
            said = self.say(PATTERN_UNREAD, directive.span, pattern=text, reason=reason)
            if directive.span in self.claims:
                self.claims[directive.span].finding = said
        return made

    def label(self, stem: str) -> str:
        self.labels += 1
        return f"{stem}-{self.labels}"


@dataclass(slots=True, eq=False)
class Level:
    """A segment of directives: a site block, a handle, a route. `root` is the root in force where reading stands.

    matchers: named matchers in sight, name -> definition
    """

    directives: list[Directive]
    matchers: dict[str, Directive]
    root: Template = (".",)
    root_span: Span | None = None
    comments: tuple[str, ...] = ()

    def below(self, directive: Directive) -> "Level":
        inner = directive.block or []
        own = {item.name: item for item in inner if item.name.startswith("@")}
        return Level([item for item in inner if not item.name.startswith("@")], {**self.matchers, **own}, self.root, self.root_span)


Read = Callable[[Directive, list[str], Level, Context], tuple[Step, ...]]
