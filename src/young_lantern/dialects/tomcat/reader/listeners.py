"""Tomcat `Connector` -> a door: a port with what requests through it are taken for. Mirror: none.

Source:   Tomcat documentation, "The HTTP Connector"; CoyoteAdapter, postParseRequest (10.1.60): proxyName takes the place of the client's host before the
          virtual host is chosen.
Unknown:  AJP is for a front end that speaks it, and is told.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....model import Disposition, Placeholder, SiteTls
from ....model.placeholders import PLACEHOLDER
from .. import defaults
from ..syntax import Element
from .context import Context
from .tls import offers_http2, read_tls

# The protocols of connectors that speak HTTP.
_HTTP = re.compile(r"(?i)HTTP/1\.1|org\.apache\.coyote\.http11\.Http11\w*Protocol|")


@dataclass
class Door:
    """secure: TLS ends here; taken_secure: requests are taken to have come by TLS, which may end in front of it; redirect_port: where those go that must be secure; None: nowhere.

    name: what every request's host is taken for; "": what the client says
    tls:  what is shown, by the name that is asked for in the handshake, in the order of their being looked at
    """

    element: Element
    address: str
    port: int | Placeholder
    secure: bool
    taken_secure: bool
    redirect_port: int | None
    name: str = ""
    http2: bool = False
    tls: list[tuple[str, SiteTls]] = field(default_factory=list)
    encoded_slash: str = "reject"


def read_listeners(connectors: list[Element], context: Context) -> list[Door]:
    """The connectors that speak HTTP, in their order."""
    made = []
    for connector in connectors:
        context.use(connector)
        protocol = context.value(connector, "protocol")
        if not _HTTP.fullmatch(protocol):
            context.lose(connector.span, f"the Connector for {protocol}",
                         "it is for a front end that speaks that, as no other server here does: let the front end ask by HTTP, at a Connector for it, before the move")
            for held in connector.attributes.values():
                context.settled(held.span, Disposition.IMPLIED, "it belongs to a Connector that is not carried")
            continue
        port = _port(connector, context)
        if port is None:
            continue
        secure = context.truth(connector, "SSLEnabled")
        # Http11Processor.prepareRequest, CoyoteAdapter.postParseRequest (10.1.60, probed): with TLS it is so whatever is written; else `secure` alone says it.
        taken_secure = context.truth(connector, "secure") or secure
        if (context.value(connector, "scheme", "https" if taken_secure else "http").lower() == "https") != taken_secure:
            context.lose((connector.attributes.get("scheme") or connector.attributes["secure"]).span, "scheme",
                         "it and `secure` say two things of one request: what must be secure goes by `secure`, as the server has it, and applications go by the scheme")
        context.said(connector, "proxyPort")
        door = Door(connector, context.value(connector, "address"), port, secure, taken_secure, _redirect_port(connector, context), context.value(connector, "proxyName").lower(),
                    encoded_slash=context.value(connector, "encodedSolidusHandling", "reject").lower())
        if door.encoded_slash not in ("reject", "decode"):
            context.unread(connector.attributes["encodedSolidusHandling"], "reject or decode was expected")
        if secure:
            door.tls = read_tls(connector, context)
            door.http2 = offers_http2(connector, context)
        elif offers_http2(connector, context):
            context.lose(connector.all("UpgradeProtocol")[0].span, "UpgradeProtocol", "HTTP/2 without TLS is what no browser speaks; other clients get HTTP/1.1")
        made.append(door)
    return made


def _port(connector: Element, context: Context) -> int | Placeholder | None:
    held = context.said(connector, "port")
    text = context.filled(held.value) if held is not None else ""
    if re.fullmatch(r"\d{1,5}", text) and 0 < int(text) < 65536:
        return int(text)
    if PLACEHOLDER.fullmatch(text):
        return Placeholder(text)
    if re.fullmatch(r"\$\{[\w.\-]+\}", text):
        return Placeholder("${" + re.sub(r"\W", "_", text[2:-1]) + "}")
    if held is not None and text != "-1":
        context.unread(held, "a port such as 8080 was expected")
    return None


def _redirect_port(connector: Element, context: Context) -> int | None:
    port = context.number(connector, "redirectPort", defaults.REDIRECT_PORT)
    return port if port > 0 else None
