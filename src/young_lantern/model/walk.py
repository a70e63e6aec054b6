"""Walking and changing trees of model values: dataclasses, tuples, and what lies in them."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

from .steps import Block

T = TypeVar("T")


def walk(value: Any) -> Iterator[Any]:
    """The value and all dataclass values within it, outermost first; a block that stands in several places only once."""
    return _walk(value, set())


def _walk(value: Any, seen: set[int]) -> Iterator[Any]:
    if isinstance(value, tuple | frozenset | list):
        for item in value:
            yield from _walk(item, seen)
    elif dataclasses.is_dataclass(value) and not isinstance(value, type):
        if isinstance(value, Block):
            # Named locations that lead to each other share what they hold: met anew each time, it would grow without bounds.
            if id(value) in seen:
                return
            seen.add(id(value))
        yield value
        for field in dataclasses.fields(value):
            yield from _walk(getattr(value, field.name), seen)


def transform(value: T, change: Callable[[Any], Any]) -> T:
    """The value with `change` applied to every dataclass value within it, innermost first."""
    if isinstance(value, tuple):
        return tuple(transform(item, change) for item in value)  # type: ignore[return-value]
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        made = {}
        for field in dataclasses.fields(value):
            before = getattr(value, field.name)
            after = transform(before, change)
            if after is not before and after != before:
                made[field.name] = after
        return change(dataclasses.replace(value, **made) if made else value)  # type: ignore[type-var]
    return value
