"""How an nginx file looks: four blanks a level, a semicolon after each line, a blank line before a block."""

from __future__ import annotations

from ...printing import Layout, Line
from ...printing import Output as _Output

Node = Line
_CLOSE_UP = frozenset({"if", "events", "types"})


def Output() -> _Output:  # noqa: N802  (it makes one)
    """An output in nginx's layout."""
    return _Output(LAYOUT)


def _parted(before: Line, line: Line, depth: int) -> bool:
    return line.block is not None and line.words[0] not in _CLOSE_UP or before.block is not None and before.words[0] not in _CLOSE_UP


LAYOUT = Layout("    ", lambda words: " ".join(words) + ";", lambda words: " ".join([*words, "{"]), lambda words: "}", _parted)
