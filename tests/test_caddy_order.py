"""Caddy's order of directives, held against what Caddy makes of the same lines; with many of them its sort depends on the way it goes."""

from __future__ import annotations

import random
import re
import subprocess
from pathlib import Path

import pytest
from young_lantern.behaviour import decide, real_files, request_for
from tests.support.conformance import disagreements

from tests.support.reading import Reads, caddy, nginx
from young_lantern.dialects.caddy.order import routes_of
from young_lantern.dialects.caddy.reader.routes import make_item, sort_items
from young_lantern.dialects.caddy.reader.context import Level
from young_lantern.dialects.caddy.syntax import parse
from young_lantern.lab.live import check_live
from young_lantern.lab.servers import find
from young_lantern.translate import translate

_BODIES = {
    "handle": "handle {m} {{\nrespond K{k}\n}}", "respond": "respond {m} K{k}", "redir": "redir {m} K{k}", "error": "error {m} K{k} 500",
    "header": "header {m} X K{k}", "default": "header {m} {{\n?X K{k}\nY K{k}\n}}", "try_files": "try_files K{k} K{k}?a=b",
}  # fmt: skip


def _lines(seed: int) -> str:
    """A site of 15 to 90 directives, each with a number; a path, a matcher of another kind or of two paths, or none."""
    chosen = random.Random(seed)  # noqa: S311
    matchers, lines = [], []
    for number in range(chosen.randint(15, 90)):
        kind = chosen.choice(["handle", "handle", "handle", "respond", "redir", "error", "header", "default", "try_files"])
        what = chosen.random()
        word = ""
        if what < 0.45:
            word = "/" + "".join(chosen.choices("abcd", k=chosen.randint(1, 9))) + chosen.choice(["", "*", "/*"])
        elif what < 0.9:
            matchers.append(f"@m{number} header X-{number} 1" if what < 0.8 else f"@m{number} path /q{number} /r{number}")
            word = f"@m{number}"
        elif kind == "redir":
            word = "*"
        lines.append(_BODIES[kind].format(m=word, k=number))
    return "http://:9 {\n" + "\n".join([*matchers, *lines]) + "\n}\n"


@pytest.mark.parametrize("seed", range(25))
def test_the_order_is_caddys(tmp_path: Path, seed: int) -> None:
    text = _lines(seed)
    (tmp_path / "Caddyfile").write_text(text)
    said = subprocess.run([find("caddy"), "adapt", "--adapter", "caddyfile", "--config", "Caddyfile"], cwd=tmp_path, capture_output=True, text=True, check=True)
    block = parse(text, "Caddyfile").directives[0].block or []
    level = Level([item for item in block if not item.name.startswith("@")], {item.name: item for item in block if item.name.startswith("@")})
    items = sort_items([make_item(directive, level) for directive in level.directives])
    ours = [re.search(r"K(\d+)", " ".join([*item.directive.args, *(word for line in item.directive.block or [] for word in [line.name, *line.args])]))[1] for item in items]  # type: ignore[index]
    assert ours == list(dict.fromkeys(re.findall(r"K(\d+)", said.stdout)))


@pytest.mark.parametrize(
    ("name", "words", "routes"),
    [
        ("header", ["X-A"], 1), ("header", ["?X-A", "X-B", "defer"], 2), ("header", ["?X-A", "defer"], 1), ("header", [], 1), ("handle", ["/a"], 1),
        ("try_files", ["{path}", "/index.html"], 1), ("try_files", ["{path}", "/i?{query}"], 2), ("try_files", ["{path}", "/i?a", "/j"], 3), ("try_files", ["/i?a", "/j?b"], 2),
    ],
)  # fmt: skip
def test_routes_that_a_directive_makes(name: str, words: list[str], routes: int) -> None:
    assert routes_of(name, words) == routes


def test_a_refusal_by_pattern_among_many_places(reads: Reads) -> None:
    """What a pattern refuses stays refused below each of them, by the model and by the server."""
    places = "".join(f"location /place{number}{'/' if number % 2 else ''} {{ proxy_pass http://192.0.2.1:81; }} " for number in range(30))
    made = translate(reads.write("nginx", nginx(f"location ~ /\\. {{ deny all; }} {places}")), "caddy", dialect="nginx")
    live = check_live(made.reading, made.read_back, most=400)
    assert not live.surprises
    assert any(row.answers[0].status == row.answers[1].status == 403 for row in live.rows)


def test_caddys_own_order_is_read(reads: Reads) -> None:
    """The same lines by hand: some handles with a path come before a matcher that is written first."""
    lines = "\n".join(f"handle /place{number}* {{\nrespond {number}\n}}" for number in range(30))
    reading = reads.read("caddy", caddy("@dots path_regexp /\\.\nhandle @dots {\nerror 403\n}\n" + lines))
    live = check_live(reading, reading, most=300)
    assert not live.surprises


# Global lines, and what /a, /b and / get of `respond /a 201`, `redir /a /x 302`, `error /b 410`, `respond /b 202`.
_ORDERS = [
    ("", (302, 410, 404)),
    ("order respond first", (201, 202, 404)),
    ("order redir last", (201, 410, 404)),
    ("order respond before error", (302, 202, 404)),
    ("order redir after respond\norder error last", (201, 202, 404)),
]  # fmt: skip


@pytest.mark.parametrize(("lines", "statuses"), _ORDERS)
def test_an_order_of_its_own(reads: Reads, tmp_path: Path, lines: str, statuses: tuple[int, ...]) -> None:
    """What `order` says counts, line by line; the server does the same, and so does what the others are told."""
    text = caddy("redir /a /x 302\nrespond /a 201\nerror /b 410\nrespond /b 202\nrespond 404").replace("{\n", f"{{\n{lines}\n", 1)
    paths = ("/a", "/b", "/")
    estate = reads.read("caddy", text).estate
    assert tuple(decide(estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).status for path in paths) == statuses
    assert disagreements("caddy", text, [("GET", "www.fernhollow.example", path, {}) for path in paths], tmp_path / "copy") == (3, [])
    made = translate(reads.write("caddy", text), "nginx")
    assert tuple(decide(made.read_back.estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).status for path in paths) == statuses


def test_an_order_that_is_none(reads: Reads) -> None:
    """Of a directive that a module of others brings, or beside none: told."""
    for words in ("rate_limit first", "respond beside redir", "respond before rate_limit", "respond"):
        reading = reads.read("caddy", caddy("respond 204").replace("{\n", f"{{\norder {words}\n", 1))
        assert [item.code.name for item in reading.findings] == ["value-unread"]
