"""How a Caddyfile looks, and what a line of it must know besides.

Source:   `caddy fmt` (2.6.2): one tab a level, a blank line before a block that is not the first.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ....model import ALWAYS, Condition
from ...printing import Layout, Line
from ...printing import Output as _Output
from ..order import routes_of

_CLOSE_UP = frozenset({"header", "encode", "log", "request_body", "transport", "map"})


@dataclass(slots=True, eq=False)
class Node(Line):
    """A directive to be written.

    kind, paths, matched: as in order.Sortable
    condition: what its matcher asks, for telling whether two nodes may change places
    setting:   it only sets something for answers that come later in the level
    leads_to:  what the path begins with after it, if it changes the path; "": not known
    """

    condition: Condition = ALWAYS
    setting: bool = False
    paths: tuple[str, ...] = ()
    leads_to: str | None = None

    @property
    def kind(self) -> str:
        return "handle" if self.words[0] == "handle_path" else self.words[0]

    @property
    def matched(self) -> bool:
        return len(self.words) > 1 and self.words[1].startswith(("/", "@")) or self.words[0] == "try_files"

    @property
    def routes(self) -> int:
        words = [word for word in self.words[1:] if not word.startswith(("/", "@", "*"))] if self.kind == "header" else self.words[1:]
        return routes_of(self.kind, [line.words[0] for line in self.block] if self.block and self.kind == "header" else words[:1] if self.kind == "header" else words)  # type: ignore[attr-defined]


_ESCAPED_BRACE = re.compile(r"\\(?=[{}])")


def for_imports(nodes: list[Line]) -> None:
    """Changes the words of what is imported so that they come out as they are: an import takes a backslash away (syntax.py, Word.text)."""
    for node in nodes:
        node.words = [_ESCAPED_BRACE.sub(r"\\\\", word) for word in node.words]
        for_imports(node.block or [])


def Output() -> _Output:  # noqa: N802  (it makes one)
    """An output in Caddy's layout."""
    return _Output(LAYOUT)


def _parted(before: Line, line: Line, depth: int) -> bool:
    defines = line.words[:1] != [] and line.words[0].startswith("@")
    used = bool(before.words) and before.words[0].startswith("@") and before.words[0] in line.words
    opened = line.block is not None and not (line.words and line.words[0] in _CLOSE_UP)
    return (opened and not used) or (defines and depth < 3)


LAYOUT = Layout("\t", " ".join, lambda words: " ".join([*words, "{"]), lambda words: "}", _parted)
