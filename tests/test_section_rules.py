"""Rules of rewriting in sections that are no folder's: what is foretold, the server answers; what is not read is told with its line."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.translate import translate

FORBIDS = "RewriteEngine On\nRewriteRule ^ - [F]"
LEADS = "RewriteEngine On\nRewriteRule ^ http://elsewhere.fernhollow.example/ [R=301,L]"


def _of_root(lines: str) -> str:
    return f"<Directory ROOT>\n{lines}\n</Directory>\n"


READ = [
    f"<Location /a.html>\n{FORBIDS}\n</Location>",
    _of_root("RewriteEngine On") + "<Location /a.html>\nRewriteRule ^ - [G]\n</Location>",
    _of_root("RewriteEngine On\nRewriteRule ^dir/ - [F]") + f"<Location /dir>\n{LEADS}\n</Location>",
    _of_root("RewriteEngine On\nRewriteRule ^ - [G]") + "<Location /dir>\nRewriteEngine Off\n</Location>",
    _of_root("Options None") + f"<Location /dir>\n{FORBIDS}\n</Location>",
    f"<LocationMatch ^/(d|a)>\n{FORBIDS}\n</LocationMatch>",
    f"<Files *.html>\n{FORBIDS}\n</Files>",
    _of_root(f"<Files a.html>\n{FORBIDS}\n</Files>"),
    f"<DirectoryMatch dir>\n{FORBIDS}\n</DirectoryMatch>",
    f"<If \"%{{QUERY_STRING}} == 'a=b'\">\n{FORBIDS}\n</If>",
    "<Location />\nRewriteEngine On\nRewriteCond %{HTTPS} !on\nRewriteCond %{REQUEST_URI} !^/a\nRewriteRule (.*) https://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]\n</Location>",
    "<Location /dir>\nRewriteEngine On\nRewriteRule ^ - [E=met:1]\nHeader set X-Met %{met}e\n</Location>",
    _of_root("RewriteEngine On\nRewriteRule ^dir/x /a.html [L]") + f"<Location /a.html>\n{FORBIDS}\n</Location>",
    f"RewriteEngine On\nRewriteRule ^/zz /a.html [PT]\n<Location /a.html>\n{FORBIDS}\n</Location>",
    f"Alias /al ROOT/dir\n<Location /al>\n{FORBIDS}\n</Location>",
    f"ErrorDocument 403 /404.html\n<Location />\n{FORBIDS}\n</Location>",
    f"<Location /dir>\n{FORBIDS}\nRedirect 301 http://elsewhere.fernhollow.example/\n</Location>",
    # Where rewriting is on or off is said by another section that holds, too.
    "<Location /d>\nRewriteEngine On\n</Location>\n<Location /dir>\nRewriteRule ^ - [F]\n</Location>",
    f"<Location /dir>\n{FORBIDS}\n</Location>\n<Location />\nRewriteEngine Off\n</Location>",
    f"<Location />\nRewriteEngine Off\n</Location>\n<Location /dir>\n{FORBIDS}\n</Location>",
    "<Location />\nRewriteEngine On\n</Location>\n<Location /dir>\nRewriteRule ^ - [F]\n</Location>",
    "<Directory ROOT/dir>\nRewriteEngine On\n</Directory>\n<Location />\nRewriteRule ^ - [F]\n</Location>",
    "<DirectoryMatch /dir>\nRewriteEngine On\n</DirectoryMatch>\n<Location />\nRewriteRule ^ - [F]\n</Location>",
    "<Location /dir>\nRewriteEngine On\nRewriteRule ^ - [R=404,L]\n</Location>",
]
PATHS = ("/a.html", "/dir/", "/dir", "/dir/x", "/", "/zz", "/nothing", "/dir/index.html", "/al/", "/404.html")


@pytest.mark.parametrize("lines", READ)
def test_a_rule_that_asks_for_no_path_is_read(reads: Reads, tmp_path: Path, lines: str) -> None:
    rows = [("GET", "www.fernhollow.example", path + query, {}) for path in PATHS for query in ("", "?a=b")]
    assert disagreements("apache", httpd(lines).replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("rule", ["^dir - [F]", "^ /a.html [L]", "^/dir/(.*) /a.html?$1 [L]"])
def test_a_rule_that_asks_for_one_is_told(reads: Reads, rule: str) -> None:
    """Its pattern is tried on the file's whole name: nothing is foretold of the section, and the rest is."""
    text = httpd(f"<Location /dir>\nRewriteEngine On\nRewriteRule {rule}\n</Location>")
    assert reads.decide("apache", text, "/dir/x").gave_up
    assert reads.decide("apache", text, "/a.html").gave_up == ""
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    told = [entry for entry in made.ledger if entry.span.directive.startswith("RewriteRule")]
    assert [(entry.disposition.value, entry.finding.code.name) for entry in told if entry.finding] == [("unsupported", "value-unread")]
    assert "501" in "".join(made.writing.files.values())


@pytest.mark.parametrize("around", ["", _of_root("RewriteEngine On\nRewriteRule ^x - [F]\nRewriteOptions InheritDown")])
def test_rules_that_are_inherited_are_told(reads: Reads, around: str) -> None:
    text = httpd(f"{around}<Location /dir>\nRewriteEngine On\n{'' if around else 'RewriteOptions Inherit'}\nRewriteRule ^ - [F]\n</Location>")
    reading = reads.read("apache", text.replace("ROOT", str(reads.root)))
    assert [finding.span.directive for finding in reading.findings if finding.code.name == "value-unread"] == ["RewriteRule ^ - [F]"]


def test_the_scheme_is_a_group_of_a_condition(reads: Reads) -> None:
    text = httpd("RewriteEngine On\nRewriteCond %{HTTPS} ^(.*)$\nRewriteRule ^ /by-%1 [R,L]")
    assert reads.decide("apache", text, "/a").location == "http://www.fernhollow.example/by-off"


@pytest.mark.parametrize("section", ["<Directory ROOT/dir>", "<Directory ROOT>", "<Directory ROOT/*>"])
@pytest.mark.parametrize("beside", ["", "Alias /api ROOT/dir", "<Location /dir>\nOptions Indexes\n</Location>"])
def test_a_folder_without_its_slash_is_left_to_another_module(reads: Reads, tmp_path: Path, section: str, beside: str) -> None:
    """Rules of a folder are refused without FollowSymLinks, but for the folder's own name."""
    options = "" if beside.startswith("<") else "\nOptions Indexes"
    text = httpd(f"{beside}\n{section}\nRewriteEngine On\nRewriteRule ^nix /y{options}\n</Directory>").replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/api", "/api/", "/api/x", "/dir", "/dir/", "/dir/x", "/bare", "/nix", "/")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


def test_patterns_for_folders_hold_by_their_slashes(reads: Reads, tmp_path: Path) -> None:
    """Not in the order of the file: a pattern with fewer slashes comes first, and a later one's word counts."""
    sections = "".join(f'<DirectoryMatch "{pattern}">\nHeader always append X-Held {number}\n</DirectoryMatch>\n'
                       for number, pattern in enumerate(["^(.*)/dir/", "/roo./dir/", "[/]dir", "(?i)DIR", ".*roo"]))
    text = httpd(sections + '<DirectoryMatch "/dir">\nAllowMethods HEAD\n</DirectoryMatch>\n<DirectoryMatch dir>\nAllowMethods reset\n</DirectoryMatch>')
    assert dict(reads.decide("apache", text, "/dir/").fields)["x-held"] == "3, 4, 2, 0, 1"
    assert reads.decide("apache", text, "/dir/x", "POST").status == 405
    rows = [(method, "www.fernhollow.example", path, {}) for method in ("GET", "POST") for path in ("/dir/", "/dir/x", "/a.html")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (6, [])
