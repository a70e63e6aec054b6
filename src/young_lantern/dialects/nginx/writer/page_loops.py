"""Where `recursive_error_pages` is on: pages that are missing themselves do not lead to themselves again.

Source:   ngx_http_special_response.c (1.22.1, probed): a place where it is off looks for a page once more, and for none after that; else it ends with 500
          after ten redirects inside.
"""

from __future__ import annotations

from copy import deepcopy

from ....model import Pattern
from ....patterns import problem, search
from .output import Node

_ON, _OFF = ["recursive_error_pages", "on"], ["recursive_error_pages", "off"]
_WHY = ("A page that is missing has no page.",)
# What a place may say that its page takes along.
_SETTINGS = frozenset({"root", "types", "include", "default_type", "charset", "charset_types", "add_header", "expires", "gzip", "etag", "index"})


def ended(lines: list[Node], locations: list[Node], named: list[Node]) -> list[Node]:
    """The locations of a server, in which pages end. lines: what stands at its level; named: its named locations, changed in place."""
    if not any(line.words == _ON for line in lines):
        return locations
    for node in named:
        heads = {line.words[0] for line in node.block or []}
        if node.block is not None and "error_page" not in heads and heads & {"rewrite", "root", "alias", "try_files"}:
            node.block.insert(0, Node([*_OFF]))
    made = list(locations)
    for path in dict.fromkeys(line.words[-1].strip('"').partition("?")[0] for line in lines if line.words[0] == "error_page"):
        place = _place_of(path, locations) if path.startswith("/") and "$" not in path else None
        if place is None or place.block is None:
            continue
        if place.words[1] == "=":
            place.block.insert(0, Node([*_OFF], None, (), _WHY))
        elif {line.words[0] for line in place.block} <= _SETTINGS:
            made.insert(0, Node(["location", "=", path], [Node([*_OFF], None, (), _WHY), *deepcopy(place.block)]))
    return made


def _place_of(path: str, locations: list[Node]) -> Node | None:
    """The location that a path comes to (core module, location)."""
    best: Node | None = None
    for node in locations:
        sign, text = ("", node.words[1]) if len(node.words) == 2 else (node.words[1], node.words[2])
        text = text.strip('"')
        if sign == "=" and text == path:
            return node
        if sign in ("", "^~") and not text.startswith("@") and path.startswith(text) and (best is None or len(text) > len(best.words[-1].strip('"'))):
            best = node
    if best is not None and best.words[1] == "^~":
        return best
    for node in locations:
        if node.words[1] in ("~", "~*"):
            pattern = Pattern(node.words[2].strip('"'), ignores_case=node.words[1] == "~*")
            if problem(pattern) or search(pattern, path) is not None:
                return None  # what stands in a place by pattern may use what it found
    return best
