"""`<DirectoryMatch>`: patterns for whole names of folders, and what they come to behind a document root."""

from __future__ import annotations

import itertools
import re
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.model import Pattern
from young_lantern.patterns.behind import behind

ROWS = [("GET", "www.fernhollow.example", path, {}) for path in ("/", "/dir/", "/dir", "/dir/x", "/dir/x/y", "/a.html", "/a.html/x", "/bare/", "/bare/x.txt", "/nothing/dir/", "/.git/config", "/.git")]


@pytest.mark.parametrize("pattern", [
    "^ROOT/dir", "^ROOT/(dir|bare)/", "^/.*/dir/", "^(.*)/dir/", "^ROOT/?$", "/dir(/|$)", "/dir$", "/\\.git(/|$)", "/x\\.txt$|/dir/", "^ROOT/[^/]+/x", "^ROOT/dir|^ROOT/bare",
    "^/.+/roo./(?!bare)", "^ROOT(/|$)", "^/.*(?<!dir)/$", "(?i)^ROOT/DIR", "roo./dir", "^/(?!srv)", "(^|/)dir/", "^(.*)/\\.(git|svn)(/|$)", "^/.*/(roo.|dir)/(dir|x)",
])
def test_patterns_for_folders_are_read(reads: Reads, tmp_path: Path, pattern: str) -> None:
    text = httpd(f'<DirectoryMatch "{pattern}">\nHeader always set X-Held yes\n</DirectoryMatch>').replace("ROOT", str(reads.root))
    assert [finding.code.name for finding in reads.read("apache", text).findings] == []
    assert disagreements("apache", text, ROWS, tmp_path / "asked") == (len(ROWS), [])


def test_a_pattern_for_other_folders_is_for_none_here(reads: Reads) -> None:
    """A server has sections for all its hosts: what is meant for another root is read, and holds nowhere."""
    text = httpd('<DirectoryMatch "^/srv/other/(files|media)">\nRequire all denied\n</DirectoryMatch>')
    assert "value-unread" not in {finding.code.name for finding in reads.read("apache", text).findings}
    assert reads.decide("apache", text, "/dir/").status == 200


@pytest.mark.parametrize("pattern", ["^(ROOT/dir|/other)", "^/(.*/roo./bare){1,2}", "(^ROOT|^/other)/dir"])
def test_a_root_that_ends_within_a_group_is_told(reads: Reads, pattern: str) -> None:
    reading = reads.read("apache", httpd(f'<DirectoryMatch "{pattern}">\nHeader always set X-Held yes\n</DirectoryMatch>'))
    assert [(finding.code.name, finding.span.directive.split()[0]) for finding in reading.findings][:1] == [("value-unread", "<DirectoryMatch")]


@pytest.mark.parametrize("pattern", ["^/a/b", "^/[^/]+/b", "^/.*/b", "^/.*b$", "^/a(/b|/c)$", "^/a/?b?$", "^/a+/b|^/a/[bc]/?$", "b$", "^/a(?!/b)", "^/a.*", "^/a", "^/.*?/b", "^(/.*)/b", "^/\\+/b", "^/[ab]{1,2}/c", "^/.*/(b|c)(/|$)", "^/b", "^/(?!b)", "^/a(?!b)", "a/b", "a/[bc]$", "(^|/)b", "(/a/b|/c)", "^/(a|b)$", "^(?!/a/b)", "/a(?!/b)"])
def test_what_is_behind_a_beginning_by_brute_force(pattern: str) -> None:
    """Every text of up to six of the signs `/abc` behind the beginning is found by both patterns or by neither."""
    rest = behind(Pattern(pattern), "/a")
    if pattern in ("(/a/b|/c)", "^(?!/a/b)"):
        assert rest is None  # the beginning ends within the group, or what is looked for goes on behind it
        return
    texts = ["/" + "".join(signs) for length in range(6) for signs in itertools.product("/abc", repeat=length)]
    both = [text for text in texts if re.search(pattern, "/a" + text)]
    assert [text for text in texts if rest is not None and re.search(f"^{rest}", text)] == both


@pytest.mark.parametrize("pattern", ["^ROOT/(dir|bare)", "^(?<held>/.*)/dir/", "dir/$"])
def test_patterns_in_a_copy_whose_folders_lie_elsewhere(reads: Reads, tmp_path: Path, pattern: str) -> None:
    """A folder with a `.htaccess` file is built again for the live check, under another name."""
    (reads.root / "bare" / ".htaccess").write_text("Header always set X-Own yes\n")
    text = httpd(f'<Directory ROOT>\nAllowOverride All\n</Directory>\n<DirectoryMatch "{pattern}">\nHeader always set X-Held yes\n</DirectoryMatch>').replace("ROOT", str(reads.root))
    assert disagreements("apache", text, ROWS, tmp_path / "asked") == (len(ROWS), [])
