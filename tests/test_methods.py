"""Methods that no page asks by: TRACE, CONNECT, and one that HTTP does not know; by the model, by each server, and in a translation."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason, compare_estates
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import translate

PATHS = ("/a.html", "/dir", "/none", "/r/x", "/p/x")
ESTATES = {
    "nginx": nginx("root ROOT; location /r/ { return 301 /x; } location /p/ { proxy_pass http://192.0.2.1:81; }"),
    "apache": httpd("TraceEnable Off\nRedirect permanent /r/ /x\nProxyPass /p/ http://192.0.2.1:81/p/"),
    "caddy": caddy("redir /r/* /x 301\nhandle /p/* {\nreverse_proxy 192.0.2.1:81\n}\nhandle {\nroot * ROOT\nfile_server\n}"),
}
# Dialect, method, and the status for each path; None: nobody says.
ROWS = [
    ("nginx", "TRACE", (405, 405, 405, 405, 405)),
    ("nginx", "CONNECT", (405, 405, 405, 405, 405)),
    ("nginx", "FERN", (405, 405, 405, 301, 200)),
    ("apache", "TRACE", (None, None, None, None, None)),
    ("apache", "CONNECT", (400, 400, 400, 400, 400)),
    ("apache", "FERN", (501, 301, 501, 301, 200)),
    ("caddy", "TRACE", (200, 308, 404, 301, 200)),
    ("caddy", "FERN", (200, 308, 404, 301, 200)),
]


@pytest.mark.parametrize(("dialect", "method", "statuses"), ROWS)
def test_what_each_server_makes_of_them(reads: Reads, tmp_path: Path, dialect: str, method: str, statuses: tuple[int | None, ...]) -> None:
    """As foretold, and as the server does it; what httpd says to TRACE is not foretold."""
    reading = reads.read(dialect, ESTATES[dialect])
    requests = [request_for(f"http://www.fernhollow.example{path}", method) for path in PATHS]
    outcomes = [decide(reading.estate, request, real_files()) for request in requests]
    assert tuple(outcome.status for outcome in outcomes) == statuses
    assert all(bool(outcome.gave_up) is (status is None) for outcome, status in zip(outcomes, statuses, strict=True))
    asked, wrong = disagreements(dialect, ESTATES[dialect].replace("ROOT", str(reads.root)), [(method, "www.fernhollow.example", path, {}) for path in PATHS], tmp_path / "copy")
    assert (asked, wrong) == (sum(status is not None for status in statuses), [])


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_they_are_asked_about(reads: Reads, target: str) -> None:
    """As small differences, each with its reason; the servers say the same."""
    made = translate(reads.write("nginx", ESTATES["nginx"]), target, dialect="nginx")
    reasons = {cause.reason: cause.severity for cause in made.comparison.causes}
    assert Reason.METHOD in reasons
    assert reasons.get(Reason.TRACE) is (Severity.MINOR if target == "caddy" else None)
    assert "TraceEnable Off" in made.writing.files.get("httpd.conf", "TraceEnable Off")
    live = check_live(made.reading, made.read_back, most=400)
    assert not live.surprises
    assert {"FERN"} <= {row.request.method for row in live.rows}


@pytest.mark.parametrize(
    ("host", "target", "codes"),
    [
        ("", "nginx", {"trace-not-answered"}),
        ("", "caddy", {"trace-not-answered"}),
        ("TraceEnable Off", "nginx", set()),
        ("TraceEnable Off", "caddy", {"trace-passed-on"}),
        ("TraceEnable extended", "nginx", {"trace-not-answered"}),
    ],
)
def test_what_httpd_says_of_it_is_told(reads: Reads, host: str, target: str, codes: set[str]) -> None:
    made = translate(reads.write("apache", httpd(host)), target, dialect="apache")
    assert {item.code.name for item in made.findings if item.code.name.startswith("trace")} == codes
    assert {entry.disposition.value for entry in made.ledger if entry.span.directive.startswith("TraceEnable")} <= {"changed" if codes else "implied"}


def test_a_server_that_knows_no_trace(reads: Reads) -> None:
    made = translate(reads.write("caddy", ESTATES["caddy"]), "apache", dialect="caddy")
    assert "trace-refused" in {item.code.name for item in made.findings}


@pytest.mark.parametrize(("status", "answer", "then"), [(403, "return 200 books;", "respond books 200"), (405, "proxy_pass http://192.0.2.1:81;", "reverse_proxy 192.0.2.1:81")])
def test_a_refusal_of_all_other_methods_that_is_lost_is_breaking(reads: Reads, status: int, answer: str, then: str) -> None:
    """PROPFIND and its like come in by it, or get to an origin."""
    before = reads.read("nginx", nginx(f'if ($request_method !~ "^(GET|HEAD|POST|PUT|DELETE|OPTIONS|PATCH|TRACE)$") {{ return {status}; }} location / {{ {answer} }}')).estate
    after = reads.read("caddy", caddy(then)).estate
    assert Severity.BREAKING in [cause.severity for cause in compare_estates(before, after).causes if "FERN" in cause.methods]


@pytest.mark.parametrize(("leads", "severity"), [("redir @sent /other 302", Severity.BREAKING), ("respond @sent 404", Severity.BREAKING), ("redir @sent /thanks 302", None)])
def test_a_form_that_is_led_elsewhere_breaks(reads: Reads, leads: str, severity: Severity | None) -> None:
    """Other methods than GET are no small matter where a rule leads them on."""
    before = reads.read("nginx", nginx("location / { if ($request_method = POST) { return 302 /thanks; } return 200 form; }"))
    after = reads.read("caddy", caddy(f"@sent method POST\n{leads}\nrespond form", "http://"))
    causes = [cause for cause in compare_estates(before.estate, after.estate, ()).causes if cause.before.location and cause.before.location.endswith("/thanks") and cause.example.method == "POST"]
    assert [cause.severity for cause in causes if cause.reason is Reason.METHOD] == [severity] * (severity is not None)


def test_the_slash_of_a_folder_is_a_small_matter_for_a_form(reads: Reads) -> None:
    before = reads.read("caddy", caddy("root * ROOT\nfile_server"))
    after = reads.read("nginx", nginx("root ROOT;"))
    causes = compare_estates(before.estate, after.estate, ()).causes
    assert {cause.severity for cause in causes if cause.reason is Reason.METHOD} == {Severity.MINOR}


def test_a_field_that_only_a_form_brings_is_no_matter_of_methods(reads: Reads) -> None:
    """Lost on the way to an origin, it is told as what it is, and not among refusals that differ for such methods only."""
    page = httpd("TraceEnable Off\nProxyPass /p/ http://192.0.2.1:81/p/\n<Location /p/>\nLINE\n</Location>")
    line = "RequestHeader set X-Kind form \"expr=%{REQUEST_METHOD} == 'POST'\""
    compared = compare_estates(*(reads.read("apache", page.replace("LINE", text)).estate for text in (line, "")))
    assert [(cause.severity, cause.reason, cause.example.method, cause.summary) for cause in compared.causes] == [(Severity.BREAKING, Reason.OTHER, "POST", "field x-kind to the origin: form becomes none")]
