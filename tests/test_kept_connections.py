"""Pages for errors that an origin answers: what httpd leaves on the connection, and the line that closes it."""

from __future__ import annotations

import socketserver
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import Request
from young_lantern.dialects import named
from young_lantern.dialects.dialect import Reading
from young_lantern.health import check_health
from young_lantern.lab.client import ask
from young_lantern.lab.live import check_live
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running
from young_lantern.source.plan import Plan
from young_lantern.translate import translate

HOST = "tools.fernhollow.example"
SITE = f"Listen 80\n<VirtualHost *:80>\nServerName {HOST}\nDocumentRoot ROOT\n<Directory ROOT>\nRequire all granted\n</Directory>\nErrorDocument 404 /app/missing\nProxyPass /app/ http://192.0.2.6:80/app/\n%s</VirtualHost>\n"
CLOSED = '<Location "/">\nSetEnvIf REDIRECT_STATUS "^[45]" proxy-nokeepalive\n</Location>\n'


class _Slow(socketserver.StreamRequestHandler):
    """An origin whose content comes a while after the fields of its answers, on a connection that stays."""

    def handle(self) -> None:
        while line := self.rfile.readline().decode():
            method, target, _ = line.split(" ")
            while self.rfile.readline().strip():
                pass
            content = f"content of {target}\n".encode()
            self.wfile.write(f"HTTP/1.1 200 OK\r\nContent-Type: text/plain\r\nContent-Length: {len(content)}\r\n\r\n".encode())
            if method != "HEAD":
                time.sleep(0.3)
                self.wfile.write(content)


@contextmanager
def running(reading: Reading, folder: Path) -> Iterator[int]:
    """The port of a real httpd in front of the slow origin."""
    plan = Plan(folder / "copy", free_port)
    move = named("apache").move
    assert move is not None
    command = move(reading, plan)
    with socketserver.ThreadingTCPServer(("127.0.0.1", *plan.origins.values()), _Slow) as origin:
        origin.daemon_threads = True
        threading.Thread(target=origin.serve_forever, daemon=True).start()
        with Running(command, plan.folder, list(plan.ports.values())):
            yield plan.port("80")
        origin.shutdown()


@pytest.mark.parametrize(("lines", "content"), [("", b""), (CLOSED, b"content of /app/x\n")])
def test_what_is_left_of_a_page_is_the_next_answer(reads: Reads, tmp_path: Path, lines: str, content: bytes) -> None:
    """Without the line the second client gets the content of the page as an answer of its own, that is 200 without a field."""
    reading = reads.read("apache", SITE % lines)
    told = [item for item in check_health(reading) if item.code.name == "page-left-on-connection"]
    assert bool(told) is not bool(lines)
    with running(reading, tmp_path) as port:
        first = ask(Request("HEAD", "http", HOST, 80, "/nothing"), "127.0.0.1", port)
        second = ask(Request("GET", "http", HOST, 80, "/app/x"), "127.0.0.1", port)
    assert (first.status, first.field("content-type")) == (200, "text/plain")
    assert (second.content, second.field("content-type")) == (content, "text/plain" if lines else None)


def test_a_page_is_asked_for_by_get(reads: Reads) -> None:
    origin = reads.decide("apache", SITE % CLOSED, "/nothing", "HEAD", site=f"http://{HOST}").origin
    assert origin is not None and (origin.method, origin.target) == ("GET", "/app/missing")
    reading = reads.read("apache", SITE % CLOSED)
    assert check_live(reading, reading, most=100).surprises == ()


def test_the_line_is_written_where_an_origin_answers_errors(reads: Reads) -> None:
    """And nowhere else: for pages from files nothing is to be closed."""
    server = "server {{ listen 80; server_name tools.fernhollow.example; root ROOT; error_page 404 {page}; location /app/ {{ proxy_pass http://192.0.2.6:80; }} }}"
    for page, wanted in (("/app/missing", True), ("/sorry.html", False)):
        made = translate(reads.write("nginx", f"events {{}}\nhttp {{ {server.format(page=page)} }}"), "apache")
        assert ("proxy-nokeepalive" in "".join(made.writing.files.values())) is wanted
        assert any("HEAD" in cause.methods and cause.after.origin is not None and cause.after.origin.method == "GET" for cause in made.comparison.causes) is wanted
        assert not check_live(made.reading, made.read_back, most=60).surprises


def test_a_page_that_a_rule_passes_on_is_told_without_virtual_hosts(reads: Reads) -> None:
    text = "Listen 80\nServerName tools.fernhollow.example\nDocumentRoot ROOT\nErrorDocument 404 /lost\nRewriteEngine On\nRewriteRule ^/lost$ http://192.0.2.6:80/lost [P]\n"
    for lines, told in (("", 1), (CLOSED, 0)):
        assert len([item for item in check_health(reads.read("apache", text + lines)) if item.code.name == "page-left-on-connection"]) == told
