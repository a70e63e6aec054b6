"""Which socket or address an origin's name stands for in httpd: the lines that define it, in order.

Source:   Apache HTTP Server manual, mod_proxy, "Workers"; proxy_util.c, ap_proxy_define_worker, ap_proxy_get_worker (2.4.71, probed).
Rule:     a line defines a worker by its URL, without the socket, unless one that stands before it begins the same way; what is passed on goes by
          the longest that fits. So a second socket with the same name is never asked.
Left out: the names of balancers' members, which are their own.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from urllib.parse import quote, unquote

from .balancing import UPGRADES
from .context import Node

_URL = re.compile(r"(https?|wss?|h2c?)://(?:(unix%3A[^|]+)\|)?([^/?]*)(.*)", re.IGNORECASE)


def by_socket(url: str) -> str:
    """`unix:/run/x.sock|http://name/path` -> a URL whose authority is both, so that it is taken apart like any other."""
    found = re.fullmatch(r"(unix:[^|]+)\|(https?|wss?|h2c?)://(.*)", url, re.IGNORECASE)
    return f"{found[2]}://{quote(found[1], safe='${}')}|{found[3]}" if found else url


class Workers:
    """The workers that the lines of a host, and of the main server, define."""

    def __init__(self, nodes: Iterable[Node]) -> None:
        self.known: dict[str, str] = {}
        self.upgrading: set[str] = set()
        for node in nodes:
            if node.name in ("proxypass", "proxypassmatch") and node.args:
                url = next((word for word in node.args[:2] if "://" in word), "")
                name, authority = _named(url.partition("$")[0])
                if name and self._fitting(name) is None:
                    self.known[name] = authority
                    self.upgrading |= {name} if any(word.lower().startswith("upgrade=") and word[8:].lower() in UPGRADES for word in node.args) else set()

    def authority(self, url: str) -> str | None:
        """Who is asked for a URL, as `by_socket` writes it, if that is another than the URL says."""
        name, own = _named(url.partition("$")[0])
        fitting = self._fitting(name) if name else None
        held = self.known[fitting] if fitting is not None else own
        return held if held.partition("|")[0] != own.partition("|")[0] and "|" in held + own else None

    def upgrades(self, url: str) -> bool:
        """Whether the line that defines who is asked for a URL lets the protocol be changed, which then holds for rules with P, too (2.4.71, probed)."""
        name, _ = _named(url.partition("$")[0])
        return bool(name) and self._fitting(name) in self.upgrading

    def _fitting(self, name: str) -> str | None:
        return max((known for known in self.known if name.startswith(known)), key=len, default=None)


def _named(url: str) -> tuple[str, str]:
    """(the name that a worker goes by, the authority with the socket before it)."""
    found = _URL.match(by_socket(url))
    if not found:
        return "", ""
    return f"{found[1]}://{found[3]}{found[4] or '/'}".lower(), f"{found[2]}|{found[3]}" if found[2] else found[3]


def socket_of(authority: str) -> str:
    """The socket of an authority as `by_socket` writes it; "" where it has none."""
    return unquote(authority.partition("|")[0]) if "|" in authority else ""
