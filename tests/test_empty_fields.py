"""Fields that tables, request fields and variables give no value: nginx does not send them, Caddy would."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour.compare import Reason
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import read, save, translate

TABLES = (
    "map $http_origin $allowed { ~^https://([a-z]+\\.)?fernhollow\\.example$ $http_origin; ~fern|hollow $http_origin; default ''; }\n"
    "map $uri $robots { default noindex; ~^/dir/ ''; }"
)
FIELDS = {
    "table": "add_header Access-Control-Allow-Origin $allowed always; add_header X-Robots-Tag $robots;",
    "request": "add_header X-Request-Id $http_x_request_id always; add_header X-Ref $arg_ref; add_header X-Session $cookie_session;",
    "variable": "set $two ''; if ($arg_two) { set $two yes; } add_header X-Two $two; location /dir/ { set $two dir; }",
}


@pytest.mark.parametrize("kind", FIELDS)
def test_a_field_without_a_value_is_not_sent(reads: Reads, tmp_path: Path, kind: str) -> None:
    """Nothing that had a value loses it, also where an index file is found; what a variable leaves empty is told, not lost."""
    reading = reads.read("nginx", nginx(f"root ROOT; {FIELDS[kind]}", TABLES))
    made = translate(reading.main, "caddy", dialect="nginx")
    changed = [cause for cause in made.comparison.causes if cause.summary.startswith(("field x-", "field access-")) and cause.reason is not Reason.ARGUMENTS]
    if kind == "variable":
        # `/DIR/` is `/dir/` to Caddy.
        assert {cause.summary for cause in changed} <= {"field x-two: none becomes (empty)", "field x-two: none becomes dir"}
        assert all(cause.severity is Severity.MINOR for cause in changed)
    else:
        assert changed == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=200)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize(
    ("dialect", "text", "said"),
    [
        ("caddy", caddy('route {\nrequest_header +X-Probe 9\nheader X-E "{header.X-Probe}"\nrespond ok\n}'), "bb,9"),
        ("apache", httpd('RequestHeader append X-Probe 9\nHeader set X-E "expr=%{HTTP:X-Probe}"'), "bb, 9"),
    ],
)
def test_two_values_of_a_field_in_a_text(reads: Reads, tmp_path: Path, dialect: str, text: str, said: str) -> None:
    """Caddy puts a comma between them, httpd a comma and a blank."""
    asked, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", "/", {"X-Probe": "bb"})], tmp_path / "asked")
    assert (asked, wrong) == (1, [])
    assert dict(reads.decide(dialect, text, "/", fields={"X-Probe": "bb"}).fields)["x-e"] == said
