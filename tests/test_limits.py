"""How often, how many at a time, and how fast: what is read, what the servers do, what becomes of it elsewhere."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.outcome import Limited, outcome_of
from young_lantern.dialects import named
from young_lantern.lab.answers import Answer
from young_lantern.lab.client import ask
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running
from young_lantern.model import CONNECTIONS, REQUESTS, SPEED, Severity
from young_lantern.source.plan import Plan
from young_lantern.translate import translate

ZONES = "limit_req_zone $binary_remote_addr zone=often:1m rate=1r/s; limit_req_zone $http_x_key zone=keyed:1m rate=30r/m; limit_conn_zone $server_name zone=many:2m;"
CLIENT = "192.0.2.10"
SLOW = "<Location /a.html>\nSetOutputFilter RATE_LIMIT\nSetEnv rate-limit 4\nSetEnv rate-initial-burst 8\n</Location>"


def limited(lines: str, http: str = ZONES) -> str:
    return nginx(f"root ROOT; {lines}", http)


@pytest.mark.parametrize(("lines", "limits"), [
    ("limit_req zone=often;", [Limited(REQUESTS, 1.0, CLIENT)]),
    ("limit_req zone=often burst=4 nodelay; limit_req_status 429;", [Limited(REQUESTS, 1.0, CLIENT, 4, None, 429)]),
    ("limit_req zone=often burst=4 delay=9;", [Limited(REQUESTS, 1.0, CLIENT, 4, 4)]),
    ("limit_req zone=keyed;", []),  # what has no key is not counted
    ("limit_conn many 3; limit_conn_status 444;", [Limited(CONNECTIONS, 3, "www.fernhollow.example", 0, None, 444)]),
    ("limit_rate 10k; limit_rate_after 1k;", [Limited(SPEED, 10240, "", 1024, 0)]),
    ("limit_rate 0;", []),
    ("limit_req zone=often; limit_req_dry_run on;", []),
    ("limit_req zone=often; location / { limit_req zone=keyed; }", []),  # a level's own lines take the place of all above
    ("limit_req zone=often; return 204;", []),  # rules answer before anything is counted
])
def test_limits_that_hold_for_a_request(reads: Reads, lines: str, limits: list[Limited]) -> None:
    outcome = reads.decide("nginx", limited(lines), "/a.html")
    assert list(outcome.limits) == limits
    assert outcome_of(outcome.as_json()).limits == outcome.limits


def test_what_is_counted_once_is_not_counted_again(reads: Reads) -> None:
    """ngx_http_limit_req_handler: a page for an error is a place of its own, and still the same request."""
    page = "location / { limit_req zone=often; error_page 404 /pages/none.html; } location /pages/ { limit_req zone=keyed; limit_rate 5k; }"
    outcome = reads.decide("nginx", limited(page), "/none", fields={"X-Key": "k"})
    assert [(limit.kind, limit.key) for limit in outcome.limits] == [(REQUESTS, CLIENT)]


@pytest.mark.parametrize(("lines", "says"), [
    ("limit_req zone=none;", "none"), ("limit_conn often 3;", "often"), ("limit_rate fast;", "fast"), ("limit_rate $speed;", "$speed"), ("set $limit_rate 4k;", "$limit_rate 4k"), ("if ($arg_slow) { set $limit_rate 4k; }", "$limit_rate 4k"), ("limit_req zone=often burst=x;", "burst=x"),
])
def test_limits_that_are_none(reads: Reads, lines: str, says: str) -> None:
    reading = reads.read("nginx", limited(lines))
    assert any(finding.code.name == "value-unread" and says in finding.message for finding in reading.findings)


def test_a_rate_that_is_none_is_told(reads: Reads) -> None:
    reading = reads.read("nginx", limited("limit_req zone=x;", "limit_req_zone $uri zone=x:1m rate=fast;"))
    assert any("rate" in finding.advice + finding.why + finding.message for finding in reading.findings)


@pytest.mark.parametrize(("before", "after", "severity", "summary"), [
    ("limit_req zone=often burst=2;", "", Severity.BREAKING, f"limit on requests: 1 a second and 2 more, which wait for {CLIENT!r}, else 503 becomes none"),
    ("", "limit_conn many 2;", Severity.BREAKING, "limit on connections: none becomes 2 at a time for 'www.fernhollow.example', else 503"),
    ("limit_req zone=often;", "limit_req zone=often burst=9 nodelay;", Severity.BREAKING, f"limit on requests: 1 a second for {CLIENT!r}, else 503 becomes 1 a second and 9 more at once for {CLIENT!r}, else 503"),
    ("limit_req zone=often;", "limit_req zone=often; limit_req_status 429;", Severity.MINOR, f"limit on requests: 1 a second for {CLIENT!r}, else 503 becomes 1 a second for {CLIENT!r}, else 429"),
    ("limit_conn many 9;", "limit_conn many 1;", Severity.BREAKING, "limit on connections: 9 at a time for 'www.fernhollow.example', else 503 becomes 1 at a time for 'www.fernhollow.example', else 503"),
    ("", "limit_rate 1k;", Severity.BREAKING, "limit on speed: none becomes 1024 octets a second"),
    ("limit_rate 100k;", "", Severity.MINOR, "limit on speed: 102400 octets a second becomes none"),
])
def test_limits_are_compared(reads: Reads, before: str, after: str, severity: Severity, summary: str) -> None:
    compared = compare_estates(*(reads.read("nginx", limited(lines)).estate for lines in (before, after)))
    assert (severity, summary) in [(cause.severity, cause.summary) for cause in compared.causes]
    same = compare_estates(*(reads.read("nginx", limited(lines)).estate for lines in (before, before)))
    assert same.causes == ()


class _Copy:
    """A copy of a configuration that keeps its limits, asked on loopback."""

    def __init__(self, reads: Reads, dialect: str, text: str, folder: Path) -> None:
        reading = reads.read(dialect, text)
        self.plan = Plan(folder, free_port, keeps_limits=True)
        move = named(dialect).move
        assert move is not None
        self.running = Running(move(reading, self.plan), folder, [])
        self.running.ports = list(self.plan.ports.values())

    def ask(self, path: str = "/a.html") -> Answer:
        return ask(request_for(SITE + path), "127.0.0.1", self.plan.port("80"))


@pytest.mark.parametrize(("lines", "statuses"), [
    ("limit_req zone=often;", {200: 1, 503: 5}),
    ("limit_req zone=often burst=2 nodelay; limit_req_status 429;", {200: 3, 429: 3}),
    ("return 204;", {204: 6}),
])
def test_nginx_refuses_what_is_beyond_a_limit(reads: Reads, tmp_path: Path, lines: str, statuses: dict[int, int]) -> None:
    """The model says how many of six requests at once are answered: the first, and those of the burst that do not wait."""
    copy = _Copy(reads, "nginx", limited(lines), tmp_path / "copy")
    with copy.running, ThreadPoolExecutor(6) as pool:
        met = [answer.status for answer in pool.map(lambda _: copy.ask(), range(6))]
    assert {status: met.count(status) for status in set(met)} == statuses
    foretold = reads.decide("nginx", limited(lines), "/a.html").limits
    answered = 6 if not foretold else min(6, 1 + foretold[0].burst)
    assert sum(1 for status in met if status and status < 300) == answered


@pytest.mark.parametrize(("dialect", "text"), [("nginx", limited("limit_rate 4k; limit_rate_after 8k;")), ("apache", httpd(SLOW))])
def test_answers_go_out_as_slowly_as_foretold(reads: Reads, tmp_path: Path, dialect: str, text: str) -> None:
    """20 KiB, of which the first eight at once and the rest four a second."""
    (reads.root / "a.html").write_bytes(b"x" * 20 * 1024)
    assert reads.decide(dialect, text, "/a.html").limits == (Limited(SPEED, 4096, "", 8192, 0),)
    copy = _Copy(reads, dialect, text, tmp_path / "copy")
    with copy.running:
        began = time.monotonic()
        assert len(copy.ask().content) == 20 * 1024
        assert time.monotonic() - began > 1.5


def test_speed_goes_to_httpd_and_back(reads: Reads) -> None:
    there = translate(reads.write("nginx", limited("location /a.html { limit_rate 4k; limit_rate_after 8k; }")), "apache", dialect="nginx")
    site = next(text for name, text in there.writing.files.items() if name.startswith("sites/"))
    assert "SetOutputFilter RATE_LIMIT" in site and "SetEnv rate-limit 4\n" in site and "SetEnv rate-initial-burst 8\n" in site
    assert not any(cause.summary.startswith("limit on") for cause in there.comparison.causes)
    back = translate(reads.write("apache", httpd(SLOW)), "nginx", dialect="apache")
    site = next(text for name, text in back.writing.files.items() if name.startswith("sites/"))
    assert "limit_rate 4k;" in site and "limit_rate_after 8k;" in site
    assert not any(cause.summary.startswith("limit on") for cause in back.comparison.causes)


def test_filters_of_one_place_stand_in_one_line(reads: Reads) -> None:
    """core, SetOutputFilter: a second line would take the place of the first."""
    both = "<Location />\nSetOutputFilter RATE_LIMIT;DEFLATE\nSetEnv rate-limit 100\n</Location>"
    made = translate(reads.write("apache", httpd(both)), "apache", dialect="apache")
    text = "".join(made.writing.files.values())
    assert text.count("SetOutputFilter") == 1 and "SetOutputFilter DEFLATE;RATE_LIMIT" in text
    assert made.comparison.causes == ()


def test_a_filter_that_takes_the_place_of_another_is_told(reads: Reads) -> None:
    reading = reads.read("apache", httpd("SetOutputFilter DEFLATE\n<Location /a.html>\nSetOutputFilter RATE_LIMIT\nSetEnv rate-limit 9\n</Location>"))
    assert any("RATE_LIMIT is not a value" in finding.message for finding in reading.findings)


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_what_holds_clients_back_is_lost_loudly(reads: Reads, target: str) -> None:
    made = translate(reads.write("nginx", limited("location / { limit_req zone=often burst=3; limit_conn many 2; }")), target, dialect="nginx")
    lost = {entry.span.directive.split()[0] for entry in made.ledger if entry.disposition.value == "unsupported"}
    assert lost >= {"limit_req", "limit_conn", "limit_req_zone", "limit_conn_zone"}
    kinds = {cause.differences[0].what: cause.severity for cause in made.comparison.causes if cause.summary.startswith("limit on")}
    assert kinds == {"limit on requests": Severity.BREAKING, "limit on connections": Severity.BREAKING}


def test_limits_go_to_nginx_again(reads: Reads) -> None:
    lines = "location / { limit_req zone=often burst=3 delay=1; limit_req_status 429; limit_conn many 2; limit_rate 5k; }"
    made = translate(reads.write("nginx", limited(lines)), "nginx", dialect="nginx")
    assert made.comparison.causes == ()
    text = "".join(made.writing.files.values())
    for line in ("limit_req_zone $binary_remote_addr zone=often:1m rate=1r/s;", "limit_req zone=often burst=3 delay=1;", "limit_req_status 429;", "limit_conn_zone $server_name zone=many:2m;", "limit_conn many 2;", "limit_rate 5k;"):
        assert line in text
