"""Workers of httpd: which socket or address an origin's name stands for, and by which parameters it is asked; the lines that define them, in order.

Source:   Apache HTTP Server manual, mod_proxy, "Workers"; proxy_util.c, ap_proxy_define_worker, ap_proxy_get_worker (2.4.71, probed).
Rule:     a line defines a worker by its URL, without the socket, unless one that stands before it begins the same way: then its parameters count for
          nothing. What is passed on, by lines and rules alike, goes by the longest that fits. So a second socket with the same name is never asked, and
          `upgrade=websocket` in a second line is not heard. A URL with `$1` is a worker of its own kind, longer by that than the text before it.
Left out: the names of balancers' members, which are their own; workers that fit only what a request puts behind a URL; of `$1` a single character, which
          the server does not take for it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from urllib.parse import quote, unquote

from .context import Node

_URL = re.compile(r"(https?|wss?|h2c?)://(?:(unix%3A[^|]+)\|)?([^/?]*)(.*)", re.IGNORECASE)


def by_socket(url: str) -> str:
    """`unix:/run/x.sock|http://name/path` -> a URL whose authority is both, so that it is taken apart like any other."""
    found = re.fullmatch(r"(unix:[^|]+)\|(https?|wss?|h2c?)://(.*)", url, re.IGNORECASE)
    return f"{found[2]}://{quote(found[1], safe='${}')}|{found[3]}" if found else url


@dataclass(frozen=True)
class _Worker:
    """name: the whole URL in small letters; start: what of it stands before the first group of a pattern."""

    name: str
    start: str
    authority: str
    parameters: dict[str, str]


class Workers:
    """The workers that the lines of a host, and of the main server, define."""

    def __init__(self, nodes: Iterable[Node]) -> None:
        self.known: list[_Worker] = []
        for node in _as_written(nodes):
            if node.name in ("proxypass", "proxypassmatch") and node.args:
                place = next((number for number, word in enumerate(node.args[:2]) if "://" in word), None)
                name, authority = _named(node.args[place]) if place is not None else ("", "")
                if name and self._fitting(name, [other for other in self.known if ("$" in other.name) is ("$" in name)]) is None:
                    pairs = (word.partition("=") for word in node.args[place + 1:] if "=" in word)
                    self.known.append(_Worker(name, name.partition("$")[0], authority, {key.lower(): value for key, _, value in pairs}))

    def authority(self, url: str) -> str | None:
        """Who is asked for a URL, as `by_socket` writes it, if that is another than the URL says."""
        name, own = _named(url)
        fitting = self._fitting(name, self.known) if name else None
        held = fitting.authority if fitting is not None else own
        return held if held.partition("|")[0] != own.partition("|")[0] and "|" in held + own else None

    def parameters(self, url: str) -> dict[str, str]:
        """The parameters of the worker that is asked for a URL: `timeout`, `upgrade` and the like, by their names in small letters."""
        name, _ = _named(url)
        fitting = self._fitting(name, self.known) if name else None
        return fitting.parameters if fitting is not None else {}

    @staticmethod
    def _fitting(name: str, known: list[_Worker]) -> _Worker | None:
        return max((worker for worker in known if name.partition("$")[0].startswith(worker.start)), key=lambda worker: len(worker.name), default=None)


def _as_written(nodes: Iterable[Node]) -> list[Node]:
    """Lines of one file in the order in which they stand there, be it in a section or not; files in the order in which they are met."""
    found = list(nodes)
    order = {file: number for number, file in enumerate(dict.fromkeys(node.span.file for node in found))}
    return sorted(found, key=lambda node: (order[node.span.file], node.span.line))


def _named(url: str) -> tuple[str, str]:
    """(the name that a worker goes by, the authority with the socket before it)."""
    found = _URL.match(by_socket(url))
    if not found:
        return "", ""
    return f"{found[1]}://{found[3]}{found[4] or '/'}".lower(), f"{found[2]}|{found[3]}" if found[2] else found[3]


def socket_of(authority: str) -> str:
    """The socket of an authority as `by_socket` writes it; "" where it has none."""
    return unquote(authority.partition("|")[0]) if "|" in authority else ""
