"""The request as a server behind proxies sees it: with the client's address from a field (RFC 7239 section 5.2 speaks of what such fields may hold).

Source:   nginx realip module; httpd mod_remoteip.c, remoteip_modify_request. Both probed (nginx 1.22.1, httpd 2.4.71).
"""

from __future__ import annotations

import ipaddress
from dataclasses import replace

from ..model import ClientFrom
from .evaluate import in_network
from .request import Request


def seen_from(request: Request, source: ClientFrom) -> Request:
    """The request with the address that counts; with `consumes`, without what was taken from the field."""
    sent = request.field(source.field)
    if not sent or not _is_proxy(request.client, source):
        return request
    left = [piece.strip() for piece in sent.split(",")]
    client, taken = request.client, False
    while left:
        found = _address(left[-1], source)
        if found is None:
            break
        client, taken = found, True
        left.pop()
        if not source.walks or not _is_proxy(client, source):
            break
    if not taken:
        return request
    if not source.consumes:
        return replace(request, client=client)
    others = tuple((name, value) for name, value in request.fields if name.lower() != source.field.lower())
    return replace(request, client=client, fields=(*others, (source.field, ", ".join(left))) if left else others)


def _is_proxy(address: str, source: ClientFrom) -> bool:
    return not source.networks or any(in_network(address, network) for network in source.networks)


def _address(text: str, source: ClientFrom) -> str | None:
    if source.takes_port and text.count(":") == 1:
        text = text.partition(":")[0]
    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        return None
