"""`RewriteCond %{REQUEST_FILENAME}.html -f`: pages without their ending in the path.

Each row is decided by the model and asked of the running httpd; the translation of what rules mean is short, and the servers agree with what is foretold of it.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from tests.test_requests_inside import folder
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

TAKES_SLASH = folder("RewriteEngine On\nRewriteCond %{REQUEST_FILENAME} !-d\nRewriteCond %{REQUEST_FILENAME}.html -f\nRewriteRule ^(.+?)/?$ $1.html [L]")
PLAIN = folder("RewriteEngine On\nRewriteCond %{REQUEST_FILENAME}.html -f\nRewriteRule ^(.+)$ $1.html [L]")
ASKS = folder("RewriteEngine On\nRewriteCond %{SCRIPT_FILENAME}.html -f\nRewriteRule ^ /found [R=302,L]")
ROWS = [
    (TAKES_SLASH, "/a", 200, "a.html"),
    (TAKES_SLASH, "/a/", 200, "a.html"),
    (TAKES_SLASH, "/bare/y", 200, "bare/y.html"),
    (TAKES_SLASH, "/a/x", 500, None),
    (TAKES_SLASH, "/dir", 301, None),
    (TAKES_SLASH, "/none", 404, None),
    (TAKES_SLASH, "/style.css", 200, "style.css"),
    (PLAIN, "/a", 200, "a.html"),
    (PLAIN, "/a/", 500, None),
    (PLAIN, "/dir/", 200, "dir/index.html"),
    (ASKS, "/a/x/y", 302, None),
    (ASKS, "/dir", 302, None),
    (ASKS, "/dir/", 200, "dir/index.html"),
    (ASKS, "/bare/none/y", 404, None),
]


@pytest.fixture(autouse=True)
def more_files(reads: Reads) -> None:
    (reads.root / "dir.html").write_text("dir\n")
    (reads.root / "bare/y.html").write_text("y\n")


@pytest.mark.parametrize(("text", "target", "status", "file"), ROWS, ids=[f"{number} {row[1]}" for number, row in enumerate(ROWS)])
def test_answers(reads: Reads, tmp_path: Path, text: str, target: str, status: int, file: str | None) -> None:
    outcome = reads.decide("apache", text, target)
    assert (outcome.status, outcome.file) == (status, file and str(reads.root / file))
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked") == (1, [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("text", [TAKES_SLASH, PLAIN], ids=["takes the slash", "plain"])
def test_a_translation_says_what_is_meant(reads: Reads, tmp_path: Path, text: str, target: str) -> None:
    """And once: nobody has `a.html.html` in mind."""
    made = translate(reads.write("apache", text), target)
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    site = next(text for name, text in made.writing.files.items() if "/www." in name)
    assert "470" not in site and site.count("rewrite ") == 1
    paths = ["/a", "/bare/y", "/none", "/style.css", *(["/a/"] if text == TAKES_SLASH else [])]
    for path in paths:
        before, after = (decide(estate, request_for(SITE + path), real_files()) for estate in (made.reading.estate, made.read_back.estate))
        assert (before.status, before.file) == (after.status, after.file)
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", target), requests=[request_for(SITE + path) for path in paths], most=200).surprises
