"""httpd: what an application is told of fields that the client sent, and of variables with such names."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

FRONT = "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule ^ index.php [L]"
KEPT = "RewriteCond %{HTTP:X-Own} .\nRewriteRule .* - [E=HTTP_X_OWN:%{HTTP:X-Own}]"
LINES = [
    f"<Directory ROOT>\nRewriteEngine On\n{KEPT}\n{FRONT}\n</Directory>",
    f"<Directory ROOT>\nRewriteEngine On\nRewriteRule .* - [E=HTTP_AUTHORIZATION:%{{HTTP:Authorization}}]\n{FRONT}\n</Directory>",
    f"SetEnv HTTP_X_OWN set\n<Directory ROOT>\nRewriteEngine On\n{FRONT}\n</Directory>",
    "RewriteEngine On\nRewriteRule .* - [E=HTTP_X_OWN:ruled]",
]
SENT = ({}, {"X-Own": "sent"}, {"X-Own": "sent", "Authorization": "Basic bWluYTpzaGVkLTQy"})
ROWS = [("GET", "www.fernhollow.example", path, fields) for path in ("/index.php", "/other") for fields in SENT]


@pytest.fixture
def served(reads: Reads) -> Reads:
    (reads.root / "index.php").write_text("an application\n")
    return reads


def _host(lines: str) -> str:
    return httpd(f"{lines}\n<FilesMatch \\.php$>\nSetHandler proxy:fcgi://127.0.0.1:9000\n</FilesMatch>")


@pytest.mark.parametrize("lines", LINES)
def test_a_field_that_was_sent_comes_over_a_variable(served: Reads, tmp_path: Path, lines: str) -> None:
    assert disagreements("apache", _host(lines).replace("ROOT", str(served.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("lines", LINES)
def test_a_translation_tells_the_same_or_says_so(served: Reads, lines: str, target: str) -> None:
    translation = translate(served.write("apache", _host(lines).replace("ROOT", str(served.root))), target)
    live = check_live(translation.reading, translation.read_back, most=60)
    assert live.rows and not live.surprises
    assert ("HTTP_X_OWN" in "".join(translation.writing.files.values())) == ("%{HTTP:X-Own}" not in lines and "HTTP_X_OWN" in lines)
