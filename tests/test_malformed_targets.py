"""Targets that are none (an escape of no octet, a zero octet, dots above the root): what nginx and httpd answer them with, fields and pages too."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import request_for
from young_lantern.lab.live import check_live

HOSTS = ("www.fernhollow.example", "other.example")
TARGETS = ("/%zz", "/../x", "/x%00y", "/a%", "/a/..%2f..%2f../b", "/%zz?%00", "/x?%zz", "/x%00%zz", "/..", "/%2e%2e/x")
ROWS = [(method, host, target, {}) for host in HOSTS for method in ("GET", "HEAD", "POST") for target in TARGETS]
CASES = [
    nginx("root ROOT; add_header X-One $uri/$request_uri/$host/$request_method/$args always; add_header X-H $http_x always;"),
    nginx("root ROOT; add_header X-One 1 always; error_page 400 /400.html; location = /400.html { add_header X-P $uri always; return 200 page; }"),
    nginx("root ROOT; add_header X-One 1 always; error_page 400 =203 /a.html; location / { add_header X-B 2 always; }"),
    nginx("root ROOT; error_page 400 = @p; location @p { return 204; }"),
    nginx("root ROOT; error_page 400 /a.html; rewrite ^ /b;"),
    nginx("return 301 https://$host$request_uri; add_header X-A 1 always;"),
    "events {}\nhttp { server { listen 80 default_server; return 444; } server { listen 80; server_name www.fernhollow.example; add_header X-T 2 always; return 204; } }\n",
    httpd('Header always set X-A "%{Host}e"\nHeader set X-B 1\nHeader always set X-U "expr=%{REQUEST_URI} %{QUERY_STRING} %{REQUEST_METHOD}"'),
    httpd("ErrorDocument 400 sorry\nErrorDocument 404 gone"),
    httpd("ErrorDocument 400 /a.html\nErrorDocument 404 /a.html\nHeader always set X-A 1\n<Location /a.html>\nHeader always set X-L 1\n</Location>"),
    httpd("RewriteEngine On\nRewriteRule ^ https://elsewhere.fernhollow.example/ [R]\nHeader always set X-A 1"),
    httpd("ProxyPass / http://192.0.2.7:81/\nHeader always set X-A 1 env=probed\nSetEnvIf Request_URI % probed"),
    caddy("header X-A 1\nrespond hello"),
]


@pytest.mark.parametrize("text", CASES)
def test_what_is_answered(reads: Reads, tmp_path: Path, text: str) -> None:
    dialect = "nginx" if "server {" in text else "apache" if "VirtualHost" in text else "caddy"
    assert disagreements(dialect, text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


def test_tls_tells_the_host_before(reads: Reads) -> None:
    """nginx has chosen a server by then, under whose first name it answers."""
    servers = "".join(f"server {{ listen 443 ssl; server_name {names}; ssl_certificate /etc/ssl/x.pem; ssl_certificate_key /etc/ssl/x.key; add_header X-Host $host always; return 204; }}"
                      for names in ("a.fernhollow.example", "www.fernhollow.example fernhollow.example"))
    reading = reads.read("nginx", f"events {{}}\nhttp {{ {servers} }}\n")
    asked = [request_for(f"https://{host}{target}") for host in ("a.fernhollow.example", "www.fernhollow.example", "fernhollow.example") for target in TARGETS]
    live = check_live(reading, reading, requests=asked, most=400)
    assert {str(request) for request in asked} <= {str(row.request) for row in live.rows}
    assert [(str(row.request), row.defects) for row in live.surprises] == []
