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
    return [*_runs(files), *_single(files)]


def _runs(files: dict[str, list[Node]]) -> list[Node]:
    """Several fields that always stand together are one snippet."""
    found: dict[tuple[str, ...], list[tuple[list[Node], int, int]]] = {}
    for nodes in [inner for top in files.values() for inner in _blocks(top)]:
        start = 0
        for number in range(len(nodes) + 1):
            if number < len(nodes) and nodes[number].words[0] == "header" and nodes[number].setting:
                continue
            if number - start > 1:
                found.setdefault(tuple(_text(node) for node in nodes[start:number]), []).append((nodes, start, number))
            start = number + 1
    made: list[Node] = []
    names: set[str] = set()
    for places in found.values():
        if len(places) < _SHARED["header"][0]:
            continue
        nodes, start, end = places[0]
        shared = Node([f"({_name(nodes[start], names)})"], [Node(node.words, node.block, node.spans, node.comments) for node in nodes[start:end]], apart=True)
        for nodes, start, end in places:
            for mine, its in zip(shared.block or [], nodes[start:end], strict=True):
                _take_spans(mine, its)
            spans = tuple(dict.fromkeys(span for node in nodes[start:end] for span in _spans(node)))
            # The place of the others is kept until all are changed.
            nodes[start:end] = [Node(["import", shared.words[0].strip("()")], None, spans, setting=True), *[_GONE] * (end - start - 1)]
        made.append(shared)
    for nodes in [inner for top in files.values() for inner in _blocks(top)]:
        nodes[:] = [node for node in nodes if node is not _GONE]
    return made


_GONE = Node([""])


def _blocks(nodes: list[Node]) -> Iterator[list[Node]]:
    yield nodes
    for node in nodes:
        if node.block is not None and node.words[0] not in _SHARED:
            yield from _blocks(node.block)


def _single(files: dict[str, list[Node]]) -> list[Node]:
    counts: Counter[str] = Counter()
    for nodes in files.values():
        for node in _walk(nodes):
            if _is_shared(node):
                counts[_text(node)] += 1
    made: dict[str, Node] = {}
    names: set[str] = {node.words[1] for nodes in files.values() for node in _walk(nodes) if node.words[0] == "import" and len(node.words) == 2}
    for nodes in files.values():
        for node in _walk(nodes):
            text = _text(node) if _is_shared(node) else ""
            if not text or counts[text] < _SHARED[node.words[0]][0]:
                continue
            if text not in made:
                made[text] = Node([f"({_name(node, names)})"], [Node(node.words, node.block, node.spans, node.comments)], apart=True)
            else:
                _take_spans((made[text].block or [])[0], node)
            node.spans = _spans(node)
            node.words, node.block, node.comments = ["import", made[text].words[0].strip("()")], None, ()
    return list(made.values())


def _is_shared(node: Node) -> bool:
    """One line is as long as its import would be, and shared only where the source shared it, too."""
    return node.words[0] in _SHARED and node.setting and (node.block is not None or node.words[0] != "header" or _shared_file(node) is not None)


def _shared_file(node: Node) -> str | None:
    """The source's own file of shared lines that all of a node came from."""
    files = {span.file for span in _spans(node)}
    return next(iter(files)) if len(files) == 1 and "snippets" in next(iter(files)) else None


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
    file = _shared_file(node)
    base = _SHARED[node.words[0]][1] if file is None else re.sub(r"[^\w-]+", "_", PurePosixPath(file).stem)
    name, number = base, 2
    while name in names:
        name, number = f"{base}_{number}", number + 1
    names.add(name)
    return name
