"""One request by HTTP/2 over a connection that agreed on it, and the answer as it came.

Source:   RFC 9113; h2 does the frames.
"""

from __future__ import annotations

import ssl

import h2.config
import h2.connection
import h2.events
from h2.exceptions import ProtocolError

from ..behaviour import Request
from ..behaviour.client_certificates import CERTIFICATE
from .answers import Answer

__all__ = ["ProtocolError", "exchange", "may_be_asked"]
# RFC 9113 section 8.2.2: what is of one connection is not sent.
_OF_CONNECTION = frozenset({"connection", "upgrade", "keep-alive", "proxy-connection", "transfer-encoding", "te", "host"})
_MOST_CONTENT = 60_000  # what one window takes (section 6.9.2), so that nobody need wait for more of it

# Heads that are long, or have many fields, are counted in another way there, which the model has no rule for.
_MOST_FIELDS, _MOST_BYTES = 40, 4000


def may_be_asked(request: Request) -> bool:
    """Whether a request says the same by HTTP/2: its field names are sent in lower case, and nothing is said of the connection."""
    return (
        request.scheme == "https" and request.target.startswith("/") and request.target.isascii() and int(request.field("Content-Length") or 0) <= _MOST_CONTENT
        and len(request.fields) < _MOST_FIELDS and sum(len(name) + len(value) for name, value in request.fields) + len(request.target) < _MOST_BYTES
        and not any(name.lower() in _OF_CONNECTION for name, _ in request.fields)
    )


def exchange(stream: ssl.SSLSocket, request: Request) -> Answer:
    """Raises OSError, ProtocolError. status None: the stream, or the connection, was closed."""
    if stream.selected_alpn_protocol() != "h2":
        return Answer(None, problem="HTTP/2 was not agreed on")
    connection = h2.connection.H2Connection(h2.config.H2Configuration(client_side=True, header_encoding="utf-8", validate_outbound_headers=False))
    connection.initiate_connection()
    length = int(request.field("Content-Length") or 0)
    head = [(":method", request.method), (":scheme", "https"), (":authority", request.authority), (":path", request.target)]
    head += [(name.lower(), value) for name, value in request.fields if name.lower() != CERTIFICATE.lower()]
    connection.send_headers(1, head, end_stream=not length)
    if length:
        for start in range(0, length, 16_000):
            connection.send_data(1, b"x" * min(16_000, length - start))
        connection.end_stream(1)
    stream.sendall(connection.data_to_send())
    status, fields, content = None, (), b""
    while True:
        received = stream.recv(65536)
        if not received:
            return Answer(None, problem="the connection was closed")
        for event in connection.receive_data(received):
            if isinstance(event, h2.events.ResponseReceived):
                status = int(dict(event.headers)[":status"])
                fields = tuple((name, value) for name, value in event.headers if not name.startswith(":"))
            elif isinstance(event, h2.events.DataReceived):
                content += event.data
                connection.acknowledge_received_data(event.flow_controlled_length, event.stream_id)
            elif isinstance(event, h2.events.StreamEnded):
                return Answer(status, fields, content)
            elif isinstance(event, (h2.events.StreamReset, h2.events.ConnectionTerminated)):
                if status is None or isinstance(event, h2.events.StreamReset):
                    return Answer(status, fields, content, problem=f"closed with error {event.error_code}") if status is not None else Answer(None, problem=f"closed with error {event.error_code}")
        stream.sendall(connection.data_to_send())
