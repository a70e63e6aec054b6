"""Whether a file, a folder or a link is there: RewriteCond's tests, as the other servers ask."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

FRONT = "RewriteRule ^ /index.html [L]"
ANY = "RewriteCond %{REQUEST_FILENAME} -s [OR]\nRewriteCond %{REQUEST_FILENAME} -l [OR]\nRewriteCond %{REQUEST_FILENAME} -d\nRewriteRule ^ - [L]\n" + FRONT
LAST = "RewriteCond %{REQUEST_FILENAME} -f [OR]\nRewriteCond %{REQUEST_FILENAME} -d [NC,OR]\nRewriteCond %{REQUEST_FILENAME} -h\nRewriteRule ^ - [L]\n" + FRONT
NONE = "RewriteCond %{REQUEST_FILENAME} !-d\nRewriteCond %{REQUEST_FILENAME} !-l\nRewriteCond %{REQUEST_FILENAME} !-f\n" + FRONT


def folder(rules: str) -> str:
    return httpd(f"<Directory ROOT>\nOptions FollowSymLinks\nRewriteEngine On\n{rules}\n</Directory>")


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize(("rules", "codes"), [(ANY, ["size-not-asked", "link-beside-files"]), (LAST, ["link-beside-files"]), (NONE, ["link-beside-files"])])
def test_links_are_left_out_beside_files_and_folders(reads: Reads, target: str, rules: str, codes: list[str]) -> None:
    (reads.root / "linked.html").symlink_to(reads.root / "a.html")
    (reads.root / "linked").symlink_to(reads.root / "dir")
    made = translate(reads.write("apache", folder(rules)), target)
    assert sorted({finding.code.name for finding in made.reading.findings}) == sorted(codes)
    text = "\n".join(made.writing.files.values())
    assert "501" not in text
    live = check_live(made.reading, made.read_back, most=150)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    assert {row.answers[0].status for row in live.rows} >= {200}


@pytest.mark.parametrize(
    "rules",
    [
        "RewriteCond %{REQUEST_FILENAME} -l\nRewriteRule ^ - [F]",
        "RewriteCond %{REQUEST_FILENAME} -f [OR]\nRewriteCond %{REQUEST_FILENAME} -l\nRewriteRule ^ - [F]",
        "RewriteCond %{REQUEST_FILENAME} -f [OR]\nRewriteCond %{DOCUMENT_ROOT}/x -l [OR]\nRewriteCond %{REQUEST_FILENAME} -d\nRewriteRule ^ - [F]",
        "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteCond %{REQUEST_FILENAME} -d\nRewriteCond %{REQUEST_FILENAME} !-l\nRewriteRule ^ - [F]",
    ],
)
def test_alone_they_are_asked(reads: Reads, rules: str) -> None:
    """And no other server asks so: what they guard is closed, and told."""
    assert not reads.read("apache", folder(rules)).findings
    made = translate(reads.write("apache", folder(rules)), "nginx")
    assert any("whether a file is a symbolic link" in finding.why for finding in made.findings)
    assert "501" in "\n".join(made.writing.files.values())
