"""httpd `RemoteIPHeader`, `RemoteIPInternalProxy`, `RemoteIPTrustedProxy` -> ClientFrom.

Source:   Apache HTTP Server manual, mod_remoteip; mod_remoteip.c: without a list of proxies everybody is believed, and what was taken is taken out of the
          field (2.4.71, probed).
Left out: that a trusted proxy's word is not taken for private addresses; lists in files, the PROXY protocol.
"""

from __future__ import annotations

from ....model import ClientFrom
from .access import networks_of
from .context import Context, Node


_LISTS = ("remoteipinternalproxy", "remoteiptrustedproxy")


def read_client(own: list[Node], around: list[Node], context: Context) -> ClientFrom | None:
    """What is in force at a host, whose own list of proxies hides the main server's; None where no field is named."""
    field = context.last(own, "remoteipheader") or context.last(around, "remoteipheader")
    lines = context.take(own, *_LISTS) or context.take(around, *_LISTS)
    if field is None or not field.args:
        return None
    networks = networks_of([word for line in lines for word in line.args])
    return ClientFrom(field.args[0], networks, walks=True, consumes=True, span=field.span, also=tuple(line.span for line in lines))
