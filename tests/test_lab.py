"""The harness itself: a wrong expectation of each kind must be seen."""

from __future__ import annotations

import itertools
import json
import os
import socket
import subprocess
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import pytest

from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide, real_files, witnesses
from young_lantern.dialects import named
from young_lantern.errors import ServerFailed
from young_lantern.lab import live, ports
from young_lantern.lab.answers import Answer
from young_lantern.lab.certificates import make_certificate
from young_lantern.lab.client import ask
from young_lantern.lab.judge import against_model, between_servers
from young_lantern.lab.live import check_live
from young_lantern.lab.origin import MARK, Origins
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running, find, installed, version
from young_lantern.source.plan import Plan
from young_lantern.translate import save, translate

SERVER = "root ROOT; add_header X-A 1; location /o/ { proxy_pass http://192.0.2.1:81; proxy_set_header X-B 2; } location = /r { return 301 /x; } location = /b { return 200 body; }"


def test_the_servers_are_here() -> None:
    """Nothing is skipped in CI: a missing server fails."""
    assert installed("nginx") and installed("caddy") and installed("apache2")
    assert version("nginx").startswith("nginx/1.") and version("caddy").startswith("caddy/2.")
    assert version("apache2").startswith("Apache/2.4")


@pytest.mark.parametrize(
    ("target", "change", "what"),
    [
        ("/", {"status": 404}, "status"),
        ("/", {"file": "a.html"}, "file"),
        ("/", {"fields": (("x-a", "2"),)}, "field x-a"),
        ("/", {"fields": ()}, "field x-a"),
        ("/r", {"location": "/y"}, "location"),
        ("/b", {"body": "other"}, "body"),
        ("/o/x", {"origin": {"target": "/y"}}, "origin target"),
        ("/o/x", {"origin": {"fields": (("x-b", "3"),)}}, "origin field x-b"),
        ("/o/x", {"origin": {"method": "POST"}}, "origin method"),
        ("/o/x", {"origin": {"addresses": ("192.0.2.9:81",)}}, "origin"),
        ("/o/x", {"origin": None}, "forwarded"),
    ],
)
def test_a_wrong_expectation_is_seen(reads: Reads, tmp_path: Path, target: str, change: dict, what: str) -> None:  # type: ignore[type-arg]
    main = reads.write("nginx", nginx(SERVER))
    reading = named("nginx").read(main)
    plan = Plan(tmp_path / "copy", free_port)
    command = named("nginx").move(reading, plan)  # type: ignore[misc]
    request = Request("GET", "http", "www.fernhollow.example", 80, target, client="127.0.0.1")
    outcome = decide(reading.estate, request, real_files())
    with Origins(list(plan.origins.values())), Running(command, plan.folder, list(plan.ports.values())):
        answer = ask(request, "127.0.0.1", plan.port("80"))
    assert against_model(outcome, answer, request, plan) == []
    if isinstance(change.get("origin"), dict):
        change = {"origin": replace(outcome.origin, **change["origin"])}  # type: ignore[type-var]
    if "file" in change:
        change = {"file": str(reads.root / change["file"])}
    assert what in [item.what for item in against_model(replace(outcome, **change), answer, request, plan)]


def test_caddy_accepts_the_translated_sample(sample: tuple[Path, Path], tmp_path: Path) -> None:
    """`caddy validate` on a copy whose certificates and placeholders are filled; `caddy adapt` has no complaint about the format."""
    translation = translate(sample[0], "caddy")
    plan = Plan(
        tmp_path / "copy",
        free_port,
        make_certificate(tmp_path / "c", ["www.fernhollow.example"]),
        fills={"WORKSHOPS_ORIGIN": "192.0.2.30"},
    )
    command = named("caddy").move(translation.read_back, plan)  # type: ignore[misc]
    environment = {**os.environ, "HOME": str(tmp_path), "XDG_DATA_HOME": str(tmp_path)}
    done = subprocess.run(
        [find("caddy"), "validate", *command[2:]], capture_output=True, text=True, check=False, env=environment
    )
    assert done.returncode == 0 and "Valid configuration" in done.stdout, done.stderr
    save(translation.writing.files, tmp_path / "as-written")
    adapted = subprocess.run(
        [find("caddy"), "adapt", "--adapter", "caddyfile", "--config", str(tmp_path / "as-written" / "Caddyfile")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert adapted.returncode == 0 and "not formatted" not in adapted.stderr, adapted.stderr


def test_two_answers_compared(tmp_path: Path) -> None:
    plan = Plan(tmp_path, free_port)
    request = Request("GET", "http", "a.example", 80, "/")
    here = plan.port("80")
    one = Answer(301, (("location", f"http://a.example:{here}/x"),))
    assert between_servers(one, Answer(301, (("location", "/x"),)), request, (plan, plan)) == []
    assert [item.what for item in between_servers(one, Answer(302, (("location", "/y"),)), request, (plan, plan))] == [
        "status",
        "location",
    ]
    assert [
        item.what
        for item in between_servers(Answer(200, content=b"a"), Answer(200, content=b"b"), request, (plan, plan))
    ] == ["content"]


def test_the_origin_says_what_it_got() -> None:
    port = free_port()
    with Origins([port]):
        answer = ask(
            Request(
                "GET", "http", "a.example", 80, "//x%2Fy?q", (("Lantern-Answer", "302 http://b.example/"), ("X-A", "1"))
            ),
            "127.0.0.1",
            port,
        )
    assert (answer.status, answer.field("location")) == (302, "http://b.example/")
    assert (
        MARK in (got := json.loads(answer.content))
        and got["target"] == "//x%2Fy?q"
        and ["x-a", "1"] in got["fields"]
        # A server that edits what origins answer finds nothing of it in the text.
        and b"target" not in answer.content
    )


def test_a_server_that_does_not_start_says_why(tmp_path: Path) -> None:
    (tmp_path / "Caddyfile").write_text("a {\n\tnonesuch\n}\n")
    with (
        pytest.raises(ServerFailed, match="nonesuch"),
        Running(
            ["caddy", "run", "--adapter", "caddyfile", "--config", str(tmp_path / "Caddyfile")],
            tmp_path / "run",
            [free_port()],
        ),
    ):
        pass


def test_what_nobody_foretold_is_a_surprise(reads: Reads, monkeypatch: pytest.MonkeyPatch) -> None:
    """A model that is wrong about its server is found out, and so is a difference between the servers that it denies."""
    before = reads.read("nginx", nginx("location = /b { return 200 body; } location / { return 404; }"))
    after = reads.read("caddy", "{\n\tauto_https off\n}\nhttp:// {\n\trespond /b body\n\terror 404\n}\n")
    assert not check_live(before, after, most=40).surprises
    other = reads.read("caddy", "{\n\tauto_https off\n}\nhttp:// {\n\trespond /b body\n\terror 410\n}\n")
    assert check_live(before, other, most=40).foretold > 10
    monkeypatch.setattr(live, "decide", lambda estate, request, facts: decide(before.estate, request, facts))
    surprises = check_live(before, other, most=40).surprises
    assert len(surprises) > 10
    assert all(not row.foretold and {server for server, _ in row.defects} == {"caddy"} for row in surprises)


def test_an_answer_that_a_busy_machine_spoilt_is_asked_for_again(reads: Reads, monkeypatch: pytest.MonkeyPatch) -> None:
    """One lost answer is not a difference, but it is counted; one that stays lost is a difference."""
    both = [reads.read("nginx", nginx("location = /b { return 200 body; }")) for _ in range(2)]
    lost: list[str] = []

    def spoilt(request: Request, address: str, port: int, *more: object) -> Answer:
        if request.target.startswith("/b") and (always or request.target not in lost):
            lost.append(request.target)
            return Answer(None, problem="reset")
        return ask(request, address, port)

    monkeypatch.setattr(live, "ask", spoilt)
    always = False
    checked = check_live(*both, most=60)
    assert not checked.surprises and checked.asked_again >= 2
    always = True
    checked = check_live(*both, most=60)
    assert checked.surprises and not checked.asked_again


def test_empty_folders_stand_in_for_document_roots_that_are_not_here(reads: Reads) -> None:
    """httpd leaves out its rules for a folder that is not there: without stand-ins 403 comes where 404 was foretold."""
    before = reads.read("nginx", nginx("root /nonesuch/site; location /docs/ { alias ROOT/dir/; }"))
    closed = "<Directory />\nRequire all denied\n</Directory>\n<Directory /nonesuch/site>\nRequire all granted\n</Directory>"
    after = reads.read("apache", httpd(f"DocumentRoot /nonesuch/site\n{closed}\nAlias /docs/ ROOT/dir/"))
    checked = check_live(before, after, most=150)
    assert not checked.surprises and checked.empty_roots == ("/nonesuch/site",)
    assert {answer.status for row in checked.rows for answer in row.answers} >= {200, 404}


def test_rules_of_a_folder_above_one_that_is_not_here(reads: Reads) -> None:
    """Debian opens /var/www in its main file: a document root below it, of which there is an empty copy only, is open, too."""
    above = reads.folder / "www"
    text = httpd("").replace("<Directory ROOT>", f'<Directory "{above}">').replace("ROOT", str(above / "tools" / "html"))
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    live = check_live(made.reading, made.read_back, most=40)
    assert live.empty_roots and live.surprises == ()
    assert {row.answers[0].status for row in live.rows} & {404} and not any(row.answers[0].status == 403 and "%2" not in row.request.target and row.request.method == "GET" and row.request.target.partition("?")[0] != "/" for row in live.rows)


def test_requests_are_looked_for_once(reads: Reads, monkeypatch: pytest.MonkeyPatch) -> None:
    """A comparison and its live check are about the same ones; other configurations are asked others."""
    counted: list[int] = []
    found = witnesses._found
    monkeypatch.setattr(witnesses, "_found", lambda *estates: counted.append(1) or found(*estates))
    made = translate(reads.write("nginx", nginx(SERVER)), "caddy")
    assert not check_live(made.reading, made.read_back, most=20).surprises and len(counted) == 1
    other = reads.read("nginx", nginx("location = /other { return 204; }"))
    asked = {row.request.target for row in check_live(other, other, most=200).rows}
    assert "/other" in asked and "/r" not in asked and len(counted) == 2


@pytest.mark.parametrize("address", ["192.0.2.1:${APP_PORT}", "${APP}", "${APP}:${APP_PORT}"])
def test_an_address_that_names_stand_for_is_moved(reads: Reads, address: str) -> None:
    text = httpd(f"ProxyPass /a http://{address}/\nProxyPassReverse /a http://{address}/\nRewriteEngine On\nRewriteRule ^/b/(.*) http://{address}/$1 [P]")
    reading = reads.read("apache", "Define APP 192.0.2.1\nDefine APP_PORT 81\n" + text)
    made = check_live(reading, reading, most=60)
    assert [str(row.request) + str(row.defects) for row in made.surprises] == []
    assert len([row for row in made.rows if row.outcomes[0].origin is not None]) > 10


def test_an_address_that_is_seen_only_where_a_macro_is_read_is_refused(reads: Reads) -> None:
    """A copy that asked such an origin would ask one that is none of ours: of two macros with one name it is not known which is meant."""
    macro = "<Macro Shelf $given>\nProxyPass /a http://192.0.2.1:$given/\n</Macro>\n"
    reading = reads.read("apache", f"{macro}UndefMacro Shelf\n{macro}" + httpd("Use Shelf 81"))
    with pytest.raises(ServerFailed, match="the address 192.0.2.1:81 comes out of one of several macros"):
        check_live(reading, reading, most=10)


@pytest.mark.parametrize(("given", "origin"), [
    ("192.0.2.1:81", "http://$given/"), ("http://192.0.2.1:81/", "$given"), ("fcgi://192.0.2.1:81/srv/www", "$given"), ("81", "http://192.0.2.1:$given/"),
    ("192.0.2.1", "http://$given:81/"), ("192.0.2.1", "http://$given/"), ("/run/fernhollow/a.sock", '"unix:$given|http://localhost/"'),
])
def test_an_address_out_of_a_macro_is_moved(reads: Reads, given: str, origin: str) -> None:
    reading = reads.read("apache", f"<Macro Shelf $given>\nProxyPass /a {origin}\n</Macro>\n" + httpd(f"Use Shelf {given}"))
    made = check_live(reading, reading, most=40)
    assert [str(row.request) + str(row.defects) for row in made.surprises] == []
    assert any(row.outcomes[0].origin is not None for row in made.rows)


def test_a_field_that_got_lost_is_seen(reads: Reads, tmp_path: Path) -> None:
    """What a client sends and no rule speaks of comes to the origin as it was sent; what is of the connection does not."""
    reading = reads.read("nginx", nginx(SERVER))
    plan = Plan(tmp_path / "copy", free_port)
    command = named("nginx").move(reading, plan)  # type: ignore[misc]
    request = Request("GET", "http", "www.fernhollow.example", 80, "/o/x", (("X-Kept", "1"),), client="127.0.0.1")
    with Origins(list(plan.origins.values())), Running(command, plan.folder, list(plan.ports.values())):
        answer = ask(request, "127.0.0.1", plan.port("80"))
    for more, seen in ((), []), ((("X-Lost", "1"),), ["origin field x-lost"]), ((("Keep-Alive", "5"), ("Upgrade", "h2c")), []):
        sent = replace(request, fields=(*request.fields, *more))
        assert [item.what for item in against_model(decide(reading.estate, sent, real_files()), answer, sent, plan)] == seen


def test_no_port_is_given_twice_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Not even where a round is short, since most ports of the share are taken; one whose connections were closed a moment ago is free."""
    here = free_port()
    monkeypatch.setattr(ports, "_ports", [itertools.cycle(range(here, here + 40))])
    monkeypatch.setattr(ports, "_given", {})
    monkeypatch.setattr(ports, "_SECONDS_APART", 1.0)
    with socket.socket() as server:
        server.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        server.bind(("127.0.0.1", here))
        server.listen(1)
        assert free_port() != here
        with socket.create_connection(("127.0.0.1", here)):
            server.accept()[0].close()
    with ThreadPoolExecutor(8) as pool:
        given = list(pool.map(lambda _: free_port(), range(30)))
    assert len(set(given)) == 30
    assert here in {*given, *(free_port() for _ in range(9))}
