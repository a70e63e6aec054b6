"""Shares of clients, by a number that is made of what they send: what the server makes of it, and what becomes of it elsewhere."""

from __future__ import annotations

import pytest

from tests.support.reading import SITE, Reads, nginx
from young_lantern.behaviour import request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.shares import hashed, in_digits
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import translate

SHARES = "split_clients $arg_id $kind { 12.5% one; 30% two; 0.01% few; * $uri; }\nsplit_clients $cookie_id $rare { 50% half; }"
PLACE = "add_header X-Kind $kind; add_header X-Rare $rare; location / { if ($kind = two) { return 302 /two; } root ROOT; }"


@pytest.mark.parametrize(("text", "number"), [("", 0), ("a", 2456313694), ("ab", 446775395), ("abc", 324500635), ("abcd", 646393889)])
def test_the_number_of_a_text(text: str, number: int) -> None:
    """MurmurHash2 of 32 bits with no seed, for every length of what is left over by four."""
    assert hashed(text) == number
    assert in_digits(text) == f"{number:010d}"


def test_the_server_divides_requests_alike(reads: Reads) -> None:
    reading = reads.read("nginx", nginx(PLACE, SHARES))
    asked = [request_for(f"{SITE}/a.html?id=fern{number}", "GET", {"Cookie": f"id={number}"}) for number in range(120)]
    live = check_live(reading, reading, requests=asked, most=400)
    assert [(str(row.request), row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]
    kinds = {dict(row.outcomes[0].fields).get("x-kind") for row in live.rows if row.outcomes[0].status == 200}
    assert kinds >= {"one", "$uri"} and any(row.outcomes[0].location == SITE + "/two" for row in live.rows)


def test_each_share_has_an_example(reads: Reads) -> None:
    """Of another division of the same clients the comparison meets every one whose requests come elsewhere."""
    other = SHARES.replace("30% two", "10% two")
    compared = compare_estates(*(reads.read("nginx", nginx(PLACE, text)).estate for text in (SHARES, other)))
    assert any(cause.severity is Severity.BREAKING and cause.summary.startswith("status: 302 becomes") for cause in compared.causes)
    assert "shares of requests, by a number made of what they send" in compared.sampled


def test_shares_go_to_nginx_again(reads: Reads) -> None:
    made = translate(reads.write("nginx", nginx(PLACE, SHARES)), "nginx", dialect="nginx")
    text = "".join(made.writing.files.values())
    for line in ("split_clients $arg_id $kind {", "12.5% one;", "30% two;", "0.01% few;", "* $uri;", "50% half;"):
        assert line in text
    assert not any(cause.summary.startswith(("status: 302", "status: 200", "field x-")) for cause in made.comparison.causes)


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_who_cannot_divide_says_so(reads: Reads, target: str) -> None:
    made = translate(reads.write("nginx", nginx(PLACE, SHARES)), target, dialect="nginx")
    assert any(entry.disposition.value == "unsupported" and entry.span.directive.startswith("split_clients") for entry in made.ledger)
    assert any("share of clients" in finding.why for finding in made.findings)


@pytest.mark.parametrize("line", ["200% a;", "ten% a;", "5%;", "a b;"])
def test_shares_that_are_none(reads: Reads, line: str) -> None:
    reading = reads.read("nginx", nginx("add_header X-Kind $kind;", f"split_clients $arg_id $kind {{ {line} }}"))
    told = [finding for finding in reading.findings if finding.code.name == "value-unread"]
    assert told and "share such as 12.5%" in told[0].advice + told[0].why + told[0].message
