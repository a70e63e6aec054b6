"""Files that lie compressed beside others: nginx `gzip_static`, Caddy `precompressed`."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from young_lantern.behaviour.compare import compare_estates
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import read, translate

HOST = "www.fernhollow.example"
PATHS = ("/a.css", "/only.css", "/d/", "/d/index.html", "/d", "/b.css", "/folder.css", "/none")
ACCEPTED = (None, "gzip", "gzip;q=0", "*", "br, gzip", "gzip;q=0.5, br;q=0.1", "GZIP", "zstd, identity", "gzip ; q=0.000")


@pytest.fixture
def root(tmp_path: Path) -> Path:
    root = tmp_path / "tools"
    (root / "d").mkdir(parents=True)
    (root / "folder.css.gz").mkdir()
    tmp_path.chmod(0o755)
    for name in ("a.css", "b.css", "folder.css", "d/index.html"):
        (root / name).write_text(f"plain {name}\n")
    for name in ("a.css", "only.css", "d/index.html"):
        (root / f"{name}.gz").write_bytes(gzip.compress(f"packed {name}\n".encode()))
    (root / "a.css.br").write_bytes(b"br")
    (root / "a.css.zst").write_bytes(b"zstd")
    return root


def asked(methods: tuple[str, ...] = ("GET",)) -> list[tuple[str, str, str, dict[str, str]]]:
    return [(method, HOST, path, {} if said is None else {"Accept-Encoding": said}) for method in methods for path in PATHS for said in ACCEPTED]


@pytest.mark.parametrize("lines", ["gzip_static on;", "gzip_static always;", "gzip_static off;", "gzip_static on; gzip on; gzip_types text/css; gzip_min_length 1; gzip_vary on;"])
@pytest.mark.parametrize("place", ["", "location / { try_files $uri $uri/ =410; }", "location /d { gzip_static off; }"])
def test_nginx_is_asked(tmp_path: Path, root: Path, lines: str, place: str) -> None:
    text = f"events {{}}\nhttp {{\ninclude /etc/nginx/mime.types;\nserver {{ listen 80; server_name {HOST}; root {root}; {lines} {place} }}\n}}\n"
    rows = asked(("GET", "HEAD", "POST"))
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("words", [" gzip", " br gzip", " zstd br", " gzip zstd br"])
@pytest.mark.parametrize("before", ["", "encode gzip\n\t", "try_files {path} /d/index.html\n\t"])
def test_caddy_is_asked(tmp_path: Path, root: Path, words: str, before: str) -> None:
    text = f"{{\n\tauto_https off\n}}\nhttp://{HOST} {{\n\troot * {root}\n\t{before}file_server {{\n\t\tprecompressed{words}\n\t}}\n}}\n"
    rows = asked(("GET", "HEAD"))
    assert disagreements("caddy", text, rows, tmp_path / "asked") == (len(rows), [])


NGINX = "events {{}}\nhttp {{\ninclude /etc/nginx/mime.types;\nserver {{ listen 80; server_name {host}; root {root}; {line} }}\n}}\n"
CADDY = "{{\n\tauto_https off\n}}\nhttp://{host} {{\n\troot * {root}\n\tfile_server {{\n\t\t{line}\n\t}}\n}}\n"


def test_they_move_from_one_to_the_other(reads: Reads, tmp_path: Path, root: Path) -> None:
    for dialect, target, text, line in (
        ("nginx", "caddy", NGINX.format(host=HOST, root=root, line="gzip_static on;"), "precompressed gzip"), ("caddy", "nginx", CADDY.format(host=HOST, root=root, line="precompressed gzip"), "gzip_static on;"),
    ):
        made = translate(reads.write(dialect, text), target, dialect=dialect)
        assert line in "".join(made.writing.files.values())
        assert not [item for cause in made.comparison.causes for item in cause.differences if item.what == "content coding"]
        out = tmp_path / target
        for name, written in made.writing.files.items():
            (out / name).parent.mkdir(parents=True, exist_ok=True)
            (out / name).write_text(written)
        live = check_live(read(reads.write(dialect, text), dialect), read(out), most=150)
        assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]


@pytest.mark.parametrize(("dialect", "line", "target", "said"), [
    ("nginx", "gzip_static on;", "apache", "httpd by itself"), ("nginx", "gzip_static always;", "caddy", "to nobody who does not take them"),
    ("caddy", "precompressed br gzip", "nginx", "compressed by br"), ("caddy", "precompressed gzip", "apache", "httpd by itself"),
])
def test_what_a_target_does_not_send_is_told(reads: Reads, dialect: str, line: str, target: str, said: str) -> None:
    text = (NGINX if dialect == "nginx" else CADDY).format(host=HOST, root="/srv/tools", line=line)
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    told = [entry for entry in made.ledger if entry.finding is not None and said in entry.finding.why]
    assert [(entry.span.directive.split()[0], entry.disposition) for entry in told] == [("gzip_static", Disposition.UNSUPPORTED) if dialect == "nginx" else ("file_server", Disposition.CHANGED)]


def test_a_comparison_sees_that_they_are_sent(reads: Reads) -> None:
    pair = [reads.read("nginx", NGINX.format(host=HOST, root="/srv/tools", line=line)).estate for line in ("gzip_static on;", "")]
    found = [item.what for cause in compare_estates(*pair).causes for item in cause.differences]
    assert "content coding" in found and "status" in found  # nginx sends one whose plain file is not there


@pytest.mark.parametrize(("dialect", "text", "code"), [("nginx", NGINX, "gzip_static maybe;"), ("caddy", CADDY, "precompressed lzma"), ("caddy", CADDY, "precompressed")])
def test_words_that_are_none(reads: Reads, dialect: str, text: str, code: str) -> None:
    assert "value-unread" in [finding.code.name for finding in reads.read(dialect, text.format(host=HOST, root="/srv/tools", line=code)).findings]


@pytest.mark.parametrize("accepted", ["zstd;q=0.1, gzip", "gzip;q=0.9, zstd;q=0.8", "gzip;q=0.5", "zstd;q=0, gzip;q=0.001"])
def test_the_clients_weights_decide_which_coding_caddy_makes(tmp_path: Path, root: Path, accepted: str) -> None:
    (root / "long.html").write_text("tools " * 1000)
    text = f"{{\n\tauto_https off\n}}\nhttp://{HOST} {{\n\troot * {root}\n\tencode zstd gzip\n\tfile_server\n}}\n"
    assert disagreements("caddy", text, [("GET", HOST, "/long.html", {"Accept-Encoding": accepted})], tmp_path / "asked") == (1, [])
