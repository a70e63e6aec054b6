"""What becomes of a chain: rules in order, lines that map paths, and a case for each answer; and what of it nothing needs. Filled by routes.py.

Rule:     a rule that only stops the rewriting is written where a later one could take its paths, a variable is set where a line asks for it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....fitting import Leaf
from ....fitting.static import bare
from ....model import Condition, Not, Span
from .conditions import Asked
from .context import Context
from .output import Node
from .paths import apart

WHY_501 = ("Not carried over: see the report.",)
# nginx begins anew ten times at the most (NGX_HTTP_MAX_URI_CHANGES); mod_rewrite counts from one, and refuses the round that reaches the number.
ROUNDS = "N=12"


@dataclass(eq=False)
class Event:
    """Rules for what meets `parts`. stops: they only keep later rules from a path that is mapped; needed: they are written all the same."""

    parts: tuple[Condition, ...]
    nodes: list[Node]
    stops: bool = False
    needed: bool = False
    moved: bool = False
    asked: Asked | None = None

    def mark(self, name: str, context: Context, value: str = "1") -> None:
        """The rule sets a variable, by which lines elsewhere know these requests."""
        self.needed = True
        rule = next(node for node in self.nodes if node.words[0] == "RewriteRule")
        flags = rule.words[3].strip("[]").split(",") if len(rule.words) > 3 else []
        rule.words[3:] = [f"[E={name}:{value},{','.join(flags)}]" if flags else f"[E={name}:{value}]"]


@dataclass(eq=False)
class Case:
    """An answer with the conditions that lead to it. `parts`: those before the path was changed; by_path: they are all that there are.

    before:  what was asked earlier, and did not hold, with the cases that came of it
    denied:  clients that are refused
    moved:   the path was changed before more was asked of it; changed: in the rule that answers
    peers:   those that something other than the path parts it from
    """

    leaf: Leaf
    parts: tuple[Condition, ...]
    by_path: bool
    event: Event | None
    before: tuple[tuple[Condition, tuple["Case", ...]], ...] = ()
    denied: Condition | None = None
    denied_span: Span | None = None
    moved: bool = False
    changed: bool = False
    peers: list["Case"] = field(default_factory=list)


@dataclass
class Plan:
    """What became of a chain. mappings: lines for proxies, in order; aliases: those for folders.

    asked:   what rules ask first of all, and the variables that say it
    marks:   variables that say what was found out of a request in this round of the rules
    passing: changes of the path after which a request is mapped like any other of its new path; passed: what such ones come to
    """

    events: list[Event] = field(default_factory=list)
    mappings: list[Node] = field(default_factory=list)
    aliases: list[Node] = field(default_factory=list)
    reverses: list[Node] = field(default_factory=list)
    cases: list[Case] = field(default_factory=list)
    passing: set[int] = field(default_factory=set)
    passed: list[tuple[Leaf, Event]] = field(default_factory=list)
    again: bool = False
    marks: list[str] = field(default_factory=list)
    asked: dict[Condition, str] = field(default_factory=dict)

    def anew(self) -> list[str]:
        """The flags by which the rules begin anew, as if nothing had been noted of the request."""
        return [*(f"E=!{name}" for name in self.marks), ROUNDS]


def wish_of(case: Case) -> str:
    """What a variable for the requests of a case should remind of."""
    return wish(case.parts) or "other paths"


def wish(parts: tuple[Condition, ...]) -> str:
    for part in parts:
        found = re.findall(r"[a-z0-9]+", str(getattr(part, "prefix", getattr(part, "path", ""))).lower())
        if found:
            return " ".join(found)
    return ""


def settle_passed(plan: Plan, context: Context) -> None:
    """What was passed on must be answered by the lines of its new path: a case with the same answer says so; else it is lost."""
    same = {bare((case.leaf.answer, case.leaf.settings)) for case in plan.cases if not _is_by_rule(case)}
    for leaf, event in plan.passed:
        if bare((leaf.answer, leaf.settings)) not in same:
            context.lost(leaf.answer.span, "this, for a path that was changed", "no line answers such a path otherwise")
            event.nodes[-1].words[3:] = ["[R=501,L]"]
            event.nodes[0].comments = WHY_501


def _is_by_rule(case: Case) -> bool:
    """Whether a rule asks an origin, which what is passed on does not come to, rather than a line for its path."""
    return case.event is not None and any(node.words[0] == "RewriteRule" and len(node.words) > 3 and "P" in node.words[3].strip("[]").split(",") for node in case.event.nodes)


def finish(plan: Plan, others: list[Node], context: Context) -> None:
    """Leaves out stops and variables that nothing needs, and exclusions behind the last proxy. others: the lines outside of the rules."""
    _drop_idle_stops(plan)
    _drop_idle_marks(plan, others, context)
    known: set[tuple[str, ...]] = set()
    plan.mappings = [line for line in plan.mappings if tuple(line.words) not in known and not known.add(tuple(line.words))]  # type: ignore[func-returns-value]
    while plan.mappings and plan.mappings[-1].words[-1] == "!":
        plan.mappings.pop()


def _drop_idle_stops(plan: Plan) -> None:
    """Stops are written only where a later rule could take their paths."""
    kept: list[Event] = []
    for event in reversed(plan.events):
        later = [other for other in kept if not other.stops or other.needed]
        if not event.stops or event.needed or any(not _apart(event.parts, other.parts) for other in later):
            kept.insert(0, event)
    plan.events = kept


def _drop_idle_marks(plan: Plan, others: list[Node], context: Context) -> None:
    """Variables that no line asks for."""
    rules = [node for event in plan.events for node in event.nodes]
    told = [value for node in rules for word in node.words[3:4] for name, value in re.findall(r"\bE=(\w+):([^,\]]*)", word) if name in context.parameters]
    text = "\n".join([*_words(others), *(" ".join(node.words[1:3]) for node in rules), *context.parameters, *told])
    for event in plan.events:
        for node in event.nodes:
            if node.words[0] != "RewriteRule" or len(node.words) < 4:
                continue
            flags = node.words[3].strip("[]").split(",")
            # A variable that the flag itself names does not ask for it.
            kept = [flag for flag in flags if not (found := re.fullmatch(r"E=!?(\w+)(?::.*)?", flag)) or re.search(rf"\b{found[1]}\b", text)]
            node.words[3:] = [f"[{','.join(kept)}]"] if kept else []
        if event.nodes and event.nodes[-1].words[2:] == ["-"]:
            # It would do nothing.
            for span in event.nodes[-1].spans:
                context.idle.setdefault(span, "nothing that is written asks for the variable")
            event.nodes = []


def _words(nodes: list[Node]) -> list[str]:
    return [text for node in nodes for text in (" ".join(node.words), *_words(node.block or []))]


def _apart(one: tuple[Condition, ...], other: tuple[Condition, ...]) -> bool:
    return any(apart(a, b) or (isinstance(a, Not) and bare(a.condition) == bare(b)) or (isinstance(b, Not) and bare(b.condition) == bare(a)) for a in one for b in other)
