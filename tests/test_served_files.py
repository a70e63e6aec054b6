"""What file servers keep from clients, leave to others, and send by another name: in the model, on the servers, and where it is carried to."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

HIDES = "root * ROOT\nfile_server browse {\nhide .git *.bak [a-c]?.txt ROOT/dir/inner ROOT/dir/*.key\n}"
PATHS = ["/x.bak", "/.git/config", "/dir/.git/x", "/b1.txt", "/d1.txt", "/dir/inner/y", "/dir/inner", "/dir/innermost", "/dir/a.key", "/dir/sub/a.key", "/x.BAK", "/dir/", "//x.bak", "/x.bak/"]
SHOWN = {"/d1.txt", "/dir/innermost", "/dir/sub/a.key", "/dir/", "/x.BAK"}


def _with_files(reads: Reads) -> None:
    for path in PATHS:
        if path.lower().strip("/").split("/")[-1] not in ("inner", "dir"):
            made = reads.root / path.strip("/")
            made.parent.mkdir(parents=True, exist_ok=True)
            made.write_text(f"{path}\n")


def test_what_is_hidden(reads: Reads) -> None:
    _with_files(reads)
    found = {path for path in PATHS if reads.decide("caddy", caddy(HIDES), path).status == 200}
    assert found == SHOWN
    text = caddy(HIDES.replace("ROOT", str(reads.root)))
    assert disagreements("caddy", text, [("GET", "www.fernhollow.example", path, {}) for path in PATHS], reads.folder / "asked") == (len(PATHS), [])


@pytest.mark.parametrize("target", ["nginx", "apache"])
def test_what_is_hidden_stays_so(reads: Reads, tmp_path: Path, target: str) -> None:
    _with_files(reads)
    made = translate(reads.write("caddy", caddy(HIDES)), target)
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=300)
    assert not live.surprises
    assert not [row for row in live.rows if row.answers[0].status == 404 and row.answers[1].status == 200 and "bak" in row.request.target and ".BAK" not in row.request.target]


def test_a_word_whose_place_is_not_known_hides_all(reads: Reads) -> None:
    reading = reads.read("caddy", caddy("root * ROOT\nfile_server {\nhide secrets/key\n}"))
    assert any("secrets/key" in item.message for item in reading.findings)
    assert reads.decide("caddy", caddy("root * ROOT\nfile_server {\nhide secrets/key\n}"), "/a.html").status == 404


def test_what_is_not_there_is_left_to_others(reads: Reads) -> None:
    block = "root * ROOT\nroute {\nfile_server {\npass_thru\nhide a.html\n}\nrespond \"else {path}\" 202\n}"
    rows = {"/style.css": 200, "/a.html": 202, "/none": 202, "/dir/": 200, "/dir": 308, "/bare/": 202, "/": 200}
    assert {path: reads.decide("caddy", caddy(block), path).status for path in rows} == rows
    text = caddy(block.replace("ROOT", str(reads.root)))
    assert disagreements("caddy", text, [("GET", "www.fernhollow.example", path, {}) for path in rows], reads.folder / "asked") == (len(rows), [])


REPLACED = [
    ("uri replace /old/ /new/", {"/old/x": "/new/x", "/a/old/b/old/": "/a/new/b/new/", "/older": "/older", "/old//x": "/new/x", "/old/old/x": "/new/old/x"}),
    ("uri replace a b 1", {"/aa": "/ba", "/x": "/x"}),
    ("uri replace e 1e2", {"/e": "/1e2", "/eve": "/1e2v1e2"}),
]  # fmt: skip


@pytest.mark.parametrize(("line", "paths"), REPLACED)
def test_texts_in_paths_are_replaced(reads: Reads, tmp_path: Path, line: str, paths: dict[str, str]) -> None:
    text = caddy(f'{line}\nheader X-Path "{{path}}"\nrespond "{{path}}"')
    assert {path: reads.decide("caddy", text, path).body for path in paths} == paths
    assert disagreements("caddy", text, [("GET", "www.fernhollow.example", path, {}) for path in paths], reads.folder / "asked") == (len(paths), [])
    made = translate(reads.write("caddy", text), "nginx")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new"), most=200).surprises


def test_a_text_in_the_query_as_well_is_not_foretold(reads: Reads) -> None:
    assert reads.decide("caddy", caddy("uri replace a b\nrespond {path}"), "/a?a=1").gave_up
    assert reads.decide("caddy", caddy("uri path_regexp /+ /\nrespond {path}"), "/a").gave_up
    assert reads.decide("caddy", caddy("redir /a /b {query.code}\nrespond c"), "/a").gave_up


def test_path_information_behind_a_file(reads: Reads) -> None:
    host = "<Location /a.html>\nAcceptPathInfo On\n</Location>"
    rows = {"/a.html/x": 200, "/a.html": 200, "/style.css/x": 404, "/dir/index.html/x": 404}
    assert {path: reads.decide("apache", httpd(host), path).status for path in rows} == rows
    text = httpd(host).replace("ROOT", str(reads.root))
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", path, {}) for path in rows], reads.folder / "asked") == (len(rows), [])


@pytest.mark.parametrize(
    ("pattern", "gone"),
    [
        (r"(^|/)\.git", {"/dir/.git/x", "/dir/inner/.git"}),
        (r"(?:^|/)x$", {"/dir/x", "/dir/inner/x", "/dir/.git/x"}),
        (r"^x|y$", {"/dir/x", "/dir/xy", "/dir/inner/xy", "/dir/xz"}),
        (r"\.bak$|^xy", {"/dir/xy", "/dir/inner/z.bak"}),
    ],
)
def test_anchors_within_patterns_of_folders(reads: Reads, pattern: str, gone: set[str]) -> None:
    paths = ["/dir/.git/x", "/dir/inner/.git", "/dir/x", "/dir/xy", "/dir/inner/x", "/dir/inner/xy", "/dir/xz", "/dir/inner/z.bak", "/dir/a.html", "/x"]
    host = f"<Directory ROOT/dir>\nRewriteEngine On\nRewriteRule \"{pattern}\" - [G]\n</Directory>"
    assert {path for path in paths if reads.decide("apache", httpd(host), path).status == 410} == gone
    text = httpd(host).replace("ROOT", str(reads.root))
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", path, {}) for path in paths], reads.folder / "asked") == (len(paths), [])


def test_a_redirect_that_goes_on_where_no_later_pattern_can_hold(reads: Reads) -> None:
    rules = "<Directory ROOT/dir>\nRewriteEngine On\nRewriteRule ^(.*)\\.htm$ /dir/$1.html [R=302]\nRewriteRule ^latest/(.*)$ v3/$1 [L]\n{more}\n</Directory>"
    assert reads.decide("apache", httpd(rules.format(more="")), "/dir/x.htm").location == "http://www.fernhollow.example/dir/x.html"
    assert reads.decide("apache", httpd(rules.format(more="RewriteRule ^(.*)$ /a.html [L]")), "/dir/x.htm").gave_up
    text = httpd(rules.format(more="")).replace("ROOT", str(reads.root))
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", path, {}) for path in ("/dir/x.htm", "/dir/latest/y")], reads.folder / "asked") == (2, [])


def test_a_changed_path_is_looked_up_again(reads: Reads, tmp_path: Path) -> None:
    """A rewrite without a flag, and one with `break` behind it that does not hold: the place of the new path answers."""
    text = nginx(
        "location /api/ { rewrite ^/api/v1/(.*)$ /v2/$1; rewrite ^/api(/.*)$ $1 break; proxy_pass http://192.0.2.1:81; }"
        "location /v2/ { proxy_pass http://192.0.2.1:82/two/; }"
    )
    outcome = reads.decide("nginx", text, "/api/v1/x")
    assert outcome.origin is not None and outcome.origin.target == "/two/x"
    for target in ("caddy", "apache"):
        made = translate(reads.write("nginx", text), target)
        assert not [cause for cause in made.comparison.causes if any(item.what == "target at the origin" for item in cause.differences) and cause.severity.value == "breaking" and not cause.reason]
        save(made.writing.files, tmp_path / target)
        assert not check_live(made.reading, read(tmp_path / target), most=200).surprises


def test_referers_by_pattern(reads: Reads) -> None:
    text = nginx("root ROOT; location / { valid_referers none server_names ~\\.partner\\.example/; if ($invalid_referer) { return 403; } }")
    rows = {"": 200, "http://a.partner.example/x": 200, "http://www.fernhollow.example/": 200, "http://other.example/": 403}
    assert {sent: reads.decide("nginx", text, "/a.html", fields={"Referer": sent} if sent else {}).status for sent in rows} == rows
    asked = [("GET", "www.fernhollow.example", "/a.html", {"Referer": sent} if sent else {}) for sent in rows]
    assert disagreements("nginx", text.replace("ROOT", str(reads.root)), asked, reads.folder / "asked") == (4, [])


ALIASES = (
    "AliasMatch ^/u/([a-z]+)/page$ ROOT/dir/$1.html\nAliasMatch ^/(?:help|manual)(/.*)?$ ROOT$1\nAliasMatch /robots ROOT/style.css\n"
    "<Directory ROOT/bare>\nRequire all denied\n</Directory>\n<Location /u/>\nHeader set X-U yes\n</Location>"
)


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_files_by_patterns(reads: Reads, tmp_path: Path, target: str) -> None:
    """What lies where a pattern's groups say, with what sections for its folder and for the path say."""
    text = httpd(ALIASES)
    rows = {"/u/index/page": 200, "/u/none/page": 404, "/u/index/page/": 404, "/help/a.html": 200, "/manual/bare/x.txt": 403, "/help": 301, "/manual/": 200, "/x/robots.txt": 200}
    assert {path: reads.decide("apache", text, path).status for path in rows} == rows
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", path, {}) for path in rows], reads.folder / "asked") == (len(rows), [])
    made = translate(reads.write("apache", text), target)
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=250)
    assert not live.surprises
    assert decide(made.read_back.estate, request_for("http://www.fernhollow.example/u/index/page"), real_files()).status == 200


@pytest.mark.parametrize(
    ("host", "rows"),
    [
        # What the section is called is a plain path to ProxyPass, unless it looks like a shell pattern: then it is a regular expression.
        ('<LocationMatch "^/k/">\nProxyPass http://192.0.2.1:81/\n</LocationMatch>', {"/k/1": None, "/k": None}),
        ('<LocationMatch "^/k/(\\d+)">\nProxyPass http://192.0.2.1:81/z/$1\n</LocationMatch>', {"/k/1": None}),
        ('<LocationMatch "^/k/[0-9]">\nProxyPass http://192.0.2.1:81\n</LocationMatch>', {"/k/1": "/k/1", "/k/x": None}),
        ('<LocationMatch "/k">\nProxyPass http://192.0.2.1:81/z\n</LocationMatch>', {"/k/1": "/z/1", "/ak": None}),
        ('<Location "/k*">\nProxyPass http://192.0.2.1:81/z\n</Location>', {"/kx": "/z/kx", "/k/1": None}),
        ('<Location "/k">\nProxyPassMatch http://192.0.2.1:81/z\n</Location>', {"/k/1": "/z/k/1", "/kx": None}),
        # Names of variables do not mind case.
        ('SetEnv Foo bar\nRequestHeader set X-Foo "%{foo}e"\nRewriteEngine On\nRewriteRule ^/v - [E=Seen:1]\nRewriteCond %{ENV:SEEN} =1\nRewriteRule ^ - [G]\nProxyPass / http://192.0.2.1:81/', {"/v": 410, "/w": "/w"}),
        ("SetEnvIf X-Probe . PROBED\nRewriteEngine On\nRewriteCond %{ENV:Probed} .\nRewriteRule ^ - [G]\nProxyPass / http://192.0.2.1:81/", {"/w": "/w"}),
    ],
)
def test_sections_and_variables_as_httpd_takes_them(reads: Reads, host: str, rows: dict[str, object]) -> None:
    found = {path: reads.decide("apache", httpd(host), path) for path in rows}
    assert {path: outcome.origin.target if outcome.origin else 410 if outcome.status == 410 else None for path, outcome in found.items()} == rows
    text = httpd(host).replace("ROOT", str(reads.root))
    asked = [("GET", "www.fernhollow.example", path, fields) for path in rows for fields in ({}, {"X-Probe": "1"})]
    assert disagreements("apache", text, asked, reads.folder / "asked") == (len(asked), [])


def test_an_expiry_by_the_files_date_is_none_by_default(reads: Reads) -> None:
    outcome = reads.decide("apache", httpd('ExpiresActive On\nExpiresDefault A60\nExpiresByType text/html "modification plus 1 day"'), "/a.html")
    assert dict(outcome.fields)["cache-control"] != "max-age=60"


@pytest.mark.parametrize(("more", "rows"), [
    ("", [("/", 404), ("/dir", 404), ("/dir/", 404), ("/dir/index.html", 200)]),
    ("LoadModule autoindex_module modules/mod_autoindex.so\n<Directory ROOT>\nOptions +Indexes\n</Directory>", [("/", 200), ("/dir", 200)]),
    ("LoadModule dir_module modules/mod_dir.so", [("/", 200), ("/dir", 301), ("/dir/", 200)]),
])
def test_folders_without_their_module(reads: Reads, tmp_path: Path, more: str, rows: list[tuple[str, int]]) -> None:
    """Where mod_dir is not loaded, no index file is looked for, and no slash is put behind a folder's name."""
    modules = "\n".join(f"LoadModule {name}_module modules/mod_{name}.so" for name in ("mpm_event", "authz_core", "mime"))
    text = f"{modules}\nTypesConfig /etc/mime.types\n{more}\nListen 80\n<VirtualHost *:80>\nServerName www.fernhollow.example\nDocumentRoot ROOT\n</VirtualHost>\n"
    assert [(target, reads.decide("apache", text, target).status) for target, _ in rows] == rows
    asked, wrong = disagreements("apache", text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", target, {}) for target, _ in rows], tmp_path / "asked")
    assert (asked, wrong) == (len(rows), [])


DOCUMENT_ROOT = nginx("""root ROOT;
    add_header X-Root "$document_root" always;
    if ($arg_go) { return 302 /x$document_root; }
    location /said { root ROOT/dir; return 200 "$document_root"; }
    location /al/ { alias ROOT/dir/; }
    location /in { if ($arg_here) { root ROOT/bare; add_header X-Root "$document_root" always; } }
    location /out { root html; return 200 "$document_root"; }""")


@pytest.mark.parametrize(("target", "said"), [("/x?go=1", ""), ("/said", "/dir"), ("/al/index.html", "/dir/"), ("/in/x.txt", ""), ("/in/x.txt?here=1", "/bare"), ("/none", "")])
def test_the_document_root_in_texts(reads: Reads, tmp_path: Path, target: str, said: str) -> None:
    """It is the folder in force, be a file looked for there or not; one below the folder that the server was built for is not foretold."""
    outcome = reads.decide("nginx", DOCUMENT_ROOT, target)
    assert dict(outcome.fields)["x-root"] == f"{reads.root}{said}"
    asked, wrong = disagreements("nginx", DOCUMENT_ROOT.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert (asked, wrong) == (1, [])
    assert reads.decide("nginx", DOCUMENT_ROOT, "/out").gave_up


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_a_page_by_a_variable_in_the_place_of_a_folder(reads: Reads, tmp_path: Path, target: str) -> None:
    """The page that try_files finds for `/` is no folder: its own index file is not looked for, whatever is known of the place."""
    server = "root ROOT; location = / { try_files /dir/$lang.html /index.html; } location / { try_files $uri $uri/ $uri.html =404; } location ~* \\.html$ { add_header X-A 1; }"
    (reads.root / "dir" / "de.html").write_text("dir/de.html\n")
    made = translate(reads.write("nginx", nginx(server, "map $cookie_lang $lang { default en; de de; }")), target)
    assert not [item for cause in made.comparison.causes for item in cause.differences if item.what == "file" and cause.example.target == "/"]
    save(made.writing.files, tmp_path / target)
    asked = [request_for("http://www.fernhollow.example/", "GET", fields) for fields in ({}, {"Cookie": "lang=de"}, {"Cookie": "lang=fr"})]
    live = check_live(made.reading, read(tmp_path / target, target), requests=asked, most=900)
    assert not live.surprises and {"dir/de.html\n", "index.html\n"} <= {row.answers[1].content.decode() for row in live.rows if row.request.target == "/"}


def test_the_path_that_came_gets_the_slash_before_a_folders_rules_count(reads: Reads) -> None:
    """A rule of the server that leads into a folder leaves the path as it came; without a slash at its end that is redirected, whatever the folder's rules say."""
    (reads.root / "dir" / ".htaccess").write_text("RewriteEngine On\nRewriteRule ^in/$ /a.html?q [L]\nRewriteRule ^ /a.html [L]\n")
    (reads.root / "dir" / "in").mkdir()
    text = httpd("<Directory ROOT>\nAllowOverride All\nRequire all granted\n</Directory>\nRewriteEngine On\nRewriteRule ^/b$ /dir/?k=v\nRewriteRule ^/i$ /dir/in/\nRewriteRule ^/c/$ /dir/\nRewriteRule ^/p$ /dir/ [PT]")
    rows = {"/b": (301, "/b/?k=v"), "/i": (301, "/i/?q"), "/c/": (200, None), "/p": (200, None), "/dir": (301, "/dir/")}
    for path, (status, location) in rows.items():
        outcome = reads.decide("apache", text, path)
        assert (outcome.status, outcome.location) == (status, location and SITE + location), path
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", path, {}) for path in rows], reads.folder / "asked") == (len(rows), [])


def test_a_folder_that_a_pattern_takes_from_the_proxy_keeps_its_index(reads: Reads, tmp_path: Path) -> None:
    """The path of the index file begins as that of its folder, so that the same pattern holds."""
    (reads.root / "dir" / "private").mkdir()
    (reads.root / "dir" / "private" / "index.html").write_text("private\n")
    text = httpd("ProxyPassMatch ^/(dir|sub)/private !\nProxyPass /dir http://192.0.2.51:8080/dir")
    made = translate(reads.write("apache", text), "caddy")
    assert "\n".join(made.writing.files.values()).count("reverse_proxy") == 1
    assert not [cause.summary for cause in made.comparison.causes if cause.summary.startswith("answered by")]
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), requests=[request_for(f"{SITE}/dir/private/")], most=200)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []
    assert {answer.content.decode() for row in live.rows if row.request.target == "/dir/private/" and row.request.method == "GET" for answer in row.answers if answer.status == 200} == {"private\n"}


def test_what_is_added_to_a_lifetime_goes_along(reads: Reads) -> None:
    """`Header append Cache-Control public` beside ExpiresDefault is one list in Caddy, where a block adds before it sets."""
    text = httpd('<LocationMatch "\\.(css|html)$">\nExpiresActive On\nExpiresDefault "access plus 30 days"\nHeader append Cache-Control public\n</LocationMatch>')
    made = translate(reads.write("apache", text), "caddy")
    assert 'Cache-Control "max-age=2592000, public"' in "\n".join(made.writing.files.values())
    outcome = decide(made.read_back.estate, request_for(f"{SITE}/index.html"), real_files())
    assert dict(outcome.fields)["cache-control"] == "max-age=2592000, public"
