"""An origin that is asked whether a request may go on: read, written and asked on the real servers."""

from __future__ import annotations

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from tests.support.reading import Reads, nginx
from young_lantern.behaviour import Request, decide, real_files
from young_lantern.behaviour.origin_answers import VERDICT
from young_lantern.dialects import named
from young_lantern.lab.client import ask
from young_lantern.lab.live import check_live
from young_lantern.lab.origin import Origins
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running
from young_lantern.source.plan import Plan
from young_lantern.translate import translate

CHECK = "location = /check { internal; proxy_pass http://192.0.2.9:9091/verify; proxy_pass_request_body off; proxy_set_header Content-Length ''; proxy_set_header X-Original-URI $request_uri; }"
CASES = {
    "nginx-user": ("nginx", nginx(f"root ROOT; location /staff/ {{ auth_request /check; auth_request_set $user $upstream_http_x_user; proxy_set_header X-User $user; proxy_pass http://192.0.2.7:8000; }} {CHECK}")),
    "nginx-pages": ("nginx", nginx(f"root ROOT; auth_request /check; error_page 401 =302 https://signin.fernhollow.example/?to=$request_uri; error_page 403 /a.txt; location /free/ {{ auth_request off; }} location /by/ {{ return 204; }} {CHECK}")),
    "nginx-file": ("nginx", nginx(f"root ROOT; location /dir/ {{ auth_request /check; auth_request_set $who $upstream_http_x_user; add_header X-Who $who; }} {CHECK}")),
    "nginx-parts": ("nginx", nginx(f"root ROOT; auth_request /check; auth_request_set $user $upstream_http_x_user; location /staff/ {{ proxy_set_header X-Auth \"user=$user\"; proxy_pass http://192.0.2.7:8000; }} location /run/ {{ include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME $document_root/a.html; fastcgi_param REMOTE_USER $user; fastcgi_pass 192.0.2.7:9000; }} {CHECK}")),
    "nginx-open-check": ("nginx", nginx("root ROOT; location /staff/ { auth_request /verify/all; proxy_pass http://192.0.2.7:8000; } location /verify/ { proxy_pass http://192.0.2.9:9091; }")),
    "caddy-copies": ("caddy", "http://www.fernhollow.example:8000 {\nroot * ROOT\nhandle /staff/* {\nforward_auth 192.0.2.9:9091 {\nuri /verify?from=caddy\ncopy_headers X-User Remote-Mail>X-Mail\n}\nreverse_proxy 192.0.2.7:8000\n}\nfile_server\n}\n"),
    "caddy-errors": ("caddy", "http://www.fernhollow.example:8000 {\nroot * ROOT\nhandle /dir/* {\nforward_auth 192.0.2.9:9091 {\nuri /verify\n@no status 401 403\nhandle_response @no {\nerror 403\n}\n}\nfile_server\n}\nhandle_errors {\nrespond \"sorry {err.status_code}\"\n}\n}\n"),
    "caddy-redir": ("caddy", "http://www.fernhollow.example:8000 {\nroute /go/* {\nforward_auth 192.0.2.9:9091 {\nuri /verify{uri}\n}\nredir * /there\n}\nrespond open\n}\n"),
}  # fmt: skip


@pytest.mark.parametrize("case", sorted(CASES))
def test_the_model_foretells_who_is_let_in(reads: Reads, case: str) -> None:
    reading = reads.read(*CASES[case])
    live = check_live(reading, reading, most=300)
    asked = {(row.request.field(VERDICT) or "").partition(" ")[0] for row in live.rows}
    assert asked >= {"", "401", "403", "302"}
    assert [(str(row.request), row.request.fields, row.defects) for row in live.surprises] == []


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
@pytest.mark.parametrize("case", sorted(CASES))
def test_it_is_carried_or_closed(reads: Reads, case: str, target: str) -> None:
    """Nobody is let in who was not, and what is otherwise was foretold."""
    dialect, text = CASES[case]
    if dialect == target:
        return
    made = translate(reads.read(dialect, text).main, target)
    live = check_live(made.reading, made.read_back, most=300)
    assert [(str(row.request), row.request.fields, row.defects, row.between) for row in live.surprises] == []
    for row in live.rows:
        before, after = (answer.status or 0 for answer in row.answers)
        if row.outcomes[0].asked_first is not None and row.outcomes[1].asked_first is not None:
            assert not (before in (401, 403) and after < 300), row.request
    text = "\n".join(made.writing.files.values())
    if target == "apache":
        assert "R=501" in text and any(entry.finding and "httpd asks no origin" in entry.finding.message + entry.finding.why for entry in made.ledger)
    elif case not in ("caddy-redir",):
        assert {"nginx": "auth_request /ask-first-1;", "caddy": "forward_auth 192.0.2.9:9091"}[target] in text


@pytest.mark.parametrize(("verdict", "status"), [("", 302), ("401", 401), ("403", 403)])
def test_a_redirect_behind_it_is_behind_it_in_nginx(reads: Reads, verdict: str, status: int) -> None:
    """nginx would answer by `return` before it asks; a search for files comes after."""
    made = translate(reads.read(*CASES["caddy-redir"]).main, "nginx")
    assert made.reading.estate.listeners[0].port == 8000
    outcome = decide(made.read_back.estate, Request("GET", "http", "www.fernhollow.example", 8000, "/go/x", ((VERDICT, verdict),) if verdict else ()), real_files())
    assert outcome.status == status


@pytest.mark.parametrize(
    "lines",
    [
        "auth_request /nowhere;",
        "auth_request /check; location = /check { root ROOT; }",
        "auth_request /check; location = /check { proxy_pass http://192.0.2.9:9091; if ($arg_a) { return 200; } }",
        "satisfy any; allow 192.0.2.0/24; deny all; auth_request /check; location = /check { proxy_pass http://192.0.2.9:9091; }",
        "rewrite ^/c.* /other; location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "if ($arg_a) { return 204; } location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "if ($http_a) { rewrite ^ /other; } location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "rewrite ^/b$ /c last; if ($host = loans.fernhollow.example) { return 302 /d; } location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "if ($http_a) { break; } set $v 1; location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "set $v $uri; location / { auth_request /check; } location = /check { proxy_pass http://192.0.2.9:9091; }",
        "auth_request /check; location ~ ^/ch { proxy_pass http://192.0.2.9:9091; }",
        "auth_request /check; location = /check { proxy_pass http://192.0.2.9:9091; proxy_pass_request_headers off; }",
    ],
)  # fmt: skip
def test_what_is_not_read_of_it_stays_closed(reads: Reads, lines: str) -> None:
    reading = reads.read("nginx", nginx(f"root ROOT; {lines}"))
    assert "auth_request" in decide(reading.estate, Request("GET", "http", "www.fernhollow.example", 80, "/a.txt"), real_files()).gave_up
    assert any(item.code.name == "value-unread" and "auth_request" in item.message for item in reading.findings)


@pytest.mark.parametrize("lines", ["rewrite ^/old/ /new;", "if ($host = x.example) { return 301 https://www.fernhollow.example$request_uri; }", "if ($uri = /b) { return 410; }", "set $v 1;", "rewrite ^/b /c last; rewrite ^/d /e last;"])
def test_rules_of_the_server_that_leave_the_question_alone(reads: Reads, lines: str) -> None:
    reading = reads.read("nginx", nginx(f"root ROOT; {lines} location / {{ auth_request /check; }} {CHECK}"))
    outcome = decide(reading.estate, Request("GET", "http", "www.fernhollow.example", 80, "/a.html", ((VERDICT, "403"),)), real_files())
    assert (outcome.status, outcome.gave_up) == (403, "")


def test_a_question_that_the_server_would_rewrite_is_closed(reads: Reads) -> None:
    """In Caddy a question is no request of its own; in nginx a rule for all paths would send it elsewhere, where everybody is let in."""
    text = "http://www.fernhollow.example {\nrewrite * /index.html\nhandle {\nforward_auth 192.0.2.9:9091 {\nuri /verify\n}\nreverse_proxy 192.0.2.7:8000\n}\n}\n"
    made = translate(reads.read("caddy", text).main, "nginx")
    live = check_live(made.reading, made.read_back, most=100)
    assert not live.surprises
    assert "auth_request" not in "\n".join(made.writing.files.values()) or not any(row.answers[0].status in (401, 403) and (row.answers[1].status or 0) < 300 for row in live.rows)


def test_what_is_asked_is_what_the_servers_ask(reads: Reads) -> None:
    """Neither server shows its client what it asked: here the one who is asked writes it down."""
    for case in ("nginx-user", "nginx-open-check", "caddy-copies", "caddy-redir"):
        dialect, text = CASES[case]
        reading = reads.read(dialect, text)
        target = "/go/x?q=1" if case == "caddy-redir" else "/staff/x?q=1"
        request = Request("POST", "http", "www.fernhollow.example", PORT[dialect], target, (("X-Fern", "1"),), client="127.0.0.1")
        foretold = decide(reading.estate, request, real_files()).asked_first
        assert foretold is not None
        got = _asked(dialect, reading, request)
        assert (got["method"], got["target"]) == ("GET", foretold.target)
        for name, value in foretold.fields:
            if name not in ("connection", "host"):
                assert got["fields"].get(name, "") == value, (case, name)
        assert got["fields"]["x-fern"] == "1"


PORT = {"nginx": 80, "caddy": 8000}


def _asked(dialect: str, reading, request: Request) -> dict:  # type: ignore[no-untyped-def, type-arg]
    """What reached the origin that is asked, from a moved copy."""
    seen: list[dict] = []  # type: ignore[type-arg]

    class Recorder(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            seen.append({"method": self.command, "target": self.path, "fields": {name.lower(): value for name, value in self.headers.items()}})
            self.send_response(403)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, format: str, *args: object) -> None:
            return

    plan = Plan(Path(reading.main).parent / f"copy-{dialect}", free_port)
    move = named(dialect).move
    assert move is not None
    command = move(reading, plan)
    recorder = ThreadingHTTPServer(("127.0.0.1", plan.origins["192.0.2.9:9091"]), Recorder)
    threading.Thread(target=recorder.serve_forever, daemon=True).start()
    others = [port for address, port in plan.origins.items() if address != "192.0.2.9:9091"]
    with Origins(others), Running(command, plan.folder, list(plan.ports.values())):
        ask(request, "127.0.0.1", plan.port(str(PORT[dialect])))
    recorder.shutdown()
    recorder.server_close()
    return json.loads(json.dumps(seen[0]))


def test_its_redirect_to_sign_in_is_lost_in_nginx_and_told(reads: Reads) -> None:
    made = translate(reads.read(*CASES["caddy-copies"]).main, "nginx")
    assert any(entry.finding and entry.finding.code.name == "verdict-not-passed-on" for entry in made.ledger)
    assert any(item.what == "status" and (item.before, item.after) == ("302", "500") for cause in made.comparison.causes for item in cause.differences)
