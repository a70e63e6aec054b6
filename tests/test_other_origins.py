"""Origins that are asked by HTTP/2 without TLS (gRPC), and origins behind sockets: nginx, httpd and Caddy, each to each, with the servers as judges."""

from __future__ import annotations

import http.client
import os
import socketserver
import subprocess
import threading
import time
from http.server import BaseHTTPRequestHandler
from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Outcome, decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.lab.ports import free_port
from young_lantern.translate import read, save, translate

BY_HTTP2 = {
    "nginx": nginx(
        """root ROOT;
        location /fern.Loans/ { grpc_pass grpc://192.0.2.7:50051; grpc_set_header X-Real-IP $remote_addr; grpc_set_header Host $host; grpc_read_timeout 30s; }
        location /fern.Tools/ { grpc_pass desk; grpc_hide_header X-Powered-By; grpc_intercept_errors on; error_page 404 /404.html; }
        location /fern.Sock/ { grpc_pass grpc://unix:/run/s.sock; }
        location /old/ { rewrite ^/old/(.*)$ /fern.Tools/$1 break; grpc_pass grpc://desk; }
        location / { proxy_set_header Host $host; proxy_pass http://192.0.2.9:80; }
        location = /404.html { }""",
        "upstream desk { server 192.0.2.7:50051; server 192.0.2.8:50051; }",
    ),
    "apache": "<Proxy balancer://desk>\nBalancerMember h2c://192.0.2.7:50051\nBalancerMember h2c://192.0.2.8:50051\n</Proxy>\n"
    + httpd("""ProxyPreserveHost On
ProxyPass /fern.Loans/ h2c://192.0.2.7:50051/fern.Loans/ timeout=30
ProxyPass /fern.Tools/ balancer://desk/fern.Tools/
ProxyPass /fern.Sock/ unix:/run/s.sock|h2c://localhost/fern.Sock/
RewriteEngine On
RewriteRule ^/old/(.*)$ h2c://192.0.2.8:50051/fern.Tools/$1 [P]
<Location /fern.Tools/>
ProxyErrorOverride On
</Location>
ErrorDocument 404 /404.html
ProxyPass /404.html !
ProxyPass / http://192.0.2.9/"""),
    "caddy": caddy("""root * ROOT
handle /fern.Loans/* {
reverse_proxy h2c://192.0.2.7:50051 {
header_up X-Real-IP {remote_host}
}
}
handle /fern.Tools/* {
reverse_proxy h2c://192.0.2.7:50051 h2c://192.0.2.8:50051
}
handle /fern.Sock/* {
reverse_proxy unix//run/s.sock {
transport http {
versions h2c 2
}
}
}
handle {
reverse_proxy 192.0.2.9:80
}"""),
}
BY_SOCKET = {
    "nginx": nginx(
        """location / { proxy_set_header Host $host; proxy_pass http://unix:/run/app.sock; }
        location /a/ { proxy_set_header Host $host; proxy_pass http://unix:/run/b.sock:/b/; }
        location /d/ { proxy_set_header Host $host; proxy_pass http://desk; }
        location /own/ { proxy_pass http://unix:/run/own.sock; }""",
        "upstream desk { server unix:/run/desk.sock; server unix:/run/desk2.sock; }",
    ),
    "apache": '<Proxy balancer://desk>\nBalancerMember "unix:/run/desk.sock|http://one"\nBalancerMember "unix:/run/desk2.sock|http://two"\n</Proxy>\n'
    + httpd("""ProxyPreserveHost On
ProxyPass /a/ unix:/run/b.sock|http://b/b/
ProxyPass /d/ balancer://desk/d/
ProxyPassMatch ^/m/(.*)$ unix:/run/app.sock|http://app/x/$1
RewriteEngine On
RewriteRule ^/r/(.*)$ unix:/run/app.sock|http://app/y/$1 [P]
ProxyPass / "unix:/run/app.sock|http://app/\""""),
    "caddy": caddy("handle_path /a/* {\nreverse_proxy unix//run/b.sock\n}\nhandle {\nreverse_proxy unix//run/app.sock unix//run/app2.sock\n}"),
}
PAIRS = [(one, other) for one in BY_HTTP2 for other in BY_HTTP2 if one != other]


def _asked(reads: Reads, dialect: str, text: str, path: str) -> Outcome:
    return decide(reads.read(dialect, text).estate, request_for(f"http://www.fernhollow.example{path}"), real_files())


@pytest.mark.parametrize("dialect", BY_HTTP2)
def test_how_an_origin_is_asked(reads: Reads, dialect: str) -> None:
    for path, protocol in (("/fern.Loans/Lend", "h2c"), ("/fern.Tools/x", "h2c"), ("/fern.Sock/x", "h2c"), ("/x", "http")):
        origin = _asked(reads, dialect, BY_HTTP2[dialect], path).origin
        assert origin is not None and (origin.protocol, origin.target) == (protocol, path)


@pytest.mark.parametrize(("dialect", "target"), PAIRS)
@pytest.mark.parametrize("kind", ["by_http2", "by_socket"])
def test_no_answer_is_otherwise_than_foretold(reads: Reads, tmp_path: Path, kind: str, dialect: str, target: str) -> None:
    """What is asked by HTTP/2 is asked so afterwards, what is behind a socket stays there, and nothing of it is lost."""
    texts = BY_HTTP2 if kind == "by_http2" else BY_SOCKET
    made = translate(reads.write(dialect, texts[dialect]), target, dialect=dialect)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", target), most=350)
    assert not live.surprises
    told = [f"{cause.example} {cause.facts}: {cause.summary}" for cause in made.comparison.causes if any(item.what in ("protocol to the origin", "origin") for item in cause.differences) and cause.severity.value == "breaking" and not cause.reason.value]
    assert told == []


def test_a_socket_is_no_name_of_an_origin(reads: Reads) -> None:
    """nginx calls it localhost, httpd by what stands behind the bar."""
    for dialect, path, host in (("nginx", "/own/x", "localhost"), ("apache", "/x", "app")):
        text = BY_SOCKET[dialect].replace("ProxyPreserveHost On", "")
        origin = _asked(reads, dialect, text, path).origin
        assert origin is not None and dict(origin.fields)["host"] == host and origin.addresses[0].startswith("unix:/run/")


class _Server(socketserver.ThreadingMixIn, socketserver.UnixStreamServer):
    daemon_threads = True


class _Handler(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        content = Path(str(self.server.server_address)).stem.encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def address_string(self) -> str:
        return "socket"

    def log_message(self, format: str, *args: object) -> None:
        return


def test_httpd_asks_the_first_socket_of_a_name(reads: Reads, tmp_path: Path) -> None:
    """Two sockets with one name: the second is never asked, as the server does it, which is told; what we write names each by itself."""
    for name in ("one", "two"):
        server = _Server(str(tmp_path / f"{name}.sock"), _Handler)
        os.chmod(tmp_path / f"{name}.sock", 0o777)
        threading.Thread(target=server.serve_forever, daemon=True).start()
    os.chmod(tmp_path, 0o755)
    port = free_port()
    lines = "\n".join(f"ProxyPass /{name}/ unix:{tmp_path}/{name}.sock|http://localhost/" for name in ("one", "two"))
    text = httpd(lines).replace("*:80", f"*:{port}").replace("Listen 80", f"Listen 127.0.0.1:{port}")
    reading = reads.read("apache", text)
    found = [decide(reading.estate, request_for(f"http://www.fernhollow.example:{port}/{name}/"), real_files()).origin for name in ("one", "two")]
    assert [origin and Path(origin.addresses[0]).stem for origin in found] == ["one", "one"]
    assert [item.span.line for item in reading.findings if item.code.name == "socket-not-asked"] == [next(number for number, line in enumerate(text.splitlines(), 1) if line.startswith("ProxyPass /two/"))]
    modules = "\n".join(f"LoadModule {name}_module /usr/lib/apache2/modules/mod_{name}.so" for name in ("mpm_event", "authz_core", "proxy", "proxy_http"))
    (tmp_path / "httpd.conf").write_text(f"ServerRoot {tmp_path}\nPidFile {tmp_path}/pid\nErrorLog {tmp_path}/errors\nServerName localhost\nListen 127.0.0.1:{port}\n{modules}\n{lines}\n")
    process = subprocess.Popen(["/usr/sbin/apache2", "-f", str(tmp_path / "httpd.conf"), "-DFOREGROUND"])
    try:
        assert [_content(port, f"/{name}/") for name in ("one", "two")] == ["one", "one"]
    finally:
        process.terminate()
        process.wait()
    written = "".join(translate(reads.write("nginx", BY_SOCKET["nginx"]), "apache").writing.files.values())
    named = [line.split("|")[1].split("/")[2].strip('"') for line in written.splitlines() if "unix:" in line]
    assert len(set(named)) == 5


def _content(port: int, path: str) -> str:
    for _ in range(50):
        try:
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            connection.request("GET", path)
            return connection.getresponse().read().decode()
        except ConnectionRefusedError:
            time.sleep(0.1)
    raise AssertionError("the server did not start")


def test_what_goes_by_http2_is_not_mapped_back_in_nginx(reads: Reads) -> None:
    """It has no line for that, and says so; a change of the path is a rewrite."""
    text = httpd("ProxyPass /a/ h2c://192.0.2.7:81/b/\nProxyPassReverse /a/ h2c://192.0.2.7:81/b/\nProxyPassReverse /a/ http://192.0.2.7:81/b/")
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    written = made.writing.files["sites/www.fernhollow.example.conf"]
    assert "rewrite ^/a/(.*)$ /b/$1 break;" in written and "grpc_pass grpc://192.0.2.7:81;" in written
    assert any(item.code.name == "no-counterpart" and "ProxyPassReverse" in str(dict(item.facts)["directive"]) for item in made.findings)


def test_caddy_names_the_host_that_rules_left(reads: Reads) -> None:
    """X-Forwarded-Host is the Host as request_header has left it by then (2.6.2, probed)."""
    origin = _asked(reads, "caddy", caddy("request_header Host other.example\nreverse_proxy 192.0.2.1:81"), "/").origin
    assert origin is not None and dict(origin.fields)["x-forwarded-host"] == "other.example"
    # So do matchers and placeholders that come after it, which `header` does not.
    reading = reads.read("caddy", caddy('request_header Host other.example:99\nheader X-Host {host}\n@o host other.example\nrespond @o "{hostport} {http.request.header.Host}" 200\nrespond own'))
    outcome = decide(reading.estate, request_for("http://www.fernhollow.example/"), real_files())
    assert (outcome.body, dict(outcome.fields)["x-host"]) == ("other.example:99 ", "www.fernhollow.example")
    assert not check_live(reading, reading, most=40).surprises
