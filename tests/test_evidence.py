"""Requests from logs, archives and files; outcomes that were saved; hosts that run: what is read, what is said, who is asked."""

from __future__ import annotations

import gzip
import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import jsonschema
import pytest

from tests.support.reading import Reads, nginx
from tests.test_cli import fails, lantern
from young_lantern.behaviour import request_for
from young_lantern.behaviour.access_logs import read_access_log
from young_lantern.behaviour.outcome import outcome_of
from young_lantern.behaviour.request_files import read_requests, read_saved
from young_lantern.behaviour.traffic import compare_traffic, read_log_for
from young_lantern.errors import LanternError
from young_lantern.lab.hosts import Address, address_of
from young_lantern.lab.ports import free_port
from young_lantern.report.documents import schema
from young_lantern.report.evidence import alike


AT = request_for("http://www.fernhollow.example/")
COMMON = '203.0.113.7 - - [24/Nov/2026:10:00:00 +0000] "{}" 200 512'
# A line, and the request that it says; None: it says none.
LINES = [
    (COMMON.format("GET /a?x=1 HTTP/1.1"), "GET http://www.fernhollow.example/a?x=1"),
    (COMMON.format("GET /a HTTP/1.1") + ' "-" "Browser/1 (a; b)"', "GET http://www.fernhollow.example/a"),
    (COMMON.format("post / HTTP/2.0"), "POST http://www.fernhollow.example/"),
    (COMMON.format("GET /%2F//x;y HTTP/1.0"), "GET http://www.fernhollow.example/%2F//x;y"),
    (COMMON.format('GET /a\\"b\\x5cc HTTP/1.1'), 'GET http://www.fernhollow.example/a"b\\c'),
    (COMMON.format("GET http://loans.fernhollow.example/x HTTP/1.1"), "GET http://loans.fernhollow.example/x"),
    ("loans.fernhollow.example:443 " + COMMON.format("GET / HTTP/1.1"), "GET https://loans.fernhollow.example/"),
    ("loans.fernhollow.example:8443 " + COMMON.format("GET / HTTP/1.1"), "GET http://loans.fernhollow.example:8443/"),
    ('www.fernhollow.example 2001:db8::1 - - [x] "GET /v6 HTTP/1.1" 404 -', "GET http://www.fernhollow.example/v6"),
    ('203.0.113.7 - a user [x] "GET /u HTTP/1.1" 304 -', "GET http://www.fernhollow.example/u"),
    (COMMON.format("-"), None),
    (COMMON.format("\\x16\\x03\\x01"), None),
    (COMMON.format("GET /no-version"), None),
    ("nothing of the kind", None),
]


def _log(folder: Path, lines: list[str], name: str = "access.log") -> Path:
    path = folder / name
    data = "".join(f"{line}\n" for line in lines).encode()
    path.write_bytes(gzip.compress(data) if name.endswith(".gz") else data)
    return path


@pytest.mark.parametrize(("line", "said"), LINES)
def test_lines_of_a_log(tmp_path: Path, line: str, said: str | None) -> None:
    log = read_access_log(_log(tmp_path, [line, COMMON.format("GET /other HTTP/1.1")]), AT)
    assert [str(row.request) for row in log.rows if row.request.target != "/other"] == ([said] if said else [])
    assert (log.lines, log.unread) == (2, 0 if said else 1)


def test_requests_are_counted(tmp_path: Path) -> None:
    """The most frequent first; by client and by field only where that is asked for."""
    lines = [
        COMMON.format(f"GET /{name} HTTP/1.1").replace("203.0.113.7", f"203.0.113.{number}") + f' "-" "Agent/{number}"'
        for name, count in (("a", 2), ("b", 5))
        for number in range(count)
    ]
    path = _log(tmp_path, lines, "access.log.gz")
    merged = read_access_log(path, AT, by_client=False)
    assert [(row.request.target, row.count, row.line, row.status) for row in merged.rows] == [
        ("/b", 5, 3, 200),
        ("/a", 2, 1, 200),
    ]
    assert merged.requests == 7
    assert len(read_access_log(path, AT).rows) == 7
    by_agent = read_access_log(path, AT, by_client=False, fields=frozenset({"user-agent"}))
    assert len(by_agent.rows) == 7 and by_agent.rows[0].request.field("User-Agent") == "Agent/0"


def test_logs_that_are_none(tmp_path: Path) -> None:
    with pytest.raises(LanternError, match="no line of it"):
        read_access_log(_log(tmp_path, ["x", "y"]), AT)
    with pytest.raises(LanternError, match="no such file"):
        read_access_log(tmp_path / "none", AT)
    damaged = tmp_path / "damaged.gz"
    damaged.write_bytes(gzip.compress(b"x\n" * 1000)[:-12])
    with pytest.raises(LanternError, match="gzip"):
        read_access_log(damaged, AT)
    empty = read_access_log(_log(tmp_path, []), AT)
    assert (empty.lines, empty.rows) == (0, ())


def test_differences_by_traffic(reads: Reads, tmp_path: Path) -> None:
    """Weighted by how often a request came; what the rules ask for makes requests different ones."""
    before = reads.read(
        "nginx",
        nginx("location /a { return 204; } location /b { if ($http_user_agent ~ Bot) { return 403; } return 204; }"),
    )
    after = reads.read(
        "nginx", nginx("location /a { return 204; } location /b { return 204; } location /c { return 410; }")
    )
    lines = (
        [COMMON.format("GET /a HTTP/1.1") + ' "-" "Bot"'] * 3
        + [COMMON.format("GET /b HTTP/1.1") + ' "-" "Bot"'] * 4
        + [COMMON.format("GET /b HTTP/1.1") + ' "-" "Other"'] * 2
    )
    log = read_log_for(_log(tmp_path, lines), AT, before.estate, after.estate)
    from young_lantern.behaviour import real_files

    traffic = compare_traffic(before.estate, after.estate, log, real_files())
    assert (traffic.same, traffic.undecided, [(str(pair.request), count) for pair, count in traffic.differing]) == (
        5,
        0,
        [("GET http://www.fernhollow.example/b", 4)],
    )
    assert [(group.distinct, group.count) for group in alike([*traffic.differing, *traffic.differing])] == [(2, 8)]


HAR = {
    "log": {
        "version": "1.2",
        "entries": [
            {
                "request": {
                    "method": "GET",
                    "url": "https://www.fernhollow.example/a?x",
                    "headers": [
                        {"name": ":authority", "value": "www.fernhollow.example"},
                        {"name": "host", "value": "x"},
                        {"name": "Accept", "value": "text/html"},
                    ],
                }
            }
        ],
    }
}


def test_an_archive_of_requests(tmp_path: Path) -> None:
    path = tmp_path / "session.har"
    path.write_text(json.dumps(HAR))
    (request,) = read_requests(path)
    assert (str(request), request.fields) == ("GET https://www.fernhollow.example/a?x", (("Accept", "text/html"),))
    packed = tmp_path / "requests.jsonl.gz"
    packed.write_bytes(gzip.compress(b'{"url": "http://a.example/"}\n'))
    assert [str(item) for item in read_requests(packed)] == ["GET http://a.example/"]
    path.write_text(json.dumps({"log": {"entries": [{"request": {"method": "GET"}}]}}))
    with pytest.raises(LanternError, match="entry 1 of the log"):
        read_requests(path)


# --- the command --------------------------------------------------------------------------------------------------------------

BEFORE = "location /a/ { proxy_pass http://192.0.2.1:81/x/; } location /b { return 301 /c; } location / { add_header X-A 1; return 200 here; }"


def _pair(reads: Reads) -> tuple[Path, Path]:
    return reads.write("nginx", nginx(BEFORE)).parent, reads.write(
        "nginx", nginx(BEFORE.replace("301", "302").replace(":81", ":82"))
    ).parent


def test_outcomes_are_saved_and_held_against(reads: Reads, tmp_path: Path) -> None:
    """A configuration agrees with its own; another one differs where the two differ, and nowhere else."""
    before, after = _pair(reads)
    saved = tmp_path / "expected.jsonl"
    lantern("compare", before, after, "--save-requests", saved)
    rows = read_saved(saved)
    assert len(rows) > 100 and all(row.outcome for row in rows) and outcome_of(rows[0].outcome or {}).status
    assert lantern("compare", before, "--expect", saved).returncode == 0
    done = lantern("compare", after, "--expect", saved, "--json")
    document = json.loads(done.stdout)
    jsonschema.validate(document, schema("expectation"))
    whats = {item["what"] for row in document["differing"] for item in row["differences"]}
    assert done.returncode == 1 and whats == {"status", "origin", "field host to the origin"}
    assert document["same"] + len(document["differing"]) == document["requests"]
    assert "and" in lantern("compare", after, "--expect", saved).stdout


def test_a_log_in_the_command(reads: Reads, tmp_path: Path) -> None:
    before, after = _pair(reads)
    log = _log(tmp_path, [COMMON.format("GET /b HTTP/1.1")] * 5 + [COMMON.format("GET /z HTTP/1.1")] * 15 + ["x"])
    done = lantern("compare", before, after, "--access-log", log)
    assert (
        done.returncode == 1
        and "20 requests of the log, 2 distinct: 15 (75.0%) get the same answer, 5 (25.0%) another" in done.stdout
    )
    assert "1 line that is no request, such as line 21: x" in done.stdout
    document = json.loads(lantern("compare", before, after, "--access-log", log, "--json").stdout)
    jsonschema.validate(document, schema("comparison"))
    assert document["traffic"]["same"] == 15 and [row["count"] for row in document["traffic"]["differing"]] == [5]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ((), "expected two configurations"),
        (("BEFORE", "--expect", "FILE"), "expected two configurations"),
        (("--expect", "FILE", "--live"), "no other evidence"),
        (("--expect", "NONE"), "there is no such file"),
        (("--expect", "FILE"), "has no outcome"),
        (("BEFORE", "--before-at", "127.0.0.1"), "go together"),
        (("BEFORE", "--log-at", "http://a.example"), "there is no log"),
        (("BEFORE", "--before-at", "a b", "--after-at", "x"), "no address of a host"),
        (("BEFORE", "--access-log", "NONE"), "there is no such file"),
    ],
)
def test_words_that_do_not_go_together(reads: Reads, tmp_path: Path, words: tuple[str, ...], says: str) -> None:
    before, _ = _pair(reads)
    file = tmp_path / "r.jsonl"
    file.write_text('{"url": "http://www.fernhollow.example/"}\n')
    named = {"BEFORE": str(before), "FILE": str(file), "NONE": str(tmp_path / "none")}
    fails(lantern("compare", before, *(named.get(word, word) for word in words)), says)


def test_a_log_for_several_hosts_must_say_which(reads: Reads, tmp_path: Path) -> None:
    text = nginx("return 204;").replace("www.fernhollow.example", "www.fernhollow.example loans.fernhollow.example")
    source = reads.write("nginx", text).parent
    log = _log(tmp_path, [COMMON.format("GET / HTTP/1.1")])
    fails(lantern("compare", source, source, "--access-log", log), "--log-at")
    assert (
        lantern(
            "compare", source, source, "--access-log", log, "--log-at", "http://loans.fernhollow.example"
        ).returncode
        == 0
    )


# --- hosts that run -------------------------------------------------------------------------------------------------------------


class _Front(BaseHTTPRequestHandler):
    """A front end by hand: what it was asked, and another status for some paths."""

    def _answer(self) -> None:
        self.server.asked.append((self.command, self.path, self.headers["Host"]))  # type: ignore[attr-defined]
        status = self.server.statuses.get(self.path, 204)  # type: ignore[attr-defined]
        self.send_response(status)
        self.send_header("Content-Length", "0")
        self.end_headers()

    do_GET = do_HEAD = do_POST = do_DELETE = _answer  # noqa: N815

    def log_message(self, format: str, *args: object) -> None:
        return


class _Running:
    def __init__(self, statuses: dict[str, int]) -> None:
        self.port = free_port()
        self.server = ThreadingHTTPServer(("127.0.0.1", self.port), _Front)
        self.server.asked, self.server.statuses = [], statuses  # type: ignore[attr-defined]

    def __enter__(self) -> "_Running":
        threading.Thread(target=self.server.serve_forever, kwargs={"poll_interval": 0.02}, daemon=True).start()
        return self

    def __exit__(self, *error: object) -> None:
        self.server.shutdown()
        self.server.server_close()

    @property
    def asked(self) -> list[tuple[str, str, str]]:
        return self.server.asked  # type: ignore[attr-defined, no-any-return]


@pytest.mark.parametrize(
    ("words", "methods"), [((), {"GET", "HEAD"}), (("--all-methods",), {"GET", "HEAD", "POST", "DELETE"})]
)
def test_two_running_hosts(reads: Reads, words: tuple[str, ...], methods: set[str]) -> None:
    """Both are asked the same, by safe methods unless all are allowed, under the names of the configuration; what nobody foretold is said."""
    source = reads.write("nginx", nginx("location /a { return 204; } location /b { return 204; }")).parent
    with _Running({}) as old, _Running({"/b": 500}) as new:
        done = lantern(
            "compare",
            source,
            source,
            "--before-at",
            f"127.0.0.1:{old.port}",
            "--after-at",
            f"http://127.0.0.1:{new.port}",
            "--rate",
            "1000",
            "--most",
            "400",
            *words,
        )
        assert old.asked == new.asked and {method for method, _, _ in old.asked} == methods
        assert {host for _, _, host in old.asked} == {"www.fernhollow.example", "other-name.example"}
    assert done.returncode == 1 and f"127.0.0.1:{old.port} and http://127.0.0.1:{new.port} were asked" in done.stdout
    assert "/b: status: 204 becomes 500" in done.stdout


def test_hosts_that_do_not_answer(reads: Reads) -> None:
    source = reads.write("nginx", nginx("return 204;")).parent
    named = [f"127.0.0.1:{free_port()}" for _ in range(2)]
    done = lantern("compare", source, source, "--before-at", named[0], "--after-at", named[1], "--most", "3")
    assert (done.returncode, done.stdout) == (2, "") and "answered any request" in done.stderr


def test_how_often_hosts_are_asked(reads: Reads) -> None:
    """At 25 a second, ten requests take at least nine pauses."""
    import time

    from young_lantern.behaviour import real_files
    from young_lantern.lab.hosts import check_hosts

    reading = reads.read("nginx", nginx("return 204;"))
    with _Running({}) as one:
        begun = time.monotonic()
        live = check_hosts(
            (reading, reading),
            ([Address("127.0.0.1", one.port)], [Address("127.0.0.1", one.port)]),
            real_files(),
            most=10,
            rate=25,
        )
        assert len(live.rows) == 10 and time.monotonic() - begun >= 9 / 25


@pytest.mark.parametrize(
    ("text", "address"),
    [
        ("192.0.2.7", Address("192.0.2.7")),
        ("https://front.example:8443/", Address("front.example", 8443, "https")),
        ("[2001:db8::7]:81", Address("2001:db8::7", 81)),
    ],
)
def test_addresses_of_hosts(text: str, address: Address) -> None:
    assert address_of(text) == address
