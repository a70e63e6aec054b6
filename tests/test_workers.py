"""httpd's workers: one line says by which parameters an origin is asked, whoever else names it, and the others are not heard."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.translate import translate

ORIGIN = "http://192.0.2.1:81"
RULE = "RewriteEngine On\nRewriteCond %{HTTP:Upgrade} =websocket [NC]\nRewriteRule ^/?(.*) ws://192.0.2.1:81/$1 [P,L]"
UPGRADE = {"Connection": "Upgrade", "Upgrade": "websocket"}
SHARED = [
    f"ProxyPass /a {ORIGIN}/\nProxyPass /live {ORIGIN}/live upgrade=websocket",
    f"ProxyPass /live {ORIGIN}/live upgrade=websocket\nProxyPass /a {ORIGIN}/",
    f"ProxyPass /a {ORIGIN}/a upgrade=websocket\nProxyPass /live {ORIGIN}/ab",
    f"<Location /live>\nProxyPass {ORIGIN}/ upgrade=any\n</Location>\nProxyPass /a {ORIGIN}/x",
    f"ProxyPass /a {ORIGIN}/x\n<Location /live>\nProxyPass {ORIGIN}/ upgrade=websocket\n</Location>",
    f"ProxyPassMatch ^/live/(.*)$ {ORIGIN}/abc$1 upgrade=websocket\nProxyPass /a {ORIGIN}/",
    f"ProxyPass /a {ORIGIN}/\nProxyPassMatch ^/live/(.*)$ {ORIGIN}/abc$1 upgrade=websocket",
    f"ProxyPass /a {ORIGIN}/ upgrade=websocket\nRewriteEngine On\nRewriteRule ^/live {ORIGIN}/live [P]",
    f"ProxyPass /a {ORIGIN}/other upgrade=websocket\nRewriteEngine On\nRewriteRule ^/live {ORIGIN}/live [P]",
]


@pytest.mark.parametrize("lines", SHARED)
def test_who_may_change_the_protocol(tmp_path: Path, lines: str) -> None:
    rows = [("GET", "www.fernhollow.example", path, fields) for path in ("/a", "/a/b", "/live", "/live/xyz") for fields in ({}, UPGRADE)]
    assert disagreements("apache", httpd(lines), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize(
    ("lines", "seconds"),
    [
        (f"ProxyPass /b {ORIGIN}/ timeout=7\nProxyPass /a {ORIGIN}/a timeout=9", 7), (f"ProxyPass /a {ORIGIN}/a timeout=9\nProxyPass /b {ORIGIN}/ timeout=7", 9),
        (f"ProxyPass /b {ORIGIN}/ timeout=7\nProxyPass /a {ORIGIN}/a", 7), (f"ProxyPass /b {ORIGIN}/ timeout=7\nRewriteEngine On\nRewriteRule ^/a {ORIGIN}/a [P]", 7),
    ],
)
def test_how_long_an_origin_is_waited_for(reads: Reads, tmp_path: Path, lines: str, seconds: int) -> None:
    """mod_proxy, "Workers" (2.4.71, probed with an origin that takes its time)."""
    made = translate(reads.write("apache", httpd(lines)), "nginx", dialect="apache")
    told = made.writing.files["nginx.conf"] + "".join(made.writing.files.values())
    place = told[told.index(" /a"):]
    assert f"proxy_read_timeout {seconds}s;" in place[:place.index("}")]


@pytest.mark.parametrize(
    ("target", "expected", "unwanted"),
    [("nginx", "proxy_pass http://192.0.2.1:81;", "location ~"), ("caddy", "header Upgrade", "path_regexp")],
)
def test_the_usual_rule_for_websockets_is_a_proxy(reads: Reads, target: str, expected: str, unwanted: str) -> None:
    made = translate(reads.write("apache", httpd(f"{RULE}\nProxyPass / {ORIGIN}/")), target, dialect="apache")
    written = "".join(made.writing.files.values())
    assert expected in written and unwanted not in written
    assert {row.reason.name for row in made.comparison.causes if row.severity.value == "breaking"} <= {"ENCODED_MARK", "ENCODED_SLASH"}
