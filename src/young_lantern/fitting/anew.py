"""What is the same when a site begins anew with a changed path: whether it is another one at all, and the variables that each pass settles by itself.

Rule:     a variable is settled by a pass if it is set before it is asked for, and either always, or by one line alone that holds wherever it is asked for,
          but for what is the client's own: then it does not matter what it was when the pass began. What is overlooked here the comparison shows.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..model import ALWAYS, AllOf, AnyOf, Block, Capture, Choose, Condition, Not, Pattern, Rewrite, Rewritten, SetPath, SetVariable, Step, TextIs, Var, Variable
from ..model.walk import walk
from ..patterns.lengths import change, left_alone_without
from .static import bare, lasting, lasting_text


@dataclass(frozen=True, slots=True)
class _Event:
    """A variable is set, or asked for, where all of these hold; `otherwise`: and where something else does not."""

    name: str
    sets: bool
    where: frozenset[object]
    otherwise: bool
    lasts: bool = True


def surely_another(step: Rewrite, patterns: dict[str, Pattern]) -> bool:
    """Whether the new path is surely not the one that it is made of, since it is longer or shorter. patterns: those asked of the path, by label."""
    pattern = _pattern_of(step, patterns)
    if pattern is None or not isinstance(step.edit, SetPath):
        return False
    least, most = change(pattern, step.edit.template)
    return least > 0 or most < 0


def another_where(step: Rewrite, patterns: dict[str, Pattern]) -> Condition | None:
    """When the new path is another one, if that is where a group took something, and the query stays; None: that is not known."""
    pattern = _pattern_of(step, patterns)
    group = left_alone_without(pattern, step.edit.template) if pattern is not None and isinstance(step.edit, SetPath) and step.query is None else None
    return None if pattern is None or group is None else Not(TextIs((Capture(group, pattern.label),), ("",)), step.span)


def _pattern_of(step: Rewrite, patterns: dict[str, Pattern]) -> Pattern | None:
    """The pattern that a path is made of the groups of."""
    labels = {item.pattern for item in walk(step.edit) if isinstance(item, Capture)}
    return patterns.get(labels.pop()) if len(labels) == 1 else None


def asks_whether_anew(block: Block) -> bool:
    """Whether something in a block is otherwise once it is entered again."""
    return any(isinstance(item, Rewritten) and item.label in ("", block.label) for item in walk(block.steps))


def forgotten(block: Block) -> frozenset[str]:
    """The variables that are others when a block begins anew: empty again, but for those that it settles by itself, or what was set under another name."""
    if not block.new_request:
        return frozenset()
    names = {item.name for item in walk(block) if isinstance(item, SetVariable) and item.environment}
    return frozenset({"REDIRECT_STATUS", *names} - settled_anew(block.steps) | {f"REDIRECT_{name}" for name in names})


def settled_anew(steps: tuple[Step, ...]) -> frozenset[str]:
    """The names of variables that these steps settle, whatever they were before."""
    events: dict[str, list[_Event]] = {}
    for event in _events(steps, frozenset(), False):
        events.setdefault(event.name, []).append(event)
    return frozenset(name for name, found in events.items() if _is_settled(found))


def _is_settled(found: list[_Event]) -> bool:
    first = found[0]
    if not first.sets or first.otherwise:
        return False
    if not first.where:
        return True
    single = sum(event.sets for event in found) == 1
    return single and first.lasts and all(first.where <= event.where for event in found)


def _events(steps: tuple[Step, ...], where: frozenset[object], otherwise: bool) -> Iterator[_Event]:
    for step in steps:
        match step:
            case SetVariable(name, value):
                yield from _asked(value, where)
                yield _Event(name, True, frozenset(item for item in where if not lasting(item)), otherwise, lasting_text(value))  # type: ignore[arg-type]
            case Choose(routes):
                below = otherwise
                for route in routes:
                    yield from _asked(route.condition, where)
                    yield from _events(route.steps, where | _parts(route.condition), below)
                    below = below or not stays(route.condition)
            case Block(steps=inner):
                yield from _events(inner, where, otherwise)
            case _:
                yield from _asked(step, where)
                # What pages for errors set is of no pass.
                yield from (_Event(item.name, True, where, True) for item in walk(step) if isinstance(item, SetVariable))


def _asked(value: object, where: frozenset[object]) -> Iterator[_Event]:
    names = _names(value)
    if not names:
        return
    together = [item for item in walk(value) if isinstance(item, AllOf)]
    for name in names:
        beside = [_parts(item) for item in together if name in _names(item)]
        yield _Event(name, False, where.union(*beside), False)


def _names(value: object) -> set[str]:
    return {item.name for item in walk(value) if isinstance(item, Var) and item.variable is Variable.VARIABLE}


def _parts(condition: Condition) -> frozenset[object]:
    if isinstance(condition, AllOf):
        return frozenset[object]().union(*map(_parts, condition.conditions))
    return frozenset() if condition is ALWAYS else frozenset([bare(condition)])


def stays(condition: Condition) -> bool:
    """Whether a condition asks only for what a client sends, or is."""
    return condition is ALWAYS or all(lasting(item) for item in parts_of(condition))


def parts_of(condition: Condition) -> Iterator[Condition]:
    """The single conditions that one is made of."""
    match condition:
        case Not(inner):
            yield from parts_of(inner)
        case AllOf(inner) | AnyOf(inner):
            for item in inner:
                yield from parts_of(item)
        case _:
            yield condition
