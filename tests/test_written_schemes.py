"""httpd: a target whose scheme is put together, as sites do that redirect on HTTP and on HTTPS alike, is a whole URL."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd

BY_VARIABLE = "RewriteRule ^ - [E=ending]\nRewriteCond %{HTTPS} on\nRewriteRule ^ - [E=ending:s]\nRewriteRule ^/?(a|dir/.*)$ http%{ENV:ending}://elsewhere.fernhollow.example/$1"

SPELT = [
    f"{BY_VARIABLE} [R=301,L]",
    f"{BY_VARIABLE} [L]",
    "RewriteCond %{HTTPS}s ^on(s)|\nRewriteRule ^/?(a|dir/.*)$ http%1://elsewhere.fernhollow.example/$1 [R=301,L]",
    "RewriteCond %{SERVER_PORT}s ^(443(s)|[0-9]+s)$\nRewriteRule ^/?(a|dir/.*)$ http%2://%{HTTP_HOST}/new/$1 [R=302,L,QSA]",
    "RewriteRule ^/?(a|dir/.*)$ %{REQUEST_SCHEME}://elsewhere.fernhollow.example/$1 [R=301,L]",
    "RewriteRule ^/?(a|dir/.*)$ %{REQUEST_SCHEME}://elsewhere.fernhollow.example/$1 [L]",
    "RewriteCond %{HTTPS} =on\nRewriteRule ^ - [env=proto:https]\nRewriteCond %{HTTPS} !=on\nRewriteRule ^ - [env=proto:http]\n"
    "RewriteRule ^/?(a|dir/.*)$ %{ENV:PROTO}://elsewhere.fernhollow.example/$1 [R=301,L]",
]
ROWS = [("GET", "www.fernhollow.example", path, {}) for path in ("/a", "/a?b=c", "/dir/", "/dir/x?y", "/dir/%20z", "/other")]


@pytest.mark.parametrize("in_folder", [False, True])
@pytest.mark.parametrize("rules", SPELT)
def test_it_is_a_redirect(reads: Reads, tmp_path: Path, rules: str, in_folder: bool) -> None:
    lines = f"RewriteEngine On\n{rules}"
    host = f"<Directory ROOT>\n{lines}\n</Directory>" if in_folder else lines
    assert disagreements("apache", httpd(host).replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


def test_one_that_may_be_another_is_told(reads: Reads) -> None:
    """Behind any other word it is a path: where it comes to that nothing is foretold, and the line is told."""
    text = httpd("RewriteEngine On\nRewriteRule ^/(x?)(.*)$ http$1://elsewhere.fernhollow.example/$2 [R,L]")
    reading = reads.read("apache", text)
    assert [finding.span.directive.split()[0] for finding in reading.findings] == ["RewriteRule"]
    assert reads.decide("apache", text, "/a").location == "http://elsewhere.fernhollow.example/a"
    assert reads.decide("apache", text, "/xa").gave_up


@pytest.mark.parametrize("in_folder", [False, True])
@pytest.mark.parametrize("flags", ["R,L", "L"])
def test_a_variable_that_is_set_to_a_scheme_at_times(reads: Reads, tmp_path: Path, flags: str, in_folder: bool) -> None:
    """Where no line sets it the target is a path: left open, and foretold where it is set."""
    rule = f"RewriteEngine On\nRewriteRule ^/?a %{{ENV:proto}}://elsewhere.fernhollow.example/ [{flags}]"
    text = httpd("SetEnvIf X-Forwarded-Proto ^https$ proto=https\n" + (f"<Directory ROOT>\n{rule}\n</Directory>" if in_folder else rule))
    rows = [("GET", "www.fernhollow.example", path, fields) for path in ("/a", "/other") for fields in ({}, {"X-Forwarded-Proto": "https"})]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (3, [])
