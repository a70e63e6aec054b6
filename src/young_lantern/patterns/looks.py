"""Look-around, taken out of a pattern and asked by itself, for engines that have none (RE2).

Rule:     what is looked for stands at one place whatever the text is, since what is before it (or behind it, up to the end) has one length:
          `^/(?!api)(.*)$` holds where `^/(.*)$` does and `^/(?:api)` does not; `(?<!\\.min)\\.js$` where `\\.js$` does and `(?:\\.min)\\.js$` does not.
Left out: look-around behind text of several lengths, in groups that are repeated or have alternatives, and in alternatives with groups.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import regex

from ..model import Pattern
from .engines import beyond_re2, without_lookahead
from .syntax import Alternatives, Anchor, Characters, Group, Node, PatternUnreadable, Repeat, Sequence, parse
from .tokens import REPEATS, Unclosed, alternatives, closing, step, tokens_of

_LOOKS = ("(?=", "(?!", "(?<=", "(?<!")
_TAKES = regex.compile(r"\((?!\?)|\(\?P?<\w")  # a group with a number


@dataclass(frozen=True, slots=True)
class Apart:
    """`main` holds, every one of `wanted` does, and none of `refused`."""

    main: Pattern
    wanted: tuple[Pattern, ...] = ()
    refused: tuple[Pattern, ...] = ()


def apart(pattern: Pattern) -> tuple[Apart, ...] | None:
    """The ways in which a pattern holds, without look-around; None where it has none that RE2 minds, or none that can be taken out."""
    if pattern.engine != "pcre" or "(?" not in pattern.text or not beyond_re2(pattern.text):
        return None
    try:
        ways = alternatives(tokens_of(pattern.text))
        if len(ways) > 1 and any(_TAKES.match(token) for tokens in ways for token in tokens):
            return None  # the numbers of groups would be other ones
        return tuple(_one(tokens, pattern) for tokens in ways)
    except (_Left, Unclosed, PatternUnreadable):
        return None


class _Left(Exception):
    """Look-around that stays."""


def _one(tokens: list[str], pattern: Pattern) -> Apart:
    if not beyond_re2(alone := "".join(tokens)):
        return Apart(replace(pattern, text=without_lookahead(alone)))
    main: list[str] = []
    ahead: list[tuple[int, bool, str]] = []  # how much of the main pattern stands before, whether it is wanted, what
    behind: list[tuple[int, bool, str]] = []
    place = 0
    while place < len(tokens):
        token = tokens[place]
        if token not in _LOOKS:
            main.append(token)
            place += 1
            continue
        end = closing(tokens, place)
        inside = tokens[place + 1:end]
        if any(word in _LOOKS for word in inside) or any(map(_TAKES.match, inside)) and ("=" in token or any(map(_TAKES.match, tokens[end + 1:]))):
            raise _Left  # what a group took there may be asked for, and groups that follow would have other numbers
        if tokens[end + 1:end + 2] and REPEATS.match(tokens[end + 1]) or _is_one_of_several(tokens, place):
            raise _Left
        (behind if "<" in token else ahead).append((len(main), "=" in token, "".join(_untaken(inside))))
        place = end + 1
    asked = [(wanted, _before(main[:count]) + f"(?:{text})") for count, wanted, text in ahead]
    asked += [(wanted, f"(?:{text})" + _after(main[count:])) for count, wanted, text in behind]
    made = [(wanted, replace(pattern, text=text, label="")) for wanted, text in asked]
    whole = replace(pattern, text="".join(main))
    if any(beyond_re2(item.text) for item in (whole, *(item for _, item in made))):
        raise _Left
    return Apart(whole, tuple(item for wanted, item in made if wanted), tuple(item for wanted, item in made if not wanted))


def _is_one_of_several(tokens: list[str], place: int) -> bool:
    """Whether a group that is open at a place is repeated, has alternatives, or says something else of what is in it."""
    opened: list[int] = []
    for number, token in enumerate(tokens[:place]):
        if step(token) > 0:
            opened.append(number)
        elif step(token) < 0:
            opened.pop()
    for start in opened:
        end = closing(tokens, start)
        if tokens[end + 1:end + 2] and REPEATS.match(tokens[end + 1]) or len(alternatives(tokens[start + 1:end])) > 1:
            return True
        if tokens[start] != "(?:" and not _TAKES.match(tokens[start]):
            return True
    return False


def _untaken(tokens: list[str]) -> list[str]:
    return ["(?:" if _TAKES.match(token) else token for token in tokens]


def _before(tokens: list[str]) -> str:
    """What stands before a place, if it begins at the start of the text and has one length; groups that are open there are left out."""
    plain = _unopened(tokens)
    if plain[:1] != ["^"] or _length(parse("".join(plain)).tree) is None:
        raise _Left
    return "".join(_untaken(plain))


def _after(tokens: list[str]) -> str:
    """What stands behind a place, if it leads to the end of the text and has one length."""
    if tokens[-1:] != ["$"] or _length(parse("".join(tokens)).tree) is None:
        raise _Left
    return "".join(_untaken(tokens))


def _unopened(tokens: list[str]) -> list[str]:
    opened: list[int] = []
    for place, token in enumerate(tokens):
        if step(token) > 0:
            opened.append(place)
        elif step(token) < 0:
            opened.pop()
    return [token for place, token in enumerate(tokens) if place not in opened]


def _length(node: Node) -> int | None:
    """How many characters are taken, if it is always as many."""
    match node:
        case Characters():
            return 1
        case Anchor():
            return 0
        case Sequence(items):
            lengths = [_length(item) for item in items]
            return None if None in lengths else sum(length for length in lengths if length is not None)
        case Alternatives(items):
            found = {_length(item) for item in items}
            return found.pop() if len(found) == 1 else None
        case Repeat(item, least, most) if least == most:
            length = _length(item)
            return None if length is None else length * least
        case Group(item):
            return _length(item)
    return None
