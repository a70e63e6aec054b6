"""httpd: rules of a folder and redirects beside them are both tried on the path as it came: what is foretold, the server answers, or the line is told."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd

REDIRECTS = "Redirect 301 /dir http://elsewhere.fernhollow.example/new\nRedirectMatch 302 ^/bare/(.*)$ http://elsewhere.fernhollow.example/m/$1\nRedirect gone /old"
FRONT = "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteCond %{REQUEST_FILENAME} !-d\nRewriteRule . /index.html [L]"
APART = [
    f"RewriteRule ^index\\.html$ - [L]\n{FRONT}",
    f"RewriteRule !^dir/ - [S=1]\nRewriteRule x$ - [F]\n{FRONT}",
    f"RewriteRule !^(dir|old)/ - [S=2]\nRewriteRule x$ - [F]\nRewriteRule y$ http://elsewhere.fernhollow.example/y [R,L]\n{FRONT}",
    f"RewriteRule ^(dir|bare) - [C]\nRewriteRule x$ - [F]\n{FRONT}",
    f"RewriteRule ^(dir|bare) - [C]\nRewriteRule x$ - [G]\nRewriteRule y$ - [S=1]\nRewriteRule ^bare/(.*) /a.html?q=$1 [L]\n{FRONT}",
    "RewriteRule ^dir - [C]\nRewriteRule y$ /a.html?y [L]\nRewriteRule ^bare/x - [F]\nRewriteRule ^ /a.html?all [L,QSA]",
    "RewriteRule x$ - [S=1]\nRewriteRule ^ /a.html?all [L,QSA]\nRewriteRule ^bare/x - [F]",
    "RewriteRule x$ - [S=1]\nRewriteRule ^dir http://127.0.0.1:81/p [P]\nRewriteRule ^bare/x - [F]",
]
MIDWAY = [
    "RewriteRule ^dir/(.*) bare/$1\nRewriteRule ^bare/x - [G]\nRewriteRule ^bare /a.html",
    "RewriteRule ^dir/(.*) b/$1 [C]\nRewriteRule ^b/x - [F]\nRewriteRule . /a.html [L]",
    "RewriteRule ^(.*)dir(.*)$ $1b$2 [N]\nRewriteRule x$ - [F]",
    "RewriteRule ^dir/(.*) bare/$1?q=$1\nRewriteRule ^bare /a.html",
    "RewriteRule ^dir/(.*) bare/$1\nRewriteRule ^bare/x /a.html",
]
ROWS = [("GET", "www.fernhollow.example", path, {}) for path in (
    "/", "/dir/", "/dir", "/dir/x", "/dir/y", "/dir/z", "/bare/x", "/bare/y?a=b", "/bare/x.txt", "/bare/", "/old", "/old/x", "/old/y", "/a.html", "/none", "/x", "/y", "/none?q=1", "/b/x",
)]


@pytest.mark.parametrize("within", ["<Directory ROOT>\n{}\n</Directory>", "<Directory ROOT>\n{}\n</Directory>\n<Location /bare>\nRedirect 307 http://elsewhere.fernhollow.example/bare\n</Location>"])
@pytest.mark.parametrize("rules", APART)
def test_rules_that_stand_apart(reads: Reads, tmp_path: Path, rules: str, within: str) -> None:
    text = httpd(within.replace("{}", f"{REDIRECTS}\nRewriteEngine On\n{rules}"))
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


@pytest.mark.parametrize("rules", MIDWAY)
def test_rules_that_follow_upon_others(reads: Reads, tmp_path: Path, rules: str) -> None:
    text = httpd(f"<Directory ROOT>\n{REDIRECTS}\nRewriteEngine On\n{rules}\n</Directory>")
    asked, wrong = disagreements("apache", text.replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked")
    assert wrong == [] and asked >= 7
    assert asked == len(ROWS) or reads.read("apache", text).findings
