"""What servers change in the content of answers: sub_filter and Substitute, by the model, by the servers, and carried from one to the other."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide, real_files, request_for
from young_lantern.behaviour.contents import come_to_the_same, edited
from young_lantern.behaviour.outcome import Edit
from young_lantern.lab.live import check_live
from young_lantern.model import Pattern
from young_lantern.patterns.plain import plain_text
from young_lantern.translate import read, save, translate

TEXT = "<head>FERN fern http://old.fernhollow.example/x\n</head></head>http://old.fernhollow.example"
TYPES = "types { text/html html; text/css css; text/plain txt; }"
NGINX = nginx(
    """root ROOT; add_header X-Shelf 7;
    sub_filter 'fern' 'moss'; sub_filter '</head>' '<meta name="a|b"></head>';
    location / { }
    location /css/ { sub_filter_once off; sub_filter 'http://old.fernhollow.example' 'https://www.fernhollow.example'; sub_filter_types text/css; }
    location /all/ { sub_filter_once off; sub_filter 'old.fernhollow.example' 'www.fernhollow.example'; sub_filter_types *; }
    location /app/ { sub_filter_once off; sub_filter 'old.fernhollow.example' 'www.fernhollow.example'; proxy_pass http://192.0.2.9:80; }""",
    TYPES,
)
HTTPD = "TypesConfig /dev/null\nAddType text/html .html\nAddType text/css .css\nAddType text/plain .txt\n" + httpd("""DocumentRoot ROOT
<Directory ROOT>
Require all granted
</Directory>
AddOutputFilterByType SUBSTITUTE text/html text/plain
AddOutputFilterByType DEFLATE text/html
Substitute "s|fern|moss|n"
<Location /css/>
Substitute "s/(o)ld\\.fernhollow/$1ne.fernhollow/i"
</Location>
<Location /all/>
SetOutputFilter SUBSTITUTE;DEFLATE
Substitute "s!FERN!moss!ni"
</Location>
<Location /app/>
ProxyPass http://192.0.2.9/
Substitute "s!http://192.0.2.9/!/app/!n"
</Location>""")
FILES = [f"{folder}page.{ending}" for folder in ("", "css/", "all/") for ending in ("html", "css", "txt")]
ASKED = [Request("GET", "http", "www.fernhollow.example", 80, f"/{name}") for name in FILES]


@pytest.fixture
def files(reads: Reads) -> Reads:
    for name in FILES:
        path = reads.root / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(TEXT)
    return reads


@pytest.mark.parametrize(("dialect", "text", "path", "wanted"), [
    ("nginx", NGINX, "/page.html", "<head>moss fern http://old.fernhollow.example/x\n<meta name=\"a|b\"></head></head>http://old.fernhollow.example"),
    ("nginx", NGINX, "/page.css", TEXT),
    ("nginx", NGINX, "/css/page.css", TEXT.replace("http://old", "https://www")),
    ("nginx", NGINX, "/all/page.txt", TEXT.replace("//old", "//www")),
    ("apache", HTTPD, "/page.txt", TEXT.replace("fern", "moss")),
    ("apache", HTTPD, "/css/page.html", TEXT.replace("old", "one").replace("fern", "moss")),  # what an inner section says comes first
    ("apache", HTTPD, "/all/page.css", TEXT.replace("fern", "moss").replace("FERN", "moss")),
])  # fmt: skip
def test_what_becomes_of_a_text(files: Reads, dialect: str, text: str, path: str, wanted: str) -> None:
    outcome = decide(files.read(dialect, text).estate, request_for(f"http://www.fernhollow.example{path}"), real_files())
    assert edited(TEXT, outcome.edits) == wanted


@pytest.mark.parametrize(("dialect", "text"), [("nginx", NGINX), ("apache", HTTPD)])
def test_the_servers_change_it_so(files: Reads, tmp_path: Path, dialect: str, text: str) -> None:
    """The files are really asked for, of both, and what comes is what was foretold."""
    other = {"nginx": "apache", "apache": "nginx"}[dialect]
    made = translate(files.write(dialect, text), other, dialect=dialect)
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", other), requests=ASKED, most=400)
    assert {row.request.target for row in live.rows} >= {request.target for request in ASKED}
    assert not live.surprises


def test_what_is_told_of_it(files: Reads) -> None:
    """httpd replaces every place, nginx minds no case, and Caddy changes nothing; each line says so."""
    there = translate(files.write("nginx", NGINX), "apache")
    assert sorted(item.span.line for item in there.findings if item.code.name == "replaced-everywhere") == [8, 8]
    written = "".join(there.writing.files.values())
    assert 'Substitute "s/old.fernhollow.example/www.fernhollow.example/ni"' in written and 'Substitute "s!</head>!<meta name=\\"a|b\\"></head>!ni"' in written
    assert not [cause for cause in there.comparison.causes if cause.severity.value == "breaking" and any(item.what == "changes of the content" for item in cause.differences)]
    back = translate(files.write("apache", HTTPD), "nginx", dialect="apache")
    assert "fern" in [dict(item.facts)["text"] for item in back.findings if item.code.name == "replaced-in-any-case"]
    for dialect, text, line in (("nginx", NGINX, "sub_filter"), ("apache", HTTPD, "Substitute")):
        made = translate(files.write(dialect, text), "caddy", dialect=dialect)
        assert any(entry.disposition.value == "unsupported" and entry.span.directive.startswith(line) for entry in made.ledger)
        assert any(item.what == "changes of the content" and item.after == "none" for cause in made.comparison.causes for item in cause.differences)
    assert not decide(files.read("caddy", caddy("root * ROOT\nfile_server")).estate, ASKED[0], real_files()).edits


@pytest.mark.parametrize(("line", "words"), [("Substitute s/a/b/", "SUBSTITUTE"), ("AddOutputFilterByType SUBSTITUTE text/html\nSubstitute x", "TEXT"), ("SetOutputFilter SUBSTITUTE\nSubstitute s/a/b/x", "TEXT")])
def test_a_line_that_does_nothing_is_told(reads: Reads, line: str, words: str) -> None:
    assert any(item.code.name == "value-unread" and words in str(item.facts) for item in reads.read("apache", httpd(line)).findings)


def _edit(find: str, value: str, together: bool = False, once: bool = False, caseless: bool = True) -> Edit:
    return Edit(Pattern(find, "pcre", caseless), value, once, together)


def test_edits_in_one_go_and_one_after_the_other() -> None:
    """nginx does not look again at what took a text's place; httpd does."""
    both = ("a", "b"), ("b", "c")
    one, other = (tuple(_edit(find, value, together) for find, value in both) for together in (True, False))
    assert (edited("a b A", one), edited("a b A", other)) == ("b c b", "c c c")
    assert not come_to_the_same(one, other)
    assert come_to_the_same((_edit("a", "x", True),), (_edit("a", "x"),))
    assert not come_to_the_same((_edit("a", "x"),), ())
    assert edited("aa", (_edit("a", "b", True, once=True),)) == "ba"


@pytest.mark.parametrize(("pattern", "text"), [("a\\.b", "a.b"), ("</head>", "</head>"), ("a.b", None), ("\\d", None), ("a|b", None), ("\\$x", "$x")])
def test_patterns_that_are_plain_texts(pattern: str, text: str | None) -> None:
    assert plain_text(Pattern(pattern)) == text


def test_patterns_are_the_same_or_they_are_not() -> None:
    """No sample text speaks for a pattern: one that is lost is no slight difference."""
    digits = (_edit(r"\d+", "#"),)
    assert not come_to_the_same(digits, ()) and come_to_the_same(digits, digits)
