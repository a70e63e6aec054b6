"""Look-around taken out of a pattern: the pattern and what is asked beside it hold for the very texts that it held for; RE2 takes them all."""

from __future__ import annotations

import itertools

import pytest

from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.model import Pattern
from young_lantern.patterns import beyond_re2, search
from young_lantern.patterns.looks import apart
from young_lantern.translate import translate

TAKEN = [
    r"^/(?!ab|b)(.*)$", r"^(?!/(a|b)).*", r"^(?!.*\.(?:a|b)$).*$", r"^/(?!a\.b$).+", r"/\.a|/\.(?!b/)", r"\.(?<!a\.)b$", r"(?<!\.a)\.b$", r"^/((?!a/).*)$",
    r"^/(?=.*ab).*$", r"^/(?!x)a|b(?<!a)$", r"^/([ab]{2})(?!\.)(.*)$", r"^/a(?!/a/).*\.b$", r"^(?:/a|/b)(?!a)(.*)$", r"^/(?<name>(?!ab)[^/]*)",
]
LEFT = [r"^/(?!(a)).(b)$", r"^/(?:(?!a).)*$", r"^/a*(?!b)(.*)$", r"^/((?!a)a|b)$", r"^/(a)(?!x)\1", r"^/(?!(?!a)b)a", r"^/(?:(?!a)b)?a", r"(a)(?!b)|(b)(?=a)", r"^/a(?!b)*c", r"^/(?=(ab)).*$"]
TEXTS = ["".join(signs) for length in range(6) for signs in itertools.product("/ab.", repeat=length)]


@pytest.mark.parametrize("text", TAKEN)
def test_what_is_taken_out_says_the_same(text: str) -> None:
    pattern = Pattern(text, "pcre", label="p")
    ways = apart(pattern)
    assert ways is not None and any(way.refused or way.wanted for way in ways) or "/\\." in text
    for way in ways or ():
        assert not any(beyond_re2(item.text) for item in (way.main, *way.wanted, *way.refused)), way
        assert way.main.label == "p" and not any(item.label for item in (*way.wanted, *way.refused))
    for tried in TEXTS:
        before = search(pattern, tried)
        found = [way for way in ways or () if search(way.main, tried) and all(search(item, tried) for item in way.wanted) and not any(search(item, tried) for item in way.refused)]
        assert bool(found) == (before is not None), tried
        if before is not None and before.groups() and any(before.groups()):
            made = search(found[0].main, tried)
            assert made is not None and made.groups()[:len(before.groups())] == before.groups(), tried


@pytest.mark.parametrize("text", LEFT)
def test_what_cannot_be_taken_out_stays(text: str) -> None:
    assert apart(Pattern(text, "pcre")) is None


@pytest.mark.parametrize("text", [r"^/a(.*)$", r"/\.(?!ab)"])
def test_what_re2_takes_anyhow_is_left_alone(text: str) -> None:
    assert apart(Pattern(text, "pcre")) is None


def test_caddy_asks_beside_the_pattern(reads: Reads) -> None:
    """A location that is not for some paths, a script that must not be one, an ending that another may not stand before."""
    locations = [r"^/(?!api/|static/)shelf(.*)$", r"(?<!\.min)\.js$", r"^/content/(?!uploads/).*\.php$", r"/\.git|/\.(?!well-known/)"]
    text = nginx("".join(f"location ~ \"{pattern}\" {{ return 40{number} \"{number}\"; }}\n" for number, pattern in enumerate(locations, 3)) + "location / { return 200 ok; }")
    translation = translate(reads.write("nginx", text), "caddy")
    assert not [finding for finding in translation.findings if finding.code.name in ("pattern-beyond-engine", "no-counterpart")]
    live = check_live(translation.reading, translation.read_back, most=200)
    assert live.rows and not live.surprises
    assert {row.answers[1].status for row in live.rows} >= {200, 403, 404, 405, 406}


def test_what_is_asked_beside_a_pattern_leaves_its_groups(reads: Reads) -> None:
    made = translate(reads.write("apache", httpd("RewriteEngine On\nRewriteCond %{ENV:REDIRECT_STATUS} ^$\nRewriteRule ^(?=/d)(/.*)$ /moved$1 [R,NE]")), "caddy")
    live = check_live(made.reading, made.read_back, most=80)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    assert {row.answers[1].status for row in live.rows} >= {302, 200}


@pytest.mark.parametrize("lines", ["BrowserMatch Bot kind=bot\nBrowserMatch Bot kind=other", "SetEnvIf User-Agent Bot kind=bot\nSetEnvIf User-Agent ^Bot$ kind=other"])
def test_no_table_has_a_pattern_twice(reads: Reads, lines: str) -> None:
    """maphandler.go, Validate: Caddy does not start with such a table."""
    made = translate(reads.write("apache", httpd(f"{lines}\nHeader always set X-Kind %{{kind}}e")), "caddy")
    live = check_live(made.reading, made.read_back, most=80)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
