"""RewriteCond's `-U` and `-F`: what the server itself would answer a path, or who may have a file."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
PATHS = ("/", "/a", "/a/", "/a/x.html", "/b/y.html", "/none", "/open.html", "/b/sub/z.html", "/x", "/gone", "/fore")
MARK = "RewriteRule ^ - [E=U:yes]\nHeader always set X-Allowed yes env=U\n"
GUARDS = "<Location /b>\nRequire all denied\n</Location>\nRedirect gone /gone\nRedirect 302 /fore /open.html\n"


def config(inside: str, host: str, root: str) -> str:
    return (f"Listen 80\nServerName 127.0.0.1\n<Directory {root}>\nRequire all granted\n{inside}\n</Directory>\n"
            f"<VirtualHost *:80>\nServerName {HOST}\nDocumentRoot {root}\n{host}\n</VirtualHost>\n")


@pytest.mark.parametrize("place", ["folder", "server"])
@pytest.mark.parametrize("rules", [
    "RewriteCond %{REQUEST_URI} -U\n" + MARK, "RewriteCond %{REQUEST_URI} !-U\n" + MARK, "RewriteCond /b/y.html -U\n" + MARK, "RewriteCond /open.html -U\n" + MARK, "RewriteCond /gone !-U\n" + MARK,
    "RewriteCond /b%{REQUEST_URI} -U\n" + MARK, "RewriteCond %{REQUEST_URI} -U\n" + MARK + "RewriteRule a/x - [F]\nRewriteRule open - [G]\nRewriteRule b/ /gone [R=404]\n",
    "RewriteCond /a/x.html -U\n" + MARK + "RewriteRule a/x /b/y.html [L]\n", "RewriteCond %{REQUEST_URI} !-U\nRewriteRule a - [F]\n",
])
def test_whether_the_server_would_answer(tmp_path: Path, rules: str, place: str) -> None:
    check(tmp_path, *(("RewriteEngine On\n" + rules, GUARDS) if place == "folder" else ("", "RewriteEngine On\n" + rules + GUARDS)))


@pytest.mark.parametrize("rules", [
    "RewriteCond %{REQUEST_FILENAME} -F\n" + MARK, "RewriteCond %{REQUEST_FILENAME} !-F\nRewriteRule ^ /index.html [L]\n", "RewriteCond %{REQUEST_FILENAME} -F\n" + MARK + "RewriteRule ^a/x /open.html [L]\n",
    "RewriteCond %{REQUEST_FILENAME} !-F\nRewriteRule ^(none|x|a/x.html)$ /index.html [L]\n", "RewriteCond %{REQUEST_FILENAME} -F [OR]\nRewriteCond %{REQUEST_URI} ^/none\n" + MARK,
])
def test_whether_the_file_may_be_had(tmp_path: Path, rules: str) -> None:
    check(tmp_path, "RewriteEngine On\n" + rules, GUARDS)


def check(tmp_path: Path, inside: str, host: str) -> None:
    tmp_path.chmod(0o755)
    root = tmp_path / "tools"
    for name in ("index.html", "a/index.html", "a/x.html", "b/y.html", "open.html", "b/sub/z.html"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text(name)
    rows = [(method, HOST, path, {}) for method in ("GET", "POST") for path in PATHS]
    assert disagreements("apache", config(inside, host, str(root)), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("line", ["RewriteCond %{DOCUMENT_ROOT}%{REQUEST_URI} -F", "RewriteCond %{REQUEST_FILENAME}.html -F", "RewriteCond %{HTTP:X-Path} -U", "RewriteCond /x?y=1 -U"])
def test_other_files_and_paths_are_told(reads: Reads, line: str) -> None:
    reading = reads.read("apache", config(f"RewriteEngine On\n{line}\nRewriteRule ^ - [F]", "", "/srv/tools"))
    assert [finding.code.name for finding in reading.findings] == ["condition-unread"]


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_no_other_server_asks_so(reads: Reads, target: str) -> None:
    made = translate(reads.write("apache", config("RewriteEngine On\nRewriteCond %{REQUEST_URI} !-U\nRewriteRule ^ - [F]", "", "/srv/tools")), target)
    assert any("server itself would answer" in finding.why for finding in made.findings)
    assert "501" in "\n".join(made.writing.files.values())
