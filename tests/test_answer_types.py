"""What goes by the type of an answer: who says the type, in each server, and what becomes of the rule in the others."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.origin_answers import FIELD, answers_to_ask
from young_lantern.fitting import answer_types
from young_lantern.fitting.answer_types import TYPE, Types, types_where
from young_lantern.lab.live import check_live
from young_lantern.model import AllOf, Disposition, Not, Pattern, SchemeIs, TextIs, TextMatches
from young_lantern.translate import read, save, translate

SOURCES = {
    "nginx": nginx(
        "root ROOT; expires $age; add_header X-Kind $kind; error_page 404 /404.html;"
        " location /app/ { proxy_pass http://192.0.2.21:8080; } location /dir/ { expires 1h; } location = /old { return 301 /new; }",
        "types { text/html html; text/css css; image/png png; text/javascript js; \"text/vcard; version=4.0\" vcf; }\n"
        "default_type \"text/plain; charset=koi8-r\"; charset utf-8; charset_types text/html;\n"
        "map $sent_http_content_type $age { default off; text/html epoch; text/css 7d; ~^image/ 30d; text/plain 1m; ~koi8 2m; }\n"
        "map $sent_http_content_type $kind { text/css style; ~*json data; }",
    ),
    "apache": httpd(
        "ExpiresActive On\nExpiresDefault \"access plus 1 day\"\nExpiresByType text/html \"access plus 0 seconds\"\nExpiresByType text/css \"access plus 1 week\"\n"
        "ExpiresByType image/png \"access plus 1 month\"\nExpiresByType image/* \"access plus 2 months\"\nErrorDocument 404 /404.html\nRedirect /old /new\n"
        "Header set X-Kind style \"expr=%{CONTENT_TYPE} =~ m#^text/css#\"\n"
        "AddCharset utf-8 .css\nHeader set X-Whole yes \"expr=%{CONTENT_TYPE} == 'text/css'\"\nHeader set X-Charset yes \"expr=%{CONTENT_TYPE} =~ m#utf-8#\"\n"
        "<Files a.html>\nHeader always set Content-Type text/new\nHeader set X-New yes \"expr=%{CONTENT_TYPE} == 'text/new'\"\n"
        "Header always set X-Early yes \"expr=%{CONTENT_TYPE} == 'text/html'\"\nHeader unset Content-Type\nHeader set X-None yes \"expr=%{CONTENT_TYPE} == ''\"\n</Files>\n"
        "ProxyPass /app/ http://192.0.2.21:8080/app/\n<Directory ROOT/dir>\nExpiresByType text/html \"access plus 5 minutes\"\n</Directory>",
    ),
    "caddy": caddy("root * ROOT\n@css path *.css\nheader @css Cache-Control max-age=600\nheader ?Cache-Control no-store\nreverse_proxy /app/* 192.0.2.21:8080\nfile_server"),
}


@pytest.mark.parametrize("dialect", SOURCES)
def test_each_server_does_what_is_foretold(reads: Reads, dialect: str) -> None:
    reading = reads.read(dialect, SOURCES[dialect])
    live = check_live(reading, reading, most=400)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    assert len(live.rows) > 60
    if dialect != "caddy":
        assert any((request.field(FIELD) or "").startswith("Content-Type: ") for request in (row.request for row in live.rows))


@pytest.mark.parametrize(("dialect", "target"), [(one, other) for one in SOURCES for other in SOURCES if one != other])
def test_no_difference_is_untold(reads: Reads, tmp_path: Path, dialect: str, target: str) -> None:
    reading = reads.read(dialect, SOURCES[dialect])
    made = translate(reading.main, target, dialect=dialect)
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=300)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize(
    ("dialect", "target", "wanted"),
    [
        ("apache", "nginx", ["map $sent_http_content_type $expires_by_answer_type {", '~*^image/ 60d;', '"~*^image/png(?:;|$)" 30d;', "default 1d;"]),
        ("apache", "caddy", ["@css path *.css", "@png path *.png", "Cache-Control max-age=604800"]),
        ("nginx", "apache", ['ExpiresByType text/css "access plus 7 days"', 'ExpiresByType image/* "access plus 30 days"', "%{CONTENT_TYPE}"]),
        ("caddy", "nginx", ["map $uri $cache_control_by_path {", "default $cache_control_unless_sent;", "~*\\.css$ max-age=600;"]),
    ],
)
def test_it_is_written_as_the_target_says_it(reads: Reads, dialect: str, target: str, wanted: list[str]) -> None:
    made = translate(reads.write(dialect, SOURCES[dialect]), target, dialect=dialect)
    text = "\n".join(made.writing.files.values())
    assert [line for line in wanted if line not in text] == []


def test_which_types_a_condition_is_for() -> None:
    css, images = TextIs(TYPE, ("text/css",)), TextMatches(TYPE, Pattern("^image/"))
    assert types_where(css) == Types(("text/css",), False)
    assert types_where(images) == Types(("image/*",), False)
    made = types_where(Not(images))
    assert made is not None and made.others and "image/*" not in made.names and "text/*" in made.names
    assert types_where(AllOf((css, SchemeIs("https")))) is None
    assert types_where(AllOf((Not(css), TextMatches(TYPE, Pattern("^text/"))))) is not None


def test_a_table_by_the_type_is_a_field_for_each_row(reads: Reads) -> None:
    site = reads.read("nginx", SOURCES["nginx"]).estate.sites[0]
    whole = [item.name for item in answer_types.split_tables(site.program) if getattr(item, "name", "") == "X-Kind"]
    assert whole == ["X-Kind"] * 2 or not whole
    assert {value for name, value in answers_to_ask([site]) if name == FIELD and value.startswith("Content-Type")} >= {"Content-Type: text/css"}


@pytest.mark.parametrize("target", ["apache", "caddy"])
@pytest.mark.parametrize("type_there", ["", "default_type text/css;", "default_type application/octet-stream; return 200 text;"])
def test_a_table_of_ages_is_accounted_for(reads: Reads, target: str, type_there: str) -> None:
    """Its rows became fields: its fate is that of the line that asks it, though it is written nowhere itself."""
    age = "map $sent_http_content_type $age { default off; text/html 10m; ~^image/ 2h; }"
    made = translate(reads.write("nginx", nginx(f"root ROOT; location /x {{ expires $age; {type_there} }}", age)), target, dialect="nginx")
    told = {entry.span.directive: entry for entry in made.ledger}
    assert [entry.span.directive for entry in made.ledger if entry.finding and entry.finding.code.name == "not-written"] == []
    assert told["map $sent_http_content_type $age"].disposition in (Disposition.KEPT, told["expires $age"].disposition)


def test_a_text_has_the_fields_of_its_type(reads: Reads) -> None:
    """By the type that is written for it, not as if it had none."""
    age = "map $sent_http_content_type $age { default off; text/css 10m; }"
    text = reads.caddy("root ROOT; location = /x { expires $age; default_type text/css; return 200 text; } location = /y { expires $age; default_type text/plain; return 200 text; }", age)
    assert text.count("Cache-Control max-age=600") == 1


def test_ages_by_type_for_httpd(reads: Reads) -> None:
    """Every row of the table is carried: fixed dates and no-cache by the type of the answer, also for words of the server's own, whose type is known."""
    table = "map $sent_http_content_type $age { default off; text/html epoch; text/css max; ~image/ 30d; }\ntypes { text/html html; text/css css; image/png png; text/plain txt; }"
    made = translate(
        reads.write("nginx", nginx("root ROOT; expires $age; location / { try_files $uri /404.html; } location /old { return 301 /new; } location /o/ { proxy_pass http://192.0.2.1:81; }", table)), "apache", dialect="nginx")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    written = "".join(made.writing.files.values())
    assert 'Header set Cache-Control "no-cache" "expr=%{CONTENT_TYPE}' in written and "ExpiresByType image/*" in written and 'Header always set Cache-Control "no-cache"' in written
    live = check_live(made.reading, made.read_back, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    assert any("no-cache" in row.answers[1].all("cache-control") for row in live.rows)


def test_answers_without_a_file_have_a_type_as_well(reads: Reads, tmp_path: Path) -> None:
    """nginx: listings, and answers without content, whose type goes by the path; httpd: its own words, whatever their status."""
    by_type = nginx("root ROOT; autoindex on; expires $age; location = /none.css { return 204; } location = /empty.html { return 200; }",
                    "types { text/html html; text/css css; }\nmap $sent_http_content_type $age { default off; text/html 10m; text/css 1h; }")
    words = httpd("RewriteEngine On\nRewriteRule ^/ok - [R=200]\nRewriteRule ^/none - [R=204]\nRewriteRule ^/told - [R=202]\nErrorDocument 202 named\nExpiresActive On\nExpiresByType text/html A60")
    for dialect, text, rows in (("nginx", by_type, {"/bare/": "max-age=600", "/none.css": "max-age=3600", "/empty.html": "max-age=600"}),
                                ("apache", words, {"/ok": "max-age=60", "/none": None, "/told": "max-age=60"})):
        estate = reads.read(dialect, text).estate
        assert {path: dict(decide(estate, request_for(SITE + path), real_files()).fields).get("cache-control") for path in rows} == rows
        asked, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", path, {}) for path in rows], tmp_path / dialect)
        assert asked == len(rows) and not wrong
