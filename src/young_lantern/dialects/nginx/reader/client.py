"""nginx `set_real_ip_from`, `real_ip_header`, `real_ip_recursive` -> ClientFrom.

Source:   nginx manual, realip module: silence is X-Real-IP, and nobody is believed; the address is set before anything else is asked.
Left out: these lines within a location, where they act only if the server's did not; the PROXY protocol.
"""

from __future__ import annotations

import ipaddress

from ....model import ClientFrom, Disposition
from .context import Context, Scope


def read_client(scope: Scope, context: Context) -> ClientFrom | None:
    """What is in force at a server; None where no proxy is believed."""
    lines = scope.inherited("set_real_ip_from")
    header = context.used(scope, "real_ip_header")
    recursive = context.used(scope, "real_ip_recursive")
    networks = []
    for line in lines:
        context.use(line)
        try:
            networks.append(str(ipaddress.ip_network(line.args[0], strict=False)))
        except ValueError:
            context.unread(line, line.args[0], "an address or network was expected; connections by other ways are not read")
    field = header.args[0] if header else "X-Real-IP"
    if field == "proxy_protocol":
        context.unread(header, field, "the name of a field was expected; the PROXY protocol is not read")  # type: ignore[arg-type]
        return None
    if not networks:
        return None
    span, *more = (line.span for line in (*lines, header, recursive) if line is not None)
    return ClientFrom(field, tuple(networks), recursive is not None and recursive.args[:1] == ["on"], takes_port=True, span=span, also=tuple(more))


def tell_within(scope: Scope, context: Context) -> None:
    """Says of these lines in a location that they are not read."""
    for line in scope.among("set_real_ip_from", "real_ip_header", "real_ip_recursive"):
        claim = context.claims[context.use(line).span]
        claim.disposition, claim.why = Disposition.UNSUPPORTED, "within a location it is not read: rules there ask for the address that the server has"
