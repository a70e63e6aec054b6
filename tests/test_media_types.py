"""Content-Type: read, foretold, compared and written, against the servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.outcome import outcome_of
from young_lantern.behaviour.request import placed
from young_lantern.model import FileKind, Severity
from young_lantern.model.registered_types import REGISTERED, usual_name
from young_lantern.translate import save, translate

NAMES = ["a.html", "a.JS", "a.css", "a.json", "a.txt", "a.xml", "a.svg", "a.odd", "a", ".html", "a.html.fr", "a.odd.html", "a.html.odd", "a.tar.gz", "..html", "..a.html", "...html", "....html", "d/index.html"]
PAGES = "types { text/html html htm shtml; application/xhtml+xml xhtml; image/svg+xml svg svgz; text/xml xml; application/octet-stream bin; }"
NGINX = """
include /etc/nginx/mime.types;
server {
  listen 80; root ROOT; server_name www.fernhollow.example;
  location /plain/ { alias ROOT/; default_type application/octet-stream; }
  location /utf/ { alias ROOT/; charset utf-8; }
  location /css/ { alias ROOT/; charset koi8-r; charset_types text/css; }
  location /own/ { alias ROOT/; types { text/x-page html odd; } default_type ''; }
  location /all/ { alias ROOT/; types { } default_type text/x-all; }
  location = /alias.css { alias ROOT/a.html; }
  location /try/ { try_files /none /a.json =404; }
  location /again/ { rewrite ^/again(/.*)$ $1 break; }
  location = /text { return 200 ok; }
  location = /text.json { return 200 '{}'; }
  location = /twice { add_header Content-Type text/x-added; return 200 ok; }
  location = /page { charset utf-8; default_type text/html; return 404 gone; }
}
"""
HTTPD = """
DocumentRoot ROOT
Alias /utf ROOT
Alias /typed ROOT
Alias /forced ROOT
Alias /gone ROOT
Alias /set ROOT
Alias /else ROOT
AddType text/x-odd .odd
ErrorDocument 200 fine
<Location /utf>
AddDefaultCharset utf-8
AddCharset koi8-r .css
</Location>
<Location /typed>
AddType "text/html; charset=latin1" .odd
AddDefaultCharset utf-8
</Location>
<Location /forced>
ForceType text/plain
</Location>
<Location /forced/d>
ForceType None
</Location>
<Location /gone>
RemoveType .html .js
Header setifempty Content-Type text/x-empty
</Location>
<Location /else>
AddCharset koi8-r .fr
AddDefaultCharset utf-8
Header set Content-Type text/plain "expr=-z %{CONTENT_TYPE}"
</Location>
<Location /else/d>
RemoveType .html
Header set Content-Type text/x-later "expr=%{CONTENT_TYPE} == ''"
</Location>
<Location /set>
Header edit Content-Type html xhtml
</Location>
RewriteEngine On
RewriteRule ^/text$ - [R=200,L]
"""
CADDY = """
root * ROOT
header /set/* Content-Type text/x-set
header /set/a.css {
	Content-Type text/x-late
	defer
}
handle_path /set/* {
	file_server browse {
		index none.html
	}
}
handle_path /else/* {
	header ?Content-Type text/x-else
	file_server
}
handle /text {
	respond "fine"
}
handle /json {
	respond `{"a": 1}`
}
handle /typed {
	header Content-Type text/html
	respond "<p>fine"
}
handle {
	file_server
}
"""
CONFIGS = {
    "nginx": (lambda root: "events {}\nhttp {" + NGINX.replace("ROOT", root) + "}", ["/plain", "/utf", "/css", "/own", "/all", "/again"], ["/alias.css", "/try/x", "/text", "/text.json", "/twice", "/page"]),
    "apache": (lambda root: httpd(HTTPD.replace("ROOT", root)), ["", "/utf", "/typed", "/forced", "/gone", "/set", "/else"], ["/text"]),
    "caddy": (lambda root: caddy(CADDY.replace("ROOT", root)), ["", "/set", "/else"], ["/text", "/json", "/typed", "/set/d/"]),
}


@pytest.mark.parametrize("dialect", sorted(CONFIGS))
def test_the_server_sends_what_is_foretold(dialect: str, tmp_path: Path) -> None:
    make, prefixes, others = CONFIGS[dialect]
    root = tmp_path / "root"
    for name in NAMES:
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text("content\n")
    targets = [f"{prefix}/{name}" for prefix in prefixes for name in NAMES] + [f"{prefix}/d/" for prefix in prefixes] + others
    asked, wrong = disagreements(dialect, make(str(root)), [("GET", "www.fernhollow.example", target, {}) for target in targets], tmp_path / "c")
    assert asked == len(targets)
    assert wrong == []


def _types(reads: Reads, dialect: str, text: str, path: str) -> tuple[str, ...] | None:
    """The Content-Type lines foretold for a path whose file is there."""
    reading = reads.read(dialect, text)
    facts = placed({"/srv" + path: FileKind.FILE}, frozenset({"/srv"}))
    return decide(reading.estate, Request("GET", "http", "www.fernhollow.example", 80, path), facts).media_types


@pytest.mark.parametrize(
    ("dialect", "text", "path", "wanted"),
    [
        ("nginx", nginx("root /srv;"), "/a.html", ("text/html",)),
        ("nginx", nginx("root /srv;"), "/a.css", ("text/plain",)),
        ("nginx", nginx("root /srv;", "types { text/css css; } default_type '';"), "/a.html", ()),
        ("apache", httpd("DocumentRoot /srv"), "/a.js", ("text/javascript",)),
        ("apache", httpd("DocumentRoot /srv"), "/a", ()),
        ("apache", httpd("DocumentRoot /srv"), "/a.odd", None),
        ("caddy", caddy("root * /srv\nfile_server"), "/a.css", ("text/css; charset=utf-8",)),
        ("caddy", caddy("root * /srv\nfile_server"), "/a.odd", None),
    ],
)
def test_of_a_file(reads: Reads, dialect: str, text: str, path: str, wanted: tuple[str, ...] | None) -> None:
    assert _types(reads, dialect, text, path) == wanted


def test_it_is_part_of_an_outcome_in_json(reads: Reads) -> None:
    reading = reads.read("nginx", nginx("location = /t { default_type text/x-one; add_header Content-Type text/x-two; return 200 ok; }"))
    outcome = decide(reading.estate, Request("GET", "http", "www.fernhollow.example", 80, "/t"), placed({}, frozenset()))
    made = outcome.as_json()
    assert made["fields"]["content-type"] == ["text/x-one", "text/x-two"]
    assert outcome_of(made).media_types == outcome.media_types


@pytest.mark.parametrize(
    ("before", "after", "severity"),
    [
        ("types { text/html x; }", "types { text/css x; }", Severity.BREAKING),
        ("types { text/javascript x; }", "types { application/javascript x; }", Severity.MINOR),
        ("types { text/html x; }", "types { text/html x; } charset utf-8; charset_types text/y;", Severity.MINOR),
        ("types { text/css y; } default_type application/octet-stream;", "types { text/css x; text/css y; } default_type application/octet-stream;", Severity.MINOR),
        ("types { text/css y; } default_type text/plain;", "types { text/html x; text/css y; } default_type text/plain;", Severity.BREAKING),
        ("types { text/html x; }", "types { text/html x; } add_header Content-Type text/plain;", Severity.MINOR),
        ("types { text/html x html; }", "types { text/html x html; } add_header Content-Type text/plain;", Severity.BREAKING),
        ("types { text/plain x; }", "types { application/octet-stream x; }", Severity.BREAKING),
        ("types { application/octet-stream x; }", "types { text/plain x; }", Severity.MINOR),
        ("types { text/plain x; }", "types { } default_type '';", Severity.BREAKING),
        ("types { } default_type '';", "types { text/css x; }", Severity.MINOR),
        ("types { text/html x; } charset utf-8;", "types { text/html x; } charset koi8-r;", Severity.BREAKING),
        ("location / { proxy_pass http://127.0.0.1:8181; }", "location / { proxy_pass http://127.0.0.1:8181; add_header Content-Type text/css; }", Severity.BREAKING),
        ("location / { proxy_pass http://127.0.0.1:8181; }", "location / { proxy_pass http://127.0.0.1:8181; charset utf-8; }", Severity.MINOR),
        ("location / { proxy_pass http://127.0.0.1:8181; charset koi8-r; }", "location / { proxy_pass http://127.0.0.1:8181; charset utf-8; }", Severity.BREAKING),
    ],
)
def test_how_much_another_type_matters(reads: Reads, before: str, after: str, severity: Severity) -> None:
    """And files that end in `.x` are asked for, though no rule of either speaks of them, where the tables differ in that."""
    one, other = (reads.read("nginx", nginx(f"root /srv; {rules}" if "location" in rules else "root /srv;", "" if "location" in rules else rules)).estate for rules in (before, after))
    causes = [cause for cause in compare_estates(one, other).causes if cause.summary.startswith("field content-type")]
    assert min(causes, key=lambda cause: cause.severity.value).severity is severity
    assert compare_estates(one, one).causes == ()


def test_the_kinds_of_endings_that_are_not_asked_for_are_told(reads: Reads) -> None:
    """And those that matter most are asked for first; of those that clients take alike, one."""
    names = [f"a{number}" for number in range(40)]
    before = f"types {{ text/plain y z; text/css {' '.join(names)}; }}"
    after = f"types {{ text/x-y y; text/x-z z; {' '.join(f'text/x-{name} {name};' for name in names)} }}"
    one, other = (reads.read("nginx", nginx("root /srv;", rules)).estate for rules in (before, after))
    found = compare_estates(one, other)
    assert {cause.severity for cause in found.causes} == {Severity.BREAKING}
    assert [note for note in found.sampled if "41 kinds of endings differ on" in note]
    assert compare_estates(one, one).sampled == ()


@pytest.mark.parametrize(
    ("dialect", "text", "target", "wanted"),
    [
        ("nginx", nginx("root /srv; location = /up { default_type text/html; return 200 up; }", PAGES), "caddy", ["header Content-Type text/html", "respond"]),
        ("nginx", nginx("root /srv; charset utf-8;", "types { text/html html; text/xml xml; }"), "apache", ['AddDefaultCharset "utf-8"', 'AddCharset "utf-8" .xml']),
        ("nginx", nginx("root /srv; location /raw/ { types { } default_type text/plain; }"), "apache", ['ForceType "text/plain"']),
        ("nginx", nginx("root /srv; location /raw/ { types { } default_type text/plain; }", PAGES), "caddy", ["header Content-Type text/plain"]),
        ("nginx", nginx("root /srv; location = /up { default_type text/x-up; return 200 up; }"), "apache", ['Header always set Content-Type "text/x-up"']),
        ("apache", httpd("DocumentRoot /srv\nAddDefaultCharset utf-8"), "nginx", ["charset utf-8;", "charset_types text/plain;"]),
        ("apache", httpd("DocumentRoot /srv\nAddCharset koi8-r .css .txt"), "nginx", ["charset koi8-r;", "charset_types text/css text/plain;"]),
        ("apache", httpd("DocumentRoot /srv\n<Location /raw>\nForceType text/plain\n</Location>"), "nginx", ["types {", "default_type text/plain;"]),
        ("apache", httpd("DocumentRoot /srv\n<Location /d>\nAddType text/x-d .odd\n</Location>"), "nginx", ["include mime.types;", "types {", "text/x-d odd;"]),
        ("caddy", caddy("root * /srv\nfile_server"), "nginx", ["charset utf-8;"]),
        ("caddy", caddy("root * /srv\nfile_server"), "apache", ['AddCharset "utf-8" .html']),
        ("caddy", caddy("root * /srv\nfile_server\nheader ?Content-Type text/x-else"), "nginx", ["default_type text/x-else;"]),
        ("caddy", caddy("root * /srv\nfile_server\nheader ?Content-Type text/x-else"), "apache", ['Header set Content-Type "text/x-else" "expr=-z %{CONTENT_TYPE}"']),
        ("nginx", nginx("root /srv; location /a/ { default_type application/octet-stream; }", PAGES), "caddy", ["handle /a/*", "header ?Content-Type application/octet-stream", "header ?Content-Type text/plain"]),
        ("nginx", nginx("root /srv; location /a/ { default_type text/x-a; }", PAGES), "apache", ['<Location "/a/">', '"text/x-a" "expr=-z', '<LocationMatch "^(?!/a/)">', '"text/plain" "expr=-z']),
        ("apache", httpd("DocumentRoot /srv\nHeader set Content-Type text/x-else \"expr=-z %{CONTENT_TYPE}\""), "nginx", ["default_type text/x-else;"]),
        ("apache", httpd("DocumentRoot /srv\nHeader set Content-Type text/x-else \"expr=-z %{CONTENT_TYPE}\""), "caddy", ["header ?Content-Type text/x-else"]),
        ("caddy", caddy("header /up Content-Type text/html\nrespond /up up"), "nginx", ["default_type text/html;"]),
        ("caddy", caddy("respond /up up"), "nginx", ['default_type "text/plain; charset=utf-8";']),
    ],
)
def test_what_is_written(reads: Reads, tmp_path: Path, dialect: str, text: str, target: str, wanted: list[str]) -> None:
    made = translate(reads.write(dialect, text).parent, target)
    written = "\n".join(text for name, text in made.writing.files.items() if name != "mime.types")
    at = 0
    for line in wanted:
        assert line in written[at:], f"{line} is not in\n{written[at:]}"
        at = written.index(line, at)
    assert not [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING and "content-type" in cause.summary]
    save(made.writing.files, tmp_path / "out")


def test_names_of_one_type() -> None:
    assert usual_name("application/javascript; charset=utf-8") == usual_name("text/javascript") == REGISTERED["mjs"]
    assert usual_name("Text/HTML") == "text/html" != usual_name("text/htm")


@pytest.mark.parametrize(
    ("target", "wanted"),
    [
        ("nginx", {"AddDefaultCharset": "kept", "AddType": "kept", "AddCharset": "kept", "RemoveType": "kept"}),
        ("caddy", {"AddDefaultCharset": "implied", "AddType": "unsupported", "AddCharset": "implied", "RemoveType": "unsupported"}),
    ],
)
def test_the_ledger_knows_every_line_of_a_host(reads: Reads, target: str, wanted: dict[str, str]) -> None:
    host = "AddDefaultCharset utf-8\nAddType text/x-own .own\nAddCharset utf-8 .css\nRemoveType .js"
    ledger = translate(reads.write("apache", httpd(host)).parent, target).ledger
    said = {entry.span.directive.split()[0]: entry for entry in ledger}
    assert {name: said[name].disposition.value for name in wanted} == wanted
    assert all(said[name].targets for name, disposition in wanted.items() if disposition == "kept")


def test_a_type_that_a_rule_gave_to_an_error_is_told(reads: Reads) -> None:
    """What a server says of its own words is not foretold; that a rule's type goes is."""
    causes = translate(reads.write("apache", httpd("DocumentRoot /srv\nHeader always set Content-Type text/x-all")).parent, "nginx").comparison.causes
    assert [cause.severity for cause in causes if cause.summary == "field content-type: text/x-all becomes that of the server's own words"]


def test_a_charset_by_the_ending_comes_in_the_place_of_the_types_own(reads: Reads, tmp_path: Path) -> None:
    """mod_mime.c, find_ct (2.4.71, probed)."""
    text = httpd("AddType 'text/css; charset=koi8-r' png\nAddCharset iso-8859-5 .png")
    (reads.root / "y.png").write_text("y")
    assert reads.decide("apache", text, "/y.png").media_types == ("text/css; charset=iso-8859-5",)
    rows = [(method, "www.fernhollow.example", "/y.png", {}) for method in ("GET", "OPTIONS")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (2, [])
