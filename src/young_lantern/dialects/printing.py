"""Lines of a configuration to be -> text, with the lines that each source directive went to. Shared by all writers.

Rule:     a dialect's Layout says how a line, an opened and a closed block look, and where a blank line stands.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from ..model import Span


@dataclass(slots=True, eq=False)
class Line:
    """A directive to be written; its words are quoted already. `apart`: a blank line stands before it."""

    words: list[str]
    block: "list[Line] | None" = None
    spans: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()
    apart: bool = field(default=False, kw_only=True)


@dataclass(frozen=True, slots=True)
class Layout:
    """How lines look. `parted`: whether a blank line stands between a line and the one before it, at a depth."""

    indent: str
    plain: Callable[[list[str]], str]
    opened: Callable[[list[str]], str]
    closed: Callable[[list[str]], str]
    parted: Callable[[Line, Line, int], bool]


@dataclass
class Output:
    """Files by name, and for each span the (file, first line, last line) made from it."""

    layout: Layout
    files: dict[str, str] = field(default_factory=dict)
    targets: dict[Span, list[tuple[str, int, int]]] = field(default_factory=dict)
    _commented: set[tuple[str, tuple[str, ...]]] = field(default_factory=set)

    def write(self, name: str, lines: Iterable[Line], head: tuple[str, ...] = ()) -> None:
        out = [f"# {line}".rstrip() for line in head]
        self._lines(list(lines), 0, out, name)
        self.files[name] = "\n".join(out) + "\n"

    def _lines(self, lines: list[Line], depth: int, out: list[str], name: str) -> None:
        layout, indent = self.layout, self.layout.indent * depth
        for number, line in enumerate(lines):
            if number and (line.apart or layout.parted(lines[number - 1], line, depth)):
                out.append("")
            comments = tuple(dict.fromkeys(line.comments))
            if comments and (name, comments) not in self._commented:
                self._commented.add((name, comments))
                out += [f"{indent}# {comment}" for comment in comments]
            first = len(out) + 1
            words = list(filter(None, line.words))
            if line.block is None:
                out.append(indent + layout.plain(words))
            else:
                out.append(indent + layout.opened(words))
                self._lines(line.block, depth + 1, out, name)
                out.append(indent + layout.closed(words))
            for span in line.spans:
                where = (name, first, len(out))
                if where not in self.targets.setdefault(span, []):
                    self.targets[span].append(where)
