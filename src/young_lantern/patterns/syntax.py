"""Regular expression text -> tree, for the engines PCRE and RE2 (one grammar; `features` says what only PCRE has).

Source:   PCRE pcrepattern page; RE2 syntax page. Read for PCRE2 10.42 and Go 1.19's RE2.
Unknown:  PatternUnreadable, with the offset.
Left out: conditionals, recursion and callouts, which no front-end configuration here has needed; they are unreadable.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache


class PatternUnreadable(ValueError):
    """The text is not a regular expression that we can read."""


@dataclass(frozen=True, slots=True)
class Characters:
    """One character out of (or, when negated, not out of) inclusive code point ranges."""

    ranges: tuple[tuple[int, int], ...]
    negated: bool = False

    def holds(self, character: str) -> bool:
        return any(low <= ord(character) <= high for low, high in self.ranges) != self.negated


@dataclass(frozen=True, slots=True)
class Sequence:
    items: tuple["Node", ...]


@dataclass(frozen=True, slots=True)
class Alternatives:
    items: tuple["Node", ...]


@dataclass(frozen=True, slots=True)
class Repeat:
    item: "Node"
    least: int
    most: int | None


@dataclass(frozen=True, slots=True)
class Group:
    """ignores_case: what a flag within the group says of letter case, if it says anything."""

    item: "Node"
    number: int | None = None
    name: str = ""
    ignores_case: bool | None = None


@dataclass(frozen=True, slots=True)
class Anchor:
    kind: str  # "start", "end", "word", "not-word"


@dataclass(frozen=True, slots=True)
class Look:
    item: "Node"
    ahead: bool
    wanted: bool


@dataclass(frozen=True, slots=True)
class BackReference:
    group: str


Node = Characters | Sequence | Alternatives | Repeat | Group | Anchor | Look | BackReference

_DIGIT = ((48, 57),)
_WORD = ((48, 57), (65, 90), (95, 95), (97, 122))
_SPACE = ((9, 13), (32, 32))
_CLASSES = {
    "d": Characters(_DIGIT), "D": Characters(_DIGIT, True), "w": Characters(_WORD), "W": Characters(_WORD, True),
    "s": Characters(_SPACE), "S": Characters(_SPACE, True),
}
_NAMED_CLASSES = {
    "alnum": ((48, 57), (65, 90), (97, 122)), "alpha": ((65, 90), (97, 122)), "digit": _DIGIT, "lower": ((97, 122),),
    "upper": ((65, 90),), "space": _SPACE, "word": _WORD, "xdigit": ((48, 57), (65, 70), (97, 102)),
    "punct": ((33, 47), (58, 64), (91, 96), (123, 126)),
}
_CONTROLS = {"n": 10, "r": 13, "t": 9, "f": 12, "v": 11, "a": 7, "e": 27}
_DOT = Characters(((10, 10),), negated=True)


@dataclass
class _Parser:
    text: str
    at: int = 0
    groups: int = 0
    features: set[str] = field(default_factory=set)

    def peek(self, expected: str) -> bool:
        return self.text.startswith(expected, self.at)

    def take(self, expected: str) -> bool:
        if self.peek(expected):
            self.at += len(expected)
            return True
        return False

    def fail(self, what: str) -> PatternUnreadable:
        return PatternUnreadable(f"{what} at offset {self.at} of the pattern {self.text!r}")

    def alternatives(self) -> Node:
        items = [self.sequence()]
        while self.take("|"):
            items.append(self.sequence())
        return items[0] if len(items) == 1 else Alternatives(tuple(items))

    def sequence(self) -> Node:
        items: list[Node] = []
        while self.at < len(self.text) and self.text[self.at] not in "|)":
            item = self.atom()
            if item is not None:
                items.append(self.repeated(item))
        return items[0] if len(items) == 1 else Sequence(tuple(items))

    def repeated(self, item: Node) -> Node:
        while self.at < len(self.text):
            bounds = self.quantifier()
            if bounds is None:
                break
            if self.take("+"):
                self.features.add("possessive repeat")
            else:
                self.take("?")
            item = Repeat(item, *bounds)
        return item

    def quantifier(self) -> tuple[int, int | None] | None:
        for sign, bounds in (("*", (0, None)), ("+", (1, None)), ("?", (0, 1))):
            if self.take(sign):
                return bounds  # type: ignore[return-value]
        if not self.peek("{"):
            return None
        end = self.text.find("}", self.at)
        inside = self.text[self.at + 1:end] if end > 0 else ""
        least, comma, most = inside.partition(",")
        if not least.isdigit() or (most and not most.isdigit()):
            return None
        self.at = end + 1
        return int(least), (int(most) if most else None) if comma else int(least)

    def atom(self) -> Node | None:
        character = self.text[self.at]
        self.at += 1
        match character:
            case ".":
                return _DOT
            case "^":
                return Anchor("start")
            case "$":
                return Anchor("end")
            case "[":
                return self.bracket()
            case "(":
                return self.group()
            case "\\":
                return self.escape()
            case "*" | "+" | "?":
                raise self.fail(f"nothing to repeat before {character!r}")
        return Characters(((ord(character), ord(character)),))

    def escape(self) -> Node | None:
        if self.at >= len(self.text):
            raise self.fail("a lone backslash")
        character = self.text[self.at]
        self.at += 1
        if character in _CLASSES:
            return _CLASSES[character]
        if character in "AzZbBG":
            if character in "ZG":
                self.features.add(f"\\{character}")
            return Anchor({"A": "start", "G": "start", "b": "word", "B": "not-word"}.get(character, "end"))
        if character.isdigit() and character != "0":
            self.features.add("back-reference")
            return BackReference(character)
        if character in "gk":
            self.features.add("back-reference")
            end = min((i for i in (self.text.find(c, self.at) for c in "}>'") if i > 0), default=-1)
            if end < 0:
                raise self.fail("an unfinished back-reference")
            name = self.text[self.at + 1:end]
            self.at = end + 1
            return BackReference(name)
        if character == "Q":
            end = self.text.find("\\E", self.at)
            quoted = self.text[self.at:end if end >= 0 else len(self.text)]
            self.at = len(self.text) if end < 0 else end + 2
            return Sequence(tuple(Characters(((ord(c), ord(c)),)) for c in quoted))
        if character in "hHRXKpP":
            self.features.add(f"\\{character}")
            raise self.fail(f"\\{character} is beyond what we read")
        code = self.code_point(character)
        return Characters(((code, code),))

    def code_point(self, character: str) -> int:
        if character == "x":
            if self.take("{"):
                end = self.text.find("}", self.at)
                digits, self.at = self.text[self.at:end], end + 1
            else:
                digits = self.text[self.at:self.at + 2]
                self.at += 2
            try:
                return int(digits, 16)
            except ValueError:
                raise self.fail("not a hexadecimal number") from None
        return _CONTROLS.get(character, ord(character))

    def bracket(self) -> Node:
        negated = self.take("^")
        ranges: list[tuple[int, int]] = []
        first = True
        while first or not self.peek("]"):
            first = False
            if self.at >= len(self.text):
                raise self.fail("a bracket without its end")
            if self.take("[:"):
                end = self.text.find(":]", self.at)
                name = self.text[self.at:end]
                if end < 0 or name not in _NAMED_CLASSES:
                    raise self.fail(f"an unknown class [:{name}:]")
                ranges.extend(_NAMED_CLASSES[name])
                self.at = end + 2
                continue
            low = self.bracket_item()
            if isinstance(low, Characters):
                ranges.extend(low.ranges if not low.negated else _complement(low.ranges))
            elif self.peek("-") and self.text[self.at + 1:self.at + 2] not in ("]", ""):
                self.at += 1
                high = self.bracket_item()
                if not isinstance(high, int) or high < low:
                    raise self.fail("a range out of order")
                ranges.append((low, high))
            else:
                ranges.append((low, low))
        self.at += 1
        return Characters(tuple(ranges), negated)

    def bracket_item(self) -> Characters | int:
        character = self.text[self.at]
        self.at += 1
        if character != "\\":
            return ord(character)
        if self.at >= len(self.text):
            raise self.fail("a lone backslash")
        escaped = self.text[self.at]
        self.at += 1
        if escaped in _CLASSES:
            return _CLASSES[escaped]
        return 8 if escaped == "b" else self.code_point(escaped)

    def group(self) -> Node | None:
        number: int | None = None
        name = ""
        look: tuple[bool, bool] | None = None
        ignores_case: bool | None = None
        if self.take("?"):
            for sign, value in (("=", (True, True)), ("!", (True, False)), ("<=", (False, True)), ("<!", (False, False))):
                if self.take(sign):
                    look = value
                    self.features.add("look-around")
                    break
            else:
                if self.take("#"):
                    self.at = self.text.find(")", self.at) + 1
                    return None
                if self.take(">"):
                    self.features.add("atomic group")
                elif self.take("P<") or self.take("<") or self.take("'"):
                    end = min(i for i in (self.text.find(c, self.at) for c in ">'") if i > 0)
                    name = self.text[self.at:end]
                    self.at = end + 1
                    self.groups += 1
                    number = self.groups
                elif not self.take(":"):
                    start = self.at
                    while self.at < len(self.text) and self.text[self.at] in "imsxU-":
                        self.at += 1
                    if self.at == start:
                        raise self.fail("an unknown kind of group")
                    if "x" in self.text[start:self.at] or "U" in self.text[start:self.at]:
                        self.features.add("a flag that changes the grammar")
                    if self.take(")"):
                        if start > 2:
                            self.features.add("a flag in the middle")
                        return None
                    on, _, off = self.text[start:self.at].partition("-")
                    ignores_case = True if "i" in on else False if "i" in off else None
                    if not self.take(":"):
                        raise self.fail("an unknown kind of group")
        else:
            self.groups += 1
            number = self.groups
        item = self.alternatives()
        if not self.take(")"):
            raise self.fail("a group without its end")
        return Look(item, *look) if look else Group(item, number, name, ignores_case)


def _complement(ranges: tuple[tuple[int, int], ...]) -> list[tuple[int, int]]:
    out, following = [], 0
    for low, high in sorted(ranges):
        if low > following:
            out.append((following, low - 1))
        following = max(following, high + 1)
    return [*out, (following, 0x10FFFF)]


@dataclass(frozen=True, slots=True)
class Parsed:
    """The tree; `features`: what only PCRE has, in words; `names`: group names in order."""

    tree: Node
    features: frozenset[str]
    groups: int


@lru_cache(maxsize=4096)
def parse(text: str) -> Parsed:
    """Regular expression -> tree. Raises PatternUnreadable."""
    parser = _Parser(text)
    try:
        tree = parser.alternatives()
    except RecursionError:
        raise PatternUnreadable("nested too deeply") from None
    except ValueError as error:
        raise error if isinstance(error, PatternUnreadable) else PatternUnreadable(str(error)) from None
    if parser.at != len(text):
        raise parser.fail("a closing parenthesis too many")
    return Parsed(tree, frozenset(parser.features), parser.groups)
