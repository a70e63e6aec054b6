"""A stable sort as Go's library has it: for a comparison that is not transitive its result depends on the way it goes.

Source:   Go standard library, sort.Stable: blocks of twenty by insertion, which are merged in place (Kim, Kutzner: "Stable Minimum Storage Merging by
          Symmetric Comparisons", 2004). Held against the order that `caddy adapt` shows (tests/test_caddy_order.py).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")
Less = Callable[[T, T], bool]
# How many are sorted by insertion before they are merged.
BLOCK = 20


def stable_sort(items: list[T], less: Less[T]) -> list[T]:
    """The items sorted; `less`: whether the first of two comes before the other."""
    data, size = list(items), BLOCK
    for begin in range(0, len(data), size):
        _insert(data, begin, min(begin + size, len(data)), less)
    while size < len(data):
        for begin in range(0, len(data), 2 * size):
            if begin + size < len(data):
                _merge(data, begin, begin + size, min(begin + 2 * size, len(data)), less)
        size *= 2
    return data


def _insert(data: list[T], begin: int, end: int, less: Less[T]) -> None:
    for i in range(begin + 1, end):
        while i > begin and less(data[i], data[i - 1]):
            data[i], data[i - 1] = data[i - 1], data[i]
            i -= 1


def _merge(data: list[T], begin: int, middle: int, end: int, less: Less[T]) -> None:
    """Merges data[begin:middle] and data[middle:end], each of which is sorted."""
    if middle - begin == 1:
        place = _first(middle, end, lambda i: not less(data[i], data[begin]))
        data[begin:place] = [*data[begin + 1:place], data[begin]]
        return
    if end - middle == 1:
        place = _first(begin, middle, lambda i: less(data[middle], data[i]))
        data[place:middle + 1] = [data[middle], *data[place:middle]]
        return
    half = (begin + end) // 2
    both = half + middle
    start = _first(both - end if middle > half else begin, half if middle > half else middle, lambda i: less(data[both - 1 - i], data[i]))
    stop = both - start
    if start < middle < stop:
        data[start:stop] = [*data[middle:stop], *data[start:middle]]
    if begin < start < half:
        _merge(data, begin, start, half, less)
    if half < stop < end:
        _merge(data, half, stop, end, less)


def _first(low: int, high: int, holds: Callable[[int], bool]) -> int:
    """The place between low and high that a search by halves ends at: the first that holds, if all after it do."""
    while low < high:
        middle = (low + high) // 2
        if holds(middle):
            high = middle
        else:
            low = middle + 1
    return low
