"""There and back again: what a configuration becomes in another dialect, moved back, decides as it did."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from tests.test_apache_writer import CADDY as CADDY_TO_HTTPD
from tests.test_apache_writer import NGINX as NGINX_TO_HTTPD
from tests.test_media_types import PAGES
from tests.test_nginx_writer import CADDY, HTTPD
from tests.test_writer import LINES
from young_lantern.behaviour.compare import Comparison, Reason, compare_estates
from young_lantern.model import Severity
from young_lantern.translate import save, translate

# What one of the two cannot say: a query put before the client's without one (a folder's slash then has it), the slash that
# Caddy adds to a folder behind an alias without a final slash, and a connection that is closed without an answer.
BEYOND = {
    # Where the fallback page is missing, and the second name of an index file is there, Caddy serves that; nginx asks for the page alone.
    ("caddy", "nginx", "root * ROOT\ntry_files {path} /index.html\nfile_server"),
    # httpd goes round as often as it may; what nginx makes of that ends after two rounds, with 500 for `/de/de/de/`.
    ("nginx", "apache", "root ROOT; location /de/ { rewrite ^/de/(.*)$ /$1 last; }"),
    # nginx tells the type of a file by the path that is asked for, the others by the file's own name.
    # nginx tells the type of a text by the path, too; Caddy gives the one that its line says.
    ("nginx", "caddy", "if ($args) { return 204; } return 205 x;"),
    # httpd says it in a section for the path that was asked for; nginx asks for the path as it is once the file is named.
    ("nginx", "apache", "root ROOT; location = /f { alias ROOT/a.html; }"),
    ("nginx", "caddy", "location ~ ^/u/(\\w+)$ { alias ROOT/$1.html; }"),
    ("nginx", "caddy", "root ROOT; location /m { alias ROOT/dir; }"),
    *(("caddy", "apache", text) for text, _ in CADDY_TO_HTTPD if "abort" in text),
}
# nginx knows three media types by itself: a page that it sent as plain text would be one for the others.
WRITTEN: dict[str, Callable[[str], str]] = {"nginx": lambda text: nginx(text, PAGES), "caddy": caddy, "apache": httpd}
ROWS = [
    (dialect, through, text)
    for dialect, through, rows in (
        ("caddy", "nginx", CADDY),
        ("nginx", "caddy", LINES),
        ("nginx", "apache", NGINX_TO_HTTPD),
        ("caddy", "apache", CADDY_TO_HTTPD),
        ("apache", "nginx", HTTPD),
        ("apache", "caddy", HTTPD),
    )
    for text, _ in rows
]


def _differences(reads: Reads, tmp_path: Path, dialect: str, through: str, text: str) -> Comparison:
    there = translate(reads.write(dialect, WRITTEN[dialect](text)).parent, through)
    save(there.writing.files, tmp_path / "there")
    back = translate(tmp_path / "there", dialect)
    return compare_estates(there.reading.estate, back.read_back.estate)


@pytest.mark.parametrize(("dialect", "through", "text"), [row for row in ROWS if row not in BEYOND])
def test_there_and_back(reads: Reads, tmp_path: Path, dialect: str, through: str, text: str) -> None:
    """Nothing differs that breaks, but for letters' case, methods and spellings, which the dialects see differently."""
    comparison = _differences(reads, tmp_path, dialect, through, text)
    assert not [
        cause.summary
        for cause in comparison.causes
        if cause.severity is Severity.BREAKING and cause.reason is Reason.OTHER
    ]
    assert comparison.requests > 0


@pytest.mark.parametrize(("dialect", "through", "text"), sorted(BEYOND))
def test_what_is_beyond_one_of_them_differs_still(
    reads: Reads, tmp_path: Path, dialect: str, through: str, text: str
) -> None:
    """The exceptions are true ones: a row that no longer differs belongs with the others."""
    comparison = _differences(reads, tmp_path, dialect, through, text)
    assert any(cause.severity is Severity.BREAKING and cause.reason is Reason.OTHER for cause in comparison.causes)
