"""Walking and changing trees of model values: dataclasses, tuples, and what lies in them."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

T = TypeVar("T")


def walk(value: Any) -> Iterator[Any]:
    """The value and all dataclass values within it, outermost first."""
    if isinstance(value, tuple | frozenset | list):
        for item in value:
            yield from walk(item)
    elif dataclasses.is_dataclass(value) and not isinstance(value, type):
        yield value
        for field in dataclasses.fields(value):
            yield from walk(getattr(value, field.name))


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
