"""What a Caddyfile and an httpd configuration become in nginx, and that nothing is left out without a word."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason
from young_lantern.demo import FILES_AT, unpack
from young_lantern.dialects import named
from young_lantern.dialects.dialect import WriterOptions
from young_lantern.fitting import Branch, Chain, Fork, Leaf, Settings, unroll
from young_lantern.fitting.places import atoms_of, find_places, glob_pattern, plain_paths
from young_lantern.ledger import counted
from young_lantern.lab.live import check_live
from young_lantern.model import (
    ALWAYS,
    AllOf,
    AnyOf,
    MethodIn,
    PathIs,
    PathMatches,
    PathStartsWith,
    Pattern,
    Respond,
)
from young_lantern.patterns import search
from young_lantern.translate import read, save, translate

CADDY = [
    ("redir /old /new 301", ["location = /old {", "return 301 /new;"]),
    ("redir https://www.fernhollow.example{uri} 301", ["return 301 https://www.fernhollow.example$request_uri;"]),
    ('respond "a $1 b" 200', ['return 200 "a ${dollar}1 b";']),
    ("abort", ["return 444;"]),
    # One table for all places, and no location for each ending.
    (
        "root * ROOT\n@kept path *.js *.css\nheader @kept Cache-Control max-age=60\nhandle /api/* {\nreverse_proxy 192.0.2.1:8000\n}\nhandle {\nfile_server\n}",
        ["add_header Cache-Control $cache_control_by_path always;", "location /api/ {", "location / {"],
    ),
    # A table would ask for the path that a rule has changed by then: it is asked before.
    (
        "root * ROOT\n@kept path *.js\nheader @kept Cache-Control max-age=60\n@old path_regexp old ^/old/(.*)\\.js$\nrewrite @old /app/{re.old.1}\nfile_server",
        ["add_header Cache-Control $cache_control_by_path_at_first always;", "set $cache_control_by_path_at_first $cache_control_by_path;", "rewrite ^/old/(.*)\\.js$ /app/$1;"],
    ),
    ("root * ROOT\nheader /assets/* Cache-Control max-age=60\nfile_server", ["location /assets/ {", "add_header Cache-Control max-age=60 always;"]),
    # A text has its type whatever the path ends in, and its fields whatever its status.
    ("header {\nX-A 1\ndefer\n}\nrespond no 403", ["add_header X-A 1 always;", "types {", 'default_type "text/plain; charset=utf-8";', "return 403 no;"]),
    ("respond 404", ['set $nothing "";', "return 404 $nothing;"]),
    (
        "root * ROOT\ntry_files {path} /index.html\nfile_server",
        ["root ROOT;", "try_files $uri /index.html =404;"],
    ),
    ("handle_path /m/* {\nroot * ROOT\nfile_server browse\n}", ["location /m/ {", "alias ROOT/;", "autoindex on;"]),
    (
        "handle_path /api/* {\nreverse_proxy 192.0.2.1:8000\n}",
        [
            "location /api/ {",
            "proxy_pass http://192.0.2.1:8000/;",
            "proxy_set_header Host $http_host;",
            "location = /api {",
        ],
    ),
    ("reverse_proxy 192.0.2.1:80 192.0.2.2:80 {\nlb_policy ip_hash\n}", ["proxy_pass http://www_origins;"]),
    (
        "reverse_proxy 192.0.2.1 {\nheader_up Host {upstream_hostport}\n}",
        ["proxy_pass http://192.0.2.1;", "proxy_set_header Host 192.0.2.1:80;"],
    ),
    ("reverse_proxy 192.0.2.1 {\nrewrite /kept?\n}", ["rewrite ^ /kept? break;"]),
    (
        "@bot header_regexp User-Agent (?i)bot\nhandle @bot {\nerror 403\n}\nrespond page 200",
        ["if ($http_user_agent ~* bot) {", "return 403;"],
    ),
    (
        "@both {\nmethod POST\nheader X-Probe 1\n}\nhandle @both {\nerror 405\n}\nrespond page 200",
        ["set $met_all 1;", "if ($request_method != POST) {", "if ($http_x_probe != 1) {", "if ($met_all) {"],
    ),
    (
        "@in remote_ip 192.0.2.0/24\nhandle @in {\nrespond in 200\n}\nrespond out 200",
        ["if ($from_client_192020) {", "return 200 in;"],
    ),
    (
        "root * ROOT\nhandle /s/* {\n@out not remote_ip 192.0.2.0/24\nhandle @out {\nerror 403\n}\nfile_server\n}",
        ["location /s/ {", "allow 192.0.2.0/24;", "deny all;"],
    ),
    ("rewrite /a/* /b{uri}\nrespond {path} 200", ["if ($uri ~ ^/a/) {", "rewrite ^ /b$uri;"]),
    (
        "@p path_regexp p ^/u/(\\d+)$\nredir @p /user/{re.p.1} 302\nrespond x 200",
        ["location ~ ^/u/(\\d+)$ {", "return 302 /user/$1;"],
    ),
    ("root * ROOT\nheader X-A 1\nfile_server", ["add_header X-A 1 always;"]),
    ("root * ROOT\nheader {\nX-A 1\ndefer\n}\nfile_server", ["add_header X-A 1;"]),
    ("request_body {\nmax_size 8MiB\n}\nreverse_proxy 192.0.2.1", ["client_max_body_size 8m;"]),
    ("root * ROOT\nencode gzip\nfile_server", ["gzip on;", "gzip_min_length 512;"]),
    ("handle /secret/* {\nerror 403\n}\nrespond x 200", ["location ~* ^/secret/ {", "return 403;"]),
    ("log {\noutput file /var/log/x.log\n}\nrespond x 200", ["access_log /var/log/x.log;"]),
]


@pytest.mark.parametrize(("site", "lines"), CADDY, ids=[row[0][:50] for row in CADDY])
def test_lines_from_caddy(reads: Reads, site: str, lines: list[str]) -> None:
    """These lines stand in the new configuration, in this order."""
    _in_order(_written(reads, "caddy", caddy(site)), lines, str(reads.root))


HTTPD = [
    ("Header always set X-A yes env=!nobody\nHeader set X-B %{STAGE}e\nSetEnv STAGE main", ["add_header X-A yes always;", "add_header X-B main;"]),
    ("ProxyPass /live ws://192.0.2.1:81/live", ["proxy_set_header Upgrade $http_upgrade;", "proxy_set_header Connection $connection_upgrade;", "location = /live {"]),
    ("Redirect permanent / https://a.example/", ["return 301 https://a.example$request_uri;"]),
    ("Redirect 410 /old", ["location = /old {", "return 410;", "location /old/ {"]),
    (
        "RewriteEngine On\nRewriteRule ^/t/(.*) https://a.example/$1 [R=301,L]",
        ["rewrite ^/t/(.*) https://a.example/$1 permanent;"],
    ),
    (
        "RewriteEngine On\nRewriteCond %{HTTP_USER_AGENT} bot [NC]\nRewriteRule ^ - [F]",
        ["if ($http_user_agent ~* bot) {", "return 403;"],
    ),
    ("ProxyPass /app/ http://192.0.2.1:81/in/", ["location /app/ {", "proxy_pass http://192.0.2.1:81/in/;"]),
    ("Alias /m/ ROOT/dir/", ["location /m/ {", "alias ROOT/dir/;"]),
    ('<FilesMatch "\\.css$">\nHeader set X-C 1\n</FilesMatch>', ["add_header X-C $x_c_by_path;"]),
    ("<Location /s>\nRequire ip 192.0.2\n</Location>", ["location = /s {", "allow 192.0.2.0/24;", "deny all;"]),
    (
        "LimitRequestBody 1000\nProxyPass /app http://192.0.2.1/app",
        ["location /app/ {", "location / {", "client_max_body_size 1000;"],
    ),
    ("ErrorDocument 200 fine\nRewriteEngine On\nRewriteRule ^/up$ - [R=200]", ["return 200 fine;"]),
    ("", ['if ($request_uri ~* "^[^?]*%2f") {', "return 404;"]),
]


def test_an_origin_without_a_limit_keeps_none_beside_files_that_have_one(reads: Reads) -> None:
    """nginx by itself refuses more than 1 MiB; httpd counts its limit for files alone."""
    host = httpd("LimitRequestBody 1000\nProxyPass /app http://192.0.2.1/app")
    translation = translate(reads.write("apache", host).parent, "nginx")
    assert "client_max_body_size 0;" in translation.writing.files["nginx.conf"]
    assert not [cause for cause in translation.comparison.causes if cause.reason is Reason.CONTENT]


@pytest.mark.parametrize(("host", "lines"), HTTPD, ids=[row[0][:50] for row in HTTPD])
def test_lines_from_httpd(reads: Reads, host: str, lines: list[str]) -> None:
    _in_order(_written(reads, "apache", httpd(host)), lines, str(reads.root))


def _written(reads: Reads, dialect: str, text: str) -> str:
    translation = translate(reads.write(dialect, text).parent, "nginx")
    assert not [e for e in translation.ledger if e.finding and e.finding.code.name in ("not-written", "no-counterpart")]
    assert not translation.comparison.undecided
    return "\n".join(text for name, text in translation.writing.files.items() if name.startswith("sites/"))


def _in_order(text: str, lines: list[str], root: str) -> None:
    at = 0
    for line in lines:
        found = next(
            (
                number
                for number, written in enumerate(text.splitlines()[at:], at)
                if written.strip() == line.replace("ROOT", root)
            ),
            None,
        )
        assert found is not None, f"{line!r} is not in\n{text}"
        at = found


@pytest.mark.parametrize(
    ("site", "disposition", "code"),
    [
        ("root * ROOT\nencode zstd gzip\nfile_server", "unsupported", "no-counterpart"),
        ("reverse_proxy 192.0.2.1 192.0.2.2 192.0.2.3 {\nlb_policy first\n}", "changed", "pool-policy-differs"),
        ("reverse_proxy {$ORIGIN}", "kept", "placeholder-open"),
        ("handle *.php {\nrespond x 200\n}", "unsupported", "value-unread"),
    ],
)
def test_what_is_not_simply_kept(reads: Reads, site: str, disposition: str, code: str | None) -> None:
    ledger = translate(reads.write("caddy", caddy(site)).parent, "nginx").ledger
    assert any(
        entry.disposition.value == disposition and (code is None or (entry.finding and entry.finding.code.name == code))
        for entry in ledger
    )


def test_a_certificate_must_be_had(reads: Reads) -> None:
    """Where the server issued one itself, files are named, and a person is told."""
    translation = translate(reads.write("caddy", "www.fernhollow.example {\nrespond x 200\n}\n").parent, "nginx")
    text = "".join(translation.writing.files.values())
    assert "ssl_certificate /etc/ssl/www.fernhollow.example/fullchain.pem;" in text
    assert "return 308 https://$host$request_uri;" in text
    assert any(item.code.name == "certificate-to-issue" for item in translation.findings)


def test_placeholders_come_out_as_nginx_can_read_them(reads: Reads) -> None:
    main = reads.write("caddy", caddy("reverse_proxy {$APP}:{$PORT}"))
    silent = translate(main.parent, "nginx")
    asked = translate(main.parent, "nginx", options=WriterOptions(placeholder="{{ NAME }}"))
    assert "proxy_pass http://${APP}:${PORT};" in "".join(silent.writing.files.values())
    assert "http://{{ APP }}:{{ PORT }}" in "".join(asked.writing.files.values())
    assert not silent.comparison.undecided


def test_values_cannot_break_out_of_their_place(reads: Reads) -> None:
    """Semicolons, braces, quotes, backslashes and variables of the source stay values."""
    for body in ("a; } b", "x' y", "$host ${host}", "c:\\temp", "# no comment", "a\\\\"):
        text = caddy(f"respond `{body}` 200")
        translation = translate(reads.write("caddy", text).parent, "nginx")
        assert not translation.comparison.causes or all(
            item.what != "body" for cause in translation.comparison.causes for item in cause.differences
        ), body
        assert len([site for site in translation.read_back.estate.sites]) == 2


@pytest.mark.parametrize("dialect", ["apache", "caddy"])
def test_the_sample_estate(tmp_path: Path, dialect: str) -> None:
    """Every line has an entry that adds up; both servers answer alike, or as foretold."""
    source, files = unpack(tmp_path, dialect)
    translation = translate(source, "nginx")
    spans = {entry.span for entry in translation.ledger}
    assert spans == {claim.span for claim in translation.reading.claims}
    assert sum(counted(translation.ledger).values()) == len(spans)
    assert not [entry for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"]
    live = check_live(translation.reading, translation.read_back, files=((FILES_AT, files),), most=300)
    assert not live.surprises
    assert live.same > len(live.rows) * 0.7


# --- places -----------------------------------------------------------------------------------------------------------


def _leaf(name: str) -> Chain:
    return Chain([Leaf(Respond(200, (name,)), Settings())])


def test_places_settle_who_wins() -> None:
    """A pattern asked before a prefix wins over it, one asked after does not; between two it stands among the patterns."""
    pdf, css = PathMatches(Pattern(r"\.pdf$")), PathMatches(Pattern(r"\.css$"))
    chain = Chain(
        [
            Branch(
                [
                    Fork(PathStartsWith("/a/"), _leaf("a")),
                    Fork(pdf, _leaf("pdf")),
                    Fork(PathStartsWith("/b/"), _leaf("b")),
                    Fork(css, _leaf("css")),
                    Fork(PathStartsWith("/c/"), _leaf("c")),
                    Fork(ALWAYS, _leaf("rest")),
                ]
            )
        ]
    )
    places = {str(getattr(place.atom, "prefix", place.order)): place for place in find_places(chain)}
    assert places["/a/"].beats_patterns and not places["/a/"].as_pattern
    assert places["/b/"].as_pattern
    assert not places["/c/"].beats_patterns and not places["/c/"].as_pattern
    assert [leaf.answer.body for leaf in places["/b/"].chain.items if isinstance(leaf, Leaf)] == [("b",)]


def test_an_exact_place_is_the_whole_chain_for_its_path() -> None:
    chain = Chain(
        [
            Branch(
                [
                    Fork(PathMatches(Pattern("^/x")), _leaf("pattern")),
                    Fork(PathIs("/x1"), _leaf("exact")),
                    Fork(ALWAYS, _leaf("rest")),
                ]
            )
        ]
    )
    exact = next(place for place in find_places(chain) if isinstance(place.atom, PathIs))
    assert [leaf.answer.body for leaf in exact.chain.items] == [("pattern",)]  # type: ignore[union-attr]


def test_atoms_are_conditions_one_of_which_must_hold() -> None:
    one, other = PathIs("/a"), PathStartsWith("/b")
    assert list(atoms_of(AllOf((MethodIn(("GET",)), AnyOf((one, other)))))) == [one, other]
    assert list(atoms_of(AnyOf((one, MethodIn(("GET",)))))) == []


@pytest.mark.parametrize(
    ("glob", "holds", "misses"),
    [("*.php", "/a/b.php", "/a.phpx"), ("/a/*", "/a/", "/a"), ("*x*", "/axb", "/ab"), ("/a/*/c", "/a/b/c", "/a/b/b/c")],
)
def test_globs_as_patterns(glob: str, holds: str, misses: str) -> None:
    pattern = Pattern(glob_pattern(glob))
    assert search(pattern, holds) and not search(pattern, misses)


def test_a_refusal_goes_on_ignoring_case(reads: Reads) -> None:
    """What is refused whatever its case stays so; what is served needs its case from now on, unless strict."""
    reading = reads.read("caddy", caddy("handle /s/* {\nerror 403\n}\nhandle /o/* {\nrespond o 200\n}"))
    chain, _ = unroll(reading.estate.sites[0].program)
    atoms = [place.atom for place in find_places(plain_paths(chain, False))]
    assert any(isinstance(atom, PathMatches) and atom.pattern.ignores_case for atom in atoms)
    assert PathStartsWith("/o/") in [atom and PathStartsWith(getattr(atom, "prefix", "")) for atom in atoms]


def test_an_age_that_another_line_replaces_for_some(reads: Reads) -> None:
    host = 'ExpiresActive On\nExpiresDefault "access plus 1 day"\n<FilesMatch "\\.js$">\nHeader set Cache-Control no-cache\n</FilesMatch>'
    _in_order(_written(reads, "apache", httpd(host)), ["expires $expires_by_path;", "add_header Cache-Control $cache_control_by_path;"], str(reads.root))


def test_what_is_taken_out_of_no_table_repeats_none(reads: Reads) -> None:
    """Debian's mime.conf takes away types that only some systems have: the whole table stood in every host for that."""
    assert "types {" not in _written(reads, "apache", httpd("RemoveType es tr"))


def test_a_map_of_files_by_language_is_left_out_and_told(reads: Reads) -> None:
    made = translate(reads.write("apache", httpd("AddHandler type-map var\nAddHandler cgi-script cgi\nProxyPass /p/ http://192.0.2.1:81/")).parent, "nginx")
    written = made.writing.files["sites/www.fernhollow.example.conf"]
    assert "var" not in written and written.count("return 501;") == 1  # what else is not read is closed, but not for what is proxied
    assert [entry.disposition.value for entry in made.ledger if "type-map" in entry.span.directive] == ["unsupported"]


def test_a_variable_that_only_another_site_sets_is_empty(reads: Reads, tmp_path: Path) -> None:
    """nginx refuses names that nothing sets, and has names of its own, which no table may take."""
    sites = 'http://www.fernhollow.example {\nvars shelf {path}\nrespond ok\n}\nhttp://loans.fernhollow.example {\nrespond "[{vars.shelf}]"\n}\n'
    made = translate(reads.write("caddy", "{\nauto_https off\n}\n" + sites), "nginx", dialect="caddy")
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=40)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []
    assert 'map "" $shelf {' in made.writing.files["nginx.conf"]
    text = httpd('SetEnvIf X-Probe "(.+)" REQUEST_URI=$1\nHeader set X-A %{REQUEST_URI}e\nRedirect /old /new')
    assert "map \"\" $request_uri" not in translate(reads.write("apache", text), "nginx", dialect="apache").writing.files["nginx.conf"]


def test_what_is_hidden_above_is_hidden_below(reads: Reads, tmp_path: Path) -> None:
    """A list of proxy_hide_header takes the place of the one above: a forward that hides a field of its own repeats it."""
    text = caddy('header X-Frame-Options SAMEORIGIN\nreverse_proxy /a/* 192.0.2.1:80 {\nheader_down -X-Powered-By\n}\nreverse_proxy 192.0.2.2:80')
    made = translate(reads.write("caddy", text), "nginx", dialect="caddy")
    save(made.writing.files, tmp_path / "new")
    after = read(tmp_path / "new")
    live = check_live(made.reading, after, most=100)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []
    assert not [cause.summary for cause in made.comparison.causes if cause.summary.startswith("field x-frame-options")]
    assert [finding.code.name for finding in after.findings] == []


def test_fields_for_paths_are_looked_up_before_the_path_changes(reads: Reads, tmp_path: Path) -> None:
    """A table by the path, asked at the start, rather than places of their own for each."""
    text = caddy(
        "root * ROOT\n@kept {\npath *.css *.js\nnot path /app/*\n}\nheader @kept Cache-Control max-age=60\nheader /dir/* X-Dir yes\nheader /dir/i* X-Dir index\n"
        "handle_path /old/* {\nrewrite * /new{uri}\nreverse_proxy 192.0.2.1:80\n}\nhandle {\ntry_files {path} /a.html\nfile_server\n}"
    )
    made = translate(reads.write("caddy", text), "nginx", dialect="caddy")
    files = made.writing.files
    site = next(text for name, text in files.items() if name.startswith("sites/www"))
    assert "set $cache_control_by_path_at_first $cache_control_by_path;" in site and "470" not in site
    assert site.count("add_header X-Dir") == 1 and "# Looked up here, before rules change the path." in site
    save(files, tmp_path / "new")
    after = read(tmp_path / "new")
    live = check_live(made.reading, after, most=200)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []
    for target, fields in (("/style.css", {"cache-control": "max-age=60"}), ("/dir/x", {"x-dir": "yes"}), ("/app/style.css", {})):
        outcomes = [decide(reading.estate, request_for(f"http://www.fernhollow.example{target}"), real_files()) for reading in (made.reading, after)]
        assert [{name: value for name, value in outcome.fields if name in ("cache-control", "x-dir")} for outcome in outcomes] == [fields, fields]


def test_what_goes_to_an_origin_is_not_looked_up_at_the_start(reads: Reads) -> None:
    """Where nothing is set the client's own field goes on, which an empty variable would take away."""
    text = caddy("@js path *.js\nrequest_header @js X-Kind script\nhandle_path /old/* {\nrewrite * /new{uri}\nreverse_proxy 192.0.2.1:80\n}\nreverse_proxy 192.0.2.2:80")
    made = translate(reads.write("caddy", text), "nginx", dialect="caddy")
    assert "at_first" not in "".join(made.writing.files.values())
    asked = request_for("http://www.fernhollow.example/x", "GET", {"X-Kind": "sent"})
    for reading in (made.reading, made.read_back):
        outcome = decide(reading.estate, asked, real_files())
        assert outcome.origin is not None and dict(outcome.origin.fields).get("x-kind", "sent") == "sent"


@pytest.mark.parametrize("length", [46, 47, 60])
def test_long_names_have_room(reads: Reads, length: int) -> None:
    """nginx does not start where the name of a host, a key of a table or a variable is longer than its usual tables take."""
    host = "a" * (length - len(".fernhollow.example")) + ".fernhollow.example"
    keys = "\n".join(f"{'k' * length}{number} yes" for number in range(2))
    text = f"http://{host} {{\nmap {{header.X-Key}} {{{'v' * length}}} {{\n{keys}\ndefault no\n}}\nheader X-Seen {{{'v' * length}}}\nrespond ok\n}}\nhttp://b.fernhollow.example {{\nrespond b\n}}\n"
    made = translate(reads.write("caddy", text), "nginx")
    main = made.writing.files["nginx.conf"]
    assert ("server_names_hash_bucket_size 128;" in main) is (length > 46)
    assert not check_live(made.reading, made.read_back, most=20).surprises


def test_an_alias_in_a_location_by_pattern(reads: Reads) -> None:
    """Folders are redirected, and their index files found, below the alias and not at what is left of the path."""
    (reads.root / "dir" / "sub").mkdir()
    (reads.root / "dir" / "sub" / "index.html").write_text("sub\n")
    text = httpd('<FilesMatch "\\.(bak|sql)$">\nRequire all denied\n</FilesMatch>\nAlias /old ROOT/dir\nRewriteEngine On\nRewriteCond %{QUERY_STRING} print\nRewriteRule ^/(.+)\\.html$ http://192.0.2.7:81/print/$1.html [P,L]')
    made = translate(reads.write("apache", text), "nginx")
    written = "\n".join(made.writing.files.values())
    assert f"alias {reads.root}/dir$below_alias;" in written
    moved = {path: decide(made.read_back.estate, request_for(f"http://www.fernhollow.example{path}"), real_files()) for path in ("/old/sub", "/old/sub/", "/old/")}
    assert moved["/old/sub"].location == "http://www.fernhollow.example/old/sub/"
    assert [moved[path].file for path in ("/old/sub/", "/old/")] == [str(reads.root / "dir" / name) for name in ("sub/index.html", "index.html")]
    live = check_live(made.reading, made.read_back, most=300)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


_PAGES_BY_PATH = """http://www.fernhollow.example {
    root * ROOT
    handle /secret/* {
        error 403
    }
    handle /api/* {
        reverse_proxy 192.0.2.21:8080
    }
    handle /app/* {
        php_fastcgi 192.0.2.81:9000
    }
    handle {
        file_server
    }
    handle_errors {
        PAGES
    }
}
"""
_JSON = "handle /api/* {\nheader Content-Type application/json\nrespond `{\"error\": {err.status_code}}`\n}\n"
_MISSING = "@missing expression {err.status_code} == 404\nhandle @missing {\nrewrite * /nowhere.html\nfile_server\n}\n"
_FILE = "handle %s {\nrewrite * /index.html\nfile_server\n}\n"


@pytest.mark.parametrize("pages", [_JSON + _FILE % "", _FILE % "/" + 'handle {\nrespond "error {err.status_code}"\n}\n', _JSON + 'respond "error {err.status_code} {err.status_text}" {err.status_code}\n', _MISSING + _JSON + _FILE % ""])
def test_pages_of_errors_that_go_by_the_path(reads: Reads, tmp_path: Path, pages: str) -> None:
    """A text for some paths, a file for the others: each with its own type, and the status of the error."""
    text = _PAGES_BY_PATH.replace("PAGES", pages).replace("ROOT", str(reads.root))
    made = translate(reads.write("caddy", text), "nginx")
    kinds = {item.what for cause in made.comparison.causes if cause.severity.value == "breaking" for item in cause.differences}
    assert not {kind for kind in kinds if kind.startswith(("field", "file", "content"))}
    assert not [cause.summary for cause in made.comparison.causes if " 470" in cause.summary or "becomes 500" in cause.summary]
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=300)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []


def test_what_is_left_for_one_answer_keeps_its_fields(reads: Reads, tmp_path: Path) -> None:
    """A search for files goes first and fails without the field that the only other answer of the site has."""
    text = 'http://loans.fernhollow.example {\nhandle {\nheader X-A 7\nrespond 204\n}\ntry_files {path}.html =404\n}\n'
    made = translate(reads.write("caddy", text), "nginx")
    assert [entry.span.directive for entry in made.ledger if entry.finding is not None] == []
    assert not [cause.summary for cause in made.comparison.causes if cause.severity.value == "breaking"]
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=60)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []


def test_paths_are_looked_up_again_less_often_before_a_configuration_grows_beyond_reading(reads: Reads) -> None:
    """Rules of a shop, each of which begins anew with what it took: what is not looked up any more is told with its line."""
    rules = "\n".join(f"RewriteCond %{{REQUEST_FILENAME}} !-f\nRewriteRule ^([a-z]*)(/?{name}.*) $2$1 [L]\nRewriteRule ^{name}/x - [S=1]\nRewriteRule ^{name}/y - [F]" for name in ("shelf", "desk", "parts", "files", "tools"))
    host = f"DirectoryIndex index.php\n<Directory ROOT>\nRewriteEngine On\n{rules}\nRewriteRule . index.php [L]\n</Directory>\n<FilesMatch \\.php$>\nSetHandler proxy:fcgi://127.0.0.1:9000\n</FilesMatch>"
    writing = named("nginx").write(reads.read("apache", httpd(host)).estate, WriterOptions())  # type: ignore[misc]
    assert sum(text.count("location @") for text in writing.files.values()) <= 100
    told = {note.finding.span.directive.split()[0] for note in writing.notes if note.finding and note.finding.code.name == "restart-not-carried" and note.finding.span}
    assert told == {"RewriteRule"}
