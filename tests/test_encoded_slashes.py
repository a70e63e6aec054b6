"""httpd, AllowEncodedSlashes: a slash that came encoded stays so with NoDecode, and with On is decoded before dots are seen to once more."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd

PATHS = (
    "/x%2fy", "/x%2Fy%20z", "/a%20b", "/a%25b", "/a%2525b", "/a%252fb", "/x%2f..%2fy", "/x%2f%2fy", "/a%2f%2f..%2fb", "/a/b%2f..", "/..%2fa", "/a%2f.", "/a%5Bb", "/x%2f%41",
    "/x%2f%25", "/%2fa", "/%25c3", "/dir%2fx", "/dir/%2fx", "/x?q=%2f", "/a%3fb", "/dir%2findex.html", "/dir/%2f", "/a%2f%2fb",
)
ROWS = [("GET", "www.fernhollow.example", path, {}) for path in PATHS]
RULES = [
    "RewriteRule .* http://127.0.0.1:81%{REQUEST_URI} [P,QSA,NE]", "RewriteRule ^/(.*)$ http://127.0.0.1:81/$1 [P,NE]", "RewriteRule ^/(.*)$ http://127.0.0.1:81/$1 [P]",
    "RewriteRule ^/(.*)$ http://elsewhere.fernhollow.example/$1 [R]", "RewriteRule ^/x/ - [F]", "RewriteRule %2f - [NC,F]",
    "ProxyPass / http://127.0.0.1:81/", "ProxyPass / http://127.0.0.1:81/base/ nocanon", "ProxyPassMatch ^/(.*)y http://127.0.0.1:81/$1",
    'Header always set X-Path "expr=%{REQUEST_URI}"', "Redirect /x http://elsewhere.fernhollow.example/", "<Location /dir>\nRequire all denied\n</Location>", "",
]


@pytest.mark.parametrize("said", ["Off", "On", "NoDecode"])
@pytest.mark.parametrize("lines", RULES)
def test_what_comes_of_an_encoded_slash(reads: Reads, tmp_path: Path, lines: str, said: str) -> None:
    text = httpd(f"AllowEncodedSlashes {said}\nRewriteEngine On\n{lines}")
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


@pytest.mark.parametrize("said", ["On", "NoDecode"])
def test_without_merging_of_slashes(reads: Reads, tmp_path: Path, said: str) -> None:
    text = httpd(f"AllowEncodedSlashes {said}\nMergeSlashes Off\nProxyPass / http://127.0.0.1:81/")
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])
