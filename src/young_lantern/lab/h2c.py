"""The stand-in origin by HTTP/2 without TLS: it answers each stream as it answers a request by HTTP/1.1.

Source:   RFC 9113 sections 3.3 (prior knowledge), 5.1 (streams), 6.9 (flow control); h2 does the frames.
Rule:     a server may send many requests over one connection, and one that is slow must not hold up the others: each stream has a thread.
"""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable

import h2.config
import h2.connection
import h2.events
from h2.exceptions import ProtocolError

Fields = list[tuple[str, str]]
Reply = Callable[[str, str, Fields, int], tuple[int, Fields, bytes]]
_PREFACE = b"PRI "
_OF_CONNECTION = frozenset({"connection", "transfer-encoding", "keep-alive"})


def is_h2(stream: socket.socket) -> bool:
    """Whether what comes is the preface of HTTP/2 rather than a request; nothing is taken."""
    return stream.recv(len(_PREFACE), socket.MSG_PEEK) == _PREFACE


class _Connection:
    def __init__(self, stream: socket.socket, reply: Reply) -> None:
        self.stream, self.reply = stream, reply
        self.h2 = h2.connection.H2Connection(h2.config.H2Configuration(client_side=False, header_encoding="latin-1"))
        self.lock = threading.Lock()
        self.room = threading.Condition(self.lock)
        self.asked: dict[int, tuple[Fields, int]] = {}

    def serve(self) -> None:
        """Until the server hangs up."""
        with self.lock:
            self.h2.initiate_connection()
            self._send()
        while data := self.stream.recv(65536):
            with self.lock:
                try:
                    for event in self.h2.receive_data(data):
                        self._take(event)
                    self._send()
                except ProtocolError:
                    self._send()
                    return

    def _take(self, event: h2.events.Event) -> None:
        match event:
            case h2.events.RequestReceived():
                self.asked[event.stream_id] = ([(str(name), str(value)) for name, value in event.headers], 0)
            case h2.events.DataReceived():
                fields, size = self.asked[event.stream_id]
                self.asked[event.stream_id] = fields, size + len(event.data)
                self.h2.acknowledge_received_data(event.flow_controlled_length, event.stream_id)
            case h2.events.StreamEnded():
                threading.Thread(target=self._answer, args=(event.stream_id, *self.asked.pop(event.stream_id)), daemon=True).start()
            case h2.events.WindowUpdated() | h2.events.RemoteSettingsChanged() | h2.events.StreamReset():
                self.room.notify_all()

    def _answer(self, number: int, fields: Fields, size: int) -> None:
        own = dict(fields)
        plain = [(name, value) for name, value in fields if not name.startswith(":")]
        if ":authority" in own:
            plain.insert(0, ("host", own[":authority"]))
        status, more, content = self.reply(own[":method"], own[":path"], plain, size)
        try:
            with self.lock:
                self.h2.send_headers(number, [(":status", str(status)), *((name.lower(), value) for name, value in more if name.lower() not in _OF_CONNECTION)], end_stream=not content)
                while content:
                    room = min(self.h2.local_flow_control_window(number), self.h2.max_outbound_frame_size)
                    if not room:
                        self._send()
                        self.room.wait(timeout=10)
                        continue
                    piece, content = content[:room], content[room:]
                    self.h2.send_data(number, piece, end_stream=not content)
                self._send()
        except (ProtocolError, KeyError, OSError):
            return  # a proxy that stopped listening

    def _send(self) -> None:
        if data := self.h2.data_to_send():
            self.stream.sendall(data)


def answer(stream: socket.socket, reply: Reply) -> None:
    """Answers the requests of a connection: `reply` makes status, fields and content of method, target, fields and the length of the content."""
    _Connection(stream, reply).serve()
