"""Rules of httpd that skip others, of which some are chained: into a chain, past it, to its middle."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd

CHAIN = "RewriteCond %{HTTP:X-First} .\nRewriteRule ^ - [C]\nRewriteRule ^ /second-%{ENV:n}x [C,E=m:1]\nRewriteRule ^ - [R=404]\nRewriteRule ^/b /last [R]"


@pytest.mark.parametrize("count", [1, 2, 3, 4])
@pytest.mark.parametrize("in_folder", [False, True])
def test_a_rule_that_skips_others(reads: Reads, tmp_path: Path, count: int, in_folder: bool) -> None:
    rules = f"RewriteEngine On\nRewriteCond %{{HTTP:X-Skip}} .\nRewriteRule ^ - [S={count}]\n{CHAIN}"
    lines = f"<Directory ROOT>\n{rules.replace('^/b', '^b')}\n</Directory>" if in_folder else f"{rules}\nProxyPass / http://192.0.2.1:81/"
    fields = [{**one, **other} for one in ({}, {"X-Skip": "1"}) for other in ({}, {"X-First": "1"})]
    rows = [("GET", "www.fernhollow.example", path, sent) for path in ("/a.html", "/b") for sent in fields]
    assert disagreements("apache", httpd(lines).replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])
