"""Groups of a pattern: what stands in one, replaced, and which signs it may have."""

from __future__ import annotations

import re

from ..model import Pattern
from .engines import compiled
from .syntax import Alternatives, Anchor, Characters, Group, Node, PatternUnreadable, Repeat, Sequence, parse

_SIGNS = re.compile(r"\\.|\[\^?\]?[^\]]*\]|\((?!\?)|\(\?|\)")


def with_group(text: str, group: int, inside: str) -> str | None:
    """The pattern with something else in its numbered group, which stays one; None if it has no such group, or one with a name."""
    opened = 0
    depth: list[tuple[int, int]] = []
    for found in _SIGNS.finditer(text):
        if found[0].startswith("("):
            opened += found[0] == "("
            depth.append((opened if found[0] == "(" else 0, found.end()))
        elif found[0] == ")" and depth:
            number, start = depth.pop()
            if number == group:
                return f"{text[:start]}{inside}{text[found.start():]}"
    return None


def inside_group(text: str, group: int) -> str | None:
    """What stands in a numbered group; None if there is no such one."""
    mark = "\0"
    made = with_group(text, group, mark)
    if made is None:
        return None
    front, _, back = made.partition(mark)
    return text[len(front):len(text) - len(back)]


def fits(pattern: Pattern, text: str) -> bool:
    """Whether a pattern takes the whole of a text."""
    return compiled(pattern).fullmatch(text) is not None


# What a path holds as it is (RFC 3986 section 3.3), whoever encodes it.
_PLAIN = frozenset(map(ord, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./"))


def is_plain(text: str, group: int) -> bool:
    """Whether a numbered group takes such signs only as are never percent-encoded."""
    try:
        inside = inside_group(text, group)
        return inside is not None and _has_plain_signs(parse(inside).tree)
    except PatternUnreadable:
        return False


def _has_plain_signs(node: Node) -> bool:
    match node:
        case Characters(ranges, negated):
            return not negated and all(high - low < 128 and _PLAIN >= set(range(low, high + 1)) for low, high in ranges)
        case Sequence(items) | Alternatives(items):
            return all(map(_has_plain_signs, items))
        case Repeat(item) | Group(item):
            return _has_plain_signs(item)
        case Anchor():
            return True
    return False
