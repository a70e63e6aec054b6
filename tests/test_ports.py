"""Rules on the port that a request came to: in copies, whose ports are others; and to Caddy, whose rules cannot ask for it."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import Translation, translate

NAME = "www.fernhollow.example"
KIND = "map $server_port $kind { 80 plain; 8081 inside; 443 tls; default other; }\n"
RULES = f"""server_name {NAME};
  if ($server_port = 80) {{ return 301 https://$host$request_uri; }}
  location /p {{ return 200 "$server_port $kind"; }}
  location /r {{ return 302 http://$host:$server_port/x; }}
  location /x {{ proxy_set_header X-Forwarded-Port $server_port; proxy_pass http://127.0.0.1:9000; }}
  location /y {{ if ($kind = tls) {{ return 403; }} }}
  location /z {{ if ($server_port !~ 0) {{ return 410; }} }}
"""
HTTPD = f"""Listen 80\nListen 8081
<VirtualHost *:80 *:8081>
ServerName {NAME}
RewriteEngine On
RewriteCond %{{SERVER_PORT}} =80
RewriteRule ^/a(.*)$ https://%{{HTTP_HOST}}/a$1 [R=301,L]
RewriteCond %{{SERVER_PORT}} !^80$
RewriteRule ^/b(.*)$ http://%{{SERVER_NAME}}:%{{SERVER_PORT}}/c$1 [R=302,L]
RewriteRule ^/ - [R=404,L]
</VirtualHost>
"""


def nginx(listens: str, rules: str = RULES) -> str:
    return f"events {{}}\nhttp {{\n{KIND}server {{ {listens} {rules}}}\n}}\n"


def moved(reads: Reads, text: str, target: str, dialect: str = "nginx") -> Translation:
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    live = check_live(made.reading, made.read_back, most=80)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []  # type: ignore[attr-defined]
    assert len(live.rows) == 80
    return made


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_two_plain_ports(reads: Reads, target: str) -> None:
    """A site of Caddy's for each; httpd asks for the port."""
    made = moved(reads, nginx("listen 80; listen 8081;"), target)
    written = "".join(made.writing.files.values())
    if target == "caddy":
        assert f"http://{NAME}, http:// {{\n\tredir https://{{host}}{{uri}} 301\n}}" in written and 'respond "8081 inside" 200' in written
        assert [entry for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    else:
        assert "RewriteCond %{SERVER_PORT} =80" in written


def test_a_port_that_the_scheme_says(reads: Reads) -> None:
    """One site for both, with a table of schemes."""
    made = moved(reads, nginx("listen 80; listen 443 ssl; ssl_certificate /etc/fernhollow/tls/www.pem; ssl_certificate_key /etc/fernhollow/tls/www.key;"), "caddy")
    written = made.writing.files[f"sites/{NAME}.caddy"]
    assert "@server_port_80 protocol http\n\tredir @server_port_80 https://{host}{uri} 301" in written
    assert "map {scheme} {listen_port} {\n\t\thttp 80\n\t\thttps 443" in written and "header_up X-Forwarded-Port {listen_port}" in written
    assert [entry for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_from_httpd(reads: Reads, target: str) -> None:
    made = moved(reads, HTTPD, target, "apache")
    for port, path, location in ((80, "/a/1", f"https://{NAME}/a/1"), (8081, "/a/1", None), (80, "/b", None), (8081, "/b/1", f"http://{NAME}:8081/c/1")):
        assert decide(made.read_back.estate, request_for(f"http://{NAME}:{port}{path}"), real_files()).location == location


def test_ports_left_to_deployment_are_not_told_apart(reads: Reads) -> None:
    made = translate(reads.write("nginx", nginx("listen 80; listen ${PORT};")), "caddy")
    assert "if ($server_port = 80)" in [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED]


@pytest.mark.parametrize("name", ["port", "dir", "file", "remote", "tls_version", "client_ip"])
def test_names_of_tables_that_caddy_keeps_for_itself(reads: Reads, name: str) -> None:
    """It does not start with one that is called as a short name of its own."""
    text = f"events {{}}\nhttp {{\nmap $http_x_kind ${name} {{ default none; loan tools; }}\nserver {{ listen 80; server_name {NAME};\nlocation / {{ return 200 \"${name}\"; }} }}\n}}\n"
    made = translate(reads.write("nginx", text), "caddy")
    assert f" {{{name}_looked_up}} {{" in made.writing.files[f"sites/{NAME}.caddy"]
    live = check_live(made.reading, made.read_back, requests=[request_for(f"http://{NAME}/", fields={"X-Kind": "loan"}), request_for(f"http://{NAME}/")])
    assert not live.surprises and {row.answers[1].content for row in live.rows if row.request.target == "/" and row.request.method == "GET"} >= {b"tools", b"none"}
