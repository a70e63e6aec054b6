"""Walking and changing trees of model values: dataclasses, tuples, and what lies in them."""

from __future__ import annotations

import dataclasses
import operator
from collections import OrderedDict
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

from .steps import Block, ErrorPages
from .text import Part, Template, join

T = TypeVar("T")


# What lies in values of a type: its fields' names, or () for a collection; None: nothing that is walked.
_INSIDE: dict[type, tuple[str, ...] | None] = {str: None, type(None): None, int: None, bool: None}


def _inside(kind: type) -> tuple[str, ...] | None:
    if kind not in _INSIDE:
        made = dataclasses.is_dataclass(kind)
        _INSIDE[kind] = tuple(field.name for field in dataclasses.fields(kind)) if made else () if issubclass(kind, tuple | frozenset | list) else None
    return _INSIDE[kind]


# What gets the values of all fields of a type, the last first; the items of a collection stand for themselves.
_GETTERS: dict[type, Callable[[Any], tuple[Any, ...]] | None] = {}


def _getter(kind: type) -> Callable[[Any], tuple[Any, ...]] | None:
    names = _inside(kind)
    if names is None:
        made = None
    elif not dataclasses.is_dataclass(kind):
        made = lambda value: tuple(value)[::-1]  # noqa: E731
    elif len(names) > 1:
        made = operator.attrgetter(*reversed(names))
    else:
        made = lambda value: tuple(getattr(value, name) for name in names)  # noqa: E731
    _GETTERS[kind] = made
    return made


def walk(value: Any, until: tuple[type, ...] = ()) -> Iterator[Any]:
    """The value and all dataclass values within it, outermost first; a block, or error pages, that stand in several places only once.

    until: kinds of values below the first that are yielded without what lies in them
    """
    # Comparisons and writers walk through millions of values: each look-up here counts.
    seen: set[int] = set()
    left = [value]
    getters = _GETTERS
    while left:
        item = left.pop()
        kind = type(item)
        getter = getters[kind] if kind in getters else _getter(kind)
        if getter is None:
            continue
        if kind is Block or kind is ErrorPages:
            # Named locations that lead to each other share what they hold: met anew each time, it would grow without bounds.
            if id(item) in seen:
                continue
            seen.add(id(item))
        if kind is not tuple and kind is not frozenset and kind is not list:
            yield item
            if until and item is not value and isinstance(item, until):
                continue
        for inner in getter(item):
            kind = type(inner)
            if kind not in getters or getters[kind] is not None:
                left.append(inner)


# Programs of a few sites, with all that is in them: a comparison asks for the same ones over and over.
_KEPT: OrderedDict[int, tuple[Any, tuple[Any, ...]]] = OrderedDict()
_MOST_KEPT = 8


def all_within(value: Any) -> tuple[Any, ...]:
    """What `walk` yields, kept for the next that asks for this very value."""
    # The value is kept beside its number, so that no other one gets the same while this is known.
    found = _KEPT.pop(id(value), None) or (value, tuple(walk(value)))
    _KEPT[id(value)] = found
    if len(_KEPT) > _MOST_KEPT:
        _KEPT.popitem(last=False)
    return found[1]


def transform(value: T, change: Callable[[Any], Any]) -> T:
    """The value with `change` applied to every dataclass value within it, innermost first; what does not change stays the very same object, and a
    block, or error pages, that stand in several places are changed once."""
    return _transformed(value, change, {})


def _transformed(value: T, change: Callable[[Any], Any], known: dict[int, Any]) -> T:
    if isinstance(value, tuple):
        made = tuple([_transformed(item, change, known) for item in value])
        return value if all(map(operator.is_, made, value)) else made  # type: ignore[return-value]
    shared = type(value) is Block or type(value) is ErrorPages
    if shared and id(value) in known:
        return known[id(value)]  # type: ignore[no-any-return]
    names = _inside(type(value))
    if names is None or isinstance(value, frozenset | list):
        return value
    new = {}
    for name in names:
        before = getattr(value, name)
        if type(before) is not str and before is not None:
            after = _transformed(before, change, known)
            if after is not before and (shared or after != before):
                new[name] = after
    made = change(dataclasses.replace(value, **new) if new else value)  # type: ignore[type-var]
    if shared:
        known[id(value)] = made
    return made


def with_steps(program: tuple[Any, ...], made: Callable[[Any], list[Any]]) -> tuple[Any, ...]:
    """A program in which each step, wherever it stands, is replaced by the steps that are made of it."""
    def several(steps: tuple[Any, ...]) -> tuple[Any, ...]:
        new = tuple(item for step in steps for item in made(step))
        return steps if new == steps else new

    def change(value: Any) -> Any:
        steps = getattr(value, "steps", None)
        if not isinstance(steps, tuple):
            return value
        new = several(steps)
        return value if new is steps else dataclasses.replace(value, steps=new)

    return several(transform(program, change))


def with_part(value: T, part: Part, made: Template) -> T:
    """The value with another text in the place of a part of its texts, wherever it stands."""
    def in_tuple(held: tuple[Any, ...]) -> tuple[Any, ...]:
        if part in held:
            return join(*(item for each in held for item in (made if each == part else (each,))))
        new = tuple([in_tuple(item) if isinstance(item, tuple) else item for item in held])
        return held if all(map(operator.is_, new, held)) else new

    def change(item: Any) -> Any:
        held = {name: getattr(item, name) for name in _inside(type(item)) or ()}
        new = {name: after for name, before in held.items() if isinstance(before, tuple) and (after := in_tuple(before)) is not before}
        return dataclasses.replace(item, **new) if new else item

    return transform(value, change)
