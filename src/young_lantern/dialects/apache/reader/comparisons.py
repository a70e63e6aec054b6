"""Comparisons of texts and numbers, `RewriteCond` and expressions -> patterns, which every other server asks as well.

Source:   Apache HTTP Server manual, mod_rewrite, "RewriteCond"; mod_rewrite.c, compare_lexicography; C11 section 7.22.1.2 (atoi).
Rule:     of two texts the longer one is greater, and of those as long the one that sorts behind; with NC they are sorted alone. A number is what the
          text begins with, behind blanks and a sign; 0 where it begins with none. Expressions have 64 bits for it, RewriteCond 32 (2.4.71, probed).
Left out: what RewriteCond makes of larger numbers; how many octets a character beyond ASCII has; white space other than blanks, ends of lines: told by whoever
          reads them.
"""

from __future__ import annotations

import re

from ....model import ALWAYS, Condition, Not, Pattern, Span, Template, TextMatches

# Each asked as "greater", or "equal": the sign, and whether what comes out is turned round; whether equal texts hold, too.
_NUMBERS = {"-gt": ("above", 0, False), "-ge": ("above", -1, False), "-le": ("above", 0, True), "-lt": ("above", -1, True), "-eq": ("equal", 0, False), "-ne": ("equal", 0, True)}
_ORDERS = {">": (False, False), ">=": (True, False), "<=": (False, True), "<": (True, True)}
WRAPS = 2**31
_ANY = "."
_BLANKS = "^ *"
_REST = rf"(?:\D{_ANY}*)?"


def number(template: Template, sign: str, bound: int, span: Span | None) -> Condition:
    """A text as a number beside another: sign is one of `-eq`, `-ne`, `-gt`, `-ge`, `-lt`, `-le`."""
    how, more, turned = _NUMBERS[sign]
    text, opposite = _equal(bound) if how == "equal" else _above(bound + more)
    made: Condition = TextMatches(template, Pattern(text), span=span)
    return Not(made, span) if turned != opposite else made


def _equal(bound: int) -> tuple[str, bool]:
    if bound == 0:
        return rf"{_BLANKS}[+-]?0*[1-9]", True
    return rf"{_BLANKS}{'-' if bound < 0 else '[+]?'}0*{abs(bound)}{_REST}$", False


def _above(bound: int) -> tuple[str, bool]:
    """A pattern for what is greater, or for what is not, and which of both."""
    if bound >= 0:
        return f"{_BLANKS}[+]?0*{magnitudes_above(bound)}", False
    return f"{_BLANKS}-0*{magnitudes_above(-bound - 1)}", True


def magnitudes_above(bound: int) -> str:
    """A pattern for digits, without zeros before them, that are more than a bound, and for what may follow."""
    if bound == 0:
        return f"[1-9]{_ANY}*$"
    digits = str(bound)
    parts = [digits[:place] + _from(int(digit) + 1) + _digits(len(digits) - place - 1) for place, digit in enumerate(digits) if digit != "9"]
    longer = f"[1-9]{_digits(len(digits))}{_ANY}*"
    return f"(?:(?:{'|'.join(parts)}){_REST}|{longer})$" if parts else f"{longer}$"


def _from(digit: int) -> str:
    return "9" if digit == 9 else f"[{digit}-9]"


def _digits(count: int) -> str:
    return ("", r"\d")[count] if count < 2 else rf"\d{{{count}}}"


def order(template: Template, sign: str, text: str, ignores_case: bool, span: Span | None) -> Condition | None:
    """A text beside another one, of ASCII: sign is one of `<`, `<=`, `>`, `>=`; None where the text is not ASCII."""
    if not text.isascii():
        return None
    equal, turned = _ORDERS[sign]
    pattern = _sorted_behind(text, equal) if ignores_case else _greater(text, equal)
    if pattern is None:
        return Not(ALWAYS, span) if turned else ALWAYS
    made: Condition = TextMatches(template, Pattern(pattern), span=span)
    return Not(made, span) if turned else made


def _greater(text: str, equal: bool) -> str | None:
    if not text and equal:
        return None
    parts = [re.escape(text[:place]) + _codes(lambda code, at=ord(character): code > at) + (f"{_ANY}{{{left}}}" if (left := len(text) - place - 1) else "") for place, character in enumerate(text)]
    return f"^(?:{'|'.join([f'{_ANY}{{{len(text) + 1},}}', *(part + '$' for part in parts), *([re.escape(text) + '$'] if equal else [])])})"


def _sorted_behind(text: str, equal: bool) -> str | None:
    if not text and equal:
        return None
    small = text.lower()
    parts = [_either_case(small[:place]) + _codes(lambda code, at=ord(character): ord(chr(code).lower()) > at) for place, character in enumerate(small)]
    return f"^(?:{'|'.join([*parts, _either_case(small) + _ANY, *([_either_case(small) + '$'] if equal else [])])})"


def _either_case(text: str) -> str:
    return "".join(f"[{letter.upper()}{letter}]" if letter.isalpha() else re.escape(letter) for letter in text)


def _codes(holds) -> str:  # type: ignore[no-untyped-def]
    """A class of the characters of ASCII that a condition holds for, and of all beyond."""
    runs: list[list[int]] = []
    for code in range(128):
        if not holds(code):
            runs = [*runs[:-1], [runs[-1][0], code]] if runs and runs[-1][1] == code - 1 else [*runs, [code, code]]
    return "[^" + "".join(f"\\x{first:02x}" + (f"-\\x{last:02x}" if last > first else "") for first, last in runs) + "]"
