"""Tomcat `Connector` -> a door: a port with what requests through it are taken for. Mirror: none.

Source:   Tomcat documentation, "The HTTP Connector"; CoyoteAdapter, postParseRequest (10.1.60): proxyName takes the place of the client's host before the
          virtual host is chosen.
Unknown:  AJP is for a front end that speaks it, and is told.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....codes import PROTOCOL_UNREAD
from ....model import Placeholder, SiteTls
from ....model.placeholders import PLACEHOLDER
from .. import defaults
from ..syntax import Element
from .context import Context
from .tls import offers_http2, read_tls

# The protocols of connectors that speak HTTP.
_HTTP = re.compile(r"(?i)HTTP/1\.1|org\.apache\.coyote\.http11\.Http11\w*Protocol|")


@dataclass
class Door:
    """secure: TLS ends here; scheme: what requests are taken to have come by, in front of it, maybe; redirect_port: where those go that must be secure; None: nowhere.

    name: what every request's host is taken for; "": what the client says
    tls:  what is shown, by the name that is asked for in the handshake, in the order of their being looked at
    """

    element: Element
    address: str
    port: int | Placeholder
    secure: bool
    scheme: str
    redirect_port: int | None
    name: str = ""
    shown_port: int = 0
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
            context.blame(PROTOCOL_UNREAD, connector.attributes["protocol"].span, directive="Connector", protocol=protocol)
            continue
        port = _port(connector, context)
        if port is None:
            continue
        secure = context.truth(connector, "SSLEnabled")
        scheme, taken_secure = context.value(connector, "scheme", "https" if secure else "http").lower(), context.truth(connector, "secure", secure)
        door = Door(connector, context.value(connector, "address"), port, secure, scheme, _redirect_port(connector, context), context.value(connector, "proxyName").lower(),
                    context.number(connector, "proxyPort", 0), encoded_slash=context.value(connector, "encodedSolidusHandling", "reject").lower())
        if door.encoded_slash not in ("reject", "decode"):
            context.unread(connector.attributes["encodedSolidusHandling"], "reject or decode was expected")
        if (scheme == "https") != secure or taken_secure != secure:
            for name in ("scheme", "secure"):
                if name in connector.attributes:
                    context.lose(connector.attributes[name].span, name, "requests through this port are taken for others than they are, as behind a server that ends TLS in front; what hangs on the scheme is foretold as the port has it")
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
