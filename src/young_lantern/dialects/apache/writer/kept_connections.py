"""Pages for errors that an origin answers, to clients that ask by HEAD.

Source:   http_request.c ap_die_r: the page is asked for by GET whatever the client asked by; RFC 9112 section 6.3.
Rule:     to a client that asked by HEAD mod_proxy_http sends no content, and reads none: the content of the page is left on the connection to the
          origin. If it comes after the connection was found to be empty, and so free for the next request, it is taken for the answer to that
          one: 200 without fields, or none at all (2.4.71, probed). Such a connection must be closed.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from ..values import quote
from .context import Context
from .output import Node

_WHY = "A page for errors is asked for by GET, for HEAD as well: its content must not be left on a connection that is used again."


def closed_after_pages(nodes: Iterable[Node], mappings: Iterable[Node], context: Context) -> list[Node]:
    """What closes the connections on which origins answer pages for errors; nothing where no page is theirs."""
    lines = [line for node in nodes for line in _all(node)]
    pages = {_plain(line.words[2]) for line in lines if line.words[:1] == ["ErrorDocument"] and _plain(line.words[2]).startswith("/")}
    rules = [line for line in lines if line.words[:1] == ["RewriteRule"]]
    if not any(_is_proxied(page, rules, mappings) for page in pages):
        return []
    inner = context.line("SetEnvIf", "REDIRECT_STATUS", quote("^[45]"), "proxy-nokeepalive", comments=(_WHY,))
    return [context.line("Location", quote("/"), block=[inner])]


def _all(node: Node) -> Iterator[Node]:
    yield node
    for inner in node.block or ():
        yield from _all(inner)


def _is_proxied(page: str, rules: Iterable[Node], mappings: Iterable[Node]) -> bool:
    """Whether a path may come to an origin: rather one line too many than one too few."""
    if any(line.words[2] != "-" and _matches(line.words[1], page) for line in rules):
        return True
    for line in mappings:
        name, asked, to = line.words[:3]
        if page.startswith(_plain(asked)) if name == "ProxyPass" else _matches(asked, page):
            return to != "!" and not _plain(to).startswith("fcgi:")
    return False


def _matches(pattern: str, page: str) -> bool:
    try:
        return re.search(_plain(pattern), page, re.IGNORECASE) is not None
    except re.error:
        return True  # what only the server's own engine knows


def _plain(word: str) -> str:
    return re.sub(r'\\(["\\])', r"\1", word[1:-1]) if word[:1] == word[-1:] == '"' else word
