"""Tomcat `RemoteIpValve` -> ClientFrom. Mirror: none.

Source:   Tomcat documentation, "Remote IP Valve"; RemoteIpValve (10.1.60): the last address of the field that is no internal proxy's, and no trusted one's, is the client's.
Unknown:  proxies by a pattern that is for no networks are told, and nobody is believed then.
"""

from __future__ import annotations

from ....model import ClientFrom
from .. import defaults, values
from ..syntax import Element
from .context import Context


def read_client(valve: Element, context: Context) -> ClientFrom | None:
    """The valve -> whom it believes; None where that cannot be read."""
    context.use(valve)
    field = context.value(valve, "remoteIpHeader", "X-Forwarded-For")
    networks: tuple[str, ...] = () if "internalProxies" in valve.attributes else defaults.INTERNAL_PROXIES
    for name in ("internalProxies", "trustedProxies"):
        held = context.said(valve, name)
        if held is None or not held.value:
            continue
        text = context.filled(held.value)
        listed = [word.strip() for word in text.split(",")]
        read = tuple(listed) if all(values.is_network(word) for word in listed) else values.networks_of(text)
        if read is None:
            context.unread(held, "addresses, each of one network, were expected")
            return None
        networks += read
    for name in ("protocolHeader", "hostHeader", "portHeader", "protocolHeaderHttpsValue", "httpServerPort", "httpsServerPort", "proxiesHeader", "changeLocalName", "changeLocalPort", "requestAttributesEnabled"):
        context.said(valve, name)
    held = valve.attributes.get("protocolHeader")
    context.lose(held.span if held is not None else valve.span, "protocolHeader (X-Forwarded-Proto, if it is not written)",
                 "what the proxy in front says of the scheme is not looked at: what must be secure is redirected there as well, unless the connection itself is")
    return ClientFrom(field, networks, walks=True, consumes=True, span=valve.span, also=tuple(held.span for held in valve.attributes.values()))
