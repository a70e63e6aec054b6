"""Idioms that many estates have, from one server to another: what is written for them, and both servers asked."""

from __future__ import annotations

import pytest

from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.differences import Severity
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import save, translate

PROXIED = "location / { proxy_pass http://192.0.2.7:8000; proxy_set_header X-Forwarded-Proto $forwarded; proxy_set_header X-Forwarded-Host $named; }"
FORWARDED = "map $http_x_forwarded_proto $forwarded { default $scheme; https https; }\nmap $http_x_forwarded_host $named { default $host; ~. $http_x_forwarded_host; }"
VARIANT = "RewriteEngine On\nRewriteCond %{HTTP_COOKIE} variant=([ab])\nRewriteRule ^/landing$ /landing-%1.html [PT]\n"
ALONE = """ProxyPass /api/ http://192.0.2.7:8000/
Header set Cache-Control no-cache "expr=%{REQUEST_URI} == '/a.html'"
Header always set X-Place api "expr=%{REQUEST_URI} =~ m#^/api/#"
"""


MAINTENANCE = caddy("""root * ROOT
@closed {
	file closed.on
	not path /404.html
}
handle @closed {
	rewrite * /404.html
	file_server {
		status 503
	}
}
handle {
	file_server
}""")
CORS = caddy("""@app header Origin https://app.fernhollow.example
handle /api/* {
	header @app {
		Access-Control-Allow-Origin https://app.fernhollow.example
		defer
	}
	reverse_proxy 192.0.2.7:8000
}""")
TWO_ORIGINS = caddy("""reverse_proxy /api/* 192.0.2.7:8000
reverse_proxy 192.0.2.8:8080 {
	header_up Host {upstream_hostport}
	header_down Location ^http://192\\.0\\.2\\.8:8080/ /
}""")
ORIGINS = [{}, {"Origin": "https://app.fernhollow.example"}, {"Lantern-Field": "Access-Control-Allow-Origin: *"}]


# Dialect, configuration, target, lines that are written, fields that are asked with, what is asked for.
@pytest.mark.parametrize(("dialect", "text", "target", "wanted", "fields", "paths"), [
    pytest.param("nginx", nginx(PROXIED, FORWARDED), "apache", ["[E=forwarded:%{REQUEST_SCHEME}]", '[E=forwarded:https]', 'RequestHeader set X-Forwarded-Proto "%{forwarded}e"', "[E=named:%{HTTP:X-Forwarded-Host}]"],
                 [{}, {"X-Forwarded-Proto": "https"}, {"X-Forwarded-Host": "loans.fernhollow.example"}], ["/x"], id="what-a-proxy-in-front-says"),
    pytest.param("apache", httpd(VARIANT), "nginx", ["if ($http_cookie ~ variant=(?<", "rewrite ^ /landing-$"], [{}, {"Cookie": "variant=a"}, {"Cookie": "x=1; variant=b"}], ["/landing"], id="a-page-by-cookie"),
    pytest.param("apache", httpd(ALONE), "nginx", ["add_header X-Place api always;", "map $uri $cache_control"], [{}, {"Lantern-Field": "Cache-Control: private"}], ["/api/x", "/a.html", "/index.html"], id="a-field-for-one-path"),
    pytest.param("caddy", MAINTENANCE, "nginx", ["error_page 503 /404.html;", "/closed.on) {", "return 503;"], [{}], ["/", "/a.html", "/404.html"], id="maintenance-to-nginx"),
    pytest.param("caddy", MAINTENANCE, "apache", ['ErrorDocument 503 "/404.html"', 'RewriteCond "%{DOCUMENT_ROOT}/closed.on" -f', "[R=503,L]"], [{}], ["/", "/a.html", "/404.html"], id="maintenance-to-httpd"),
    pytest.param("caddy", CORS, "nginx", ["default $upstream_http_access_control_allow_origin;"], ORIGINS, ["/api/x"], id="origins-of-scripts-to-nginx"),
    pytest.param("caddy", CORS, "apache", ["reqenv('api') == '1' && reqenv('asked') == '1'"], ORIGINS, ["/api/x"], id="origins-of-scripts-to-httpd"),
    pytest.param("caddy", TWO_ORIGINS, "nginx", ["proxy_redirect default;"], [{}, {"Lantern-Answer": "302 self"}], ["/api/x", "/x"], id="two-origins"),
])
def test_it_is_written_as_it_was_meant(reads: Reads, dialect: str, text: str, target: str, wanted: list[str], fields: list[dict[str, str]], paths: list[str]) -> None:
    for name in ("landing-a.html", "landing-b.html", *(["closed.on"] if text == MAINTENANCE else [])):
        (reads.root / name).write_text(f"{name}\n")
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    written = "\n".join(made.writing.files.values())
    assert [line for line in wanted if line not in written] == [], written
    assert [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    # A folder that is called as the page, in letters of another case: nginx adds its slash first.
    folder = "status: 404 becomes 301" if text == MAINTENANCE else ""
    assert [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING and cause.summary != folder] == []
    live = check_live(made.reading, made.read_back, requests=[request_for(SITE + path, fields=given) for path in paths for given in fields], most=120)
    assert [(str(row.request), row.request.fields, row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]


def test_no_place_takes_away_what_an_origin_says_of_its_own(reads: Reads) -> None:
    """A field that a condition on the path sets elsewhere is none of a proxied place."""
    written = "\n".join(translate(reads.write("apache", httpd(ALONE)), "nginx", dialect="apache").writing.files.values())
    assert "proxy_hide_header" not in written


def test_a_field_that_leaves_the_origins_alone_comes_back(reads: Reads) -> None:
    """nginx says so with a table whose default is the origin's own."""
    there = translate(reads.write("caddy", CORS), "nginx", dialect="caddy")
    folder = reads.folder / "there"
    save(there.writing.files, folder)
    for target, line in (("caddy", "header @"), ("apache", "Header always set Access-Control-Allow-Origin")):
        back = translate(folder, target, dialect="nginx")
        assert line in "\n".join(back.writing.files.values())
        # nginx says it to all of the site, answers of its own among them.
        told = {cause.summary for cause in compare_estates(there.reading.estate, back.read_back.estate).causes if cause.summary.startswith("field access-control")}
        assert told <= {"field access-control-allow-origin: none becomes https://app.fernhollow.example"}


def test_what_an_origin_says_of_a_field_is_asked_where_a_condition_holds_too(reads: Reads) -> None:
    """With the field that rules ask for and without: a line that leaves the origin's beside its own is told."""
    one = reads.read("caddy", CORS).estate
    other = reads.read("apache", httpd("ProxyPass /api/ http://192.0.2.7:8000/api/\nHeader always set Access-Control-Allow-Origin https://app.fernhollow.example \"expr=%{HTTP:Origin} == 'https://app.fernhollow.example'\"")).estate
    assert "field access-control-allow-origin: https://app.fernhollow.example becomes https://app.fernhollow.example, of the origin" in {cause.summary for cause in compare_estates(one, other).causes}
