"""The FastCGI side of the stand-in origin: it answers with the parameters that it received.

Source:   FastCGI Specification 1.0, sections 3 (records), 5 (application record types); RFC 3875 section 6 (the answer).
Left out: several requests on one connection at a time, which no server that we run asks for.
"""

from __future__ import annotations

import json
import re
import socket
import struct
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from ..behaviour.origin_answers import SELF, USUAL_TYPE, parsed

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
            made_up = parsed(dict(pairs).get("HTTP_LANTERN_ANSWER", ""), dict(pairs).get("HTTP_LANTERN_FIELD", ""), dict(pairs).get("HTTP_LANTERN_AFTER", ""))
            status = f"{made_up.status} {made_up.location if made_up.location != SELF else ''}"
            # As PHP's process manager does: what is asked for must be there. httpd puts its own words before the name.
            script = re.sub(r"^proxy:(?:balancer|fcgi)://[^/]*", "", dict(pairs).get("SCRIPT_FILENAME", ""))
            if script.lower().endswith(".php") and not Path(script).is_file():
                status = "404"
            else:
                time.sleep(made_up.after)
            code, _, location = status.partition(" ")
            text = json.dumps(describe(pairs, content)).encode()
            lines = [f"Status: {code}", *([f"Content-Type: {USUAL_TYPE}"] if "content-type" not in dict(made_up.fields) else []), *([f"Location: {location}"] if location else []), *(f"{name}: {value}" for name, value in made_up.fields)]
            made = "\r\n".join(lines).encode() + b"\r\n\r\n" + text
            for start in range(0, len(made), 0xFFF8):
                stream.sendall(_record(_STDOUT, number, made[start:start + 0xFFF8]))
            stream.sendall(_record(_STDOUT, number, b"") + _record(_END, number, bytes(8)))
            if not keeps:
                return


def _records(stream: socket.socket) -> Iterator[tuple[int, int, bytes]]:
    while head := _take(stream, _HEADER.size):
        _, kind, number, length, padding = _HEADER.unpack(head)
        body = _take(stream, length + padding)
        yield kind, number, body[:length]


def _take(stream: socket.socket, count: int) -> bytes:
    made = b""
    while len(made) < count:
        piece = stream.recv(count - len(made))
        if not piece:
            return b""
        made += piece
    return made


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
