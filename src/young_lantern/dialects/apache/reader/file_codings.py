"""httpd `AddEncoding`, `AddLanguage` -> fields of files whose names have such an ending. No mirror: no other server knows it by names.

Source:   Apache HTTP Server manual, mod_mime, "Files with Multiple Extensions"; mod_mime.c, find_ct; http_filters.c, ap_http_header_filter (2.4.71, probed).
Rule:     each ending of a name counts, in letters of either case, wherever it stands, but for dots at the front. The coding takes the place of what Header lines
          say, languages are put to it, in small letters.
Unknown:  what `RemoveEncoding`, `RemoveLanguage` and `DefaultLanguage` change; languages of files that nobody here sees. Told: endings.py. Several languages
          of one answer are joined in another order, and spelling.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace

from .context import Context, Node
from .endings import endings_below
from .places import Section

_LINES = {"addencoding": ("set", "Content-Encoding"), "addlanguage": ("merge", "Content-Language")}
_OTHERS = frozenset({"removeencoding", "removelanguage", "defaultlanguage"})


def with_file_codings(sections: list[Section], around: list[Node], own: list[Node], folders: list[str], context: Context) -> list[Section]:
    """The sections, and one for each such line that a file here has the ending of, or may have where nobody here knows."""
    levels: list[tuple[Section | None, list[Node]]] = [(None, around), (None, own), *((section, section.nodes) for section in sections)]
    every = [node for _, nodes in levels for node in nodes]
    lines = [node for node in every if node.name in _LINES and len(node.args) > 1]
    if not lines or any(node.name in _OTHERS for node in every):
        return sections
    there = endings_below([context.folders.places.find(folder) for folder in folders] if context.folders is not None else [None])
    made = [section for level, nodes in levels for node in nodes if node in lines for section in _sections(node, level, there, context)]
    return [*made, *sections]


def _sections(node: Node, within: Section | None, there: set[str] | None, context: Context) -> Iterator[Section]:
    endings = {word.lower().lstrip(".") for word in node.args[1:]}
    met = endings if there is None and node.name == "addencoding" else endings & (there or set())
    if not met:
        return
    operation, name = _LINES[node.name]
    pattern = rf"(?i)[^./][^/]*\.(?:{_any(met)})(?:\.[^/]*)?$" if len(met) > 1 else rf"(?i)[^./][^/]*\.{_any(met)}(?:\.[^/]*)?$"
    line = replace(node, name="header", args=[operation, name, node.args[0].lower()], raw=(), comments=())
    context.by_ending.add(node.span)
    yield Section("filesmatch", pattern, replace(node, name="<filesmatch", args=[pattern], block=[line], raw=()), stands_in=within)


def _any(words: Iterable[str]) -> str:
    return "|".join(map(re.escape, sorted(words)))
