"""There and back again: what a configuration becomes in another dialect, moved back, decides as it did."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_nginx_writer import CADDY
from tests.test_writer import LINES
from young_lantern.behaviour.compare import Reason, compare_estates
from young_lantern.model import Severity
from young_lantern.translate import save, translate

# What one of the two cannot say: a query put before the client's without one (a folder's slash then has it), and the slash that
# Caddy adds to a folder behind an alias without a final slash.
BEYOND = ("rewrite ^/old/(?<rest>.*)$ /new/$rest?k=v last;", "root ROOT; location /m { alias ROOT/dir; }")
ROWS = [
    *(pytest.param("caddy", "nginx", caddy, site, id=f"caddy {site[:50]}") for site, _ in CADDY),
    *(
        pytest.param("nginx", "caddy", nginx, server, id=f"nginx {server[:50]}")
        for server, _ in LINES
        if server not in BEYOND
    ),
]


@pytest.mark.parametrize(("dialect", "through", "whole", "text"), ROWS)
def test_there_and_back(
    reads: Reads, tmp_path: Path, dialect: str, through: str, whole: Callable[[str], str], text: str
) -> None:
    """Nothing differs that breaks, but for letters' case, methods and spellings, which the dialects see differently."""
    there = translate(reads.write(dialect, whole(text)).parent, through)
    save(there.writing.files, tmp_path / "there")
    back = translate(tmp_path / "there", dialect)
    comparison = compare_estates(there.reading.estate, back.read_back.estate)
    assert not [
        cause.summary
        for cause in comparison.causes
        if cause.severity is Severity.BREAKING and cause.reason is Reason.OTHER
    ]
    assert comparison.requests > 0


@pytest.mark.parametrize("text", BEYOND)
def test_what_is_beyond_one_of_them_differs_still(reads: Reads, tmp_path: Path, text: str) -> None:
    """The exceptions are true ones: a row that no longer differs belongs with the others."""
    there = translate(reads.write("nginx", nginx(text)).parent, "caddy")
    save(there.writing.files, tmp_path / "there")
    back = translate(tmp_path / "there", "nginx")
    assert any(
        cause.severity is Severity.BREAKING
        for cause in compare_estates(there.reading.estate, back.read_back.estate).causes
    )
