"""What files are besides being there: `-x` of nginx and httpd, `-l` of httpd."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour.differences import Severity
from young_lantern.behaviour.request import assumed, Assumed, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.decide import decide
from young_lantern.model import Disposition
from young_lantern.translate import translate

PATHS = ("plain", "tool", "group", "dir/", "link", "linktool", "linkdir/", "none", "tool/more", "plain/")


@pytest.fixture
def root(tmp_path: Path) -> Path:
    tmp_path.chmod(0o755)
    for name, mode in (("plain", 0o644), ("tool", 0o755), ("group", 0o654)):
        (tmp_path / name).write_text("x")
        (tmp_path / name).chmod(mode)
    (tmp_path / "dir").mkdir()
    for name, target in (("link", "plain"), ("linktool", "tool"), ("linkdir", "dir")):
        (tmp_path / name).symlink_to(target)
    return tmp_path


@pytest.mark.parametrize("test", ["-x", "!-x", "-l", "-h", "!-L"])
@pytest.mark.parametrize("place", ["<Directory ROOT>\nOptions FollowSymLinks\n{}</Directory>\n", "{}"])
def test_httpd_is_asked(root: Path, test: str, place: str) -> None:
    name = "%{REQUEST_FILENAME}" if "<Directory" in place else "%{DOCUMENT_ROOT}%{REQUEST_URI}"
    rules = f"RewriteEngine On\nRewriteCond {name} {test}\nRewriteRule ^ /yes [R,L]\nRewriteRule ^ /no [R,L]\n"
    text = httpd(place.format(rules)).replace("ROOT", str(root)).replace("DOCUMENT_" + str(root), "DOCUMENT_ROOT")
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", f"/{path}", {}) for path in PATHS], root) == (len(PATHS), [])


@pytest.mark.parametrize("test", ["-x", "!-x"])
def test_nginx_is_asked(root: Path, test: str) -> None:
    text = f"events {{}}\nhttp {{\nserver {{ listen 80; root {root};\nlocation / {{ if ({test} $request_filename) {{ return 204; }} return 205; }} }}\n}}\n"
    # nginx asks for the owner's right alone.
    paths = [path for path in PATHS if path != "group"]
    assert disagreements("nginx", text, [("GET", "www.fernhollow.example", f"/{path}", {}) for path in paths], root) == (len(paths), [])


NGINX = "events {}\nhttp {\nserver { listen 80; root /srv/tools; location / { if (-x $request_filename) { return 403; } } }\n}\n"


def test_it_moves_to_who_asks_it_too(reads: Reads) -> None:
    made = translate(reads.write("nginx", NGINX), "apache")
    assert "-x" in "".join(made.writing.files.values())
    assert not [item for cause in made.comparison.of(Severity.BREAKING) for item in cause.differences if item.what == "status"]


def test_where_nobody_asks_it_that_is_told(reads: Reads) -> None:
    made = translate(reads.write("nginx", NGINX), "caddy")
    assert [entry.disposition for entry in made.ledger if entry.span.directive.startswith("if")] == [Disposition.UNSUPPORTED]
    assert any("whether a file may be executed" in str(entry.finding) + entry.reason for entry in made.ledger if entry.span.directive.startswith("if"))


def test_a_comparison_tries_both(reads: Reads) -> None:
    """That the test is left out shows in a file that may be executed, and in no other."""
    one = reads.read("nginx", NGINX).estate
    for what, status in ((Assumed.FILES, 200), (Assumed.PROGRAMS, 403), (Assumed.LINKS, 200), (Assumed.NOTHING, 404)):
        assert decide(one, request_for("http://www.fernhollow.example/tool"), assumed(what, frozenset())).status == status
    scripts = NGINX.replace("location /", r"location ~ \.cgi$")
    pair = [reads.read("nginx", text).estate for text in (scripts, scripts.replace("if (-x $request_filename) { return 403; }", ""))]
    assert "a file that may be executed" in {cause.facts for cause in compare_estates(*pair).of(Severity.BREAKING)}
