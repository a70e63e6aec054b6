"""The stand-in origin: it answers every request, by HTTP/1.1 and HTTP/2, FastCGI, uWSGI's protocol or SCGI, with what it received, as JSON.

Rule:     each connection is for one request: httpd leaves the content of an answer to HEAD on a connection that it uses again
          (dialects/apache/writer/kept_connections.py), and what the next request gets then depends on who is faster.
Rule:     a request may ask it for another answer (behaviour/origin_answers.py).
"""

from __future__ import annotations

import contextlib
import http.client
import json
import socket
import sys
import threading
import time
from collections.abc import Callable, Container
from functools import partial
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import TracebackType

from ..behaviour.origin_answers import AFTER, ANSWER, FIELD, SELF, USUAL_TYPE, VERDICT, parsed
from ..behaviour.verdicts import parsed_verdict
from . import applications, fastcgi, h2c
from .applications import spelt_out

MARK = "lantern-stand-in-origin"
# It takes whatever the servers pass on: lines and fields beyond the library's own limits, too.
http.client._MAXLINE = 1 << 20  # type: ignore[attr-defined]
http.client._MAXHEADERS = 10_000  # type: ignore[attr-defined]


def asked(answer: str, field: str, own: str, after: str = "") -> tuple[int, str, tuple[tuple[str, str], ...]]:
    """(status, Location, more fields) that the values of the fields ask for, when the time has come. own: the URL that was asked for."""
    made = parsed(answer, field, after)
    time.sleep(made.after)
    return made.status, own if made.location == SELF else made.location, made.fields


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def handle(self) -> None:
        port = self.server.server_address[1]

        def describe(kind: str) -> Callable[[list[tuple[str, str]], int], dict[str, object]]:
            return lambda pairs, length: {MARK: port, "protocol": kind, "parameters": pairs, "content_bytes": length}

        if fastcgi.is_fastcgi(self.connection):
            fastcgi.answer(self.connection, describe("fastcgi"))
        elif h2c.is_h2(self.connection):
            h2c.answer(self.connection, partial(self._reply, "h2c"))
        elif not applications.answer(self.connection, describe):
            super().handle()

    def _answer(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        body = self.rfile.read(length) if length else b""
        target = self.requestline.split(" ")[1]  # self.path has its slashes merged
        status, fields, content = self._reply("http", self.command, target, list(self.headers.items()), len(body))
        self.send_response(status)
        for name, value in fields:
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(content)

    def _reply(self, protocol: str, method: str, target: str, fields: list[tuple[str, str]], content_bytes: int) -> tuple[int, list[tuple[str, str]], bytes]:
        """(status, fields, content) of the answer to a request."""
        received = {
            MARK: self.server.server_address[1], "protocol": protocol, "method": method, "target": target,
            "fields": [[name.lower(), value.encode("latin-1", "replace").decode("utf-8", "replace")] for name, value in fields], "content_bytes": content_bytes,
        }
        held = {name.lower(): value for name, value in reversed(fields)}
        content = spelt_out(json.dumps(received)).encode()
        if self.server.decides:  # type: ignore[attr-defined]
            verdict = parsed_verdict(held.get(VERDICT.lower(), ""))
            status, location, more = verdict.status, verdict.field("location") or "", tuple(pair for pair in verdict.fields if pair[0] != "location")
        else:
            status, location, more = asked(held.get(ANSWER.lower(), ""), held.get(FIELD.lower(), ""), f"http://{held.get('host', '')}{target}", held.get(AFTER.lower(), ""))
        made = [] if "content-type" in dict(more) else [("Content-Type", USUAL_TYPE)]
        made += [("Content-Length", str(len(content))), ("Connection", "close"), *([("Location", location)] if location else []), *more]
        return status, made, content if method != "HEAD" else b""

    def __getattr__(self, name: str):  # type: ignore[no-untyped-def]
        if name.startswith("do_"):
            return self._answer
        raise AttributeError(name)

    def log_message(self, format: str, *args: object) -> None:
        return

    def send_header(self, keyword: str, value: str) -> None:
        if keyword not in ("Server", "Date"):
            super().send_header(keyword, value)


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    # Connections that wait to be taken: with the usual 5, a check that asks on four threads has some refused.
    request_queue_size = 256

    def __init__(self, address: tuple[str, int], handler: type[BaseHTTPRequestHandler]) -> None:
        super().__init__(address, handler)
        self.taken: set[socket.socket] = set()
        self.asked = 0
        self.decides = False

    def get_request(self) -> tuple[socket.socket, object]:
        stream, address = super().get_request()
        self.asked += 1
        self.taken.add(stream)
        return stream, address

    def shutdown_request(self, request: object) -> None:
        self.taken.discard(request)  # type: ignore[arg-type]
        super().shutdown_request(request)  # type: ignore[arg-type]

    def hang_up(self) -> None:
        """Ends the connections that servers keep open for later requests."""
        for stream in list(self.taken):
            with contextlib.suppress(OSError):
                stream.shutdown(socket.SHUT_RDWR)

    def handle_error(self, request: object, client_address: object) -> None:
        """A proxy that stops listening is no error of ours; anything else is shown."""
        if not isinstance(sys.exc_info()[1], ConnectionError):
            super().handle_error(request, client_address)  # type: ignore[arg-type]


class Origins:
    """Stand-in origins on several ports, for the length of a `with`."""

    def __init__(self, ports: list[int], decides: Container[int] = ()) -> None:
        """decides: the ports of those that are asked whether requests may go on (behaviour/asking.py)."""
        self.servers = []
        for port in ports:
            self.servers.append(_Server(("127.0.0.1", port), _Handler))
            self.servers[-1].decides = port in decides

    @property
    def asked(self) -> int:
        """How many connections came so far, each of which is for one request."""
        return sum(server.asked for server in self.servers)

    def __enter__(self) -> "Origins":
        for server in self.servers:
            threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.stop()

    def stop(self) -> None:
        """From now on connections to them are refused."""
        for server in self.servers:
            server.shutdown()
            server.server_close()
            server.hang_up()
        self.servers = []
