"""The request as a server behind proxies sees it: with the client's address from a field (RFC 7239 section 5.2 speaks of what such fields may hold).

Source:   nginx realip module; httpd mod_remoteip.c, remoteip_modify_request. Both probed (nginx 1.22.1, httpd 2.4.71).
Left out: an IPv4 address that is written as an IPv6 one is not the IPv4 address, as it is for httpd.
"""

from __future__ import annotations

import ipaddress
from dataclasses import replace

from ..model import ClientFrom
from .networks import in_network
from .request import Request

# mod_remoteip.c: what only an internal proxy may hand on; of IPv6, all but global unicast (RFC 4291 section 2.4).
_PRIVATE = ("10.0.0.0/8", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12", "192.168.0.0/16")
_GLOBAL = "2000::/3"


def seen_from(request: Request, source: ClientFrom) -> tuple[Request, str | None]:
    """The request with the address that counts, with `consumes` without what was taken from the field; and the port that the field gave the client: "" if it
    gave none, None if it is the connection's own."""
    sent = request.field(source.field)
    if not sent or not _is_proxy(request.client, source):
        return request, None
    left = [piece.strip() for piece in sent.split(",")]
    client, port, inside = request.client, None, True
    while left:
        found = _address(left[-1], source)
        inside = inside and _is_internal(client, source)
        if found is None or not inside and _is_private(found):
            break
        # ngx_http_realip_module: the client's port is the field's, or none; mod_remoteip leaves that of the connection (1.22.1, 2.4.71, probed).
        told, client = left.pop(), found
        port = told.partition(":")[2] if source.takes_port and ":" not in found else ""
        if not source.walks or not _is_proxy(client, source):
            break
    if port is None:
        return request, None
    port = port if source.takes_port else None
    if not source.consumes:
        return replace(request, client=client), port
    others = tuple((name, value) for name, value in request.fields if name.lower() != source.field.lower())
    return replace(request, client=client, fields=(*others, (source.field, ", ".join(left))) if left else others), port


def _is_proxy(address: str, source: ClientFrom) -> bool:
    return not source.networks or any(in_network(address, network) for network in source.networks)


def _is_internal(proxy: str, source: ClientFrom) -> bool:
    """The first network that holds the proxy says it. Behind one that is not, none is (2.4.71, probed)."""
    return source.internal is None or next((network for network in source.networks if in_network(proxy, network)), None) in source.internal


def _is_private(address: str) -> bool:
    return not in_network(address, _GLOBAL) if ":" in address else any(in_network(address, network) for network in _PRIVATE)


def _address(text: str, source: ClientFrom) -> str | None:
    if source.takes_port and text.count(":") == 1:
        text = text.partition(":")[0]
    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        return None
