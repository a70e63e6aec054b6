"""Regular languages as trees that are derived character by character: joined, united, intersected, negated, cut at their end.

Source:   J. A. Brzozowski, "Derivatives of Regular Expressions", Journal of the ACM 11 (1964); S. Owens, J. Reppy and A. Turon, "Regular-expression
          derivatives re-examined", Journal of Functional Programming 19 (2009), for the classes of characters.
Rule:     equal trees are one object, so that a walk over what is left of several languages meets each combination once.
Left out: controls and line ends, which no readable witness holds; of characters beyond ASCII one stands for all.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import reduce

# In the order in which a witness shall use them: a class of characters is represented by its first.
ALPHABET = "xaeiou0123456789bcdfghjklmnpqrstvwyzXABCDEFGHIJKLMNOPQRSTUVWYZ-_./~@:+,;=!$&'()*%#?\"<>[\\]^`{|} é"
_BIT = {character: 1 << number for number, character in enumerate(ALPHABET)}
ALL = (1 << len(ALPHABET)) - 1


def characters(text: Iterable[str]) -> int:
    """The set of some characters, as a mask over ALPHABET."""
    return reduce(lambda mask, character: mask | _BIT.get(character, 0), text, 0)


def first(mask: int) -> str:
    """The most readable character of a set that is not empty."""
    return ALPHABET[(mask & -mask).bit_length() - 1]


class Language:
    """A set of texts; made by Languages only. nullable: it holds the empty text; classes: sets of characters that it cannot tell apart."""

    __slots__ = ("classes", "kind", "mask", "nexts", "nullable", "number", "parts", "text")

    def __init__(self, number: int, kind: str, parts: tuple["Language", ...], mask: int, text: str, nullable: bool, classes: tuple[int, ...]) -> None:
        self.number, self.kind, self.parts, self.mask, self.text = number, kind, parts, mask, text
        self.nullable, self.classes = nullable, classes
        self.nexts: dict[int, Language] = {}

    def __repr__(self) -> str:
        inside = self.text or (f"{self.mask:x}" if self.mask else "") or ", ".join(map(repr, self.parts))
        return f"{self.kind}({inside})"


_ONE = (ALL,)


def meet(partitions: Iterable[tuple[int, ...]]) -> tuple[int, ...]:
    """The coarsest classes that respect all of some partitions, the most readable first."""
    classes = _ONE
    for partition in dict.fromkeys(partitions):
        if len(partition) > 1:
            classes = tuple(both for one in classes for other in partition if (both := one & other))
    return tuple(sorted(classes, key=lambda mask: mask & -mask))


class Languages:
    """Makes languages, each once. `work`: how many parts were put together so far, for those who bound it."""

    def __init__(self) -> None:
        self.work = 0
        self._made: dict[tuple[object, ...], Language] = {}
        self.none = self._make("none", (), 0, "", False, _ONE)
        self.empty = self._make("empty", (), 0, "", True, _ONE)
        self.any = self._make("any", (), 0, "", True, _ONE)

    def _make(self, kind: str, parts: tuple[Language, ...], mask: int, text: str, nullable: bool, classes: tuple[int, ...]) -> Language:
        key = (kind, tuple(part.number for part in parts), mask, text)
        found = self._made.get(key)
        if found is None:
            found = self._made[key] = Language(len(self._made), kind, parts, mask, text, nullable, classes)
        return found

    def one_of(self, mask: int) -> Language:
        """Texts of one character out of a set."""
        return self._make("one", (), mask, "", False, _ONE if mask == ALL else meet([(mask, ALL & ~mask)])) if mask else self.none

    def word(self, text: str, ignores_case: bool = False) -> Language:
        """The text alone."""
        made = self.empty
        for character in reversed(text):
            made = self.join(self.one_of(characters(character + character.swapcase() if ignores_case else character)), made)
        return made

    def join(self, one: Language, other: Language) -> Language:
        """Texts of one followed by texts of the other."""
        if one is self.none or other is self.none:
            return self.none
        if one is self.empty:
            return other
        if other is self.empty or (one is self.any and (other is self.any or other.kind == "join" and other.parts[0] is self.any)):
            return one if other is self.empty else other
        if one.kind == "join":
            return self.join(one.parts[0], self.join(one.parts[1], other))
        classes = meet([one.classes, other.classes]) if one.nullable else one.classes
        return self._make("join", (one, other), 0, "", one.nullable and other.nullable, classes)

    def either(self, *languages: Language) -> Language:
        """Texts of any of them."""
        parts = {part.number: part for item in languages for part in (item.parts if item.kind == "either" else (item,)) if part is not self.none}
        singles = [part for part in parts.values() if part.kind == "one"]
        if len(singles) > 1:
            for part in singles:
                del parts[part.number]
            merged = self.one_of(reduce(lambda mask, part: mask | part.mask, singles, 0))
            parts[merged.number] = merged
        if self.any.number in parts:
            return self.any
        if len(parts) > 1 and self.empty.number in parts and any(part.nullable for part in parts.values() if part is not self.empty):
            del parts[self.empty.number]
        chosen = tuple(parts[number] for number in sorted(parts))
        self.work += len(chosen)
        if len(chosen) < 2:
            return chosen[0] if chosen else self.none
        return self._make("either", chosen, 0, "", any(part.nullable for part in chosen), meet(part.classes for part in chosen))

    def both(self, *languages: Language) -> Language:
        """Texts of all of them."""
        parts = {part.number: part for item in languages for part in (item.parts if item.kind == "both" else (item,)) if part is not self.any}
        if self.none.number in parts:
            return self.none
        if self.empty.number in parts:
            return self.empty if all(part.nullable for part in parts.values()) else self.none
        chosen = tuple(parts[number] for number in sorted(parts))
        self.work += len(chosen)
        if len(chosen) < 2:
            return chosen[0] if chosen else self.any
        if any(part.kind == "other" and part.parts[0].number in parts for part in chosen):
            return self.none
        return self._make("both", chosen, 0, "", all(part.nullable for part in chosen), meet(part.classes for part in chosen))

    def other(self, language: Language) -> Language:
        """All texts that are not in it."""
        if language.kind == "other":
            return language.parts[0]
        if language is self.none or language is self.any:
            return self.any if language is self.none else self.none
        return self._make("other", (language,), 0, "", not language.nullable, language.classes)

    def many(self, language: Language) -> Language:
        """Any number of its texts, one after the other."""
        if language is self.none or language is self.empty:
            return self.empty
        if language.kind in ("many", "any"):
            return language
        if language.kind == "one" and language.mask == ALL:
            return self.any
        return self._make("many", (language,), 0, "", True, language.classes)

    def before(self, language: Language, end: str) -> Language:
        """Texts that are in the language once `end` is put behind them."""
        if not end or language is self.none or language is self.any:
            return language
        return self._make("before", (language,), 0, end, self.after(language, end).nullable, language.classes)

    def leading(self, language: Language, to: Language) -> Language:
        """Texts after which just the language `to` may follow in texts of the language."""
        if language is self.none or (language is to and to is self.any):
            return language
        return self._make("leading", (language, to), 0, "", language is to, language.classes)

    def rests(self, language: Language, most: int) -> list[Language]:
        """All that may be left of the language after some text, the language itself first; at most so many."""
        found = {language: None}
        for here in (queue := [language]):
            for mask in here.classes:
                rest = self.next(here, mask & -mask)
                if rest is not self.none and rest not in found and len(found) < most:
                    found[rest] = None
                    queue.append(rest)
        return queue

    def after(self, language: Language, start: str) -> Language:
        """What may follow `start` in texts of the language."""
        for character in start:
            if language is self.none:
                return language
            bit = _BIT.get(character)
            language = self.next(language, bit) if bit else self.none
        return language

    def next(self, language: Language, bit: int) -> Language:
        """What may follow one character, given as a mask of that one alone."""
        found = language.nexts.get(bit)
        if found is None:
            found = language.nexts[bit] = self._derive(language, bit)
        return found

    def _derive(self, language: Language, bit: int) -> Language:
        parts = language.parts
        match language.kind:
            case "any":
                return language
            case "one":
                return self.empty if language.mask & bit else self.none
            case "join":
                here = self.join(self.next(parts[0], bit), parts[1])
                return self.either(here, self.next(parts[1], bit)) if parts[0].nullable else here
            case "either":
                return self.either(*(self.next(part, bit) for part in parts))
            case "both":
                return self.both(*(self.next(part, bit) for part in parts))
            case "other":
                return self.other(self.next(parts[0], bit))
            case "many":
                return self.join(self.next(parts[0], bit), language)
            case "before":
                return self.before(self.next(parts[0], bit), language.text)
            case "leading":
                return self.leading(self.next(parts[0], bit), parts[1])
        return self.none
