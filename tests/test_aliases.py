"""nginx `try_files` beside an `alias`, as the running server has it: what is looked for, what the path then is, and where the fallback leads."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

BESIDE = nginx(
    'root ROOT; add_header X-Path "($uri)" always;\n'
    "location /v/ { alias ROOT/dir/; try_files $uri $uri/ /v/index.html?f=$uri; }\n"
    "location /l/ { alias ROOT/dir/; try_files $uri $uri/ /l/index.html; }\n"
    "location /n { alias ROOT/dir; try_files $uri $uri/ /n/index.html?f=$uri; }\n"
    "location /o/ { alias ROOT/dir/; try_files $uri /a.html?f=$uri; }\n"
    "location /w/ { alias ROOT/dir/; try_files /w/index.html =404; }\n"
    "location /b/ { alias ROOT/dir/; try_files index.html =404; }\n"
    "location /e/ { alias ROOT/dir/; try_files $arg_a =404; }\n"
    "location /f/ { alias ROOT/dir/; try_files $uri $arg_a; }\n"
    "location /c/ { alias ROOT/dir/; location /c/in/ { try_files $uri /c/in/z?f=$uri; } }\n"
    "location ~ ^/r/(.*)$ { alias ROOT/$1; try_files $uri =404; }\n"
    'location ~ ^/s/(.*)$ { alias ROOT/$1; try_files "" =404; }\n'
    "location ~ ^/u/(.*)$ { alias ROOT/dir; try_files /$1 /index.html; }\n"
    "location ~ ^/y/(.*)$ { alias ROOT/$1; try_files $uri/ =404; }\n"
)
# what is asked for: the status, the path by then, and the file below the root
ROWS = [
    ("/v/none", 404, "index.html", None),
    ("/v/index.html", 200, "/v/index.html", "dir/index.html"),
    ("/v/", 200, "/v/index.html", "dir/index.html"),
    ("/l/none", 200, "/l/index.html", "dir/index.html"),
    ("/n/none", 200, "/index.html", "index.html"),
    ("/o/none", 200, "/a.html", "a.html"),
    ("/w/x", 404, "/w/x", None),
    ("/b/x", 200, "/b/index.html", "dir/index.html"),
    ("/e/x?a=/e/index.html", 200, "/e/index.html", "dir/index.html"),
    ("/e/x?a=index.html", 200, "/e/index.html", "dir/index.html"),
    ("/f/x?a=/a.html", 200, "/a.html", "a.html"),
    ("/c/in/x", 404, "in/z", None),
    ("/r/a.html", 404, "/r/a.html", None),
    ("/r/dir", 200, "/r/dir", "dir/r/dir"),
    ("/s/a.html", 200, "", "a.html"),
    ("/u/index.html", 200, "/index.html", "dir/index.html"),
    ("/u/none", 200, "/index.html", "index.html"),
    ("/y/dir", 404, "/y/dir", None),
]


@pytest.fixture
def root(reads: Reads) -> Path:
    (reads.root / "dir/r").mkdir()
    (reads.root / "dir/r/dir").write_text("behind the whole alias\n")
    return reads.root


@pytest.mark.parametrize(("target", "status", "path", "file"), ROWS, ids=[row[0] for row in ROWS])
def test_what_is_found_beside_an_alias(reads: Reads, root: Path, tmp_path: Path, target: str, status: int, path: str, file: str | None) -> None:
    outcome = decide(reads.read("nginx", BESIDE).estate, request_for(SITE + target), real_files())
    assert (outcome.status, dict(outcome.fields)["x-path"], outcome.file) == (status, f"({path})", str(root / file) if file else None)
    asked, wrong = disagreements("nginx", BESIDE.replace("ROOT", str(root)), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert asked == 1 and not wrong


def test_a_fallback_that_may_begin_with_the_alias_is_not_foretold(reads: Reads, root: Path) -> None:
    """Where a variable decides whether a part of it is cut off, and it is."""
    assert decide(reads.read("nginx", BESIDE).estate, request_for(f"{SITE}/f/x?a=/f/index.html"), real_files()).gave_up


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_the_fallback_is_no_path_elsewhere_either(reads: Reads, root: Path, tmp_path: Path, target: str) -> None:
    """Both servers are asked, and answer as foretold; what differs, the comparison says."""
    made = translate(reads.write("nginx", BESIDE), target)
    save(made.writing.files, tmp_path / target)
    asked = [request_for(SITE + row[0]) for row in ROWS]
    assert not check_live(made.reading, read(tmp_path / target, target), requests=asked, most=200).surprises
    lost = decide(made.read_back.estate, asked[0], real_files())
    assert lost.status == 404 or any(cause.before.status == 404 for cause in made.comparison.causes)


def test_an_alias_by_its_bare_name_gets_its_slash_in_caddy(reads: Reads, root: Path, tmp_path: Path) -> None:
    """`/files` is led to `/files/` where the alias is a folder's, as httpd does it; an alias of one file is that file."""
    (root / "one.txt").write_text("one\n")
    made = translate(reads.write("apache", httpd(f"Alias /files {root}/dir\nAlias /one.txt {root}/one.txt\n<Directory {root}>\nRequire all granted\n</Directory>")), "caddy")
    after = made.read_back
    for path, status, location in (("/files", 301, "/files/"), ("/files?a=1", 301, "/files/?a=1"), ("/files/", 200, None), ("/one.txt", 200, None)):
        outcome = decide(after.estate, request_for(f"http://www.fernhollow.example{path}"), real_files())
        assert (outcome.status, outcome.location) == (status, location), path
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", "caddy"), most=250)
    assert not live.surprises and not [row for row in live.rows if row.request.target == "/files" and row.answers[1].status == 200]


@pytest.mark.parametrize("ends", ["break;", "if ($host = www.fernhollow.example) { break; }", "if ($arg_q = 1) { rewrite ^/old(.*)$ /docs$1; } break;", "break; rewrite ^/none /docs/;", ""])
def test_a_path_that_the_server_has_rewritten_before_a_break(tmp_path: Path, ends: str) -> None:
    """No alias is a folder for it, and an origin gets it as it is: ngx_http_script_break_code, whichever place is found afterwards."""
    tmp_path.chmod(0o755)
    for name in ("x.html", "a.html"):
        (tmp_path / "tools" / "docs").mkdir(parents=True, exist_ok=True)
        (tmp_path / "tools" / "docs" / name).write_text(name)
    text = nginx(f"root {tmp_path}/tools; rewrite ^(.*)\\.htm$ $1.html; {ends} location /docs/ {{ alias {tmp_path}/tools/docs/; }} location /app/ {{ proxy_pass http://192.0.2.9:81/v1/; }}")
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/docs/x.htm?q=1", "/docs/x.html", "/docs/a.htm", "/app/a.htm", "/app/a.txt", "/old/x.html?q=1")]
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (len(rows), [])
