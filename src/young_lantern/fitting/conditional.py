"""Routes that only set fields -> fields with a condition of their own, for dialects that know such; and changes of the path that change nothing, left out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..model import AllOf, Block, Capture, Choose, Condition, Field, Rewrite, Route, SetPath, Step, TextMatches, Var, Variable
from ..model.walk import walk
from .tree import Branch, Chain


def with_conditions(steps: tuple[Step, ...], said: Callable[[Field], Field | None] = lambda field: field) -> tuple[Step, ...]:
    """The steps in which a route for fields alone is not a route any more: what follows it need not be told apart by it. said: such a field as the target says it; None where it cannot."""
    made: list[Step] = []
    for step in steps:
        match step:
            case Choose((route,)) if route.steps and all(isinstance(item, Field) for item in route.steps) and _own_captures(route):
                fields = [replace(item, when=_both(route.condition, item.when)) for item in route.steps]  # type: ignore[type-var]
                written = [item for item in map(said, fields) if item is not None]
                made += written if len(written) == len(fields) else [step]
            case Choose(routes):
                made.append(replace(step, routes=tuple(replace(route, steps=with_conditions(route.steps, said)) for route in routes)))
            case Block():
                made.append(replace(step, steps=with_conditions(step.steps, said)))
            case _:
                made.append(step)
    return tuple(made)


def _own_captures(route: Route) -> bool:
    """Whether the fields of a route use no capture but those of a pattern that the route itself asks of a text."""
    labels = {item.pattern.label for item in walk(route.condition) if isinstance(item, TextMatches) and item.pattern.label}
    return all(item.pattern in labels for item in walk(route.steps) if isinstance(item, Capture))


def _both(held: Condition, when: Condition | None) -> Condition:
    return held if when is None else AllOf((held, when))


def without_idle_changes(chain: Chain) -> Chain:
    """The chain without changes of the path to itself."""
    items: list = []
    for item in chain.items:
        if isinstance(item, Rewrite) and item.query is None and isinstance(item.edit, SetPath) and item.edit.template == (Var(Variable.PATH),):
            continue
        if isinstance(item, Branch):
            item = Branch([replace(fork, chain=without_idle_changes(fork.chain)) for fork in item.forks], item.span)
        items.append(item)
    return Chain(items, chain.shared)
