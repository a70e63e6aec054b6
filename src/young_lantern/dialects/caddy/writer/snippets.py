"""Settings that several places of the output repeat -> snippets that they import.

Rule:     only settings are shared, and only where the very same lines stand often enough; their name comes from the source's
          own shared file if they all came from one.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from pathlib import PurePosixPath

from ....model import Span
from .output import Node

# directive -> (how often it must be repeated, the name of its snippet)
_SHARED = {"encode": (2, "compression"), "header": (3, "fields"), "log": (3, "access_log")}


def factor(files: dict[str, list[Node]]) -> list[Node]:
    """The snippets; the places that repeat them are changed to imports."""
    counts: Counter[str] = Counter()
    for nodes in files.values():
        for node in _walk(nodes):
            if node.words[0] in _SHARED and node.setting:
                counts[_text(node)] += 1
    made: dict[str, Node] = {}
    names: set[str] = set()
    for nodes in files.values():
        for node in _walk(nodes):
            text = _text(node) if node.words[0] in _SHARED and node.setting else ""
            if not text or counts[text] < _SHARED[node.words[0]][0]:
                continue
            if text not in made:
                made[text] = Node([f"({_name(node, names)})"], [Node(node.words, node.block, node.spans, node.comments)], apart=True)
            else:
                _take_spans((made[text].block or [])[0], node)
            node.spans = _spans(node)
            node.words, node.block, node.comments = ["import", made[text].words[0].strip("()")], None, ()
    return list(made.values())


def _walk(nodes: list[Node]) -> Iterator[Node]:
    for node in nodes:
        yield node
        if node.words[0] not in _SHARED:
            yield from _walk(node.block or [])


def _spans(node: Node) -> tuple[Span, ...]:
    """The spans of a node and of all that stands in it."""
    return tuple(dict.fromkeys((*node.spans, *(span for inner in node.block or [] for span in _spans(inner)))))


def _take_spans(shared: Node, other: Node) -> None:
    """What another place with the same lines came from is said of the shared lines, line by line."""
    shared.spans = tuple(dict.fromkeys((*shared.spans, *other.spans)))
    for mine, its in zip(shared.block or [], other.block or [], strict=True):
        _take_spans(mine, its)


def _text(node: Node) -> str:
    return " ".join(node.words) + "".join(f"{{{_text(inner)}}}" for inner in node.block or [])


def _name(node: Node, names: set[str]) -> str:
    files = {span.file for span in _spans(node)}
    base = _SHARED[node.words[0]][1]
    if len(files) == 1 and "snippets" in next(iter(files)):
        base = re.sub(r"[^\w-]+", "_", PurePosixPath(files.pop()).stem)
    name, number = base, 2
    while name in names:
        name, number = f"{base}_{number}", number + 1
    names.add(name)
    return name
