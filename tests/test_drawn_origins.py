"""httpd, a rule with P whose origin a map says: one by its key, or one of several that is drawn each time."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest

from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, translate

DRAWN = "# tools\nstatic 192.0.2.5:8001|192.0.2.6:8001|192.0.2.5:8001\nloans 192.0.2.7:9000\nbroken a b|c\nmixed 192.0.2.8/x|192.0.2.9\n"


def config(tmp_path: Path, rule: str, kind: str = "rnd") -> str:
    (tmp_path / "origins.txt").write_text(DRAWN)
    return httpd(f"RewriteMap origin {kind}:{tmp_path}/origins.txt\nRewriteEngine On\n{rule}\n")


@pytest.mark.parametrize(("rule", "members", "policy"), [
    ("RewriteRule ^/s/(.*)$ http://${origin:static}/$1 [P]", {"192.0.2.5:8001": 2, "192.0.2.6:8001": 1}, "random"),
    ("RewriteRule ^/s/(.*)$ http://${origin:loans}/$1 [P]", {"192.0.2.7:9000": 1}, "round_robin"),
    ("RewriteRule ^/s/(.*)$ https://${origin:absent|192.0.2.7}/$1 [P]", {"192.0.2.7:443": 1}, "round_robin"),
    ("RewriteRule ^/s/(.*)$ http://${origin:broken}/$1 [P]", {"a:80": 1}, "round_robin"),
])
def test_the_pool_that_is_asked(reads: Reads, tmp_path: Path, rule: str, members: dict[str, int], policy: str) -> None:
    reading = reads.read("apache", config(tmp_path, rule))
    pool, = [pool for pool in reading.estate.pools if pool.members]
    assert (Counter({member.address: member.weight for member in pool.members}), pool.policy) == (Counter(members), policy)
    seen = decide(reading.estate, request_for("http://www.fernhollow.example/s/x"), real_files())
    assert seen.origin is not None and seen.origin.target == "/x"


@pytest.mark.parametrize("rule", [
    "RewriteRule ^/s/(.*)$ http://${origin:mixed}/$1 [P]", "RewriteRule ^/s/(.*)$ http://${origin:absent}/$1 [P]", "RewriteRule ^/s/(.*)$ http://${origin:$1}/ [P]",
    "RewriteRule ^/s/(.*)$ http://${origin:static}.fernhollow.example/$1 [P]",
])
def test_what_is_drawn_otherwise_is_told(reads: Reads, tmp_path: Path, rule: str) -> None:
    reading = reads.read("apache", config(tmp_path, rule))
    assert "value-unread" in [finding.code.name for finding in reading.findings]
    assert decide(reading.estate, request_for("http://www.fernhollow.example/s/x"), real_files()).gave_up


@pytest.mark.parametrize(("target", "line"), [("nginx", "random;"), ("caddy", "lb_policy random")])
def test_both_servers_draw(reads: Reads, tmp_path: Path, target: str, line: str) -> None:
    source = reads.write("apache", config(tmp_path, "RewriteRule ^/s/(.*)$ http://${origin:static}/$1 [P]\nRewriteRule ^/l/(.*)$ http://${origin:loans}/$1 [P]"))
    made = translate(source, target, dialect="apache")
    assert line in "".join(made.writing.files.values())
    out = tmp_path / "out"
    for name, text in made.writing.files.items():
        (out / name).parent.mkdir(parents=True, exist_ok=True)
        (out / name).write_text(text)
    asked = [request_for(f"http://www.fernhollow.example/{path}") for path in ("s/x", "s/a/b", "l/y")]
    live = check_live(read(source, "apache"), read(out), requests=asked, most=120)
    assert [(str(row.request), row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]
    assert any(row.request.target == "/s/x" and all(answer.status == 200 for answer in row.answers) for row in live.rows)
