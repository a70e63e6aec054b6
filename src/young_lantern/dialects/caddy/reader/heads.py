"""Caddy `servers { max_header_size }` -> RequestHeads. Mirror: writer/heads.py.

Source:   Caddy documentation, "Global options"; net/http, Server.MaxHeaderBytes (Caddy 2.6.2, probed): 1 MB of all lines together, and 4 KiB that
          Go lets pass besides; more is 431, in Go's own words. Fields of any name are taken.
"""

from __future__ import annotations

from ....model import RequestHeads
from .. import values
from ..syntax import Directive
from .context import Context

_SLACK = 4096
_SILENCE = 1 << 20
_STATUS = 431


# autohttps.go (2.6.2, probed): a server that Caddy opens for its redirects alone heeds no such option.
OWN_HEADS = RequestHeads(total=_SILENCE + _SLACK, status=_STATUS)


def _options(address: str, port: str, context: Context) -> Directive | None:
    """The block for the very address counts before the one for all, wherever it is written (2.6.2, probed)."""
    chosen: Directive | None = None
    for name in (f"{address}:{port}", ""):
        chosen = chosen or next((block for block in context.servers if (block.args[:1] or [""])[0].removeprefix("tcp/") == name), None)
    return chosen


def offers_http2(address: str, port: str, context: Context) -> bool:
    """`servers { protocols h1 h2 h3 }`: all three unless some are said."""
    chosen = _options(address, port, context)
    said = next((line.args for line in chosen.block or [] if line.name == "protocols"), None) if chosen is not None else None
    return said is None or "h2" in said


def read_heads(address: str, port: str, context: Context) -> RequestHeads:
    """What a listener takes."""
    chosen = _options(address, port, context)
    size = next((line for line in chosen.block or [] if line.name == "max_header_size"), None) if chosen is not None else None
    if size is None or chosen is None:
        return OWN_HEADS
    read = values.read_size(size.args[0]) if size.args else None
    if read is None:
        context.unread(chosen, " ".join(size.args), "a size such as 16KB was expected")
        read = _SILENCE
    return RequestHeads(total=read + _SLACK, status=_STATUS, span=chosen.span)
