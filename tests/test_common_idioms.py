"""Idioms that many estates have, from one server to another: what is written for them, and both servers asked."""

from __future__ import annotations

import pytest

from tests.support.reading import SITE, Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import request_for
from young_lantern.behaviour.differences import Severity
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import translate

PROXIED = "location / { proxy_pass http://192.0.2.7:8000; proxy_set_header X-Forwarded-Proto $forwarded; proxy_set_header X-Forwarded-Host $named; }"
FORWARDED = "map $http_x_forwarded_proto $forwarded { default $scheme; https https; }\nmap $http_x_forwarded_host $named { default $host; ~. $http_x_forwarded_host; }"
VARIANT = "RewriteEngine On\nRewriteCond %{HTTP_COOKIE} variant=([ab])\nRewriteRule ^/landing$ /landing-%1.html [PT]\n"
ALONE = """ProxyPass /api/ http://192.0.2.7:8000/
Header set Cache-Control no-cache "expr=%{REQUEST_URI} == '/a.html'"
Header always set X-Place api "expr=%{REQUEST_URI} =~ m#^/api/#"
"""


# Dialect, configuration, target, lines that are written, fields that are asked with, what is asked for.
@pytest.mark.parametrize(("dialect", "text", "target", "wanted", "fields", "paths"), [
    pytest.param("nginx", nginx(PROXIED, FORWARDED), "apache", ["[E=forwarded:%{REQUEST_SCHEME}]", '[E=forwarded:https]', 'RequestHeader set X-Forwarded-Proto "%{forwarded}e"', "[E=named:%{HTTP:X-Forwarded-Host}]"],
                 [{}, {"X-Forwarded-Proto": "https"}, {"X-Forwarded-Host": "loans.fernhollow.example"}], ["/x"], id="what-a-proxy-in-front-says"),
    pytest.param("apache", httpd(VARIANT), "nginx", ["if ($http_cookie ~ variant=(?<", "rewrite ^ /landing-$"], [{}, {"Cookie": "variant=a"}, {"Cookie": "x=1; variant=b"}], ["/landing"], id="a-page-by-cookie"),
    pytest.param("apache", httpd(ALONE), "nginx", ["add_header X-Place api always;", "map $uri $cache_control"], [{}, {"Lantern-Field": "Cache-Control: private"}], ["/api/x", "/a.html", "/index.html"], id="a-field-for-one-path"),
])
def test_it_is_written_as_it_was_meant(reads: Reads, dialect: str, text: str, target: str, wanted: list[str], fields: list[dict[str, str]], paths: list[str]) -> None:
    for name in ("landing-a.html", "landing-b.html"):
        (reads.root / name).write_text(f"{name}\n")
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    written = "\n".join(made.writing.files.values())
    assert [line for line in wanted if line not in written] == [], written
    assert [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    assert [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING] == []
    live = check_live(made.reading, made.read_back, requests=[request_for(SITE + path, fields=given) for path in paths for given in fields], most=120)
    assert [(str(row.request), row.request.fields, row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]


def test_no_place_takes_away_what_an_origin_says_of_its_own(reads: Reads) -> None:
    """A field that a condition on the path sets elsewhere is none of a proxied place."""
    written = "\n".join(translate(reads.write("apache", httpd(ALONE)), "nginx", dialect="apache").writing.files.values())
    assert "proxy_hide_header" not in written
