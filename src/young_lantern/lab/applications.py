"""What an application behind a gateway answers, and the two small protocols it may be asked by: uWSGI's and SCGI. FastCGI: fastcgi.py.

Source:   RFC 3875 section 6 (the answer); uWSGI documentation, "The uwsgi Protocol"; "SCGI: A Simple Common Gateway Interface alternative".
Left out: uWSGI's packets other than requests, which no server that we run sends.
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

Pairs = list[tuple[str, str]]
_MOST_SPELT_OUT = 20_000
_REQUEST = struct.Struct("<BHB")
_SIZE = struct.Struct("<H")


def spelt_out(text: str) -> str:
    """JSON whose strings are written by the numbers of their characters (RFC 8259 section 7): a server that edits what origins answer finds no text in it."""
    return re.sub(r'"((?:[^"\\]|\\.)*)"', lambda found: '"' + "".join(f"\\u{unit:04x}" for unit in _units(json.loads(found[0]))) + '"', text) if len(text) < _MOST_SPELT_OUT else text


def _units(text: str) -> Iterator[int]:
    """UTF-16, by which JSON counts."""
    data = text.encode("utf-16-be", "surrogatepass")
    return (int.from_bytes(data[place:place + 2], "big") for place in range(0, len(data), 2))


def answered(pairs: Pairs, received: dict[str, object], status_line: str = "Status:") -> bytes:
    """The answer that the parameters ask for: its head and, as JSON, what was received."""
    told = dict(pairs)
    made = parsed(told.get("HTTP_LANTERN_ANSWER", ""), told.get("HTTP_LANTERN_FIELD", ""), told.get("HTTP_LANTERN_AFTER", ""))
    status, location = str(made.status), made.location if made.location != SELF else ""
    # As PHP's process manager does: what is asked for must be there. httpd puts its own words before the name.
    script = re.sub(r"^proxy:(?:balancer|fcgi)://[^/]*", "", told.get("SCRIPT_FILENAME", ""))
    if script.lower().endswith(".php") and not script.startswith("proxy:") and not Path(script).is_file():
        status, location = "404", ""
    else:
        time.sleep(made.after)
    lines = [f"{status_line} {status}", *([f"Content-Type: {USUAL_TYPE}"] if "content-type" not in dict(made.fields) else []), *([f"Location: {location}"] if location else []), *(f"{name}: {value}" for name, value in made.fields)]
    return "\r\n".join(lines).encode() + b"\r\n\r\n" + spelt_out(json.dumps(received)).encode()


def answer(stream: socket.socket, describe: Callable[[str], Callable[[Pairs, int], dict[str, object]]]) -> bool:
    """Answers a request by uWSGI's protocol or SCGI; False where it is none, and nothing is taken."""
    first = stream.recv(1, socket.MSG_PEEK)
    if first == b"\0":
        _, size, _ = _REQUEST.unpack(take(stream, _REQUEST.size))
        pairs, status_line = _uwsgi_pairs(take(stream, size)), "HTTP/1.1"
        kind = "uwsgi"
    elif first.isdigit():
        pairs, status_line = _scgi_pairs(stream), "Status:"
        kind = "scgi"
    else:
        return False
    length = int(dict(pairs).get("CONTENT_LENGTH") or 0)
    content = len(take(stream, length))
    stream.sendall(answered(pairs, describe(kind)(pairs, content), status_line))
    return True


def _uwsgi_pairs(data: bytes) -> Pairs:
    words, place = [], 0
    while place < len(data):
        (size,) = _SIZE.unpack_from(data, place)
        words.append(data[place + _SIZE.size:place + _SIZE.size + size].decode("utf-8", "replace"))
        place += _SIZE.size + size
    return list(zip(words[::2], words[1::2]))


def _scgi_pairs(stream: socket.socket) -> Pairs:
    """A netstring of names and values that each end in a zero byte."""
    size = b""
    while (digit := take(stream, 1)).isdigit():
        size += digit
    words = [word.decode("utf-8", "replace") for word in take(stream, int(size) + 1)[:-1].split(b"\0")]
    return list(zip(words[::2], words[1::2]))


def take(stream: socket.socket, count: int) -> bytes:
    """As many bytes; none where the connection ends before."""
    made = b""
    while len(made) < count:
        piece = stream.recv(count - len(made))
        if not piece:
            return b""
        made += piece
    return made
