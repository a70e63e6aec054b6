"""Lines that a level above has, or can have -> left out below, where nginx hands them down.

Source:   nginx development guide: a level inherits a directive, or a whole list of one, where it has none of its own; content
          handlers and try_files it does not inherit.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from .output import Node

_LISTS = frozenset({"add_header", "error_page", "proxy_set_header", "grpc_set_header", "grpc_hide_header", "proxy_hide_header", "fastcgi_hide_header", "uwsgi_hide_header", "scgi_hide_header", "proxy_redirect", "gzip_types", "index"})
_SINGLE = frozenset({
    "root", "autoindex", "gzip", "gzip_static", "gzip_min_length", "gzip_proxied", "client_max_body_size", "proxy_http_version", "proxy_buffering", "expires",
    "proxy_connect_timeout", "proxy_read_timeout", "proxy_send_timeout", "proxy_intercept_errors", "default_type",
})


def without_inherited(inner: list[Node], outer: list[Node]) -> list[Node]:
    """The lines of a nested location without those that it inherits; where they came from is said of the outer ones."""
    dropped: set[int] = set()
    for name in _LISTS | _SINGLE:
        own = [node for node in inner if node.words[0] == name]
        above = [node for node in outer if node.words[0] == name]
        if own and [node.words for node in own] == [node.words for node in above]:
            for node, kept in zip(own, above, strict=True):
                kept.spans = tuple(dict.fromkeys((*kept.spans, *node.spans)))
                dropped.add(id(node))
    return [node for node in inner if id(node) not in dropped]


def not_said_again(nodes: list[Node], above: tuple[Node, ...] = ()) -> None:
    """Leaves out a place's list of fields where the level above hands down the very same; and a location, or a mapping of redirects, that is there already."""
    seen: dict[tuple[str, ...], Node] = {}
    for node in list(nodes):
        if node.words[0] == "proxy_redirect" or node.words[:2] in (["location", "~"], ["location", "~*"]):
            first = seen.setdefault(tuple(node.words), node)
            if first is not node and _words(first) == _words(node):
                first.spans = tuple(dict.fromkeys((*first.spans, *node.spans)))
                nodes[:] = [held for held in nodes if held is not node]
    own = [node for node in nodes if node.words[0] == "add_header"]
    if own and [node.words for node in own] == [node.words for node in above]:
        for node, kept in zip(own, above, strict=True):
            kept.spans = tuple(dict.fromkeys((*kept.spans, *node.spans)))
        nodes[:] = [node for node in nodes if node.words[0] != "add_header"]
        own = []
    for node in nodes:
        if node.block is not None and node.words[0] in ("location", "if"):
            not_said_again(node.block, tuple(own) or above)


def _words(node: Node) -> tuple[object, ...]:
    return tuple(node.words), tuple(_words(inner) for inner in node.block or () if isinstance(inner, Node))


HIDES = {f"{kind}_hide_header": f"{kind}_pass" for kind in ("proxy", "fastcgi", "uwsgi", "scgi", "grpc")}


def hidden_as_above(nodes: list[Node], above: tuple[Node, ...] = ()) -> None:
    """Repeats what a level above hides of an origin's fields where a place hides some itself, since its list takes the place of the one above."""
    held: tuple[Node, ...] = ()
    for name in HIDES:
        own, outer = ([node for node in held_by if node.words[0] == name] for held_by in (nodes, above))
        # A place that says its fields anew has said what they hide, too.
        if own and not any(node.words[0] in ("add_header", "expires") for node in nodes):
            said = [node.words for node in own]
            first = nodes.index(own[0])
            nodes[first:first] = [Node(node.words, None, node.spans) for node in outer if node.words not in said]
        held += tuple(node for node in nodes if node.words[0] == name) or tuple(outer)
    for node in nodes:
        if node.block is not None and node.words[0] in ("location", "if"):
            hidden_as_above(node.block, held)


def only_where_they_act(nodes: list[Node]) -> list[Node]:
    """Takes out lines that hide fields of origins where none of their kind is asked; gives those that were taken out."""
    gone = [node for node in nodes if node.words[0] in HIDES and not _asks(nodes, HIDES[node.words[0]])]
    nodes[:] = [node for node in nodes if not any(node is other for other in gone)]
    return [*gone, *(lost for node in nodes if node.block is not None and node.words[0] in ("location", "if") for lost in only_where_they_act(node.block))]


def _asks(nodes: list[Node], line: str) -> bool:
    return any(node.words[0] == line or node.block is not None and _asks(node.block, line) for node in nodes)


def shared_by_forwards(nodes: list[Node]) -> list[Node]:
    """The locations of a site, and before them what most that pass requests on say alike, where all of them say something."""
    forwarding = list(_forwarding(nodes))
    shared: list[Node] = []
    for name in ("proxy_http_version", "proxy_set_header", "proxy_redirect"):
        own = [[node for node in block if node.words[0] == name] for block in forwarding]
        if not all(own):
            continue
        counted = Counter(tuple(tuple(node.words) for node in held) for held in own)
        # proxy_redirect default is for the origin that a line before it names (ngx_http_proxy_redirect: it is none of a server's).
        for words in [words for words in counted if (name, "default") in words]:
            del counted[words]
        if not counted or (most := counted.most_common(1)[0])[1] < 2:
            continue
        alike = [held for held in own if tuple(tuple(node.words) for node in held) == most[0]]
        for number, node in enumerate(alike[0]):
            spans = tuple(dict.fromkeys(span for held in alike for span in held[number].spans))
            shared.append(Node(node.words, None, spans, node.comments))
        gone = {id(node) for held in alike for node in held}
        for block in forwarding:
            block[:] = [node for node in block if id(node) not in gone]
    return [*shared, *nodes]


def shared_by_files(nodes: list[Node]) -> list[Node]:
    """The locations of a site, and before them the index files if all that serve files say the same."""
    serving = list(_serving(nodes))
    own = [[node for node in block if node.words[0] == "index"] for block in serving]
    if len(serving) < 2 or not own[0] or any([node.words for node in held] != [node.words for node in own[0]] for held in own):
        return nodes
    for block in serving:
        block[:] = [node for node in block if node.words[0] != "index"]
    spans = tuple(dict.fromkeys(span for held in own for span in held[0].spans))
    return [Node(own[0][0].words, None, spans, own[0][0].comments), *nodes]


def _serving(nodes: list[Node]) -> Iterator[list[Node]]:
    for node in nodes:
        if node.block is None or node.words[0] != "location":
            continue
        if not any(inner.words[0] in (*HIDES.values(), "return") or inner.words[-1] in ("permanent", "redirect") for inner in node.block):
            yield node.block  # type: ignore[misc]
        yield from _serving(node.block)  # type: ignore[arg-type]


def _forwarding(nodes: list[Node]) -> Iterator[list[Node]]:
    for node in nodes:
        if node.block is None:
            continue
        if any(inner.words[0] == "proxy_pass" for inner in node.block):
            yield node.block  # type: ignore[misc]
        yield from _forwarding([inner for inner in node.block if inner.words[0] == "location"])
