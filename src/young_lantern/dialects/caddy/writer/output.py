"""Lines of a Caddyfile to be -> text, with the lines that each source directive went to.

Source:   `caddy fmt` (2.6.2): one tab a level, a blank line before a block that is not the first.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from ....model import ALWAYS, Condition, Span


@dataclass(slots=True, eq=False)
class Node:
    """A directive to be written; words are quoted already.

    kind, paths, matched: as in order.Sortable
    condition: what its matcher asks, for telling whether two nodes may change places
    setting:   it only sets something for answers that come later in the level
    """

    words: list[str]
    block: list["Node"] | None = None
    spans: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()
    condition: Condition = ALWAYS
    setting: bool = False
    paths: tuple[str, ...] = ()
    apart: bool = False  # a blank line stands before it
    leads_to: str | None = None  # what the path begins with after it, if it changes the path; "": not known

    @property
    def kind(self) -> str:
        return "handle" if self.words[0] == "handle_path" else self.words[0]

    @property
    def matched(self) -> bool:
        return len(self.words) > 1 and self.words[1].startswith(("/", "@")) or self.words[0] == "try_files"


@dataclass
class Output:
    """Files by name, and for each span the (file, first line, last line) made from it."""

    files: dict[str, str] = field(default_factory=dict)
    targets: dict[Span, list[tuple[str, int, int]]] = field(default_factory=dict)
    _commented: set[tuple[str, tuple[str, ...]]] = field(default_factory=set)

    def write(self, name: str, nodes: Iterable[Node], head: tuple[str, ...] = ()) -> None:
        lines = [f"# {line}".rstrip() for line in head]
        self._nodes(list(nodes), 0, lines, name)
        self.files[name] = "\n".join(lines) + "\n"

    def _nodes(self, nodes: list[Node], depth: int, lines: list[str], name: str) -> None:
        tab = "\t" * depth
        for number, node in enumerate(nodes):
            opened = node.block is not None and node.words[:1] not in (["header"], ["encode"], ["log"], ["request_body"], ["transport"])
            if number and (node.apart or (opened and not _is_definition(nodes[number - 1], node)) or (_starts_definition(node) and depth < 3)):
                lines.append("")
            comments = tuple(dict.fromkeys(node.comments))
            if comments and (name, comments) not in self._commented:
                self._commented.add((name, comments))
                lines += [f"{tab}# {comment}" for comment in comments]
            first = len(lines) + 1
            lines.append(tab + " ".join([*filter(None, node.words), *(["{"] if node.block is not None else [])]))
            if node.block is not None:
                self._nodes(node.block, depth + 1, lines, name)
                lines.append(tab + "}")
            for span in node.spans:
                where = (name, first, len(lines))
                if where not in self.targets.setdefault(span, []):
                    self.targets[span].append(where)


def _is_definition(before: Node, node: Node) -> bool:
    return before.words[0].startswith("@") and before.words[0] in node.words


def _starts_definition(node: Node) -> bool:
    return node.words[0].startswith("@")
