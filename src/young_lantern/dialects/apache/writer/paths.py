"""Conditions on the path -> one pattern, for rules and for sections. Mirror: reader/places.py.

Rule:     a pattern of a section or rule is searched for in the decoded path; what must not hold stands before as a negative look-ahead.
Source:   Apache HTTP Server manual, LocationMatch; PCRE, "Assertions".
"""

from __future__ import annotations

import re

from ....fitting import disjoint
from ....model import ALWAYS, AllOf, AnyOf, Condition, Not, PathIs, PathMatches, PathStartsWith, Pattern
from ....patterns import search

PATHS = (PathIs, PathStartsWith, PathMatches)
_GROUP = re.compile(r"(\\.|\[(?:\\.|\^?\]|[^\]])(?:\\.|[^\]\\])*\])|\((?:\?P?<\w+>|(?!\?))")


def apart(one: Condition, other: Condition) -> bool:
    """Whether no path can meet both."""
    for whole, pattern in ((one, other), (other, one)):
        if isinstance(whole, PathIs) and not whole.ignores_case and isinstance(pattern, PathMatches):
            return search(pattern.pattern, whole.path) is None
    return disjoint(one, other)


def escaped(text: str) -> str:
    """A text for a pattern; signs that mean nothing there stay bare."""
    return re.sub(r"\\([\-&~#/ ])", r"\1", re.escape(text))


def plain_pattern(pattern: Pattern) -> tuple[str, bool]:
    """The text of a pattern, and whether it may match anywhere rather than from the start on."""
    text = re.sub(r"\(\?P?<\w+>", "(", pattern.text)
    inside = re.sub(r"\\.|\[\^?\]?[^\]]*\]", "", text)
    return (text, False) if text.startswith("^") and not _alternates(inside) else (f"(?:{text})" if _alternates(inside) else text, True)


def _alternates(inside: str) -> bool:
    depth = 0
    for sign in inside:
        depth += (sign == "(") - (sign == ")")
        if sign == "|" and depth == 0:
            return True
    return False


def groups_of(text: str) -> dict[str, int]:
    """The numbers of a pattern's named groups."""
    found: dict[str, int] = {}
    number = 0
    for piece in re.finditer(r"\\.|\[(?:\\.|\^?\]|[^\]])(?:\\.|[^\]\\])*\]|\((?:\?P?<([A-Za-z_]\w*)>|(?!\?))", text):
        if piece[0].startswith("("):
            number += 1
            if piece[1]:
                found[piece[1]] = number
    return found


def without_groups(text: str) -> str:
    """A pattern's text whose groups do not capture."""
    return _GROUP.sub(lambda found: found[1] if found[1] else "(?:", text)


def look(condition: Condition) -> str:
    """What stands at the path's start in a pattern or look-ahead for a condition."""
    match condition:
        case PathIs(path, ignores_case):
            return _cased(f"{escaped(path)}$", ignores_case)
        case PathStartsWith(prefix, ignores_case):
            return _cased(escaped(prefix), ignores_case)
        case PathMatches(pattern):
            text, anywhere = plain_pattern(pattern)
            text = without_groups(text)
            return _cased(f".*?{text}" if anywhere else text.removeprefix("^"), pattern.ignores_case)
        case AnyOf(conditions):
            return _either([look(item) for item in conditions], conditions)
        case AllOf(conditions):
            return "".join(ahead(item) for item in conditions[:-1]) + (look(conditions[-1]) if not isinstance(conditions[-1], Not) else ahead(conditions[-1]))
        case Not(inner):
            return f"(?!{look(inner)})"
    return ""


def _either(texts: list[str], conditions: tuple[Condition, ...]) -> str:
    """Alternatives; a path and what is below it are one."""
    whole = {item.path for item in conditions if isinstance(item, PathIs) and not item.ignores_case}
    below = {item.prefix for item in conditions if isinstance(item, PathStartsWith) and not item.ignores_case}
    if len(conditions) == 2 and len(whole) == len(below) == 1 and below == {f"{next(iter(whole))}/"}:
        return f"{escaped(next(iter(whole)))}(?:/|$)"
    return f"(?:{'|'.join(texts)})"


def ahead(condition: Condition) -> str:
    return f"(?!{look(condition.condition)})" if isinstance(condition, Not) else f"(?={look(condition)})"


def _cased(text: str, ignores_case: bool) -> str:
    return f"(?i:{text})" if ignores_case else text


def section(parts: tuple[Condition, ...]) -> tuple[str, str] | None:
    """The section for conditions on the path that must all hold: its name and its word; None: for every path."""
    left = [part for part in parts if part is not ALWAYS]
    if not left:
        return None
    if len(left) == 1 and isinstance(left[0], PathStartsWith) and not left[0].ignores_case and left[0].prefix.endswith("/") and not re.search(r"[*?\[\]]", left[0].prefix):
        return "Location", left[0].prefix
    return "LocationMatch", "^" + fragment(parts)


def fragment(parts: tuple[Condition, ...]) -> str:
    """What stands behind the anchor in a pattern for conditions that must all hold."""
    left = [part for part in parts if part is not ALWAYS]
    refused = [part for part in left if isinstance(part, Not)]
    asked = [part for part in left if not isinstance(part, Not)]
    return "".join(ahead(part) for part in (*refused, *asked[:-1])) + (look(asked[-1]) if asked else "")
