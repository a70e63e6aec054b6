"""What Caddyfiles do, as the real server (2.6.2) was seen to do it, and what reading them reports."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.errors import SourceUnreadable
from young_lantern.lab.live import check_live
from young_lantern.model import Refuse
from young_lantern.translate import read, save, translate

# site block, target, (status, location, body or file below the root)
ANSWERS = [
    ("respond hi", "/", 200, None, "hi"),
    ("respond 404", "/", 404, None, ""),
    ('respond "{path}|{query}" 201', "/a%20b?x", 201, None, "/a b|x"),
    ("respond /x* a\nrespond b", "/xy", 200, None, "a"),
    ("respond /x* a\nrespond b", "/X/y", 200, None, "a"),
    ("respond /x a\nrespond b", "//x", 200, None, "a"),
    ("respond /x a\nrespond b", "/y/../x", 200, None, "a"),
    ("respond /x/* a\nrespond b", "/x", 200, None, "b"),
    ("redir /a /b", "/a", 302, "/b", None),
    ("redir https://{host}{uri} permanent", "/a?b", 301, "https://www.fernhollow.example/a?b", None),
    ("root * ROOT\nfile_server", "/", 200, None, "index.html"),
    ("root * ROOT\nfile_server", "/dir?x", 308, "/dir/", None),
    ("root * ROOT\nfile_server", "/a.html/", 404, None, None),
    ("root * ROOT\nfile_server", "/bare/", 404, None, None),
    ("root * ROOT\nfile_server browse", "/bare/", 200, None, "bare/"),
    ("root * ROOT\nfile_server", "/../a.html", 200, None, "a.html"),
    ("root * ROOT\ntry_files {path} {path}/ /404.html\nfile_server", "/none", 200, None, "404.html"),
    ("root * ROOT\ntry_files {path} {path}/ /404.html\nfile_server", "/a.html/", 308, "/a.html", None),
    ("root * ROOT\ntry_files {path} =403\nfile_server", "/none", 403, None, None),
    ("root * ROOT\ntry_files {path} /missing.html\nfile_server", "/none", 404, None, None),
    ("rewrite /old* /new\nrespond {path}", "/older", 200, None, "/new"),
    ("rewrite * /x?k=v&{query}\nrespond {uri}", "/y", 200, None, "/x?k=v"),
    ("rewrite * /x?k=v&{query}\nrespond {uri}", "/y?a=b", 200, None, "/x?k=v&a=b"),
    ("rewrite * /x?\nrespond {uri}", "/y?a=b", 200, None, "/x"),
    ("@p path_regexp p ^/a/(.*)$\nrewrite @p /b/{re.p.1}\nrespond {path}", "/a/x%3Fy", 200, None, "/b/x"),
    ("uri strip_prefix /api\nrespond {path}", "/API//x", 200, None, "/x"),
    ("handle_path /api/* {\nrespond {path}\n}\nrespond rest", "/api/x", 200, None, "/x"),
    ("handle /a* {\nrespond a\n}\nhandle {\nrespond b\n}", "/x", 200, None, "b"),
    ("handle /q {\nrespond short\n}\nhandle /q* {\nrespond long\n}", "/q", 200, None, "long"),
    ("handle {\nrespond a\n}\nrespond /x b", "/x", 200, None, "a"),
    ("handle {\nheader X-A 1\n}\nhandle {\nrespond b\n}", "/", 200, None, "b"),
    ("rewrite * /a\nrewrite * /b\nrespond {path}", "/", 200, None, "/b"),
    ("route {\nrespond a\nredir /b\n}", "/", 200, None, "a"),
    ("redir /b\nroute {\nrespond a\n}", "/", 200, None, "a"),
    ("error /x 403\nrespond ok", "/x", 403, None, None),
    ('error /x 403\nhandle_errors {\nrespond "{err.status_code} {path}"\n}', "/x", 403, None, "403 /x"),
    ("error /x 403\nhandle_errors {\nrespond gone 200\n}", "/x", 200, None, "gone"),
    (
        "root * ROOT\nfile_server\nhandle_errors {\n@404 expression {err.status_code} == 404\nrewrite @404 /404.html\nfile_server\n}",
        "/none",
        404,
        None,
        "404.html",
    ),
    ("abort", "/", None, None, None),
    ("respond /p a\nrespond b", "/p.", 200, None, "a"),
    ("respond /p a\nrespond b", "/p/.", 200, None, "b"),
    ("respond /q/* a\nrespond b", "/q/x/..", 200, None, "a"),
    ("@r path_regexp ^/r$\nrespond @r a\nrespond b", "/r.", 200, None, "b"),
    ("uri strip_suffix .html\nrespond {path}", "/x.HTML", 200, None, "/x"),
    ("@none header_regexp Referer ^$\nrespond @none a\nrespond b", "/", 200, None, "b"),
    ("@none not header_regexp Referer ^$\nrespond @none a\nrespond b", "/", 200, None, "a"),
    ("map {path} {m} {\n/x 1\n~^/n(\\d)$ n${1}\ndefault d\n}\nrespond {m}", "/x", 200, None, "1"),
    ("map {path} {m} {\n/x 1\n~^/n(\\d)$ n${1}\ndefault d\n}\nrespond {m}", "/n7", 200, None, "n7"),
    ("map {path} {m} {\n/x 1\n~^/n(\\d)$ n${1}\ndefault d\n}\nrespond {m}", "/X", 200, None, "d"),
    (
        'error /x 403\nerror /y 503\nhandle_errors {\n@4 expression {err.status_code} < 500\nrespond @4 "client"\nrespond "server"\n}',
        "/x",
        403,
        None,
        "client",
    ),
    (
        'error /x 403\nerror /y 503\nhandle_errors {\n@4 expression {err.status_code} < 500\nrespond @4 "client"\nrespond "server"\n}',
        "/y",
        503,
        None,
        "server",
    ),
    ("@m {\nnot {\nnot path /a*\nnot header X-Probe *\n}\n}\nrespond @m or\nrespond no", "/a", 200, None, "or"),
    ('@m expression {query.x} != "" && {method} == "GET"\nrespond @m yes\nrespond no', "/?x=1", 200, None, "yes"),
    ("@m {\nquery x=1\nmethod POST\n}\nrespond @m yes\nrespond no", "/?x=1", 200, None, "no"),
    ("@m remote_ip 192.0.2.0/24\nrespond @m in\nrespond out", "/", 200, None, "in"),
    (
        '@m vars_regexp v {http.request.uri.query.q} ^a(.*)$\nrespond @m "{re.v.1}"\nrespond no',
        "/?q=abc",
        200,
        None,
        "bc",
    ),
    ('vars /a* x 1\nrespond "{vars.x}"', "/ab", 200, None, "1"),
    ('vars x 1\nvars x {path}\nrespond "{vars.x}"', "/ab", 200, None, "/ab"),
    ('vars /a* x 2\nvars x 1\nvars /ab x 3\nvars /ac x 4\nrespond "{vars.x}"', "/ab", 200, None, "3"),
    ('@get method GET\nvars /a x 1\nvars @get x 2\nrespond "{vars.x}"', "/a", 200, None, "2"),
    ('vars x 017\nvars y 1e3\nvars z T\nrespond "{vars.x} {vars.y} {vars.z}"', "/", 200, None, "17 1000 true"),
    ('vars x "017"\nrespond "{vars.x}"', "/", 200, None, "017"),
    ('vars x "1"\n@m expression {vars.x} == "1"\nrespond @m yes\nrespond no', "/", 200, None, "yes"),
    ("vars x 1\n@m vars x 1\nrespond @m yes\nrespond no", "/", 200, None, "yes"),
    ("header X-A 1", "/", 200, None, ""),
    ('@m {\nexpression {path}=="/a"\nexpression {query.x}=="1"\n}\nrespond @m yes\nrespond no', "/b?x=1", 200, None, "yes"),
    # A table is looked at anew each time: by then the path is another one.
    ('map {path} {what} {\n/a one\n/b two\n}\nerror /a 404\nhandle_errors {\nroute {\nheader X-A {what}\nrewrite * /b\nrespond "{what}"\n}\n}', "/a", 404, None, "two"),
    ("@m {\nprotocol https\nprotocol http\n}\nrespond @m yes\nrespond no", "/", 200, None, "yes"),
    ("@m {\nvars {query.x} 1\nvars {query.x} 2\nvars {query.y} 1\n}\nrespond @m yes\nrespond no", "/?x=2&y=1", 200, None, "yes"),
    ("@m {\nvars {query.x} 1\nvars {query.y} 1\n}\nrespond @m yes\nrespond no", "/?x=2&y=1", 200, None, "no"),
]


def site(block: str) -> str:
    return "{\nauto_https off\n}\nhttp://www.fernhollow.example {\n" + block + "\n}\n"


@pytest.mark.parametrize(
    ("block", "target", "status", "location", "content"), ANSWERS, ids=[f"{row[0][:50]!r} {row[1]}" for row in ANSWERS]
)
def test_answers(
    reads: Reads, block: str, target: str, status: int | None, location: str | None, content: str | None
) -> None:
    outcome = reads.decide("caddy", site(block), target)
    assert (outcome.status, outcome.location) == (status, location)
    if content is not None:
        assert (outcome.file or outcome.body or "").removeprefix(f"{reads.root}/") == content


@pytest.mark.parametrize(
    ("block", "target", "fields"),
    [
        ("header X-A 1\nrespond ok", "/", {"x-a": "1"}),
        ("header X-A 1\nheader /x X-A 2\nrespond ok", "/x", {"x-a": "1"}),
        ("header {\nX-A 1\ndefer\n}\nerror 403", "/", {}),
        ("header X-A 1\nerror 403", "/", {"x-a": "1"}),
        ("header X-A 1\nheader -X-A\nrespond ok", "/", {}),
        ("header ?X-A 2\nheader X-A 1\nrespond ok", "/", {"x-a": "1"}),
        ("header X-A abc\nheader X-A b B\nrespond ok", "/", {"x-a": "aBc"}),
        ("header {\n+X-A 2\nX-A 1\ndefer\n}\nrespond ok", "/", {"x-a": "1"}),
        ('rewrite * /b\nheader X-A "{path}"\nrespond ok', "/a", {"x-a": "/a"}),
        ('rewrite * /b\nheader {\nX-A "{path}"\ndefer\n}\nrespond ok', "/a", {"x-a": "/b"}),
    ],
)
def test_fields_of_the_response(reads: Reads, block: str, target: str, fields: dict[str, str]) -> None:
    assert dict(reads.decide("caddy", site(block), target).fields) == fields


def test_forwarding(reads: Reads) -> None:
    """Host is kept, three fields are set afresh, header_up works on them, a path may be put in front."""
    block = """reverse_proxy /v/* 192.0.2.1:81 https://192.0.2.2 {
        header_up X-Real-IP {remote_host}
        header_up -X-Forwarded-Host
        header_up +X-Forwarded-For 203.0.113.9
        header_down Location ^https://www\\.fernhollow\\.example/ /
        rewrite /v1{uri}
        lb_policy round_robin
        transport http {
            read_timeout 5s
        }
    }
    reverse_proxy 192.0.2.3:8000"""
    origin = reads.decide("caddy", site(block), "/v/a?q", fields={"X-Forwarded-For": "198.51.100.1"}).origin
    assert origin is not None
    assert (origin.addresses, origin.secure, origin.target, origin.choice.policy) == (
        ("192.0.2.1:81", "192.0.2.2:443"),
        True,
        "/v1/v/a?q",
        "round robin",
    )
    assert dict(origin.fields) == {
        "host": "www.fernhollow.example",
        "x-forwarded-for": "192.0.2.10, 203.0.113.9",
        "x-forwarded-proto": "http",
        "x-real-ip": "192.0.2.10",
    }
    assert origin.mapped_back == "/v1/v/a?q"
    assert reads.decide("caddy", site(block), "/").origin.addresses == ("192.0.2.3:8000",)  # type: ignore[union-attr]


@pytest.mark.parametrize("line", ["basicauth {\n}", "forward_auth 192.0.2.1:80 {\ntransport fastcgi\n}"])
def test_what_is_not_read_is_not_open(reads: Reads, line: str) -> None:
    outcome = reads.decide("caddy", site(f"root * ROOT\n{line}\nfile_server"))
    assert outcome.file is None and line.split()[0] in outcome.gave_up


def test_addresses_and_automatic_https(reads: Reads) -> None:
    """A host without scheme is HTTPS, and redirected to; hosts are tried the more specific first; others are redirected, too, or get no handshake."""
    text = "*.fernhollow.example {\nrespond star\n}\nwww.fernhollow.example, a.fernhollow.example:8443 {\nrespond www\n}\nhttp://plain.fernhollow.example {\nrespond plain\n}\n:8080 {\nrespond any\n}\n"
    estate = reads.read("caddy", text).estate
    ports = {str(listener.port): listener for listener in estate.listeners}
    assert {port: listener.secure for port, listener in ports.items()} == {
        "443": True,
        "8443": True,
        "80": False,
        "8080": False,
    }
    assert [row.host.text for row in ports["443"].rows] == ["www.fernhollow.example", "*.fernhollow.example"]
    assert isinstance(ports["443"].fallback, Refuse)
    assert ports["80"].fallback == "automatic redirect to HTTPS" and isinstance(ports["8443"].fallback, Refuse)
    for url, expected in [
        ("http://www.fernhollow.example/a?b", (308, "https://www.fernhollow.example/a?b", None)),
        ("http://plain.fernhollow.example", (200, None, "plain")),
        ("http://other.example", (308, "https://other.example/", None)),
        ("http://a.fernhollow.example/x", (308, "https://a.fernhollow.example:8443/x", None)),
        ("https://x.fernhollow.example", (200, None, "star")),
        ("http://any.example:8080", (200, None, "any")),
        ("https://other.example", (None, None, None)),
    ]:
        outcome = reads.decide("caddy", text, site=url, target="")
        assert (outcome.status, outcome.location, outcome.body) == expected, url


def test_a_block_with_a_hostless_address_takes_every_host(reads: Reads) -> None:
    text = "http://www.fernhollow.example, http:// {\nrespond first\n}\nhttp://*.example {\nrespond star\n}\nhttp://exact.example {\nrespond exact\n}\n"
    assert reads.decide("caddy", text, site="http://x.example", target="").body == "first"
    assert reads.decide("caddy", text, site="http://exact.example", target="").body == "exact"


def test_error_pages_of_a_wider_block_serve_a_narrower_one(reads: Reads) -> None:
    text = "http://www.fernhollow.example {\nerror 404\n}\nhttp:// {\nrespond ok\nhandle_errors {\nrespond wide\n}\n}\n"
    assert reads.decide("caddy", text).body == "wide"


def test_imports(tmp_path: Path) -> None:
    """Snippets with arguments, files and masks; what imports itself or is missing is an error with its line."""
    main = tmp_path / "Caddyfile"
    (tmp_path / "sites").mkdir()
    (tmp_path / "sites" / "a.caddy").write_text("http://a.example {\n\timport say hello\n}\n")
    main.write_text("(say) {\n\trespond {args.0}\n}\nimport sites/*.caddy\n")
    reading = named("caddy").read(main)
    assert list(reading.texts) == ["Caddyfile", "sites/a.caddy"]
    assert [site.key for site in reading.estate.sites] == ["http://a.example"]
    main.write_text("(s) {\n\timport s\n}\na {\n\timport s\n}\n")
    with pytest.raises(SourceUnreadable, match="Caddyfile:2: the snippet s imports itself"):
        named("caddy").read(main)
    main.write_text("\nimport missing.caddy\n")
    with pytest.raises(SourceUnreadable, match="Caddyfile:2: imported file missing.caddy: there is no such file"):
        named("caddy").read(main)
    main.write_text("a.example\n")
    assert named("caddy").read(main).estate.sites[0].key == "a.example"


@pytest.mark.parametrize(
    ("block", "code", "words"),
    [
        ("respondd hi", "directive-unknown", "did you mean respond?"),
        ("respond @none hi", "value-unread", "@none"),
        ("redir /a /b 200", "value-unread", "200"),
        ("@m expression size({path}) > 3\nrespond @m", "condition-unread", "size"),
        ("respond {nonesuch.x}", "variable-unread", "{nonesuch.x}"),
        ("@m path_regexp (\nrespond @m", "pattern-unread", "("),
        ("header >X-A 1", "value-unread", "after Caddy 2.6"),
        ("basicauth {\n}", "value-unread", "with the hashes"),
        ("basicauth scrypt {\nrowan x\n}", "value-unread", "bcrypt was expected"),
        ("forward_auth 192.0.2.1 {\ntransport fastcgi\n}", "value-unread", "copy_headers"),
        ("@unused path /x\nrespond hi", "without-effect", "@unused"),
        ("@m {\nexpression `{path} == \"/x\"`\nexpression `{path} == \"/y\"`\n}\nrespond @m hi", "without-effect", "a later line takes its place"),
        ("@m {\nprotocol https\nprotocol http\n}\nrespond @m hi", "without-effect", "protocol https"),
        ("reverse_proxy a {\nhandle_response {\ncopy_response\n}\n}", "value-unread", "handle_response"),
        ("reverse_proxy gopher://192.0.2.1:81", "value-unread", "gopher://"),
        ("reverse_proxy 192.0.2.1:81 {\ntransport http {\nmax_response_header 1KB\n}\n}", "value-unread", "max_response_header"),
        ("file_server {\nprecompressed lzma\n}", "value-unread", "one of br, zstd, gzip"),
        ("uri path_regexp a b", "value-unread", "strip_prefix, strip_suffix"),
    ],
)
def test_findings_of_reading(reads: Reads, block: str, code: str, words: str) -> None:
    reading = reads.read("caddy", site(block))
    found = next(item for item in reading.findings if item.code.name == code)
    assert words in found.message + found.why + found.advice
    assert found.span and found.span.line >= 5


@pytest.mark.parametrize("target", ["caddy", "nginx", "apache"])
def test_several_arguments_of_a_name(reads: Reads, target: str) -> None:
    """A placeholder has all of them, joined by commas; the matcher asks the first (2.6.2). Elsewhere the first counts: that is told."""
    text = caddy('@first query x=a\nrespond @first "first"\nheader X-All "{query.y}"\nrespond "{query.x}"')
    assert [reads.decide("caddy", text, f"/?{query}").body for query in ("x=a&x=b", "x=b&x=a", "y=1")] == ["first", "b,a", ""]
    reading = reads.read("caddy", text)
    other = reading if target == "caddy" else translate(reading.main, target).read_back
    live = check_live(reading, other, most=200)
    assert not live.surprises
    assert any(row.request.target.endswith("?y=a&y=b") and (row.foretold or target == "caddy") for row in live.rows)


def test_an_address_of_two_words_is_no_origin(reads: Reads) -> None:
    """In quotes, or as one argument of a snippet, both are one word, at which nothing is found: not answered, and never by another place."""
    text = caddy("handle /a/* {\nreverse_proxy \"192.0.2.1:81 192.0.2.2:81\"\n}\nhandle {\nreverse_proxy 192.0.2.3:81\n}")
    assert reads.decide("caddy", text, "/a/x").gave_up
    made = translate(reads.write("caddy", text), "nginx")
    assert decide(made.read_back.estate, request_for("http://www.fernhollow.example/a/x"), real_files()).status == 501


def test_matchers_of_a_set_use_nothing_that_another_took(reads: Reads) -> None:
    """Caddy asks them in any order; what would hang on that is not foretold."""
    by_chance = ("path_regexp taken ^/(.+)$\nfile /{re.taken.1}.html", "path_regexp taken ^/(.+)$\nvars_regexp {re.taken.1} ^a", "path_regexp taken ^/(.+)$\nnot file /{re.taken.1}.html")
    for lines in by_chance:
        reading = reads.read("caddy", site(f"@m {{\n{lines}\n}}\nrespond @m yes\nrespond no"))
        assert [item.code.name for item in reading.findings] == ["matchers-by-chance"]
        assert decide(reading.estate, request_for(SITE + "/a"), real_files()).gave_up
    # One by one, each in its turn.
    outcome = reads.decide("caddy", site("@m path_regexp taken ^/(.+)$\nroute @m {\n@there vars_regexp {re.taken.1} ^a\nrespond @there yes\n}\nrespond no"), "/a")
    assert (outcome.body, outcome.gave_up) == ("yes", "")


def test_conditions_on_groups_are_asked_of_tables(reads: Reads, tmp_path: Path) -> None:
    """The servers agree whenever Caddy starts: what the pattern took is found anew by the matcher beside it."""
    (reads.root / "cache").mkdir()
    (reads.root / "cache/a.html").write_text("cached\n")
    text = httpd("DocumentRoot ROOT\nRewriteEngine On\nRewriteCond %{DOCUMENT_ROOT}/cache/$1.html -f\nRewriteRule ^/(.*)$ /cache/$1.html [L]\n"
                 "RewriteCond $1 ^x(.*)\nRewriteCond %1 y$\nRewriteRule ^/([^/]*)/(.*)$ /found/$2 [R=302,L]")
    made = translate(reads.write("apache", text.replace("%{DOCUMENT_ROOT}", "ROOT")), "caddy")
    assert not made.read_back.findings
    save(made.writing.files, tmp_path / "new")
    asked = [request_for(SITE + path) for path in ("/a", "/none", "/x1y/z", "/x1/z", "/y/z")]
    assert [decide(made.read_back.estate, one, real_files()).status for one in asked] == [200, 404, 302, 404, 404]
    for _ in range(3):
        assert not check_live(made.reading, read(tmp_path / "new", "caddy"), requests=asked, most=60).surprises


def test_numbers_are_no_texts(reads: Reads, tmp_path: Path) -> None:
    """`vars x 1` is a number, which equals no text and in which no pattern is looked for; what is translated is a text."""
    for asked in ('{vars.x} == "1"', '{vars.x}.matches("1")'):
        outcome = reads.decide("caddy", site(f"vars x 1\n@m expression `{asked}`\nrespond @m yes\nrespond no"), "/")
        assert outcome.gave_up
    made = translate(reads.write("apache", httpd("DocumentRoot ROOT\nSetEnvIf X-Probe b probed\nRewriteEngine On\nRewriteCond %{ENV:probed} .\nRewriteRule ^ - [F]")), "caddy")
    save(made.writing.files, tmp_path / "new")
    asked = [request_for(SITE + "/a.html", fields={"X-Probe": value}) for value in ("b", "a")]
    assert [decide(made.read_back.estate, one, real_files()).status for one in asked] == [403, 200]
    assert not check_live(made.reading, read(tmp_path / "new", "caddy"), requests=asked, most=60).surprises


@pytest.mark.parametrize("line", ["auto_https", "auto_https never", "http_port", "http_port eighty", "https_port -1"])
def test_a_global_option_that_says_nothing_is_told(reads: Reads, line: str) -> None:
    found = [item for item in reads.read("caddy", f"{{\n{line}\n}}\n:80 {{\nrespond ok\n}}\n").findings if item.code.name == "value-unread"]
    assert [item.span.line for item in found if item.span] == [2]


def test_usual_ports_may_be_left_to_deployment(reads: Reads) -> None:
    text = "{\nhttp_port {$PLAIN}\nhttps_port {$SECURE}\n}\nwww.fernhollow.example {\nrespond ok\n}\nhttp://loans.fernhollow.example {\nrespond ok\n}\n"
    estate = reads.read("caddy", text).estate
    assert {(str(listener.port), listener.secure) for listener in estate.listeners} == {("{$PLAIN}", False), ("{$SECURE}", True)}


def test_a_field_without_a_name_is_told(reads: Reads) -> None:
    reading = reads.read("caddy", ':80 {\nheader "" x\nheader : x\nrespond ok\n}\n')
    assert [item.span.line for item in reading.findings if item.code.name == "value-unread" and item.span] == [2, 3]


@pytest.mark.parametrize("matcher", ["path", "path_regexp", "path_regexp a b c", "host", "header", "header_regexp a", "method", "protocol", "expression", "vars a", "vars_regexp a"])
def test_a_matcher_with_too_few_words_is_told(reads: Reads, matcher: str) -> None:
    """The server does not start with it."""
    reading = reads.read("caddy", f":80 {{\n@m {matcher}\nrespond @m no\nrespond ok\n}}\n")
    assert [item.span.line for item in reading.findings if item.code.name == "condition-unread" and item.span] == [2]


@pytest.mark.parametrize("target", ["nginx", "apache"])
def test_no_network_holds_nobody(reads: Reads, target: str) -> None:
    made = translate(reads.write("caddy", "http://www.fernhollow.example {\n@m remote_ip\nrespond @m no 403\nrespond ok\n}\n"), target)
    assert not [cause.summary for cause in made.comparison.causes if cause.severity.value == "breaking"]


@pytest.mark.parametrize("status", ["{err.status_code}", "{http.error.status_code}", ""])
def test_a_page_may_name_the_status_that_it_has_anyway(reads: Reads, tmp_path: Path, status: str) -> None:
    text = caddy(f'root * {reads.root}\nfile_server\nhandle_errors {{\n@api path /api/*\nhandle @api {{\nrespond "no {{err.status_code}}" {status}\n}}\nrespond "page"\n}}')
    assert (reads.decide("caddy", text, "/api/x").status, reads.decide("caddy", text, "/api/x").body) == (404, "no 404")
    asked = [("GET", "www.fernhollow.example", path, {}) for path in ("/api/x", "/x", "/index.html")]
    assert disagreements("caddy", text, asked, tmp_path / "asked") == (3, [])


@pytest.mark.parametrize("status", [404, 413, 414, 416, 418, 422, 451, 499, 599])
def test_the_words_of_a_status(reads: Reads, tmp_path: Path, status: int) -> None:
    """Caddy's own, whatever the release of Python calls them; none for a status that has none."""
    text = caddy(f'error {status}\nhandle_errors {{\nrespond "{{err.status_code}} {{err.status_text}}"\n}}')
    assert disagreements("caddy", text, [("GET", "www.fernhollow.example", "/x", {})], tmp_path / "asked") == (1, [])
    made = translate(reads.write("caddy", text), "nginx")
    assert not [entry.span for entry in made.ledger if entry.disposition.value == "unsupported"]


TABLES = """{
	auto_https disable_redirects
}
http://www.fernhollow.example {
	map {path} {age} {
		~^/a(.*)$ a${1}
		/b old
		default none
	}
	handle /x/* {
		map {path} {age} {kind} {
			~.*\\.css$ 60 style
			/x/one 1 first
			default 3600 other
		}
		header X-Kind "{kind}"
		respond "{age} {kind}"
	}
	handle_path /y/* {
		map {path} {part} {
			/one first
		}
		@first vars {part} first
		respond @first "one {part}"
		respond other
	}
	route /z/* {
		map {query.q} {who} {
			~^(.)(.*)$ "$2$1"
			default nobody
		}
		respond "{who} {age}"
	}
	respond "{age}"
}
http://shop.fernhollow.example {
	map {path} {age} {
		default shop
	}
	respond "{age}"
}
"""


def test_tables_within_and_of_several_sites(reads: Reads, tmp_path: Path) -> None:
    """A table of a `handle` or `route` is known there; of two for one placeholder it is the first that is met; none is another site's."""
    paths = ("/", "/a1", "/b", "/x/one", "/x/y.css", "/x/z", "/y/one", "/y/two", "/z/?q=abc", "/z/", "/x")
    rows = [("GET", f"{host}.fernhollow.example", path, {}) for host in ("www", "shop") for path in paths]
    assert disagreements("caddy", TABLES, rows, tmp_path / "asked") == (len(rows), [])
    main = reads.write("caddy", TABLES)
    for target in ("nginx", "apache"):
        made = translate(main, target, dialect="caddy")
        assert made.comparison.undecided == {}
        assert not check_live(made.reading, made.read_back, most=60).surprises


def test_a_table_of_another_site_is_not_known(reads: Reads) -> None:
    text = TABLES + 'http://other.fernhollow.example {\n\trespond "<{age}>"\n}\n'
    assert reads.decide("caddy", text, "/", site="http://other.fernhollow.example").gave_up == "the value of {age} is not known"
