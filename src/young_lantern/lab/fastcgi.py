"""The FastCGI side of the stand-in origin: it answers with the parameters that it received.

Source:   FastCGI Specification 1.0, sections 3 (records), 5 (application record types); RFC 3875 section 6 (the answer).
Left out: several requests on one connection at a time, which no server that we run asks for.
"""

from __future__ import annotations

import socket
import struct
from collections.abc import Callable, Iterator

from . import applications
from .applications import take

_VERSION = 1
_BEGIN, _END, _PARAMS, _STDIN, _STDOUT = 1, 3, 4, 5, 6
_KEEP = 1
_HEADER = struct.Struct("!BBHHBx")


def is_fastcgi(stream: socket.socket) -> bool:
    """Whether what comes is a FastCGI record rather than an HTTP request; nothing is taken."""
    return stream.recv(1, socket.MSG_PEEK) == bytes([_VERSION])


def answer(stream: socket.socket, describe: Callable[[list[tuple[str, str]], int], dict[str, object]]) -> None:
    """Answers the requests of a connection: `describe` makes the JSON of parameters and the length of the content."""
    params, content, keeps = b"", 0, False
    for kind, number, body in _records(stream):
        if kind == _BEGIN:
            params, content, keeps = b"", 0, bool(body[2] & _KEEP)
        elif kind == _PARAMS:
            params += body
        elif kind == _STDIN and body:
            content += len(body)
        elif kind == _STDIN:
            pairs = list(read_pairs(params))
            made = applications.answered(pairs, describe(pairs, content))
            for start in range(0, len(made), 0xFFF8):
                stream.sendall(_record(_STDOUT, number, made[start:start + 0xFFF8]))
            stream.sendall(_record(_STDOUT, number, b"") + _record(_END, number, bytes(8)))
            if not keeps:
                return


def _records(stream: socket.socket) -> Iterator[tuple[int, int, bytes]]:
    while head := take(stream, _HEADER.size):
        _, kind, number, length, padding = _HEADER.unpack(head)
        body = take(stream, length + padding)
        yield kind, number, body[:length]


def _record(kind: int, number: int, body: bytes) -> bytes:
    return _HEADER.pack(_VERSION, kind, number, len(body), 0) + body


def read_pairs(data: bytes) -> Iterator[tuple[str, str]]:
    """Name-value pairs (section 3.4): each length is one byte, or four with the high bit set."""
    place = 0
    while place < len(data):
        sizes = []
        for _ in range(2):
            size = data[place]
            if size >> 7:
                size = struct.unpack_from("!I", data, place)[0] & 0x7FFFFFFF
                place += 3
            place += 1
            sizes.append(size)
        name, value = data[place:place + sizes[0]], data[place + sizes[0]:place + sum(sizes)]
        place += sum(sizes)
        yield name.decode("utf-8", "replace"), value.decode("utf-8", "replace")
