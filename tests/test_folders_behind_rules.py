"""httpd: a rule of the server says which folder is meant, and rules of that folder, or a line that is spared a proxy, come after it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.test_apache_reader import httpd

HOST = "www.fernhollow.example"
PATHS = ("/ab", "/q/", "/q", "/sub", "/sub/", "/a/", "/a", "/ab?x=1", "/z", "/z/")
LISTED = "RedirectMatch 301 \\.(html|png)$ /r/$1\n"


@pytest.mark.parametrize("target", ["/sub/?k=v", "/a/?k=v", "/a?k=v", "/a/?k=v [PT]", "%{DOCUMENT_ROOT}/a/?k=v"])
@pytest.mark.parametrize(("lines", "inside"), [
    (LISTED, "RewriteRule ^(.*)$ http://192.0.2.9:81/p/$1 [P,L]"),
    ("", "RewriteRule ^(.*)$ http://192.0.2.9:81/p/$1 [P,L]"),
    ("", "RewriteRule ^(.*)$ http://192.0.2.9:81/p/$1 [P,QSD]"),
    (LISTED, "RewriteRule ^sub/(.*)$ /a/$1 [L]\nRewriteRule ^a/$ http://192.0.2.9:81/p/$1 [P,L]"),
])
def test_the_slash_and_the_index_file_go_by_the_path_that_came(tmp_path: Path, target: str, lines: str, inside: str) -> None:
    """The folder's slash is added to it, and no index file is looked for then; else that is looked for below it."""
    tmp_path.chmod(0o755)
    root = tmp_path / "root"
    for name in ("sub", "a", "q"):
        (root / name).mkdir(parents=True)
    for name in ("sub/y.png", "index.html", "a/index.html"):
        (root / name).write_text("x")
    (root / ".htaccess").write_text(f"RewriteEngine On\n{inside}\n")
    text = httpd(f"DocumentRoot {root}\n<Directory {root}>\nAllowOverride All\n</Directory>\nDirectoryIndex index.html\nRewriteEngine On\nRewriteRule ^/(b|ab|q/|z/?)$ {target}\n{lines}")
    assert disagreements("apache", text, [("GET", HOST, path, {}) for path in PATHS], tmp_path) == (len(PATHS), [])


@pytest.mark.parametrize("section", [
    "<Location /a>\nRedirect 302 /moved\nRequire all denied\n</Location>",
    '<If "%{REQUEST_URI} =~ m#^/a#">\nRedirect 302 /moved\n</If>\n<Location /a>\nRequire ip 198.51.100.0/24\n</Location>',
])
@pytest.mark.parametrize("merges", ["Off", "On"])
def test_a_path_with_two_slashes_that_is_spared_a_proxy_goes_on_as_it_came(tmp_path: Path, section: str, merges: str) -> None:
    tmp_path.chmod(0o755)
    root = tmp_path / "root"
    (root / "a").mkdir(parents=True)
    (root / "a" / "x.html").write_text("x")
    text = httpd(f"DocumentRoot {root}\nMergeSlashes {merges}\nProxyPass /a/ !\nProxyPass / http://192.0.2.9:81/\n{section}")
    paths = ("/a//x.html", "/a/x.html", "/a//none", "//a/x.html", "/a//", "/b//x")
    assert disagreements("apache", text, [("GET", HOST, path, {}) for path in paths], tmp_path) == (len(paths), [])
