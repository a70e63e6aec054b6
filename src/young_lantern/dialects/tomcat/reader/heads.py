"""Tomcat `maxHttpHeaderSize`, `maxHeaderCount` -> RequestHeads. Mirror: none.

Source:   Tomcat documentation, "The HTTP Connector"; Http11InputBuffer, MimeHeaders (10.1.60): the request line and all fields share one buffer.
"""

from __future__ import annotations

from ....model import RequestHeads
from ..syntax import Element
from .context import Context

_OCTETS, _FIELDS = 8192, 100


def read_heads(connector: Element, context: Context) -> RequestHeads:
    """What a connector takes of a request before its content. Silence: 8,192 octets in all, and 100 fields."""
    octets = context.number(connector, "maxHttpHeaderSize", _OCTETS)
    octets = context.number(connector, "maxHttpRequestHeaderSize", octets) if "maxHttpRequestHeaderSize" in connector.attributes else octets
    fields = context.number(connector, "maxHeaderCount", _FIELDS)
    return RequestHeads(fields=fields if fields >= 0 else None, total=octets if octets > 0 else _OCTETS, status=400, span=connector.span)
