"""Access logs -> distinct requests with how often each occurred. Common and combined log format, with a leading host or not; gzipped or not.

Source:   the formats as both servers that define them document them (Apache HTTP Server manual, "Access Log"; nginx manual, log module), and
          Debian's `vhost_combined`.
Rule:     the log is read as a stream, line by line, so that its length does not matter; only distinct requests are kept.
Unknown:  a line that is none is counted and shown; a log without any line that is one is an error.
Left out: what a log does not hold: request fields other than Referer and User-Agent, and content.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path

from ..errors import SourceUnreadable
from ..source.opened import opened
from .request import Request

# More distinct requests than these are counted, but not kept. Chosen among 50,000, 500,000 and 5,000,000 (some 300 MB of memory).
LIMIT_DISTINCT = 500_000
LIMIT_LINE_BYTES = 65536
_QUOTED = rb'"([^"\\]*(?:\\.[^"\\]*)*)"'
_REST = rb" \[[^\]]*\] " + _QUOTED + rb" (\d{3}|-) (?:\d+|-)(?: " + _QUOTED + rb" " + _QUOTED + rb")?"
# The usual line, and one with a host before it, or blanks in the user's name.
_LINE = re.compile(rb"()(\S+) \S+ \S+" + _REST)
_LONGER = re.compile(rb"(?:([A-Za-z0-9._*\[\]:-]+) )?([0-9A-Fa-f.:]{3,}|\w[\w.-]*) \S+ \S+(?: \S+)?" + _REST)
_REQUEST = re.compile(r"([A-Za-z]+) ([^\x00-\x20\x7f]+) HTTP/\d(?:\.\d)?")
_ESCAPED = re.compile(rb'\\(x[0-9A-Fa-f]{2}|["\\nrtvb])')
_SIGNS = {b"n": b"\n", b"r": b"\r", b"t": b"\t", b"v": b"\v", b"b": b"\b"}


@dataclass(frozen=True, slots=True)
class Counted:
    """A request, how often it occurred, the line that was the first, and the status that was logged there."""

    request: Request
    count: int
    line: int
    status: int | None


@dataclass(frozen=True)
class AccessLog:
    """rows: distinct requests, the most frequent first. unread: lines that are none, with a few of them; beyond: requests not kept."""

    rows: tuple[Counted, ...]
    lines: int
    unread: int
    examples: tuple[tuple[int, str], ...]
    beyond: int = 0

    @property
    def requests(self) -> int:
        return sum(row.count for row in self.rows)


def read_access_log(path: Path, at: Request, *, by_client: bool = True, fields: frozenset[str] = frozenset()) -> AccessLog:
    """The distinct requests of a log. Raises SourceUnreadable if it cannot be read, or no line of it is one.

    at:        scheme, host and port that requests came to, where the log does not say it
    by_client: requests of different clients are different ones
    fields:    of Referer and User-Agent, in small letters, those that make requests different ones
    """
    counts: dict[Request, list[int]] = {}
    lines = unread = beyond = 0
    examples: list[tuple[int, str]] = []
    # Lines are many, and requests few: what was read once is known by the words of the line that it goes by.
    known: dict[tuple[bytes | None, ...], Request | None] = {}
    referer, agent = "referer" in fields, "user-agent" in fields
    with opened(path, "an access log") as stream:
        for number, line in enumerate(iter(lambda: stream.readline(LIMIT_LINE_BYTES), b""), 1):
            if not line.strip():
                continue
            lines += 1
            found = _LINE.match(line) or _LONGER.match(line)
            request = None
            if found is not None:
                host, client, asked, status, one, other = found.groups()
                key = (host, client if by_client else None, asked, one if referer else None, other if agent else None)
                request = known.get(key)
                if request is None and key not in known:
                    request = _request(*key, at)
                    if len(known) < LIMIT_DISTINCT:
                        known[key] = request
            if request is None:
                unread += 1
                if len(examples) < 3:
                    examples.append((number, line[:120].decode("utf-8", "replace").rstrip()))
                continue
            held = counts.get(request)
            if held is not None:
                held[0] += 1
            elif len(counts) < LIMIT_DISTINCT:
                counts[request] = [1, number, int(status) if status.isdigit() else 0]
            else:
                beyond += 1
    if lines and unread == lines:
        raise SourceUnreadable("no line of it is one of an access log in common or combined format", file=path, line=examples[0][0])
    rows = sorted((Counted(request, count, first, status or None) for request, (count, first, status) in counts.items()), key=lambda row: (-row.count, row.line))
    return AccessLog(tuple(rows), lines, unread, tuple(examples), beyond)


def _request(host: bytes | None, client: bytes | None, asked: bytes, referer: bytes | None, agent: bytes | None, at: Request) -> Request | None:
    """The request that the words of a line say; None where they say none."""
    found = _REQUEST.fullmatch(_plain(asked).decode("utf-8", "surrogateescape"))
    if found is None:
        return None
    method, target = found[1].upper(), found[2]
    request = at
    if host:
        name, colon, port = host.decode().rpartition(":")
        name, number = (name, int(port)) if colon and port.isdigit() else (host.decode(), at.port)
        request = replace(at, host=name.lower(), port=number, scheme={80: "http", 443: "https"}.get(number, at.scheme))
    if absolute := re.match(r"(https?)://([^/?#]+)([^#]*)", target):
        # RFC 9112 section 3.2.2: what such a target says takes the place of the Host field.
        request, target = replace(request, host=absolute[2].rpartition(":")[0] or absolute[2]), absolute[3] or "/"
    if not target.startswith(("/", "*")):
        return None
    named = (("Referer", referer), ("User-Agent", agent))
    kept = tuple((name, _plain(value).decode("utf-8", "replace")) for name, value in named if value and value != b"-")
    return Request(method, request.scheme, request.host, request.port, target, kept, client.decode() if client else at.client)


def _plain(text: bytes) -> bytes:
    """Both servers write signs that would break the line as \\xhh, a quotation mark and a backslash with a backslash before it."""
    if b"\\" not in text:
        return text
    return _ESCAPED.sub(lambda found: bytes([int(found[1][1:], 16)]) if found[1][:1] == b"x" else _SIGNS.get(found[1], found[1]), text)
