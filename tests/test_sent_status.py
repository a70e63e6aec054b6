"""nginx' `$status`: the answer's, on the way to a page what that is sent with, and 000 before; and what becomes of it elsewhere."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, nginx
from young_lantern.model import Severity
from young_lantern.translate import translate

SITE = """
root ROOT; add_header X-Status "<$status>" always; add_header X-Age $age always; error_page 404 /err; error_page 403 = @own; error_page 410 =418 @tea;
location = /err { internal; return 404 "sorry $status"; }
location @own { return 401 "own $status"; }
location @tea { return 401 "tea $status"; }
location = /f { return 403; }
location = /g { return 410; }
location = /t { return 200 "now $status $age"; }
location = /r { return 302 /to/$status; }
location = /m { if ($status = 000) { return 204; } }
location = /w { rewrite ^ /w-$status redirect; }
"""
TABLE = "map $status $age { 200 max-age=5; 404 none; default other; }"


def test_what_it_says(reads: Reads, tmp_path: Path) -> None:
    text = nginx(SITE, TABLE).replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/", "/a.html", "/nothing", "/f", "/g", "/t", "/r", "/m", "/w", "/dir")]
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_a_field_that_says_it_is_lost_and_told(reads: Reads, target: str) -> None:
    """A table of it as well; nothing else takes its place."""
    made = translate(reads.write("nginx", nginx('root ROOT; add_header X-Status "<$status>" always; add_header X-Age $age always;', TABLE)), target, dialect="nginx")
    lost = {tuple(item.what for item in cause.differences) for cause in made.comparison.causes if cause.severity is Severity.BREAKING and "becomes none" in cause.summary}
    assert {("field x-status",), ("field x-age",)} <= lost
    told = {entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"}
    assert {'add_header X-Status "<$status>" always', "add_header X-Age $age always", "map $status $age"} <= told
    assert "X-Age" not in "".join(made.writing.files.values())


def test_the_text_of_a_page_says_it_in_caddy(reads: Reads) -> None:
    written = reads.caddy('error_page 404 /err; error_page 410 =418 @tea; location = /err { internal; return 404 "sorry $status"; } location @tea { return 401 "tea $status"; }')
    assert 'respond "sorry {err.status_code}" 404' in written
    assert 'respond "tea 418"' in written


def test_what_nginx_has_no_words_for_has_no_content_and_no_type(tmp_path: Path) -> None:
    """Asked by a condition on the answer's type; for 408 and 499 the connection ends, unless a text is given."""
    codes = (300, 304, 306, 309, 400, 407, 408, 413, 418, 421, 422, 428, 429, 430, 451, 493, 494, 497, 499, 500, 505, 506, 507, 508, 599)
    places = " ".join(f"location = /{code} {{ return {code}; }}" for code in codes)
    source = nginx(f"add_header X-Type $has always; {places} location = /late {{ return 408 late; }}", 'map $sent_http_content_type $has { default "some"; "" "none"; }')
    asked = [(method, "www.fernhollow.example", path, {}) for path in (*(f"/{code}" for code in codes), "/late") for method in ("GET", "HEAD")]
    assert disagreements("nginx", source, asked, tmp_path) == (len(asked), [])
