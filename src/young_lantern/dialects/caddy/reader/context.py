"""What all topic modules of the Caddy reader share: levels with their matchers, claims, findings.

Source:   Caddy documentation, "Caddyfile Concepts"; httpcaddyfile parseSegmentAsConfig: named matchers of a level are
          known in the levels below it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ....model import Lookup, Pattern, Span, Step, Template, Unread, Var, Variable
from ...collecting import Collector
from .. import values
from ..catalogue import ORDER
from ..syntax import Directive


@dataclass
class Context(Collector):
    """Collects what reading finds. `options`: the global ones by name; `order`: that of the directives; `servers`: the blocks of that name among them. `lookups`: the tables that were read, by what they make. `read_level`: reads a segment that stands in a directive of a topic module."""

    options: dict[str, list[str]] = field(default_factory=dict)
    order: list[str] = field(default_factory=lambda: list(ORDER))
    asks_any: bool = False  # some line asks an origin first, so that placeholders stand for its answer
    asks_first: bool = False  # the origin that is read is asked whether requests may go on
    numbers: set[str] = field(default_factory=set)  # variables that are numbers or truth values somewhere
    servers: list[Directive] = field(default_factory=list)
    lookups: dict[str, Lookup] = field(default_factory=dict)
    read_level: Callable[["Level", "Context"], tuple[Step, ...]] | None = None

    def use(self, directive: Directive) -> Directive:
        self.claim(directive.span)
        return directive

    def unread(self, directive: Directive, value: str, expected: str) -> None:
        self.value_unread(directive.span, directive.name, value, expected)

    def template(self, text: str, directive: Directive, sees_host: bool = False) -> Template:
        """sees_host: it is completed where the Host field stands among the others, which it does nowhere but in `request_header` (2.6.2, probed)."""
        made = tuple(self.lookups.get(part.spelling.strip("{}"), part) if isinstance(part, Unread) else part for part in values.read_template(text))
        if not sees_host:
            made = tuple(part for part in made if not (isinstance(part, Var) and part.variable is Variable.FIELD and part.name.lower() == "host"))
        if not self.asks_any:
            made = tuple(Unread(f"{{http.reverse_proxy.header.{part.name}}}") if isinstance(part, Var) and part.variable is Variable.VERDICT_FIELD else part for part in made)
        return self.checked(made, directive.span, directive.name)

    def pattern(self, text: str, directive: Directive, label: str = "") -> Pattern:
        return self.checked_pattern(Pattern(text, "re2", label=label), directive.span)


@dataclass(slots=True, eq=False)
class Level:
    """A segment of directives: a site block, a handle, a route. `root` is the root in force where reading stands.

    matchers: named matchers in sight, name -> definition
    is_inner: it stands within another
    in_errors: it stands within `handle_errors`
    """

    directives: list[Directive]
    matchers: dict[str, Directive]
    root: Template = (".",)
    root_span: Span | None = None
    comments: tuple[str, ...] = ()
    is_inner: bool = False
    in_errors: bool = False

    def below(self, directive: Directive) -> "Level":
        inner = directive.block or []
        own = {item.name: item for item in inner if item.name.startswith("@")}
        return Level([item for item in inner if not item.name.startswith("@")], {**self.matchers, **own}, self.root, self.root_span, is_inner=True, in_errors=self.in_errors)


Read = Callable[[Directive, list[str], Level, Context], tuple[Step, ...]]
