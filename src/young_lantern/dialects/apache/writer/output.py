"""How an httpd file looks: four blanks a level, sections in angle brackets, a blank line around a section."""

from __future__ import annotations

from ...printing import Layout, Line
from ...printing import Output as _Output

Node = Line


def Output() -> _Output:  # noqa: N802  (it makes one)
    """An output in httpd's layout."""
    return _Output(LAYOUT)


def _parted(before: Line, line: Line, depth: int) -> bool:
    starts = bool(before.words) and bool(line.words) and line.words[0] == "RewriteCond" and before.words[0] == "RewriteRule"
    return line.block is not None or before.block is not None or starts


LAYOUT = Layout("    ", " ".join, lambda words: f"<{' '.join(words)}>", lambda words: f"</{words[0]}>", _parted)
