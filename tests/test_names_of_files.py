"""Names of files with signs that shells have a meaning for: in Caddy what is written out is a pattern, elsewhere it is a name."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

NAMES = ["tools/[slug].html", "tools/a*b.html"]


def _with_files(reads: Reads) -> None:
    for name in (*NAMES, "tools/s.html", "tools/aXb.html"):
        path = reads.root / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(f"{name}\n")


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("tried", ["try_files $uri /{};", "try_files $uri /{} =404;", "try_files $uri /{} /index.html;", "if (-f $document_root/{}) {{ rewrite ^/old /{} last; }}"])
@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_a_translation_asks_for_the_file_of_that_name(reads: Reads, name: str, tried: str, target: str) -> None:
    _with_files(reads)
    text = nginx(f"root ROOT; location / {{ {tried.replace('{}', name).replace('{{', '{').replace('}}', '}')} }}")
    translation = translate(reads.write("nginx", text), target)
    live = check_live(translation.reading, translation.read_back, most=60)
    assert live.rows and not live.surprises


@pytest.mark.parametrize("line", ["try_files {path} /tools/\\[slug\\].html", "try_files {path} /tools/a\\*b.html =404", "@there file /tools/\\[slug].html\nrewrite @there /tools/[slug].html"])
def test_what_is_escaped_is_a_name(reads: Reads, tmp_path: Path, line: str) -> None:
    _with_files(reads)
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/", "/x", "/a.html", "/tools/s.html", "/tools/%5Bslug%5D.html", "/tools/[slug].html", "/tools/a*b.html")]
    assert disagreements("caddy", caddy(f"root * {reads.root}\n{line}\nfile_server"), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("word", ["/tools/[slug].html", "/tools/a*b.html", "{path}*"])
def test_a_pattern_of_names_is_told(reads: Reads, word: str) -> None:
    """Which of several files fits is not foretold."""
    text = caddy(f"root * ROOT\ntry_files {word} /index.html\nfile_server")
    reading = reads.read("caddy", text)
    assert [finding.code.name for finding in reading.findings] == ["value-unread"]
    assert reads.decide("caddy", text, "/x").gave_up
