"""Sites that nginx finds by a pattern, where the names of the other servers hold none."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, nginx
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.answering import EMPTY
from young_lantern.lab.live import check_live
from young_lantern.model import AnswerPlainly, Refuse
from young_lantern.translate import Translation, read, save, translate

FIRST = "server { listen 80 default_server; server_name _; return 444; }"
TENANTS = (
    "server { listen 80; server_name ~^(?<tenant>[a-z0-9-]+)\\.loans\\.fernhollow\\.example$ loans.*;"
    " location / { proxy_pass http://192.0.2.31:8080/$tenant$request_uri; proxy_set_header X-Tenant $tenant; proxy_set_header Host $host; }"
    " location /static/ { root ROOT; } }"
)
NUMBERED = "server { listen 80; server_name ~^m(\\d+)\\.fernhollow\\.example$; return 301 http://www.fernhollow.example/m/$1$request_uri; }"
LETTERED = "server { listen 80; server_name ~^a[a-z]\\.fernhollow\\.example$; return 302 /lettered; }"
EITHER = "server { listen 80; server_name ~^(shop|store)\\..*$; return 302 /shop; }"
ORDERS = {
    "closed": f"{FIRST}\n{TENANTS}",
    "by order": TENANTS,
    "two of a domain": f"{FIRST}\n{NUMBERED}\n{LETTERED}",
    "no domain": f"{FIRST}\n{EITHER}",
    "after a star": f"{FIRST}\n{NUMBERED}\nserver {{ listen 80; server_name *.fernhollow.example; return 302 /star; }}",
}


def _moved(reads: Reads, http: str, target: str) -> Translation:
    return translate(reads.write("nginx", nginx("root ROOT;", http)), target, dialect="nginx")


@pytest.mark.parametrize("target", ["apache", "caddy"])
@pytest.mark.parametrize("order", ORDERS)
def test_they_are_carried_and_nothing_is_untold(reads: Reads, tmp_path: Path, order: str, target: str) -> None:
    made = _moved(reads, ORDERS[order], target)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=200)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize("target", ["apache", "caddy"])
@pytest.mark.parametrize(
    ("order", "host", "path"),
    [
        ("closed", "rowan.loans.fernhollow.example", "/x?q=1"), ("closed", "rowan.loans.fernhollow.example", "/static/none"), ("closed", "loans.example", "/x"),
        ("closed", "www.fernhollow.example", "/a.html"), ("by order", "www.fernhollow.example", "/a.html"), ("by order", "rowan.loans.fernhollow.example", "/x"),
        ("two of a domain", "m7.fernhollow.example", "/x"), ("two of a domain", "ab.fernhollow.example", "/x"), ("no domain", "shop.example", "/x"),
        ("after a star", "m7.fernhollow.example", "/x"),
    ],
)
def test_each_host_is_answered_as_before(reads: Reads, order: str, host: str, path: str, target: str) -> None:
    made = _moved(reads, ORDERS[order], target)
    one, other = (decide(reading.estate, request_for(f"http://{host}{path}"), real_files()) for reading in (made.reading, made.read_back))
    wanted, found = ((outcome.status, (outcome.location or "").removeprefix(f"http://{host}"), outcome.file) for outcome in (one, other))
    assert wanted == found
    assert (one.origin is None) is (other.origin is None)
    if one.origin is not None and other.origin is not None:
        assert one.origin.target == other.origin.target
        tenants = [dict(outcome.origin.fields).get("x-tenant", EMPTY).replace(EMPTY, "") for outcome in (one, other) if outcome.origin is not None]
        assert tenants[0] == tenants[1]


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_a_star_holds_what_ends_in_a_domain(reads: Reads, target: str) -> None:
    """A site of its own, as a person would write it; what the pattern leaves out is still refused."""
    made = _moved(reads, ORDERS["closed"], target)
    assert any("*.loans.fernhollow.example" in text for text in made.writing.files.values())
    outcome = decide(made.read_back.estate, request_for("http://a_b.loans.fernhollow.example/x"), real_files())
    assert outcome.status in (None, 403) and outcome.origin is None
    assert all(not isinstance(listener.fallback, Refuse | AnswerPlainly) for listener in made.read_back.estate.listeners if target == "apache")


def test_no_name_is_added_for_a_star(reads: Reads) -> None:
    """httpd wants a ServerName: it is one that the star stands for, not the bare domain."""
    made = _moved(reads, f"{FIRST}\nserver {{ listen 80; server_name *.loans.example shelf.*; return 302 /x; }}", "apache")
    for host, status in (("a.loans.example", 302), ("shelf.example", 302), ("loans.example", 403), ("shelf", 403)):
        assert decide(made.read_back.estate, request_for(f"http://{host}/"), real_files()).status == status
