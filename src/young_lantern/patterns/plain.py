"""Patterns that are nothing but a text. Used by: the writers, for lines that look for texts."""

from __future__ import annotations

import re

from ..model import Pattern

_SPECIAL = frozenset("\\^$.|?*+()[]{}")


def plain_text(pattern: Pattern) -> str | None:
    """The text that a pattern holds for, and no other; None where it holds for more than one, letters' case aside."""
    made, rest = [], pattern.text
    while rest:
        if found := re.match(r"\\([^A-Za-z0-9])", rest):
            made.append(found[1])
        elif rest[0] in _SPECIAL:
            return None
        else:
            found = re.match(r".", rest, re.DOTALL)
            assert found is not None
            made.append(rest[0])
        rest = rest[found.end():]
    return "".join(made)
