"""How an httpd file looks: four blanks a level, sections in angle brackets, a blank line around a section."""

from __future__ import annotations

import re

from ...printing import Layout, Line
from ...printing import Output as _Output
from ..syntax import OWN_WORDS

Node = Line


def Output() -> _Output:  # noqa: N802  (it makes one)
    """An output in httpd's layout."""
    return _Output(LAYOUT)


def _parted(before: Line, line: Line, depth: int) -> bool:
    starts = bool(before.words) and bool(line.words) and line.words[0] == "RewriteCond" and before.words[0] == "RewriteRule"
    return line.block is not None or before.block is not None or starts


def _written(words: list[str]) -> str:
    return " ".join([words[0], *map(_as_it_is, words[1:])] if words[0].lower() in OWN_WORDS else words)


def _as_it_is(word: str) -> str:
    """A word in quotes for a directive that takes no backslash away."""
    if len(word) < 2 or not word.startswith('"') or not word.endswith('"'):
        return word
    inner = re.sub(r'\\(["\\])', r"\1", word[1:-1])
    if '"' not in inner:
        return f'"{inner}"'
    # With both signs in it the one is written as what a pattern may call it.
    return f"'{inner}'" if "'" not in inner else '"' + inner.replace('"', "\\x22") + '"'


LAYOUT = Layout("    ", _written, lambda words: f"<{' '.join(words)}>", lambda words: f"</{words[0]}>", _parted)
