"""httpd `AddEncoding`, `AddLanguage`: what files are sent with by the endings of their names."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour.compare import compare_estates
from young_lantern.model import Disposition, Severity
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
FILES = (
    "index.html", "doc.html.de", "doc.de.html", "doc.de", "a.xyz.de", "a.de.xyz", "page.html.gz", "page.tar.gz", "page.gz", "b.html.de.gz", "dir/index.html.de", "DOC.HTML.DE", ".de", "x.de.unknown", "de", "q.pt-br",
)


def files(tmp_path: Path) -> Path:
    root = tmp_path / "tools"
    tmp_path.chmod(0o755)
    for name in FILES:
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text(f"{name}\n")
    return root


@pytest.mark.parametrize("lines", [
    "AddLanguage de .de\nAddLanguage pt-BR .pt-br", "AddEncoding x-gzip .gz .tgz\nAddLanguage de de", "<Directory ROOT/dir>\nAddLanguage de .de\n</Directory>\n<Files page*>\nAddEncoding gzip gz\n</Files>",
    "AddLanguage de .de\nAddEncoding gzip .gz\nHeader append Content-Encoding gzip\nErrorDocument 404 /doc.html.de", "AddLanguage de .de\nAddOutputFilterByType DEFLATE text/html",
])
def test_each_ending_counts(tmp_path: Path, lines: str) -> None:
    root = files(tmp_path)
    asked = [("GET", HOST, f"/{name}", {}) for name in (*FILES, "dir/", "dir", "missing.de")] + [("HEAD", HOST, "/doc.de", {}), ("POST", HOST, "/doc.de", {})]
    assert disagreements("apache", httpd(f"DirectoryIndex index.html index.html.de\n{lines}").replace("ROOT", str(root)), asked, tmp_path / "asked") == (len(asked), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_they_are_carried_as_fields(reads: Reads, tmp_path: Path, target: str) -> None:
    made = translate(reads.write("apache", httpd("AddEncoding gzip .gz\nAddLanguage de .de\nAddLanguage fr .fr").replace("ROOT", str(files(tmp_path)))), target)
    text = "".join(made.writing.files.values())
    assert "Content-Encoding" in text and "Content-Language" in text and "gzip" in text
    assert {entry.span.directive.split()[1]: entry.disposition for entry in made.ledger if entry.span.directive.startswith("Add")} == {
        "gzip": Disposition.KEPT, "de": Disposition.KEPT, "fr": Disposition.IMPLIED}
    # What a target takes for the name of a file is any name on its path: a folder with such an ending is told.
    broken = [cause.example.target for cause in made.comparison.of(Severity.BREAKING) for item in cause.differences if item.what.startswith("field content-") and "type" not in item.what]
    assert all("." in target.rpartition("/")[0] for target in broken), broken


def test_a_coding_that_comes_or_goes_breaks_what_clients_read(reads: Reads, tmp_path: Path) -> None:
    root = str(files(tmp_path))
    packed, plain = (reads.read("apache", httpd(lines).replace("ROOT", root)).estate for lines in ("AddEncoding gzip .gz", ""))
    for pair in ((packed, plain), (plain, packed)):
        assert any(item.what == "field content-encoding" for cause in compare_estates(*pair).of(Severity.BREAKING) for item in cause.differences)


@pytest.mark.parametrize("line", ["DefaultLanguage en", "RemoveLanguage .de", "RemoveEncoding .gz"])
def test_beside_lines_that_are_not_read_they_are_told(reads: Reads, tmp_path: Path, line: str) -> None:
    made = translate(reads.write("apache", httpd(f"AddEncoding gzip .gz\nAddLanguage de .de\n<Files x>\n{line}\n</Files>").replace("ROOT", str(files(tmp_path)))), "nginx")
    told = {entry.span.directive.split()[0]: entry.disposition for entry in made.ledger if "Language" in entry.span.directive or "Encoding" in entry.span.directive}
    assert told["AddEncoding"] is Disposition.UNSUPPORTED and told["AddLanguage"] is Disposition.CHANGED and told[line.split()[0]] is Disposition.UNSUPPORTED
