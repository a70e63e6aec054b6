"""Tomcat `RemoteIpValve` -> ClientFrom, and what is taken to have come by TLS. Mirror: none.

Source:   Tomcat documentation, "Remote IP Valve"; RemoteIpValve (10.1.60): the last address of the field that is no internal proxy's, and no trusted one's, is the client's.
          Its `protocolHeader` is looked at whenever the connection comes from a proxy that is believed, whatever the other field holds.
Unknown:  proxies by a pattern that is for no networks are told, and nobody is believed then.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import ClientFrom, Disposition
from .. import defaults, values
from ..catalogue import APPLICATION
from ..syntax import Element
from .context import Context
from .secure import Secure


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
    for name in ("portHeader", "httpServerPort", "httpsServerPort", "proxiesHeader", "requestAttributesEnabled"):
        if (held := context.said(valve, name)) is not None:
            context.settled(held.span, Disposition.IMPLIED, APPLICATION)
    for name in ("changeLocalName", "changeLocalPort"):
        if context.truth(valve, name):
            context.lose(valve.attributes[name].span, name, "rules that ask for the server's own name or port see the connection's")
    if not networks:
        return None
    return ClientFrom(field, networks, walks=True, consumes=True, span=valve.span, also=tuple(held.span for held in valve.attributes.values()))


def read_secure(valve: Element, client: ClientFrom | None, before: Secure, context: Context) -> Secure:
    """What is taken to have come by TLS behind the valve: the word of a proxy that is believed counts. before: what was, in front of it."""
    field, value = context.value(valve, "protocolHeader", "X-Forwarded-Proto"), context.value(valve, "protocolHeaderHttpsValue", "https")
    host = context.said(valve, "hostHeader")
    if host is not None and host.value and client is not None:
        context.lose(host.span, "hostHeader", "rules that ask for the host, and redirects to TLS that name it, are left open where a proxy says it")
    if client is None:
        return before
    return replace(before, field=field, value=value, networks=client.networks, host_field=context.filled(host.value) if host is not None else "")
