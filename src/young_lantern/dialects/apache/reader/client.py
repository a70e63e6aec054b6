"""httpd `RemoteIPHeader`, `RemoteIPInternalProxy`, `RemoteIPTrustedProxy` and the lists of these in files -> ClientFrom.

Source:   Apache HTTP Server manual, mod_remoteip; mod_remoteip.c: without a list of proxies everybody is believed, but for private addresses, and what
          was taken is taken out of the field (2.4.71, probed).
Unknown:  a list that is not here, or a host name in one, never makes everybody believed.
Left out: host names of proxies, the PROXY protocol, RemoteIPProxiesHeader.
"""

from __future__ import annotations

import ipaddress
from itertools import takewhile

from ....model import ClientFrom
from .access import networks_of
from .context import Context, Node

# Whether the proxies are internal, and whether a file lists them.
_LISTS = {
    "remoteipinternalproxy": (True, False), "remoteipinternalproxylist": (True, True),
    "remoteiptrustedproxy": (False, False), "remoteiptrustedproxylist": (False, True),
}


def read_client(own: list[Node], around: list[Node], context: Context) -> ClientFrom | None:
    """What is in force at a host, whose own list of proxies hides the main server's; None where no field is named."""
    field = context.last(own, "remoteipheader") or context.last(around, "remoteipheader")
    lines = context.take(own, *_LISTS) or context.take(around, *_LISTS)
    if field is None or not field.args:
        return None
    proxies: dict[str, bool] = {}
    unread = False
    for line in lines:
        internal, in_file = _LISTS[line.name]
        words = _listed(line, context) if in_file else line.args
        for word, network in zip(words, networks_of(words), strict=True):
            if _is_network(network):
                proxies.setdefault(network, internal)
            else:
                context.value(line, word, "an address or a network was expected; what a host name stands for is not asked")
        unread = unread or context.claims[line.span].finding is not None
    if unread and not proxies:
        context.close([field])
        return None
    return ClientFrom(
        field.args[0], tuple(proxies), walks=True, consumes=True, internal=tuple(network for network, internal in proxies.items() if internal),
        span=field.span, also=tuple(line.span for line in lines))


def _listed(line: Node, context: Context) -> list[str]:
    """The words of a file of proxies; one that starts with a number sign begins a comment (mod_remoteip.c, proxylist_read)."""
    name = " ".join(line.args)
    path = context.folders.places.find(name) if context.folders is not None else None
    if path is None or not path.is_file():
        context.value(line, name, "a file with the addresses of proxies was expected, and is not on this machine")
        return []
    lines = path.read_text("utf-8", "replace").splitlines()
    return [word for text in lines for word in takewhile(lambda word: not word.startswith("#"), text.split())]


def _is_network(text: str) -> bool:
    try:
        ipaddress.ip_network(text)
    except ValueError:
        return False
    return True
