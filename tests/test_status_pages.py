"""Pages on a server's own state: the target's own page stands in the place of the source's, behind the same guard; told, and not compared."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import translate

# Dialect, its text, and the line of each target; "": it has none that is written.
PAGES = [
    ("apache", httpd('<Location "/state">\nSetHandler server-status\nRequire ip 198.51.100.0/24 127.0.0.0/8\n</Location>'), {"nginx": "stub_status;", "caddy": "metrics"}),
    ("nginx", nginx("root ROOT; location = /state { stub_status; allow 198.51.100.0/24; allow 127.0.0.0/8; deny all; }"), {"caddy": "metrics", "apache": ""}),
    ("caddy", caddy("@others not remote_ip 198.51.100.0/24 127.0.0.0/8\nhandle /state {\nrespond @others 403\nmetrics\n}\nhandle {\nroot * ROOT\nfile_server\n}"), {"nginx": "stub_status;", "apache": ""}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "lines"), PAGES)
def test_each_server_has_its_own(reads: Reads, tmp_path: Path, dialect: str, text: str, lines: dict[str, str]) -> None:
    for target, line in lines.items():
        made = translate(reads.write(dialect, text), target, dialect=dialect)
        written = [row.strip() for held in made.writing.files.values() for row in held.splitlines()]
        assert line in written or not line
        assert ("status-page-differs" in {item.code.name for item in made.findings}) is bool(line)
        told = {entry.disposition for entry in made.ledger if entry.span.directive.split()[-1] in ("server-status", "stub_status", "metrics")}
        assert told == {Disposition.CHANGED if line else Disposition.UNSUPPORTED}
        for client, status in (("203.0.113.9", 403), ("198.51.100.7", None)):
            outcome = decide(made.read_back.estate, request_for("http://www.fernhollow.example/state", client=client), real_files())
            assert outcome.gave_up if status is None and line else outcome.status == (status or 501)
        live = check_live(made.reading, made.read_back, most=150, requests=[request_for("http://www.fernhollow.example/state")])
        assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
        states = [row.answers[1].status for row in live.rows if row.request.target == "/state" and row.request.method == "GET"]
        assert states and set(states) == {200 if line else 501}
