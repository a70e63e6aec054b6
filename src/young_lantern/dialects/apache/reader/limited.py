"""httpd `<Limit>`, `<LimitExcept>` around lines that say who is let in -> a choice by method. Used by: access.py, hosts.py.

Source:   Apache HTTP Server manual, core, "Limit".
Rule:     what stands in them is there for their methods only; where no other line is, everybody is let in with the others (2.4.71, probed).
"""

from __future__ import annotations

from collections.abc import Callable

from ....model import ALWAYS, AddressRule, AllOf, Choose, ClientIn, Condition, Disposition, MethodIn, Not, Protect, Respond, Route, Step
from .context import Context, Node

LIMITS = ("<limit", "<limitexcept")
ALL = ("0.0.0.0/0", "::/0")


def read_by_methods(nodes: list[Node], context: Context, read: Callable[[list[Node]], tuple[Step, ...]]) -> tuple[Step, ...] | None:
    """The steps for a section with a <Limit>, made of what its lines say with and without those in it; None where there is none."""
    limit = next((node for node in nodes if node.name in LIMITS), None)
    if limit is None:
        return None
    rest = [node for node in nodes if node is not limit]
    context.use(limit)
    context.claims[limit.span].disposition, context.claims[limit.span].why = Disposition.KEPT, "what stands in it is accounted for line by line"
    # httpd knows HEAD as a GET (core, Limit).
    methods = MethodIn(tuple(dict.fromkeys((*limit.args, *(("HEAD",) if "GET" in limit.args else ())))), limit.span)
    held = Not(methods, limit.span) if limit.name == "<limitexcept" else methods
    inside, outside = (read(lines) for lines in ([*rest, *(limit.block or [])], rest))
    if inside == outside:
        return inside
    if not outside and (refused := _refused(inside)) is not None:
        condition, answer = refused
        return (Choose((Route(held if condition is ALWAYS else AllOf((held, condition), limit.span), (answer,), limit.span),), limit.span),)
    return (Choose((Route(held, inside, limit.span), Route(ALWAYS, outside, limit.span)), limit.span),)


def _refused(steps: tuple[Step, ...]) -> tuple[Condition, Respond] | None:
    """The one condition under which some steps refuse, and how; None where they do more than that."""
    match steps:
        case (Respond() as answer,):
            return ALWAYS, answer
        case (Choose((Route(condition, (Respond() as answer,)),)),):
            return condition, answer
        case (Protect(rules, span),) if all(rule.allows for rule in rules[:-1]) and rules[-1] == AddressRule(False, ALL, rules[-1].span):
            return Not(ClientIn(tuple(network for rule in rules[:-1] for network in rule.networks), span), span), Respond(403, raises=True, span=span)
    return None
