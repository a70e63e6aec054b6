"""Caddy: what an import, of a file or a snippet, does to a word with an escaped brace."""

from __future__ import annotations

from pathlib import Path

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

SITE_FILE = r"""http://www.fernhollow.example {
	import words
	respond /one "a\{host}b"
	respond /two "a\\{host}b"
	handle /path {
		rewrite * /a\{c}b
		respond {path}
	}
	handle /kept {
		rewrite * `/a\\{c\\}b`
		respond {path}
	}
	@twice path_regexp ^/x\\{2\\}$
	respond @twice braces
	respond none
}
"""
MAIN = "{\n\tauto_https off\n}\n(words) {\n\trespond /snippet \"a\\\\{host}{args.0}b\"\n}\nimport sites.caddy\n"
ANSWERS = {"/one": "awww.fernhollow.exampleb", "/two": "a{http.request.host}b", "/path": None, "/kept": "/a{c}b", "/x%7B2%7D": "braces", "/xx": "none"}


def test_an_import_takes_a_backslash(tmp_path: Path) -> None:
    (tmp_path / "source").mkdir()
    (tmp_path / "source/sites.caddy").write_text(SITE_FILE)
    (tmp_path / "source/Caddyfile").write_text(MAIN)
    reading = named("caddy").read(tmp_path / "source/Caddyfile")
    found = [decide(reading.estate, request_for(SITE + path), real_files()) for path in ANSWERS]
    assert [None if outcome.gave_up else outcome.body for outcome in found] == list(ANSWERS.values())
    assert not check_live(reading, reading, requests=[request_for(SITE + path) for path in ANSWERS], most=60).surprises


def test_a_word_in_the_main_file_keeps_it(tmp_path: Path) -> None:
    text = SITE_FILE.replace("\timport words\n", "")
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/one", "/two", "/kept", "/x%7B2%7D")]
    asked, wrong = disagreements("caddy", "{\n\tauto_https off\n}\n" + text, rows, tmp_path / "asked")
    assert asked == 4 and not wrong


def test_braces_are_written_so_that_they_come_out(reads: Reads, tmp_path: Path) -> None:
    """Texts and patterns of nginx behind the import of each site's file."""
    made = translate(reads.write("nginx", nginx(r'location = /t { return 200 "{host} {$arg_a} {other"; } location ~ "^/x\{2\}$" { return 200 braces; } location / { return 200 none; }')), "caddy")
    save(made.writing.files, tmp_path / "caddy")
    asked = [request_for(SITE + path) for path in ("/t?a=b", "/x%7B2%7D", "/xx")]
    after = read(tmp_path / "caddy", "caddy")
    assert [decide(after.estate, one, real_files()).body for one in asked] == ["{host} {b} {other", "braces", "none"]
    assert not check_live(made.reading, after, requests=asked, most=60).surprises


def test_what_stands_between_two_braces_is_a_name(reads: Reads) -> None:
    """Of a name that nobody knows a rewrite makes nothing, whatever is in it: told, and not foretold."""
    reading = reads.read("caddy", caddy("rewrite /a/* /x{b/{path}\nrewrite /b/* /x{path}\nrewrite /c/* /x\\{b{path}\nreverse_proxy 192.0.2.9:81"))
    found = {path: decide(reading.estate, request_for(SITE + path), real_files()) for path in ("/a/y", "/b/y", "/c/y")}
    assert found["/a/y"].gave_up and [item.code.name for item in reading.findings] == ["value-unread"]
    assert [found[path].origin.target for path in ("/b/y", "/c/y")] == ["/x/b/y", "/x%7Bb/c/y"]  # type: ignore[union-attr]


def test_each_import_has_its_own_turn(tmp_path: Path) -> None:
    """A file within a file is imported once, a snippet of an imported file twice; arguments are put in where no backslash stands before them."""
    (tmp_path / "source/sites").mkdir(parents=True)
    for name, text in {
        "Caddyfile": "{\n\tauto_https off\n}\nimport all.caddy\n",
        "all.caddy": "(words) {\n\trespond /w1 \"a\\\\{host}b\"\n\trespond /w2 \"a\\\\\\{host}b\"\n\trespond /arg \"\\{args.0}-\\\\{args.0}-{args.0}\"\n}\nimport sites/*.caddy\n",
        "sites/one.caddy": "http://www.fernhollow.example {\n\timport words desk\n\trespond /n1 \"a\\{host}b\"\n\trespond /n2 \"a\\\\{host}b\"\n\timport ../inner.inc\n}\n",
        "inner.inc": "respond /i1 \"a\\\\{host}b\"\nrespond /i2 \"a\\\\\\{host}b\"\n",
    }.items():
        (tmp_path / "source" / name).write_text(text)
    reading = named("caddy").read(tmp_path / "source/Caddyfile")
    host, long = "awww.fernhollow.exampleb", "a{http.request.host}b"
    answers = {"/w1": host, "/w2": long, "/arg": "desk-{args.0}-desk", "/n1": host, "/n2": long, "/i1": long, "/i2": long.replace("{", "\\{")}
    found = {path: decide(reading.estate, request_for(SITE + path), real_files()) for path in answers}
    assert {path: outcome.body for path, outcome in found.items() if not outcome.gave_up} == {path: body for path, body in answers.items() if path != "/arg"}
    assert set(reading.texts) == {"Caddyfile", "all.caddy", "sites/one.caddy", "inner.inc"}
    live = check_live(reading, reading, requests=[request_for(SITE + path) for path in answers], most=400)
    told = {row.request.target: row.answers[0].content.decode() for row in live.rows if row.request.method == "GET" and row.request.target in answers and not row.request.fields}
    assert not live.surprises and told == answers


def test_a_file_is_imported_from_where_the_line_stands(reads: Reads, tmp_path: Path) -> None:
    """Not from where the site's own file lies, nor the main one; and within the block of a directive, too."""
    (tmp_path / "source/sites").mkdir(parents=True)
    (tmp_path / "source/inc/more").mkdir(parents=True)
    for name, text in {
        "Caddyfile": "{\n\tauto_https off\n}\nimport sites/*.caddy\n",
        "sites/one.caddy": "(up) {\n\theader_up X-Up {args.0}\n}\nhttp://www.fernhollow.example {\n\timport ../inc/common.inc\n\theader {\n\t\timport ../inc/headers.inc\n\t}\n"
                           "\timport ../inc/proxy.inc 192.0.2.9:81\n}\n",
        "inc/common.inc": "import more/*.inc\n", "inc/more/a.inc": "redir /old /new 301\n", "inc/headers.inc": "X-One 1\n",
        "inc/proxy.inc": "reverse_proxy {args.0} {\n\timport up desk\n\timport lb.inc\n}\n", "inc/lb.inc": "lb_policy first\n",
    }.items():
        (tmp_path / "source" / name).write_text(text)
    reading = named("caddy").read(tmp_path / "source/Caddyfile")
    moved, proxied = (decide(reading.estate, request_for(SITE + path), real_files()) for path in ("/old", "/x"))
    assert moved.location == "/new" and dict(moved.fields)["x-one"] == "1"
    assert proxied.origin is not None and ("x-up", "desk") in proxied.origin.fields and not reading.findings
    assert not check_live(reading, reading, requests=[request_for(SITE + path) for path in ("/old", "/x")], most=100).surprises
