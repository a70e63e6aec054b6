"""One request over one connection, with the target's exact bytes, and the answer as it came.

Source:   RFC 9112; h11 does the wire format.
"""

from __future__ import annotations

import contextlib
import select
import socket
import ssl
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

import h11

from ..behaviour import Request
from ..behaviour.client_certificates import CERTIFICATE, shown
from ..behaviour.request import HTTP2
from .answers import SECONDS, Answer
from .http2 import ProtocolError, exchange
from .proofs import proven

_WAITS_FROM, _WAITS_SECONDS = 100_000, 0.3
_PIECE, _SOON_SECONDS = 65_536, 0.05


def tls_context(shows: tuple[Path, Path] | None, *protocols: str) -> ssl.SSLContext:
    """Of a client that shows a certificate, or none, and offers some protocols by ALPN (RFC 7301)."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    if shows is not None:
        context.load_cert_chain(*shows)
    if protocols:
        context.set_alpn_protocols(list(protocols))
    return context


def ask(request: Request, address: str, port: int, certificates: Mapping[str, tuple[Path, Path]] = MappingProxyType({})) -> Answer:
    """Sends the request to address:port, with the request's host as Host and TLS name.

    certificates: files of a certificate and its key for what a client may show (behaviour/client_certificates.py)
    """
    answer = _ask(request, address, port, certificates)
    proven_request = proven(request, answer)
    return answer if proven_request is None else _ask(proven_request, address, port, certificates)


def _ask(request: Request, address: str, port: int, certificates: Mapping[str, tuple[Path, Path]]) -> Answer:
    try:
        with socket.create_connection((address, port), timeout=SECONDS) as plain:
            if request.scheme == "https":
                over = ("h2",) if request.protocol == HTTP2 else ()
                with tls_context(certificates.get(shown(request) or ""), *over).wrap_socket(plain, server_hostname=request.host.strip("[]")) as secure:
                    return (exchange if over else _exchange)(secure, request)
            return _exchange(plain, request)
    except (OSError, h11.RemoteProtocolError, ssl.SSLError, ProtocolError) as error:
        return Answer(None, problem=f"{type(error).__name__}: {error}")


def _received(stream: socket.socket, seconds: float) -> bytes | None:
    """What came of an answer within so many seconds; None: nothing yet. Over TLS there may be something to read that is no part of one (RFC 8446 section 4.6.1)."""
    if not select.select([stream], [], [], seconds)[0]:
        return None
    stream.settimeout(_SOON_SECONDS)
    try:
        return stream.recv(65536)
    except TimeoutError:
        return None
    finally:
        stream.settimeout(SECONDS)


def _send_until_answered(stream: socket.socket, connection: h11.Connection, content: bytes) -> None:
    """Sends content piece by piece, and no more of it once the answer has begun."""
    for start in range(0, len(content), _PIECE):
        if (received := _received(stream, 0)) is not None:
            connection.receive_data(received)
            return
        stream.sendall(content[start:start + _PIECE])


def _exchange(stream: socket.socket, request: Request) -> Answer:
    connection = h11.Connection(h11.CLIENT)
    default = {"http": 80, "https": 443}[request.scheme]
    host = request.host if request.port == default else f"{request.host}:{request.port}"
    fields = [("Host", host), *(pair for pair in request.fields if pair[0].lower() != CERTIFICATE.lower())]
    names = {name.lower() for name, _ in request.fields}
    if "connection" not in names:
        fields.append(("Connection", "close"))
    length = int(request.field("Content-Length") or 0)
    # h11 sends no octets that a target may not hold (RFC 9112 section 3.2); clients do, and a log says so: the line is written anew.
    head = connection.send(h11.Request(method=request.method, target="/", headers=fields)) or b""
    target = request.target.encode("utf-8", "surrogateescape")
    head = b"%s %s HTTP/1.1\r\n%s" % (request.method.encode(), target, head.partition(b"\r\n")[2])
    body = (connection.send(h11.Data(data=b"x" * length)) or b"") if length else b""
    end = connection.send(h11.EndOfMessage()) or b""
    if length < _WAITS_FROM:
        stream.sendall(head + body + end)
    else:
        # A server may answer before it has read any of the content, and close: content sent on would lose that answer.
        stream.sendall(head)
        if (received := _received(stream, _WAITS_SECONDS)) is not None:
            connection.receive_data(received)
        else:
            with contextlib.suppress(OSError):
                _send_until_answered(stream, connection, body + end)
    status, got, content = None, (), b""
    while True:
        event = connection.next_event()
        if event is h11.NEED_DATA:
            connection.receive_data(stream.recv(65536))
        elif isinstance(event, h11.Response):
            status = event.status_code
            got = tuple((name.decode(), value.decode("utf-8", "replace")) for name, value in event.headers)
        elif isinstance(event, h11.Data):
            content += bytes(event.data)
        elif isinstance(event, (h11.EndOfMessage, h11.ConnectionClosed)):
            return Answer(status, got, content)
