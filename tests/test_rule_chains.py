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


@pytest.mark.parametrize(("flags", "known"), [("", False), ("[DPI]", True), ("[L]", True)])
@pytest.mark.parametrize("target", ["z/$1", "$1", "/z/$1"])
def test_path_information_comes_behind_the_path_for_each_rule_that_follows(reads: Reads, tmp_path: Path, target: str, flags: str, known: bool) -> None:
    """What a request with some gets then is left open, rather than foretold without it, and a finding says so."""
    rules = f"RewriteEngine On\nRewriteCond %{{ENV:REDIRECT_STATUS}} ^$\nRewriteRule ^(.*)$ {target} {flags}\nRewriteRule ^(.*)$ /last/$1 [R,L]"
    text = httpd(f"<Directory ROOT>\n{rules}\n</Directory>").replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/b", "/a.html", "/a.html/x/y", "/nix/q", "/dir/b")]
    asked, wrong = disagreements("apache", text, rows, tmp_path / "asked")
    assert wrong == []
    assert asked == (5 if known else 3)
    told = [finding.span.directive for finding in reads.read("apache", text).findings if finding.code.name == "path-information-again"]
    assert told == ([] if known else [f"RewriteRule ^(.*)$ {target}"])


@pytest.mark.parametrize("later", ["RewriteRule ^ - [F]", "RewriteRule .* /fixed [R,L]"])
def test_rules_that_ask_for_no_path_do_not_see_it(reads: Reads, tmp_path: Path, later: str) -> None:
    text = httpd(f"<Directory ROOT>\nRewriteEngine On\nRewriteRule ^a(.*)$ z$1\n{later}\n</Directory>").replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/b", "/a.html/x/y", "/a/q", "/dir/b")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (4, [])


@pytest.mark.parametrize("before", ["RewriteRule ^ - [C]", "RewriteRule ^/x - [S=1]"])
@pytest.mark.parametrize("later", ["!^/docs", "q"])
def test_a_redirect_in_a_chain_that_goes_on_is_left_open(reads: Reads, tmp_path: Path, before: str, later: str) -> None:
    """Without L the rules behind the chain see the whole URL, and what they make of it is no redirect any more."""
    rules = f"RewriteEngine On\n{before}\nRewriteRule ^/(docs|api)$ /q/$1 [R]\nRewriteRule {later} /a.html [L]"
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/docs", "/api", "/x", "/docs/a.html")]
    asked, wrong = disagreements("apache", httpd(rules).replace("ROOT", str(reads.root)), rows, tmp_path / "asked")
    assert (asked, wrong) == (2, [])
