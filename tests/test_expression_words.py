"""httpd expressions beside the server: the sign, shell patterns, letters, texts put together, groups; in If, Header and RewriteCond."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.model import Severity
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
SIGNS = (
    "! -z req('X-Flag') || %{QUERY_STRING} == 'y=1'", "! %{QUERY_STRING} == 'off' && %{QUERY_STRING} == 'off'", "! true || true", "! false && false", "! -R '127.0.0.1' || true",
    "! false || false && false", "! (%{QUERY_STRING} == 'y=1' || false)", "true && ! %{QUERY_STRING} == 'y=1' || false", "! ! true",
)
SHELL = (
    "%{REQUEST_URI} -strmatch '/a/*.html'", "%{REQUEST_URI} -fnmatch '/a/*.html'", "%{REQUEST_URI} -fnmatch '/*.html'", "%{REQUEST_URI} -strmatch '/*.html'", "%{REQUEST_URI} -strcmatch '/A/?.HTML'",
    "%{REQUEST_URI} -strmatch '/[ab]/x.html'", "%{REQUEST_URI} -strmatch '/[!a]/*'", "%{REQUEST_URI} -strmatch '/a/\\\\*'", "%{HTTP_HOST} -strcmatch 'WWW.*'", "! %{REQUEST_URI} -strmatch '*/x.*'",
)
WORDS = (
    "tolower(%{REQUEST_URI}) == '/a/x.html'", "toupper(%{REQUEST_URI}) == '/A/X.HTML'", "tolower(%{REQUEST_URI}) =~ m#^/a/#", "tolower(%{REQUEST_URI}) =~ m#^/A/#", "tolower(%{REQUEST_URI}) == '/A/x.html'",
    "-T %{QUERY_STRING}", "-T req('X-Flag')", "%{QUERY_STRING} =~ /y=(\\d)/ && $1 == 1", "%{QUERY_STRING} =~ /y=(\\d)/ && $1 -gt 1", "%{REQUEST_METHOD} . 'x' == 'GETx'",
    "tolower(req('X-Flag')) in {'a', 'off'}", "%{REQUEST_URI} =~ m#^/(.)/# && $1 == 'a' && $0 == '/a/'",
)
PATHS = ("/a/x.html", "/A/X.html", "/b/x.html", "/a/b/c.html", "/x.html", "/a/1?y=1", "/a/2?y=2", "/?off", "/?Off", "/?0", "/?no", "/?00", "/a/*")


@pytest.mark.parametrize("expressions", [SIGNS, SHELL, WORDS])
def test_each_place_asks_as_the_server_does(tmp_path: Path, expressions: tuple[str, ...]) -> None:
    lines = ["RewriteEngine On"]
    for number, text in enumerate(expressions):
        lines += [f'<If "{text}">', f"Header always set X-If-{number} 1", "</If>", f'Header always set X-Expr-{number} 1 "expr={text}"',
                  f'RewriteCond expr "{text}"', f"RewriteRule ^ - [E=rule{number}:1]", f"Header always set X-Rule-{number} 1 env=rule{number}"]
    tmp_path.chmod(0o755)
    asked = [("GET", HOST, path, fields) for path in PATHS for fields in ({}, {"X-Flag": "OFF"}, {"X-Flag": "a"})]
    assert disagreements("apache", httpd("DocumentRoot ROOT\n" + "\n".join(lines)).replace("ROOT", str(tmp_path)), asked, tmp_path) == (len(asked), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_the_sign_is_carried_as_it_is_meant(reads: Reads, target: str) -> None:
    """Whoever is in the network is kept out, unless he asks for the page that is open."""
    text = httpd("DocumentRoot /srv/tools\n<Location />\nRequire expr \"! -R '198.51.100.0/24' || %{REQUEST_URI} == '/open.html'\"\n</Location>").replace("ROOT", "/srv/tools")
    made = translate(reads.write("apache", text), target)
    assert not [item for cause in made.comparison.of(Severity.BREAKING) for item in cause.differences if item.what == "status" and "403" in (str(item.before), str(item.after))]
