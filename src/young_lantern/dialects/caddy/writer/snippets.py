"""Settings that several places of the output repeat -> snippets that they import.

Rule:     only settings are shared, and only where the very same lines stand often enough; their name comes from the source's
          own shared file if they all came from one.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from pathlib import PurePosixPath

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
                inner = (made[text].block or [])[0]
                inner.spans = tuple(dict.fromkeys((*inner.spans, *node.spans)))
            node.words, node.block, node.comments = ["import", made[text].words[0].strip("()")], None, ()
    return list(made.values())


def _walk(nodes: list[Node]) -> Iterator[Node]:
    for node in nodes:
        yield node
        if node.words[0] not in _SHARED:
            yield from _walk(node.block or [])


def _text(node: Node) -> str:
    return " ".join(node.words) + "".join(f"{{{_text(inner)}}}" for inner in node.block or [])


def _name(node: Node, names: set[str]) -> str:
    spans = [span for item in (node, *(node.block or [])) for span in item.spans]
    files = {span.file for span in spans}
    base = _SHARED[node.words[0]][1]
    if len(files) == 1 and "snippets" in next(iter(files)):
        base = re.sub(r"[^\w-]+", "_", PurePosixPath(files.pop()).stem)
    name, number = base, 2
    while name in names:
        name, number = f"{base}_{number}", number + 1
    names.add(name)
    return name
