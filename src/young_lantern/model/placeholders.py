"""Placeholders in texts of any dialect: what is filled in at deployment, by whatever means."""

from __future__ import annotations

import math
import re
import zlib
from collections.abc import Mapping

# `${1}` is what a pattern found.
PLACEHOLDER = re.compile(r"\$\{([A-Za-z_]\w*)\}|\{\{\s*(.*?)\s*\}\}|\{\$(\w+)(?::[^}]*)?\}|\{env\.(\w+)\}")


# What begins the mark of a placeholder while a configuration is written (dialects/spelling.py): for private use (Unicode, section 23.5).
MARK = "\ue000"
MARKED = re.compile(f"{MARK}\\w*([\ue001-\uf8ff])")


def is_open(text: str) -> bool:
    """Whether some of a text is left to deployment, so that nobody knows what it is the same as, or what a pattern finds in it."""
    return MARK in text or "{" in text and PLACEHOLDER.search(text) is not None


def name_of(found: re.Match[str]) -> str:
    """The name in a placeholder that was found."""
    return next((name for name in found.groups() if name), "")


def canonical(text: str) -> str:
    """The text with every placeholder in one spelling, so that two dialects' spellings of one value are the same; a word in lower case,
    which is the same in a name of a host, in a URL and in a pattern."""
    return PLACEHOLDER.sub(lambda found: f"_{re.sub(r'[^a-z0-9]+', '_', name_of(found).lower()).strip('_')}_", text) if "{" in text else text


def placeholder_names(texts: list[str]) -> set[str]:
    """The names of all placeholders in some texts, but for the servers' own variables in lower case (`${host}`)."""
    found = {name_of(match) for text in texts for match in PLACEHOLDER.finditer(text) if match[1] is None or match[1].isupper()}
    return {name for name in found if name.isidentifier()}


class OpenNumber(int):
    """A size or a time that is left to deployment: a number to decide with, made of the placeholder's name.

    spelling: the placeholder
    factor:   what the unit behind it stands for, in bytes or seconds; None: the unit is in the value, or there is none
    filled:   what makes it that number
    """

    spelling: str
    factor: float | None
    filled: str

    def __eq__(self, other: object) -> bool:
        return int(self) == other and (not isinstance(other, OpenNumber) or self.spelling == other.spelling)

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return int.__hash__(self)

    def respelt(self, spelling: str) -> OpenNumber:
        """The same number with another spelling."""
        return _number(int(self), spelling, self.factor, self.filled)


def _number(value: int, spelling: str, factor: float | None, filled: str) -> OpenNumber:
    made = OpenNumber(value)
    made.spelling, made.factor, made.filled = spelling, factor, filled
    return made


# What no other number in a configuration is likely to be: sizes that a test may well send, times that no test waits for.
_LEAST_BYTES, _LEAST_SECONDS = 150_000, 300


def open_size(text: str, units: Mapping[str, float], bare: float | None = None) -> OpenNumber | None:
    """`${MAX}`, `{{ limit }}m`: a size that is left to deployment; None when it is none.

    units: what the letters behind it stand for, in lower case; bare: what it is without letters, None where they may be in the value
    """
    return _open(text, units, bare, _LEAST_BYTES)


def open_time(text: str, units: Mapping[str, float]) -> OpenNumber | None:
    """`${WAIT}`, `{{ wait }}s`: a time that is left to deployment; None when it is none."""
    return _open(text, units, None, _LEAST_SECONDS, "s")


def _open(text: str, units: Mapping[str, float], bare: float | None, least: int, own_unit: str = "") -> OpenNumber | None:
    found = PLACEHOLDER.match(text)
    if found is None or (found[1] and not found[1].isupper()):
        return None
    unit = text[found.end():].strip()
    factor = units.get(unit, units.get(unit.lower())) if unit else bare
    if unit and factor is None:
        return None
    lowest = math.ceil(least / (factor or 1))
    count = lowest + 1 + zlib.crc32(canonical(found[0]).encode()) % max(lowest, 7)
    return _number(int(count * (factor or 1)), found[0], factor, f"{count}{own_unit if factor is None else ''}")
