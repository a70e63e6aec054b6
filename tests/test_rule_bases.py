"""httpd, `RewriteBase` of one folder within another: which one counts, asked of the running server."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

RULES = "RewriteRule ^old$ new [R=301,L]\nRewriteRule ^in$ index.html [L]"


def nested(above: str, within: str) -> str:
    return httpd(f"DocumentRoot ROOT\n<Directory ROOT>\nRequire all granted\nRewriteEngine On\n{above}\n</Directory>\n<Directory ROOT/dir>\n{within}\n{RULES}\n</Directory>")


# Lines of the outer folder and of the inner one; what is put before a relative substitution (None: the file's whole name), and the status of the rule inside.
BASES = {
    "of the outer one": ("RewriteBase /p/", "", None, 200),
    "of the outer one, on in both": ("RewriteBase /p/", "RewriteEngine On", None, 200),
    "of the inner one": ("", "RewriteBase /p/", "/p/", 404),
    "of both": ("RewriteBase /p/", "RewriteBase /dir", "/dir/", 200),
    "merged by the inner one": ("RewriteBase /p/", "RewriteOptions MergeBase", "/p/", 404),
    "merged by the outer one": ("RewriteBase /p/\nRewriteOptions MergeBase", "", "/p/", 404),
    "merged by the outer one, which the inner one does not": ("RewriteBase /p/\nRewriteOptions MergeBase", "RewriteOptions InheritDown", None, 200),
}


@pytest.mark.parametrize("which", BASES)
def test_the_base_of_a_folder_above_comes_down_where_it_is_said_to(reads: Reads, tmp_path: Path, which: str) -> None:
    above, within, base, status = BASES[which]
    text = nested(above, within)
    assert reads.decide("apache", text, "/dir/old").location == f"{SITE}{base or f'{reads.root}/dir/'}new"
    assert reads.decide("apache", text, "/dir/in").status == status
    rows = [("GET", "www.fernhollow.example", target, {}) for target in ("/dir/old", "/dir/in", "/dir/none", "/dir/")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_the_base_that_counts_is_carried(reads: Reads, tmp_path: Path, target: str) -> None:
    made = translate(reads.write("apache", nested("RewriteBase /\nRewriteRule ^index\\.html$ - [L]", "RewriteBase /dir/")), target)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", target), most=100)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []


def test_a_page_for_errors_ends_where_the_servers_own_words_are_wanted(reads: Reads, tmp_path: Path) -> None:
    """core, ErrorDocument: `default` within a place that has a page from above."""
    text = httpd("DocumentRoot ROOT\nErrorDocument 404 /404.html\nErrorDocument 403 Closed\n<Directory ROOT>\nRequire all granted\n</Directory>\n<Location /dir>\nErrorDocument 404 default\n</Location>")
    assert [reads.decide("apache", text, target).file is None for target in ("/none", "/dir/none")] == [False, True]
    rows = [("GET", "www.fernhollow.example", target, {}) for target in ("/none", "/dir/none", "/dir/", "/bare/")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", text), target)
        assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
        save(made.writing.files, tmp_path / target)
        assert not check_live(made.reading, read(tmp_path / target, target), most=100).surprises
