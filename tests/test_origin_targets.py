"""Origins that a variable names, and targets that a rewrite of the forward's own makes."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.patterns.groups import is_plain
from young_lantern.translate import read, save, translate

POOLS = (
    "upstream stable { server 192.0.2.11:3000; server 192.0.2.12:3000; }\nupstream beta { server 192.0.2.21:3000; }\n"
    'map $cookie_shelf $pool { default stable; "1" beta; gone ""; other 192.0.2.5; name shelf.example; here localhost; }\n'
    "geo $near { default stable; 10.0.0.0/8 beta; 10.1.0.0/16 192.0.2.7; }\n"
    "map $http_x_whole $whole { default http://stable; ~^b http://beta/base; bad beta; }\n"
)
BY_VARIABLE = {
    "table": "location /t/ { proxy_pass http://$pool; }",
    "path": "location /t/ { proxy_pass http://$pool/v2/; } location ~ ^/r/(.*)$ { proxy_pass http://$pool/x/$1; }",
    "as received": "location /t/ { proxy_pass http://$pool$request_uri; }",
    "networks": "location /t/ { proxy_pass http://$near; }",
    "whole": "location /t/ { proxy_pass $whole; }",
    "set": "set $two stable; if ($arg_two) { set $two beta; } location /t/ { rewrite ^/t/(.*)$ /$1 break; proxy_pass http://$two; }",
    "port": "location /t/ { set $three 192.0.2.9; proxy_pass http://${three}:8080; }",
}
INSIDE = caddy(
    "handle /p/* {\nreverse_proxy 192.0.2.1:8000 {\nrewrite /v1{path}\nheader_up X-Path {path}\n}\n}\n"
    "handle /o/* {\nreverse_proxy 192.0.2.1:8000 {\nrewrite /v1{http.request.orig_uri.path}\n}\n}\n"
    "handle /t/* {\nreverse_proxy 192.0.2.1:8000 {\nrewrite /v1{http.request.orig_uri}?\n}\n}\n"
    "handle /q/* {\nreverse_proxy 192.0.2.1:8000 {\nrewrite /v1{query.x}?a={query.x}&{query}\n}\n}\n"
    "handle /k/* {\nrewrite * /x{path}\nreverse_proxy 192.0.2.1:8000 {\nrewrite {path}\n}\n}\n"
    "handle_errors {\nrespond {path}\n}"
)


@pytest.mark.parametrize("kind", BY_VARIABLE)
def test_each_value_leads_to_its_origin(reads: Reads, kind: str) -> None:
    reading = reads.read("nginx", nginx(BY_VARIABLE[kind], POOLS))
    assert [finding for finding in reading.findings if finding.code.name == "value-unread"] == []
    live = check_live(reading, reading, most=400)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    assert len(live.rows) > 20


@pytest.mark.parametrize("target", ["apache", "caddy"])
@pytest.mark.parametrize("kind", BY_VARIABLE)
def test_no_difference_is_untold(reads: Reads, tmp_path: Path, kind: str, target: str) -> None:
    made = translate(reads.write("nginx", nginx(BY_VARIABLE[kind], POOLS)), target, dialect="nginx")
    assert [entry.span for entry in made.ledger if entry.disposition.value == "unsupported" and entry.span.directive.startswith(("proxy_pass", "map", "geo"))] == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=150)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize(
    ("kind", "fields", "answer"),
    [
        ("table", {}, "192.0.2.11:3000"), ("table", {"Cookie": "shelf=1"}, "192.0.2.21:3000"), ("table", {"Cookie": "shelf=other"}, "192.0.2.5:80"),
        ("table", {"Cookie": "shelf=gone"}, 500), ("table", {"Cookie": "shelf=name"}, 502), ("table", {"Cookie": "shelf=here"}, 502), ("whole", {"X-Whole": "bad"}, 500), ("port", {}, "192.0.2.9:8080"),
    ],
)
def test_what_a_value_comes_to(reads: Reads, kind: str, fields: dict[str, str], answer: str | int) -> None:
    """nginx (1.22.1, probed): without a resolver a name is 502; a value without an origin is 500."""
    outcome = reads.decide("nginx", nginx(BY_VARIABLE[kind], POOLS), "/t/x", fields=fields)
    assert (outcome.origin.addresses[0] if outcome.origin else outcome.status) == answer


@pytest.mark.parametrize("value", ["$arg_to", "$http_x_to.example", "$1"])
def test_a_value_that_nobody_knows_is_told(reads: Reads, value: str) -> None:
    reading = reads.read("nginx", nginx(f"location ~ ^/(t)/ {{ set $to {value}; proxy_pass http://$to; }}"))
    assert [finding.span.directive for finding in reading.findings if finding.code.name == "value-unread"] == ["proxy_pass http://$to"]


@pytest.mark.parametrize("target", ["caddy", "nginx", "apache"])
def test_a_rewrite_inside_is_seen_by_the_origin_alone(reads: Reads, tmp_path: Path, target: str) -> None:
    reading = reads.read("caddy", INSIDE)
    after = reading
    if target != "caddy":
        made = translate(reading.main, target, dialect="caddy")
        save(made.writing.files, tmp_path / "new")
        after = read(tmp_path / "new")
    live = check_live(reading, after, most=200)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize(
    ("target", "wanted"),
    [
        ("/p/a%20b", "/v1/p/a%20b"), ("/p/a%2fb?q=1", "/v1/p/a/b?q=1"), ("/p/a%3Fb", "/v1/p/a"), ("/o/a%2541", "/v1/o/a%2541"), ("/t/a%20b?q=1", "/v1/t/a%2520b?q=1"),
        ("/q/?x=/a%20b", "/v1/a%20b?a=%2Fa+b&x=/a%20b"), ("/k/a%20b", "/x/k/a%20b"),
    ],
)
def test_what_the_origin_is_asked(reads: Reads, target: str, wanted: str) -> None:
    """Caddy (2.6.2, probed): values go in decoded and out escaped; a mark in them ends the path, and brings a query where none is written."""
    outcome = reads.decide("caddy", INSIDE, target)
    assert outcome.origin is not None and outcome.origin.target == wanted


def test_a_target_as_received_is_written_as_none(reads: Reads) -> None:
    """`$request_uri` behind the origin says what silence says, as long as nothing rewrites."""
    for line, plain in (("", True), ("rewrite ^/t/(.*)$ /u/$1 break;", False)):
        made = translate(reads.write("nginx", nginx(f"location /t/ {{ {line} proxy_pass http://192.0.2.1:81$request_uri; }}")), "caddy", dialect="nginx")
        assert ("orig_uri" not in "".join(made.writing.files.values())) is plain
        outcome = decide(made.read_back.estate, request_for(f"{SITE}/t/x?q=1"), real_files())
        assert outcome.origin is not None and outcome.origin.target == "/t/x?q=1"


@pytest.mark.parametrize(("query", "value"), [("x=a+b", "a b"), ("x=a%2bb", "a+b"), ("x=%31", "1"), ("x=%zz", ""), ("y=1;x=3", ""), ("%78=5", "5"), ("X=1", "")])
def test_caddy_decodes_arguments(reads: Reads, query: str, value: str) -> None:
    assert reads.decide("caddy", caddy('respond "{query.x}"'), f"/?{query}").body == value


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_the_clients_query_follows_a_written_one(reads: Reads, target: str) -> None:
    """RewriteRule with P and QSA: the sign between both is there only where both are."""
    rules = "RewriteRule ^/a/(de|fr)/(.*)$ http://192.0.2.1:8000/v1/$2?lang=$1 [P,QSA]\nRewriteRule ^/b/(.*)$ http://192.0.2.1:8000/v2/$1?k=v [P]\nRewriteRule ^/c/(.*)$ http://192.0.2.1:8000/v3/$1 [P,QSA]"
    made = translate(reads.write("apache", httpd(f"RewriteEngine On\n{rules}")), target)
    assert not [entry.span for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED]
    live = check_live(made.reading, made.read_back, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    asked = {outcome.origin.target for row in live.rows if (outcome := row.outcomes[1]).origin is not None and "?" not in row.request.target}
    assert any(text.endswith("?lang=de") or text.endswith("?lang=fr") for text in asked)


def test_two_rules_for_one_pattern_have_one_location(reads: Reads) -> None:
    rules = "RewriteCond %{HTTP_COOKIE} lang=(de|fr)\nRewriteRule ^/$ /%1/ [R,L]\nRewriteCond %{HTTP:Accept-Language} ^(de|fr)\nRewriteRule ^/$ /%1/ [R,L]"
    made = translate(reads.write("apache", httpd(f"RewriteEngine On\n{rules}")), "nginx")
    text = made.writing.files["sites/www.fernhollow.example.conf"]
    assert text.count("return 302") == 2 and text.rstrip().endswith("location / {\n    }\n}")
    live = check_live(made.reading, made.read_back, most=100)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


@pytest.mark.parametrize(("text", "group", "wanted"), [
    (r"^/t/(\d+)$", 1, True), (r"^/(a|b-c)/(.*)$", 1, True), (r"^/(a|b-c)/(.*)$", 2, False), (r"^/((?:[\w-]+/)*)x", 1, True), (r"^/([^/]+)$", 1, False), (r"^/(\w+\.html?)$", 1, True),
    (r"^/(é)$", 1, False), (r"^/([ -z])$", 1, False), (r"^/(\D)$", 1, False), (r"^/x$", 1, False),
])  # fmt: skip
def test_which_groups_are_never_encoded(text: str, group: int, wanted: bool) -> None:
    assert is_plain(text, group) is wanted


def test_such_groups_need_no_rewrite(reads: Reads) -> None:
    lines = "RewriteEngine On\nRewriteCond %{HTTP_COOKIE} old=(\\w)\nRewriteRule ^/r/([a-z]+)-(\\d+)$ /n/$2/$1 [R=308,L]\nRedirectMatch 303 ^/ticket/(\\d+)$ https://desk.fernhollow.example/show?id=$1"
    made = translate(reads.write("apache", httpd(lines)), "nginx")
    text = made.writing.files["sites/www.fernhollow.example.conf"]
    assert "return 308" in text and "return 303" in text and "501" not in text
    live = check_live(made.reading, made.read_back, most=100)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_a_rule_for_every_path_is_no_place(reads: Reads, target: str) -> None:
    """What a host leads to by a rule that takes every path in: places that stand behind it are reached all the same."""
    (reads.root / "teams" / "lend").mkdir(parents=True)
    (reads.root / "teams" / "lend" / "a.html").write_text("lend\n")
    lines = ("ServerAlias *.fernhollow.example\nRewriteEngine On\nRewriteCond %{HTTP_HOST} !^www\\.\nRewriteCond %{HTTP_HOST} ^([^.]+)\\.fernhollow\\.example$\nRewriteRule ^/(.*)$ /teams/%1/$1 [PT]\n"
             "RewriteRule ^/go/(\\w+)$ https://links.fernhollow.example/$1 [R,L]\nProxyPass /api/ http://192.0.2.1:8000/v2/")
    made = translate(reads.write("apache", httpd(lines)), target)
    text = "\n".join(made.writing.files.values())
    assert target == "caddy" or "location ~ ^/(" not in text and "location ~ ^/go/" in text
    live = check_live(made.reading, made.read_back, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    assert {row.request.host for row in live.rows if row.answers[0].status == 200} >= {"www.fernhollow.example"}
