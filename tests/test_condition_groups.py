"""httpd, `%0` to `%9` of a rule: the groups of the condition whose pattern matched last, asked of the running server."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

BY_HOST = "RewriteCond %{HTTP_HOST} ^(www)\\.(.+)$\n"
RULE = "RewriteRule ^/(a)$ /z?0=%0&1=%1&2=%2 [R,L]"
HOST, OFF = ("www.fernhollow.example", "www", "fernhollow.example"), ("off", "", "")
# Conditions behind the one for the host, and what %0, %1 and %2 are then; None: no redirect.
BEHIND = {
    "RewriteCond %{HTTPS} off": OFF,
    "RewriteCond %{HTTPS} ^O [NC]": ("o", "", ""),
    "RewriteCond %{HTTPS} (o)(f)": ("of", "o", "f"),
    "RewriteCond %{HTTPS} =off": HOST,
    "RewriteCond %{HTTPS} !on": HOST,
    "RewriteCond %{HTTPS} !^off$": None,
    "RewriteCond %{HTTPS} on [OR]\nRewriteCond %{HTTPS} f+": ("ff", "", ""),
    "RewriteCond %{HTTPS} off [OR]\nRewriteCond %{HTTP_HOST} (f).*": OFF,
    "RewriteCond %{HTTPS} off\nRewriteCond x%1y ^xy$": ("xy", "", ""),
    "RewriteCond %{HTTPS} off\nRewriteCond x%1y !^xwwwy$": OFF,
    "RewriteCond %{REQUEST_METHOD} ^(GET|HEAD)$": ("GET", "GET", ""),
    "RewriteCond %{REQUEST_METHOD} ^GET$": ("GET", "", ""),
    "RewriteCond %{REQUEST_METHOD} !^POST$": HOST,
    "RewriteCond %{HTTP_HOST} !(f) [OR]\nRewriteCond %{HTTP_HOST}%1 (www)$": ("www", "www", ""),
    "RewriteCond %{REQUEST_URI} ^/a": ("/a", "", ""),
    "RewriteCond %{REQUEST_METHOD} >A": HOST,
    "RewriteCond 5 -gt3": HOST,
    'RewriteCond %{REQUEST_METHOD} >""': HOST,
    'RewriteCond A >""': None,
    "RewriteCond %{DOCUMENT_ROOT}/a.html -f": HOST,
}


def estate_with(conditions: str, reads: Reads) -> str:
    return httpd(f"DocumentRoot {reads.root}\nRewriteEngine On\n{BY_HOST}{conditions}\n{RULE}")


@pytest.mark.parametrize("conditions", BEHIND)
def test_a_pattern_that_matched_takes_the_place_of_what_was_kept(reads: Reads, tmp_path: Path, conditions: str) -> None:
    text = estate_with(conditions, reads)
    groups = BEHIND[conditions]
    wanted = f"{SITE}/z?0={groups[0]}&1={groups[1]}&2={groups[2]}" if groups else None
    assert reads.decide("apache", text, "/a").location == wanted
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", "/a", {})], tmp_path / "asked") == (1, [])


@pytest.mark.parametrize("conditions", ["RewriteCond expr \"%{REQUEST_METHOD} =~ /G(E)/\"", "RewriteCond expr \"-n %{HTTP_HOST}\"", "RewriteCond %{HTTP_HOST} (q) [OR]\nRewriteCond %{HTTPS} off"])
def test_what_is_not_known_is_told_where_it_is_asked_for(reads: Reads, conditions: str) -> None:
    """An expression leaves what lies in the server's memory; of alternatives it depends on the request."""
    text = estate_with(conditions, reads)
    reading = reads.read("apache", text)
    assert reads.decide("apache", text, "/a").gave_up
    assert any("%0" in str(dict(item.facts)) and item.span is not None and item.span.line for item in reading.findings)
    for kept in (text.replace(RULE, "RewriteRule ^/a$ /z [R,L]"), text.replace(RULE, f"RewriteCond %{{REQUEST_URI}} (a)$\n{RULE}")):
        assert reads.decide("apache", kept, "/a").status == 302 and not reads.decide("apache", kept, "/a").gave_up


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_they_are_carried_as_they_are(reads: Reads, tmp_path: Path, target: str) -> None:
    """What the server does, whatever its author meant."""
    made = translate(reads.write("apache", estate_with("RewriteCond %{REQUEST_METHOD} ^(GET|HEAD)$", reads)), target)
    for method in ("GET", "HEAD"):
        one, other = (decide(reading.estate, request_for(f"{SITE}/a", method=method), real_files()).location for reading in (made.reading, made.read_back))
        assert one == f"{SITE}{(other or '').removeprefix(SITE)}" == f"{SITE}/z?0={method}&1={method}&2="
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", target), most=80).surprises
