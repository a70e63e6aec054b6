"""Regular expressions -> the language of the texts in which they are found.

Rule:     "found anywhere" is what both engines ask; anchors hold at the ends of the text. Looking ahead is an intersection with what follows.
Unknown:  PatternUnreadable, as syntax.py; `exact` is False where the language holds more than the pattern finds: back-references, looking behind, word
          boundaries, atomic groups, flags in the middle, more than MOST_REPEATS repeats. A walk over it then meets texts that are in none of its classes, and may
          miss some.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from ..model import Pattern
from .languages import ALL, ALPHABET, Language, Languages, characters
from .syntax import Alternatives, Anchor, BackReference, Characters, Group, Look, Node, PatternUnreadable, Repeat, Sequence, parse

# Bounded repeats are written out; chosen among 16, 64 and 256: no path is longer in one piece.
MOST_REPEATS = 64
# What only PCRE has, and a regular language nonetheless; looking behind is met where it stands.
_REGULAR = frozenset({"look-around", "\\Z"})


@dataclass(frozen=True, slots=True)
class Found:
    """language: of whole texts in which the pattern is found; exact: whether it is just these.

    seen: whether ALPHABET has a character for each that the pattern asks for by itself; not so for `[\\r\\n]`, which no text of the language then holds
    """

    language: Language
    exact: bool
    seen: bool = True


@dataclass(frozen=True, slots=True)
class _Rest:
    """What follows, where nothing of the text has been taken yet, and elsewhere: `^` holds at the first place only."""

    at_start: Language
    later: Language


class Reading:
    """Reads patterns into languages of one maker; asks each once."""

    def __init__(self, languages: Languages) -> None:
        self.languages = languages
        self._found: dict[Pattern, Found] = {}
        self._of_groups: dict[tuple[Pattern, frozenset[tuple[int | str, Language]]], Language] = {}
        self._ignores_case = False
        self._exact = self._seen = True
        self._inside: dict[int | str, Language] = {}

    def found_in(self, pattern: Pattern) -> Found:
        """The texts that a search for the pattern finds it in. Raises PatternUnreadable."""
        if pattern not in self._found:
            made = self.languages
            found = self._read(pattern, {})
            later = made.join(made.one_of(ALL), made.join(made.any, found.later))
            self._found[pattern] = Found(made.either(found.at_start, later), self._exact, self._seen)
        return self._found[pattern]

    def told(self, pattern: Pattern, loose: set[str]) -> Language | None:
        """As found_in; what it cannot be, or not exactly, is named among `loose` instead of raised."""
        try:
            found = self.found_in(pattern)
        except PatternUnreadable:
            found = None
        if found is None or not found.exact or not found.seen:
            loose.add(f"the pattern {pattern.text}")
        return found.language if found is not None else None

    def of_groups(self, pattern: Pattern, inside: dict[int | str, Language]) -> Language:
        """As found_in, where what each of some groups takes is in a language, too. Raises PatternUnreadable."""
        key = pattern, frozenset(inside.items())
        if key not in self._of_groups:
            made = self.languages
            found = self._read(pattern, dict(inside))
            self._of_groups[key] = made.either(found.at_start, made.join(made.one_of(ALL), made.join(made.any, found.later)))
        return self._of_groups[key]

    def _read(self, pattern: Pattern, inside: dict[int | str, Language]) -> _Rest:
        parsed = parse(pattern.text)
        self._inside = inside
        self._exact, self._seen = not parsed.features - _REGULAR, True
        self._ignores_case = pattern.ignores_case or pattern.text.startswith("(?i)") or "a flag in the middle" in parsed.features
        tree = Group(parsed.tree, 0) if 0 in inside else parsed.tree
        return self._node(tree, _Rest(self.languages.any, self.languages.any))

    def _node(self, node: Node, rest: _Rest) -> _Rest:
        made = self.languages
        match node:
            case Characters():
                one = made.join(made.one_of(self._mask(node)), rest.later)
                return _Rest(one, one)
            case Sequence(items):
                for item in reversed(items):
                    rest = self._node(item, rest)
                return rest
            case Alternatives(items):
                ways = [self._node(item, rest) for item in items]
                return _Rest(made.either(*(way.at_start for way in ways)), made.either(*(way.later for way in ways)))
            case Group(item, number, name) if number in self._inside or (name and name in self._inside):
                wanted = self._inside.pop(number if number in self._inside else name)  # type: ignore[arg-type]
                taken = made.both(self._alone(item), wanted)
                self._inside[name or number] = wanted  # type: ignore[index]
                front = made.join(taken, rest.later)
                return _Rest(made.either(front, rest.at_start) if taken.nullable else front, front)
            case Group(item, ignores_case=ignores_case):
                before = self._ignores_case
                self._ignores_case = before if ignores_case is None else ignores_case
                rest = self._node(item, rest)
                self._ignores_case = before
                return rest
            case Repeat(item, least, most):
                return self._repeat(item, least, most, rest)
            case Anchor("start"):
                return _Rest(rest.at_start, made.none)
            case Anchor("end"):
                return _Rest(made.both(rest.at_start, made.empty), made.both(rest.later, made.empty))
            case Look(item, True, wanted):
                ahead = self._node(item, _Rest(made.any, made.any))
                if not wanted:
                    ahead = _Rest(made.other(ahead.at_start), made.other(ahead.later))
                return _Rest(made.both(rest.at_start, ahead.at_start), made.both(rest.later, ahead.later))
            case BackReference():
                self._exact = False
                later = made.join(made.any, rest.later)
                return _Rest(made.either(rest.at_start, later), later)
        self._exact = False
        return rest

    def _repeat(self, item: Node, least: int, most: int | None, rest: _Rest) -> _Rest:
        made = self.languages
        if least > MOST_REPEATS or (most is not None and most > MOST_REPEATS):
            self._exact = False
            least, most = min(least, MOST_REPEATS), None
        if most is None:
            many = made.join(made.many(self._alone(item)), rest.later)
            rest = _Rest(made.either(rest.at_start, many), many)
        else:
            for _ in range(most - least):
                once = self._node(item, rest)
                rest = _Rest(made.either(rest.at_start, once.at_start), made.either(rest.later, once.later))
        for _ in range(least):
            rest = self._node(item, rest)
        return rest

    def _alone(self, item: Node) -> Language:
        """What a piece of a pattern takes by itself."""
        empty = self.languages.empty
        if _looks(item):
            self._exact = False
        return self._node(item, _Rest(empty, empty)).later

    def _mask(self, node: Characters) -> int:
        if not node.negated and any(_is_unseen(low, high) for low, high in node.ranges):
            self._seen = False
        return _mask(node, self._ignores_case)


@lru_cache(maxsize=4096)
def _mask(node: Characters, ignores_case: bool) -> int:
    mask = characters(character for character in ALPHABET if any(low <= ord(character) <= high for low, high in node.ranges))
    if ignores_case:
        mask |= characters(ALPHABET[number].swapcase() for number in range(len(ALPHABET)) if mask >> number & 1)
    return ALL & ~mask if node.negated else mask


def _is_unseen(low: int, high: int) -> bool:
    """Whether a range asks for controls, or for letters beyond ASCII of which none stands in ALPHABET."""
    return low < 32 or low <= 127 <= high or (high > 127 and not low <= ord("é") <= high)


def _looks(node: Node) -> bool:
    match node:
        case Look() | Anchor():
            return True
        case Sequence(items) | Alternatives(items):
            return any(_looks(item) for item in items)
        case Group(item) | Repeat(item):
            return _looks(item)
    return False
