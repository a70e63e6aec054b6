"""httpd: cookies (CO) and handlers (H) that a rule says: what is foretold, the server answers, and translations keep it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd

HOST = "www.fernhollow.example"
FLAGS = [
    "one:yes:.fernhollow.example", "one:yes", "one::fernhollow.example", "one:yes:", "one:yes:fernhollow.example:60:/:secure:HttpOnly:Lax", "one:yes:fernhollow.example:0:/p:1:true:0",
    ";one;a:b;fernhollow.example;10;/;false;false;Strict", "one:yes:fernhollow.example:x:/", "one:yes:fernhollow.example:-5", "one:%{QUERY_STRING}:fernhollow.example", "one:$1x:fernhollow.example",
    "one:yes:%{HTTP_HOST}:5", "one:a%{HTTP:X-None}b:fernhollow.example", ";one;a%{ENV:none}b;fernhollow.example", "one:yes:fernhollow.example,CO=two:no:fernhollow.example,CO=one:again:fernhollow.example",
]
ROWS = [("GET", HOST, path, {}) for path in ("/a.html", "/a.html?q=1", "/dir/", "/dir", "/nothing", "/bare/x.txt", "/a.html?a:b")]


@pytest.mark.parametrize("in_folder", [False, True])
@pytest.mark.parametrize("flag", FLAGS)
def test_a_cookie_that_a_rule_sets(reads: Reads, tmp_path: Path, flag: str, in_folder: bool) -> None:
    lines = f"RewriteEngine On\nRewriteRule ^/?(a|dir|nothing) - [CO={flag}]\nRewriteRule x\\.txt$ /a.html [L,CO={flag}]"
    text = httpd((f"<Directory ROOT>\n{lines}\n</Directory>" if in_folder else lines) + "\nErrorDocument 404 /404.html\nHeader always add Set-Cookie own=1\nHeader set X-A a")
    asked, wrong = disagreements("apache", text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked")
    assert wrong == []
    assert asked == len(ROWS) - sum(1 for *_, path, _ in ROWS if "QUERY_STRING" in flag and ("?" not in path or ":" in path) and "bare" not in path or "QUERY" in flag and "bare" in path)


@pytest.mark.parametrize(("rule", "told"), [
    ("^/p/([a-z]+)$ - [CO=one:$1:fernhollow.example]", False), ("^/p/(.*)$ - [CO=one:$1:fernhollow.example]", True), ("^/p/([a-z]*)$ - [CO=one:$1:fernhollow.example]", True),
    ("^/p/([a-z]*)$ - [CO=one:x$1:fernhollow.example]", False), ("^/p - [CO=one:%{QUERY_STRING}:fernhollow.example]", True), ("^/p - [CO=one:yes:fernhollow.example]", False),
])
def test_what_a_request_decides_of_a_cookie_is_told(reads: Reads, rule: str, told: bool) -> None:
    reading = reads.read("apache", httpd(f"RewriteEngine On\nRewriteRule {rule}"))
    assert [finding.code.name for finding in reading.findings] == (["cookie-parts-by-request"] if told else [])


@pytest.mark.parametrize("lines", [
    "RewriteRule ^/?a - [F,CO=one:yes:fernhollow.example]", "RewriteRule ^/?a /dir/ [R,CO=one:yes:fernhollow.example]", "RewriteRule ^/?a http://192.0.2.7:81/x [P,CO=one:yes:fernhollow.example]",
    "RewriteRule ^/?a - [CO=one:yes:fernhollow.example]\nHeader always unset Set-Cookie", "RewriteRule ^/?a - [CO=one:yes:fernhollow.example]\nHeader unset Set-Cookie",
    "RewriteRule ^/?dir$ - [CO=one:yes:fernhollow.example]\nHeader always unset Set-Cookie", "RewriteRule ^/?bare - [CO=one:yes:fernhollow.example]\nHeader always unset Set-Cookie\nErrorDocument 404 gone",
    "RewriteRule ^/?a /dir/ [PT,CO=one:a:fernhollow.example]\nRewriteRule ^/?dir - [CO=one:b:fernhollow.example]",
])
def test_cookies_with_other_flags(reads: Reads, tmp_path: Path, lines: str) -> None:
    text = httpd(f"RewriteEngine On\n{lines}").replace("ROOT", str(reads.root))
    assert disagreements("apache", text, ROWS, tmp_path / "asked") == (len(ROWS), [])


APP = "proxy:fcgi://192.0.2.5:9000"
HANDLERS = [
    f"RewriteRule \\.html$ - [H={APP}]", f"RewriteRule ^/?(dir|bare) - [H={APP},L]\nRewriteRule ^/?dir - [H=none]", f"RewriteRule ^/?short$ /a.html [PT,H={APP}]", "RewriteRule a\\.html - [handler=default-handler]",
    f"RewriteCond %{{QUERY_STRING}} q\nRewriteRule ^ - [H={APP}]",
]
MORE = ["", f"<Directory ROOT/dir>\nSetHandler {APP.replace('9000', '9001')}\n</Directory>\nAddHandler {APP.replace('9000', '9002')} .html"]
ASKED = [("GET", HOST, path, {}) for path in ("/a.html", "/a.html?q=1", "/dir/", "/dir", "/dir/x.html", "/nothing", "/short", "/bare/x.txt", "/style.css?q")]


@pytest.mark.parametrize("more", MORE)
@pytest.mark.parametrize("in_folder", [False, True])
@pytest.mark.parametrize("rules", HANDLERS)
def test_a_handler_that_a_rule_names(reads: Reads, tmp_path: Path, rules: str, in_folder: bool, more: str) -> None:
    lines = f"RewriteEngine On\n{rules}"
    text = httpd((f"<Directory ROOT>\n{lines}\n</Directory>" if in_folder else lines) + f"\n{more}").replace("ROOT", str(reads.root))
    # In a folder a rule with a handler and another path is left open.
    open_ = 1 if in_folder and "short" in rules else 0
    assert disagreements("apache", text, ASKED, tmp_path / "asked") == (len(ASKED) - open_, [])


def test_a_handler_that_keeps_a_folders_rules_from_beginning_again(reads: Reads, tmp_path: Path) -> None:
    """What answers is given a name that no file has; such requests are left open, and no others."""
    text = httpd("RewriteEngine On\nRewriteRule \\.css$ - [H=default-handler]\n<Directory ROOT>\nRewriteEngine On\nRewriteRule ^(?!a) /a.html [L]\n</Directory>").replace("ROOT", str(reads.root))
    assert disagreements("apache", text, [("GET", HOST, path, {}) for path in ("/b.css", "/x/y.css", "/b", "/a.css")], tmp_path / "asked") == (2, [])


@pytest.mark.parametrize(("rule", "in_folder"), [("a\\.html - [H=%{ENV:x}]", False), ("a\\.html /b.html [H=none]", True), ("a\\.html - [CO=one:yes:fernhollow.example:%{HTTP:X-Age}]", False)])
def test_handlers_and_cookies_that_are_not_read_are_told(reads: Reads, rule: str, in_folder: bool) -> None:
    lines = f"RewriteEngine On\nRewriteRule {rule}"
    reading = reads.read("apache", httpd(f"<Directory ROOT>\n{lines}\n</Directory>" if in_folder else lines))
    assert [(finding.code.name, finding.span.directive.split()[0]) for finding in reading.findings] == [("value-unread", "RewriteRule")]


@pytest.mark.parametrize("where", ["<Directory ROOT/dir>\nSetHandler {app}\n</Directory>", "<Location /dir>\nSetHandler {app}\n</Location>", "SetHandler {app}", "SetHandler {app}\nDirectorySlash Off",
                                   "SetHandler {app}\nDirectoryIndex none.html", "<FilesMatch \\.html$>\nSetHandler {app}\n</FilesMatch>", "AddHandler {app} .html"])
def test_a_folder_is_looked_at_before_its_handler(reads: Reads, tmp_path: Path, where: str) -> None:
    """mod_dir adds the slash and looks for index files, whoever answers for the folder."""
    rows = [("GET", HOST, path, {}) for path in ("/dir/", "/dir", "/dir?q=1", "/dir/%3Fy", "/dir/%01.html", "/a.html/%3F", "/%3F.html", "/dir/%23", "/dir/index.html", "/dir/no", "/bare/", "/bare", "/", "/a.html", "/a.html/info", "/nothing")]
    assert disagreements("apache", httpd(where.format(app=APP)).replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])
