"""Values that are not there, or are empty: a cookie that was not sent, a variable that nothing set, a text of nothing.

The dialects keep the two apart, or do not, each in its own way; every row is decided by the model and asked of the running server.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import read, save, translate

COOKIES: tuple[dict[str, str], ...] = ({}, {"Cookie": "mark="}, {"Cookie": "mark=a"}, {"Cookie": "other=a"})


def asked(dialect: str, text: str, folder: Path, target: str = "/", fields: tuple[dict[str, str], ...] = COOKIES) -> list[str]:
    count, wrong = disagreements(dialect, text, [("GET", "www.fernhollow.example", target, one) for one in fields], folder)
    assert count == len(fields)
    return wrong


# What a matcher of Caddy says of: no cookie, one of nothing, `a`.
MATCHERS = {
    'expression {cookie.mark} == ""': (False, True, False),
    'expression {cookie.mark} != ""': (True, False, True),
    'expression {cookie.mark} in ["", "a"]': (False, True, True),
    "expression {cookie.mark} == null": (True, False, False),
    "expression {cookie.mark} != null && {cookie.mark}.matches('^a')": (False, False, True),
    'vars {cookie.mark} ""': (False, True, False),
    "vars_regexp {cookie.mark} ^$": (True, True, False),
    "vars_regexp none ^$": (False, False, False),
    'expression {vars.none} == ""': (False, False, False),
    'expression {header.X-None} == ""': (True, True, True),
    'expression {query.none} == ""': (True, True, True),
    'expression {table} == ""': (True, True, True),
    'expression {bare_table} == ""': (False, False, False),
}


@pytest.mark.parametrize("matcher", sorted(MATCHERS))
def test_caddy_tells_nothing_from_an_empty_text(reads: Reads, tmp_path: Path, matcher: str) -> None:
    text = caddy(f'map {{path}} {{table}} {{\n/a b\ndefault ""\n}}\nmap {{path}} {{bare_table}} {{\n/a b\n}}\n@held {matcher}\nrespond @held yes\nrespond no')
    bodies = tuple(reads.decide("caddy", text, "/", fields=one).body == "yes" for one in COOKIES[:3])
    assert bodies == MATCHERS[matcher]
    assert asked("caddy", text, tmp_path / "asked") == []


def test_a_pattern_for_what_is_not_there_is_an_error_in_caddy(reads: Reads) -> None:
    """500, for which conditions have no word: the request is left undecided, and that is told."""
    text = caddy("@held expression {cookie.mark}.startsWith('a')\nrespond @held yes\nrespond no")
    assert reads.decide("caddy", text, "/").gave_up and not reads.decide("caddy", text, "/", fields={"Cookie": "mark=a"}).gave_up


@pytest.mark.parametrize("condition", ['= ""', '!= ""', "= a", "!= a", "", "~ ^$", "~ .", "!~ n"])
@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_who_is_not_signed_in_is_redirected_as_before(reads: Reads, tmp_path: Path, condition: str, target: str) -> None:
    """`if ($cookie_mark = "")` holds without the cookie, too, in all dialects that it goes to."""
    made = translate(reads.write("nginx", nginx(f"location / {{ if ($cookie_mark {condition}) {{ return 302 /sign-in; }} return 204; }}".replace(" )", ")"))), target)
    for one in COOKIES:
        before, after = (decide(estate, request_for(SITE + "/", fields=one), real_files()) for estate in (made.reading.estate, made.read_back.estate))
        assert (before.status, before.location and before.location.removeprefix(SITE)) == (after.status, after.location and after.location.removeprefix(SITE))
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", target), requests=[request_for(SITE + "/", fields=one) for one in COOKIES], most=120).surprises


def test_nginx_tries_no_pattern_of_a_map_on_nothing(reads: Reads, tmp_path: Path) -> None:
    lines = "map $arg_a $one { default d; ~^x?$ p; } map $arg_a $two { ~^$ e; ~. n; } map $arg_a $three { \"\" nothing; ~.* p; }"
    text = nginx('return 200 "$one|$two|$three";', lines)
    bodies = [reads.decide("nginx", text, target).body for target in ("/", "/?a=", "/?a=x", "/?a=yy")]
    assert bodies == ["d||nothing", "d||nothing", "p|n|p", "d|n|p"]
    for target in ("/", "/?a=", "/?a=x"):
        assert asked("nginx", text, tmp_path / f"asked{len(target)}", target, ({},)) == []


def test_tables_of_caddy_keep_their_row_for_nothing(reads: Reads, tmp_path: Path) -> None:
    """Their patterns are tried on nothing as well, so that nginx needs a row of its own for it."""
    made = translate(reads.write("caddy", caddy('map {query.a} {kind} {\n~^x? p\ndefault d\n}\nrespond {kind}')), "nginx")
    assert '"" p;' in "".join(made.writing.files.values())
    for target in ("/", "/?a=x", "/?a=y"):
        assert decide(made.read_back.estate, request_for(SITE + target), real_files()).body == "p"
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", "nginx"), most=100).surprises


def test_a_table_of_one_letter_has_another_name_in_caddy(reads: Reads, tmp_path: Path) -> None:
    """Caddy does not start with an expression of such a name."""
    made = translate(reads.write("nginx", nginx("if ($k = b) { return 403; } return 204;", "map $uri $k { /a b; }")), "caddy")
    assert "{k}" not in "".join(made.writing.files.values())
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", "caddy"), most=60).surprises


HTTPD = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule .* - [E=HTTP_AUTHORIZATION:%{HTTP:Authorization}]
RewriteRule ^/(x)?a - [E=first:$1]
RewriteRule ^/dir - [E=bare]
SetEnvIf Request_URI "^/n" none=
RequestHeader set Authorization "%{HTTP_AUTHORIZATION}e" env=HTTP_AUTHORIZATION
Header always set X-First "%{first}e"
Header always set X-First-Set yes env=first
Header always set X-None "%{none}e" env=none
ProxyPass /api/ http://192.0.2.3:8000/
<Location /dir>
Require env bare
</Location>
<Location /bare>
Require env bare
</Location>""")


@pytest.mark.parametrize(("target", "status", "told"), [
    ("/a.html", 200, {"x-first": "", "x-first-set": "yes"}), ("/none", 404, {"x-first": "(null)", "x-none": "1"}),
    ("/dir/", 200, {"x-first": "(null)"}), ("/bare/x.txt", 403, {"x-first": "(null)"}),
])  # fmt: skip
def test_httpd_tells_a_variable_with_nothing_in_it_from_none(reads: Reads, tmp_path: Path, target: str, status: int, told: dict[str, str]) -> None:
    outcome = reads.decide("apache", HTTPD, target)
    assert outcome.status == status and {name: value for name, value in outcome.fields if name.startswith("x-")} == told
    assert asked("apache", HTTPD.replace("ROOT", str(reads.root)), tmp_path / "asked", target, ({}, {"Authorization": "Basic Zmo="})) == []


def test_a_field_of_nothing_is_said_to_an_origin(reads: Reads, tmp_path: Path) -> None:
    """The usual line for applications sends an empty Authorization where none came; httpd does that still, and the others are told of."""
    origin = reads.decide("apache", HTTPD, "/api/x").origin
    assert origin is not None and dict(origin.fields)["authorization"] in ("", "(empty)")
    assert asked("apache", HTTPD.replace("ROOT", str(reads.root)), tmp_path / "asked", "/api/x", ({}, {"Authorization": "Basic Zmo="})) == []


WWW = httpd("""ServerAlias fernhollow.example
RewriteEngine On
RewriteCond %{HTTPS} off
RewriteCond %{HTTP_HOST} ^(?:www\\.)?(.+)$ [NC]
RewriteRule ^ https://www.%1%{REQUEST_URI} [L,NE,R=301]""")


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("host", ["fernhollow.example", "www.fernhollow.example"])
def test_the_hosts_name_is_a_value_that_every_request_has(reads: Reads, tmp_path: Path, host: str, target: str) -> None:
    """Caddy asks a pattern of a placeholder that has no value by the words `<nil>`, which this one matches: it would lead there."""
    made = translate(reads.write("apache", WWW), target)
    for reading in (made.reading, made.read_back):
        assert decide(reading.estate, request_for(f"http://{host}/a?b=c"), real_files()).location == "https://www.fernhollow.example/a?b=c"
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", target), most=100)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []


def test_the_groups_of_what_may_not_be_there_are_not_taken_from_caddys_words(reads: Reads, tmp_path: Path) -> None:
    """`(.+)` of a cookie: where the client sends none, Caddy has `<nil>` for it. It is told, and nothing leads to a page of that name."""
    made = translate(reads.write("nginx", nginx("location / { if ($cookie_mark ~ ^(.+)$) { return 302 /signed-in/$1; } return 204; }")), "caddy")
    assert [entry.span.line for entry in made.ledger if "no value" in str(entry.finding)] and any(cause.severity is Severity.BREAKING for cause in made.comparison.causes)
    assert "nil" not in "".join(made.writing.files.values())
    assert [decide(made.read_back.estate, request_for(SITE + "/", fields=one), real_files()).location for one in COOKIES] == [None] * len(COOKIES)
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", "caddy"), requests=[request_for(SITE + "/", fields=one) for one in COOKIES], most=60).surprises
