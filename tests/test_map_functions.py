"""httpd, `RewriteMap` int:… and rnd: with one value for a key: what is foretold, the server answers; where no server has such a function it is told."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
MAPS = "RewriteMap small int:tolower\nRewriteMap large int:toupper\nRewriteMap encoded int:escape\nRewriteMap decoded int:unescape\n"
RULES = [
    "RewriteCond %{REQUEST_URI} [A-Z]\nRewriteRule ^(.*)$ ${small:$1} [R=301,L]",
    "RewriteRule ^/p/(.*)$ /P/${small:$1} [R,L]",
    "RewriteRule ^/p/(.*)$ http://elsewhere.fernhollow.example/${large:$1} [R,NE,L]",
    "RewriteRule ^/in/(.*)$ /dir/${small:$1} [PT,L]",
    "RewriteRule ^/in/ ${small:%{REQUEST_URI}} [R=308,L]",
    "RewriteCond ${small:%{QUERY_STRING}} ^name=(.*)$\nRewriteRule ^/q /q2/%1 [R,L]",
    "RewriteRule ^/p/(.*)$ /z/${small:$1|none} [R,L]",
    "RewriteRule ^/p/(.*)$ /z/${encoded:$1} [R,L]",
    "RewriteRule ^/p/(.*)$ /z/${encoded:$1} [R,NE,L]",
    "RewriteRule ^/q /x-${decoded:%{QUERY_STRING}} [R,QSD,L]",
    "RewriteCond %{QUERY_STRING} ^name=(.*)$ [NC]\nRewriteRule ^/q /x-${encoded:%1}-${decoded:%1} [R,NE,QSD,L]",
    "RewriteRule ^/in/(.*)$ /dir/${decoded:$1} [PT,L]",
    "RewriteRule ^/p/ /x [E=said:${large:%{HTTP_HOST}},R,L]\nHeader always set X-Said %{said}e",
]
PATHS = ("/A.html", "/Dir/A%20b%C3%89", "/p/A%20b%C3%89?q=Z", "/p/", "/p/A%25b", "/in/INDEX.html", "/in/None", "/q?Name=ABC", "/q?other=1", "/a.html", "/P%2bQ", "/q?Name=a%20b%25c%zz+%2f;[x]~", "/in/%2569ndex.html", "/in/a%2")


@pytest.mark.parametrize("rules", RULES)
def test_letters_are_changed(reads: Reads, tmp_path: Path, rules: str) -> None:
    text = httpd(f"{MAPS}RewriteEngine On\n{rules}").replace("ROOT", str(reads.root))
    rows = [("GET", HOST, path, {}) for path in PATHS]
    assert [finding.span.directive for finding in reads.read("apache", text).findings] == []
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


def test_a_map_that_draws_one_of_one(reads: Reads, tmp_path: Path) -> None:
    (tmp_path / "drawn.txt").write_text("spade /dir/\nrake /a.html\n")
    text = httpd(f"RewriteMap drawn rnd:{tmp_path / 'drawn.txt'}\nRewriteEngine On\nRewriteRule ^/p/(.*)$ ${{drawn:$1|/none}} [R,L]").replace("ROOT", str(reads.root))
    rows = [("GET", HOST, f"/p/{word}", {}) for word in ("spade", "rake", "hoe")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (3, [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_no_other_server_changes_them(reads: Reads, target: str) -> None:
    made = translate(reads.write("apache", httpd(f"{MAPS}RewriteEngine On\n{RULES[0]}")), target)
    assert "RewriteRule" in {entry.span.directive.split()[0] for entry in made.ledger if entry.disposition.value == "unsupported"}
    live = check_live(made.reading, made.read_back, most=60)
    assert live.rows and not live.surprises


@pytest.mark.parametrize("rule", ["RewriteRule ^p/(.*)$ ${small:$1} [R]", "RewriteRule ^(.*)$ ${other:$1}", "RewriteRule ^/(.*)$ ${small:$1} [PT]"])
def test_what_is_not_read_is_told(reads: Reads, rule: str) -> None:
    lines = f"RewriteEngine On\n{rule}"
    inside = f"<Directory ROOT>\n{lines}\n</Directory>" if "^p" in rule else lines
    reading = reads.read("apache", httpd(f"{MAPS}RewriteMap other prg:/usr/bin/true\n{inside}"))
    assert "RewriteRule" in {finding.span.directive.split()[0] for finding in reading.findings if finding.span}
