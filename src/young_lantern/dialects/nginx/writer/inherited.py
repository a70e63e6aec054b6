"""Lines of a nested location that the one around it has already -> left out, where nginx hands them down.

Source:   nginx development guide: a level inherits a directive, or a whole list of one, where it has none of its own; content
          handlers and try_files it does not inherit.
"""

from __future__ import annotations

from .output import Node

_LISTS = frozenset({"add_header", "error_page", "proxy_set_header", "proxy_hide_header", "proxy_redirect", "gzip_types", "index"})
_SINGLE = frozenset({
    "root", "autoindex", "gzip", "gzip_min_length", "gzip_proxied", "client_max_body_size", "proxy_http_version", "proxy_buffering", "expires",
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
