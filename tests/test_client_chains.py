"""X-Forwarded-For where a line changes it before httpd adds the client to it: what the origin gets, and the same behind other servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import Translation, read, save, translate

PLACES = {
    "/plain": "",
    "/set": 'RequestHeader set X-Forwarded-For "front"',
    "/twice": 'RequestHeader append X-Forwarded-For "expr=%{REMOTE_ADDR}"',
    "/gone": "RequestHeader unset X-Forwarded-For",
    "/both": 'RequestHeader set X-Forwarded-For "front"\nRequestHeader append X-Forwarded-For "middle"',
    "/maybe": 'RequestHeader set X-Forwarded-For "front" "expr=%{REQUEST_METHOD} == \'POST\'"',
}
HOST = httpd("\n".join(f"<Location {path}>\nProxyPass http://192.0.2.30:9000{path}\n{line}\n</Location>" for path, line in PLACES.items()))
SENT = {"X-Forwarded-For": "203.0.113.9"}


@pytest.mark.parametrize(
    ("path", "chain"),
    [
        ("/plain", "203.0.113.9, 192.0.2.10"),
        ("/set", "front, 192.0.2.10"),
        ("/twice", "203.0.113.9, 192.0.2.10, 192.0.2.10"),
        ("/gone", "192.0.2.10"),
        ("/both", "front, middle, 192.0.2.10"),
        ("/maybe", "203.0.113.9, 192.0.2.10"),
    ],
)
def test_the_client_is_put_behind_what_a_line_made(reads: Reads, path: str, chain: str) -> None:
    origin = reads.decide("apache", HOST, f"{path}/x", fields=SENT).origin
    assert origin is not None and dict(origin.fields)["x-forwarded-for"] == chain


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_it_is_one_field_elsewhere(reads: Reads, tmp_path: Path, target: str) -> None:
    """Both servers are asked; what is the same is carried, and of all else the comparison has told."""
    made = translate(reads.write("apache", HOST), target)
    save(made.writing.files, tmp_path / target)
    asked = [request_for(f"{SITE}{path}/x", "GET", fields) for path in PLACES for fields in ({}, SENT)]
    live = check_live(made.reading, read(tmp_path / target, target), requests=asked, most=200)
    assert not live.surprises
    assert {"/set", "/gone", "/both"} <= {path for path in PLACES if not _differs(made, path)}


def _differs(made: Translation, path: str) -> bool:
    return any("x-forwarded-for" in item.what and any(place.startswith(path) for place in cause.paths) for cause in made.comparison.causes for item in cause.differences)
