"""Pattern -> short readable texts that match it, one for each alternative: the witnesses of a pattern.

Unknown:  a pattern we cannot read, or one with look-around whose examples fail, gives fewer or none; callers say
          then that the comparison is sampled there.
Left out: several patterns at once, which reach.py meets together.
"""

from __future__ import annotations

import itertools
from functools import lru_cache

import regex

from ..model import Pattern
from . import engines
from .syntax import (
    Alternatives, Anchor, BackReference, Characters, Group, Look, Node, PatternUnreadable, Repeat, Sequence, parse,
)

_READABLE = "xaeiou0123456789bcdfghjklmnpqrstvwyzABCXYZ-_./~@:+,;=!$&'()* %"
_MOST = 12


def _character(item: Characters) -> str:
    for character in _READABLE:
        if item.holds(character):
            return character
    low = item.ranges[0][0] if item.ranges and not item.negated else 0x100
    return chr(low)


def _texts(node: Node) -> list[str]:
    match node:
        case Characters():
            return [_character(node)]
        case Sequence(items):
            parts = [_texts(item)[:4] for item in items]
            longest = max((len(part) for part in parts), default=1)
            # Vary one part at a time: every alternative is met once, without their product.
            rows = [[part[min(i, len(part) - 1)] for part in parts] for i in range(longest)]
            return list(dict.fromkeys("".join(row) for row in rows))
        case Alternatives(items):
            return list(itertools.chain.from_iterable(_texts(item) for item in items))[:_MOST]
        case Repeat(item, least, most):
            inner = _texts(item)
            if least:
                return [text * least for text in inner]
            return (["", *inner[:2]] if most is None or most else [""])
        case Group(item):
            return _texts(item)
        case Look() | Anchor() | BackReference():
            return [""]
    raise AssertionError(node)


def examples(pattern: Pattern, *, starts_with_slash: bool = True) -> list[str]:
    """Texts that match, shortest first. `starts_with_slash`: they shall be paths."""
    try:
        texts = _texts(parse(pattern.text).tree)
    except PatternUnreadable:
        return []
    candidates: list[str] = []
    for text in texts:
        candidates.append(text)
        if starts_with_slash and not text.startswith("/"):
            candidates += ["/" + text, "/x" + text]
    good = [
        text for text in dict.fromkeys(candidates)
        if (not starts_with_slash or text.startswith("/")) and engines.search(pattern, text) is not None
    ]
    return sorted(good, key=lambda text: (len(text), text))[:_MOST]


@lru_cache(maxsize=4096)
def literal_start(pattern: Pattern) -> str:
    """The text that every match of an anchored pattern begins with; "" if it is not anchored or case does not count."""
    try:
        tree = parse(pattern.text).tree
    except PatternUnreadable:
        return ""
    if pattern.ignores_case or "(?i" in pattern.text or not isinstance(tree, Sequence) or tree.items[:1] != (Anchor("start"),):
        return ""
    out = ""
    for item in tree.items[1:]:
        if not isinstance(item, Characters) or item.negated or len(item.ranges) != 1 or item.ranges[0][0] != item.ranges[0][1]:
            break
        out += chr(item.ranges[0][0])
    return out


def may_end_in_slash(pattern: Pattern) -> bool:
    """Whether a text that ends in a slash can match: not if the pattern is anchored at its end behind other characters."""
    try:
        tree = parse(pattern.text).tree
    except PatternUnreadable:
        return True
    return not isinstance(tree, Sequence) or tree.items[-1:] != (Anchor("end"),) or _may_end(Sequence(tree.items[:-1]))


def goes_on(pattern: Pattern) -> bool:
    """Whether each text that begins with a match is one: the pattern asks nothing of the end, nor of what comes next."""
    try:
        tree = parse(pattern.text).tree
    except PatternUnreadable:
        return False
    return not _asks_ahead(tree)


def _asks_ahead(node: Node) -> bool:
    match node:
        case Characters():
            return False
        case Sequence(items) | Alternatives(items):
            return any(map(_asks_ahead, items))
        case Group(item) | Repeat(item):
            return _asks_ahead(item)
        case Anchor(kind):
            return kind != "start"
    return True


def _may_end(node: Node) -> bool:
    match node:
        case Characters():
            return node.holds("/")
        case Sequence(items):
            return not items or _may_end(items[-1])
        case Alternatives(items):
            return any(_may_end(item) for item in items)
        case Group(item):
            return _may_end(item)
        case Repeat(item, least, _) if least:
            return _may_end(item)
    return True


def covered_prefix(pattern: Pattern) -> str:
    """The text such that every path that begins with it matches: `/a/` for `^/a/(.*)$`; "" if there is none."""
    found = regex.fullmatch(r"\^((?:[\w/-]|\\\.)+)(?:\(?\.\*\)?\$?)?", pattern.text)
    return found[1].replace("\\.", ".") if found and not pattern.ignores_case else ""


def all_of_text(pattern: Pattern) -> bool:
    """Whether a match is the whole text: the pattern begins and ends with anchors that stand outside of alternatives."""
    try:
        tree = parse(pattern.text).tree
    except PatternUnreadable:
        return False
    return isinstance(tree, Sequence) and tree.items[:1] == (Anchor("start"),) and tree.items[-1:] == (Anchor("end"),)
