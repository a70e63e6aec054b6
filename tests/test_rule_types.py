"""httpd: the media type that a rule says (T): what is foretold, the server answers, and translations keep it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

RULES = [
    "RewriteRule \\.html$ - [T=text/plain]",
    "RewriteRule a\\.html$ - [T=application/x-own]\nRewriteRule dir - [T=text/css,L]",
    "RewriteRule ^/?short$ /style.css [PT]\nRewriteRule \\.css$ - [T=text/x-other,E=no-gzip:1]",
    "RewriteCond %{QUERY_STRING} plain\nRewriteRule ^ - [T=text/plain]",
    "RewriteRule ^/?dir/(.*)$ /a.html [T=text/x-lost]",
]
PATHS = ("/a.html", "/dir/", "/dir/index.html", "/style.css", "/short", "/", "/nothing", "/a.html?plain", "/bare/x.txt?plain")
ROWS = [("GET", "www.fernhollow.example", path, {}) for path in PATHS]


def _host(rules: str, in_folder: bool, more: str = "") -> str:
    lines = f"RewriteEngine On\n{rules}"
    return (f"<Directory ROOT>\n{lines}\n</Directory>" if in_folder else lines) + f"\n{more}"


@pytest.mark.parametrize("more", ["", "AddDefaultCharset utf-8\n<Files *.html>\nForceType text/x-forced\n</Files>", "ErrorDocument 404 /a.html"])
@pytest.mark.parametrize("in_folder", [False, True])
@pytest.mark.parametrize("rules", RULES)
def test_a_rule_says_the_type(reads: Reads, tmp_path: Path, rules: str, in_folder: bool, more: str) -> None:
    assert disagreements("apache", httpd(_host(rules, in_folder, more)).replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("rules", RULES)
def test_a_translation_keeps_it(reads: Reads, rules: str, target: str) -> None:
    translation = translate(reads.write("apache", httpd(_host(rules, True)).replace("ROOT", str(reads.root))), target)
    live = check_live(translation.reading, translation.read_back, most=60)
    assert live.rows and not live.surprises


@pytest.mark.parametrize("said", ["$1", "application/x-httpd-php", "application/x-httpd-cgi"])
def test_one_that_is_not_read_is_told(reads: Reads, said: str) -> None:
    """What a group says, and what leads to an application: its program is not taken for a file that is sent."""
    text = httpd(_host(f"RewriteRule (.*)\\.html$ - [T={said}]", False))
    assert [finding.span.directive.split()[0] for finding in reads.read("apache", text).findings] == ["RewriteRule"]
    assert reads.decide("apache", text, "/a.html").gave_up
