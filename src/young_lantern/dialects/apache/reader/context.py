"""What all topic modules of the httpd reader share: directives after includes, variables and conditions are put in place.

Source:   Apache HTTP Server manual, "Configuration Sections", core: Define, IfModule, Include.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ....model import Disposition, Pattern, Pool, Retry, Span, Template
from ...collecting import Collector
from .. import values

if TYPE_CHECKING:
    from ..syntax import Directive
    from .folders import FolderFiles


@dataclass(slots=True, eq=False)
class Node:
    """A directive in force. `name` in lower case, a section's with `<`; `args` with `${NAME}` put in; `raw`: as they are written."""

    name: str
    args: list[str]
    span: Span
    comments: tuple[str, ...] = ()
    block: list["Node"] | None = None
    raw: tuple[str, ...] = ()

    @property
    def expression(self) -> str:
        """The words as one expression: whole in quotation marks, or as they stand, with the marks of texts within."""
        if len(self.args) == 1:
            return self.args[0]
        words = self.raw or tuple(self.args)
        return " ".join(words)

    def own(self, *names: str) -> list["Node"]:
        return [node for node in self.block or [] if node.name in names]


@dataclass(frozen=True, slots=True)
class Map:
    """A rewriting map. rows: key, value; trouble: why it cannot be read, "" if it is; function: what it makes of its key, as `Remade.how`; draws: one of the values between `|`."""

    rows: tuple[tuple[str, str], ...]
    span: Span
    trouble: str = ""
    function: str = ""
    draws: bool = False


@dataclass
class Context(Collector):
    """modules: those loaded, by `alias` of mod_alias; None: not known, all are taken to be there.

    formats: LogFormat names; environment: variables that some rewrite rule sets, maybe_empty: to nothing, maybe; folders: reads `.htaccess` files
    asking: numbers of the `<If>` nodes that were read; shared_types: lines of the table that all hosts share
    waits: how long a worker, or a balancer's members, are waited for, by its URL
    protocols: what the members of each balancer speak; maps: rewriting maps, by name, and the keys that each is asked for
    late: what is set when a handler is chosen, None what nobody knows; late_lines: by which lines; late_asked: what must be a variable for that
    """

    modules: set[str] | None = None
    formats: dict[str, Span] = field(default_factory=dict)
    environment: set[str] = field(default_factory=set)
    maybe_empty: set[str] = field(default_factory=set)
    of_own_fields: set[str] = field(default_factory=set)  # variables that applications are told anyhow
    set_to: dict[str, set[str]] = field(default_factory=dict)  # what lines set variables to
    keeps_slashes: bool = False  # the host whose lines are read does not merge them
    answer_fields: frozenset[str] = frozenset()  # fields of answers that lines change
    merged_alike: frozenset[str] = frozenset()  # those that all lines merge one and the same value into
    folders: "FolderFiles | None" = None
    asking: set[int] = field(default_factory=set)
    shared_types: set[Span] = field(default_factory=set)
    late: dict[str, str | None] = field(default_factory=dict)
    late_lines: dict[str, "Node"] = field(default_factory=dict)
    late_asked: set[str] = field(default_factory=set)
    protocols: dict[str, str] = field(default_factory=dict)
    waits: dict[str, str] = field(default_factory=dict)
    balancers: dict[str, str] = field(default_factory=dict)  # the pool of each balancer that the server now read can ask, by its URL
    routes_sent: set[Span] = field(default_factory=set)  # the lines that send a cookie by which clients are kept
    retries: dict[str, Retry] = field(default_factory=dict)  # when a balancer asks another member
    upgrading: set[str] = field(default_factory=set)  # balancers whose members let a client change to a WebSocket
    maps: dict[str, Map] = field(default_factory=dict)
    compressed: tuple[str, ...] = ()  # the media types that any line has compressed
    named_types: dict[str, tuple[str, ...]] = field(default_factory=dict)  # those that files with an ending may have
    asked_maps: dict[str, list[str]] = field(default_factory=dict)
    by_ending: set[Span] = field(default_factory=set)  # lines that say something of files by their endings, and are read

    def has(self, module: str) -> bool:
        return self.modules is None or module in self.modules or module in values.BUILT_IN

    def use(self, node: Node) -> Node:
        self.claim(node.span)
        return node

    def balancer(self, name: str) -> Pool | None:
        """The pool of a balancer that the server now read can ask."""
        return self.pools.get(self.balancers.get(f"balancer://{name.lower()}", ""))

    def take(self, nodes: list[Node], *names: str) -> list[Node]:
        """The directives of these names, claimed."""
        return [self.use(node) for node in nodes if node.name in names]

    def last(self, nodes: list[Node], *names: str) -> Node | None:
        """The last of them, which is the one in force; all are claimed."""
        found = self.take(nodes, *names)
        return found[-1] if found else None

    def close(self, items: "list[Node] | list[Directive]") -> None:
        """What stands in a section that is not carried is not carried either."""
        for item in items:
            claim = self.claims.get(item.span)
            if claim is not None and claim.finding is None:
                claim.disposition, claim.why = Disposition.UNSUPPORTED, "it stands in a section that is not carried"
            self.close(item.block or [])

    def template(self, text: str, node: Node, **options: object) -> Template:
        return self.checked(values.read_template(text, **options), node.span, node.span.directive.split()[0])  # type: ignore[arg-type]

    def pattern(self, text: str, node: Node, *, ignores_case: bool = False) -> Pattern:
        return self.checked_pattern(Pattern(text, "pcre", ignores_case), node.span)

    def value(self, node: Node, value: str, expected: str) -> None:
        self.value_unread(node.span, node.span.directive.split()[0].strip("<>"), value, expected)
