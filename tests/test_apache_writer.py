"""What an nginx configuration and a Caddyfile become in httpd, and that nothing is left out without a word."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason
from young_lantern.demo import FILES_AT, unpack
from young_lantern.dialects import named
from young_lantern.dialects.apache.values import quote
from young_lantern.dialects.apache.writer.paths import fragment, groups_of, look, without_groups
from young_lantern.dialects.dialect import WriterOptions
from young_lantern.lab.live import check_live
from young_lantern.ledger import counted
from young_lantern.model import AllOf, AnyOf, Not, PathIs, PathMatches, PathStartsWith, Pattern, Severity
from young_lantern.patterns import search
from young_lantern.source.passwords import PASSWORD_HASH
from young_lantern.translate import Translation, read, save, translate

NGINX = [
    ("return 301 https://a.example$request_uri;", ['Redirect permanent "/" "https://a.example/"']),
    ("return 302 https://$host$request_uri;", ['RewriteRule "^" "https://%{SERVER_NAME}%{REQUEST_URI}" [R=302,L]']),
    (
        "location = /ping { return 200 ok; } location / { return 404; }",
        ['RewriteRule "^/ping$" - [R=200,L]', 'ErrorDocument 200 "ok"', 'Header always set Content-Type "text/plain"'],
    ),
    ('location = /ping { return 200 "ok\\n"; } location / { return 404; }', ['ErrorDocument 200 "ok%{unbase64:Cg==}"']),
    (
        "root ROOT; location / { try_files $uri $uri/ /index.html; }",
        [
            'DocumentRoot "ROOT"',
            'RewriteCond "%{DOCUMENT_ROOT}%{REQUEST_URI}" !-f',
            'RewriteCond "%{DOCUMENT_ROOT}%{REQUEST_URI}" !-d',
            'RewriteRule "^" "%{DOCUMENT_ROOT}/index.html" [QSD,NS,L]',
            '<Directory "ROOT">',
            "AllowMethods GET HEAD",
            "Require all granted",
        ],
    ),
    (
        "location /api/ { proxy_pass http://192.0.2.1:8000; proxy_set_header Host $http_host; } location / { return 404; }",
        [
            'RewriteRule "^/api/" - [L]',
            "ProxyPreserveHost On",
            "ProxyAddHeaders Off",
            'ProxyPass "/api/" "http://192.0.2.1:8000/api/" nocanon',
        ],
    ),
    (
        "root ROOT; location /api/ { proxy_pass http://192.0.2.1:8000/in/; } location /api/doc/ { }",
        [
            'ProxyPass "/api/doc/" !',
            'ProxyPass "/api/" "http://192.0.2.1:8000/in/"',
            'ProxyPassReverse "/api/" "http://192.0.2.1:8000/in/"',
        ],
    ),
    (
        "location / { proxy_pass http://192.0.2.1; proxy_set_header Host a.example; proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; }",
        ['RequestHeader append X-Forwarded-For "expr=%{REMOTE_ADDR}"', 'RequestHeader set Host "a.example"'],
    ),
    (
        "root ROOT; location /m/ { alias ROOT/dir/; autoindex on; }",
        ['Alias "/m/" "ROOT/dir/"', '<Directory "ROOT/dir">', "Options +Indexes"],
    ),
    ("root ROOT; location = /f { alias ROOT/a.html; }", ['RewriteRule "^/f$" "%{DOCUMENT_ROOT}/a.html" [L]']),
    (
        "root ROOT; location /in/ { allow 192.0.2.0/24; deny all; } location / { }",
        ['<Location "/in/">', "Require ip 192.0.2.0/24"],
    ),
    (
        "root ROOT; location /in/ { deny 192.0.2.7; }",
        ["<RequireAll>", "Require all granted", "Require not ip 192.0.2.7"],
    ),
    ("root ROOT; add_header X-A 1 always;", ['Header always set X-A "1"']),
    (
        "root ROOT; add_header X-A 1;",
        ['Header always set X-A "1" "expr=%{REQUEST_STATUS} =~ /^(?:20[0146]|30[123478])$/"'],
    ),
    (
        "root ROOT; location /s/ { expires 30d; }",
        ['<Location "/s/">', "ExpiresActive On", 'ExpiresDefault "access plus 30 days"'],
    ),
    ("root ROOT; error_page 404 /404.html;", ['ErrorDocument 404 "/404.html"']),
    (
        "root ROOT; if ($http_user_agent ~* bot) { return 403; }",
        ['RewriteCond %{HTTP:User-Agent} "bot" [NC]', 'RewriteRule "^" - [F]'],
    ),
    ("root ROOT; if ($arg_a) { return 302 /b?x=$arg_a; }", ['RewriteRule "^" "/b?x=%1" [R=302,NE,L]']),
    ("root ROOT; rewrite ^/u/(\\d+)$ /user?id=$1 redirect;", ['RewriteRule "^/u/(\\d+)$" "/user?id=$1" [R=302,QSA,L]']),
    (
        "root ROOT; location /de/ { rewrite ^/de/(.*)$ /$1 last; }",
        ["# The new path is looked up from the start, as before.", 'RewriteRule "^/de/(.*)$" "/$1" [N=12]'],
    ),
    (
        "root ROOT; location ~ ^/(?<who>\\w+)/home$ { return 302 /~$who; }",
        ['RewriteRule "^/(\\w+)/home$" "/~$1" [R=302,QSD,L]'],
    ),
    ("root ROOT; gzip on; gzip_types text/css;", ["AddOutputFilterByType DEFLATE text/html text/css"]),
    (
        "root ROOT; location /p/ { internal; }",
        ['RewriteCond %{ENV:REDIRECT_STATUS} "^$"', 'RewriteRule "^/p/" - [R=404,L]'],
    ),
    (
        "location / { proxy_pass http://192.0.2.1; client_max_body_size 8m; }",
        ['RewriteCond expr "%{HTTP:Content-Length} -gt 8388608"', 'RewriteRule "^" - [R=413,L]'],
    ),
    (
        "root ROOT; access_log /var/log/x.log combined; location /s/ { access_log off; }",
        ['CustomLog "/var/log/x.log" combined env=!not_logged', 'RewriteRule "^/s/" - [E=not_logged:1,L]'],
    ),
]


@pytest.mark.parametrize(("server", "lines"), NGINX, ids=[row[0][:50] for row in NGINX])
def test_lines_from_nginx(reads: Reads, server: str, lines: list[str]) -> None:
    """These lines stand in the new configuration, in this order."""
    _in_order(_written(reads, "nginx", nginx(server)), lines, str(reads.root))


CADDY = [
    ("redir /old /new 301\nrespond x 200", ['RewriteRule "^/old$" "/new" [R=301,QSD,L]']),
    (
        "handle /ping {\nrespond pong\n}\nhandle {\nabort\n}",
        ['RewriteRule "^/ping$" - [R=200,L]', 'RewriteRule "^" - [F]'],
    ),
    (
        "handle_path /api/* {\nreverse_proxy 192.0.2.1:8000\n}\nrespond x 200",
        ['RewriteRule "^/api/(.*)$" "http://192.0.2.1:8000/$1" [P,L]'],
    ),
    (
        "root * ROOT\ntry_files {path} /index.html\nfile_server",
        ['RewriteCond "%{DOCUMENT_ROOT}%{REQUEST_URI}" !-f', 'RewriteCond "%{DOCUMENT_ROOT}/index.html" -f'],
    ),
    (
        "root * ROOT\nheader /s/* Cache-Control max-age=5\nfile_server",
        ['<Location "/s/">', 'Header always set Cache-Control "max-age=5"'],
    ),
    (
        "reverse_proxy 192.0.2.1:80 192.0.2.2:80 {\nlb_policy least_conn\n}",
        ['ProxyPass "/" "balancer://www-origins/" nocanon'],
    ),
    (
        "reverse_proxy 192.0.2.1 {\nheader_down -X-Powered-By\nheader_down Location ^http://192\\.0\\.2\\.1/ /\n}",
        ["Header unset X-Powered-By", 'ProxyPassReverse "/" "http://192.0.2.1/"'],
    ),
    (
        "@p {\nmethod POST\nquery a=1\n}\nhandle @p {\nerror 405\n}\nrespond x 200",
        ["RewriteCond %{REQUEST_METHOD} =POST", 'RewriteRule "^" - [R=405,L]'],
    ),
    (
        "@in remote_ip 192.0.2.0/24\nhandle @in {\nrespond in 403\n}\nabort",
        ["RewriteCond expr \"-R '192.0.2.0/24'\"", 'RewriteRule "^" - [F]'],
    ),
    (
        "root * ROOT\nfile_server\nhandle_errors {\n@404 expression {err.status_code} == 404\nrewrite @404 /404.html\nfile_server\n}",
        ['ErrorDocument 404 "/404.html"'],
    ),
    ("root * ROOT\nheader X-A 1\nheader -X-B\nfile_server", ['Header always set X-A "1"', "Header unset X-B"]),
]


@pytest.mark.parametrize(("site", "lines"), CADDY, ids=[row[0][:50] for row in CADDY])
def test_lines_from_caddy(reads: Reads, site: str, lines: list[str]) -> None:
    _in_order(_written(reads, "caddy", caddy(site)), lines, str(reads.root))


def _translated(reads: Reads, dialect: str, text: str, **options: object) -> Translation:
    return translate(reads.write(dialect, text).parent, "apache", options=WriterOptions(**options))  # type: ignore[arg-type]


def _written(reads: Reads, dialect: str, text: str) -> str:
    translation = _translated(reads, dialect, text)
    assert not [e for e in translation.ledger if e.finding and e.finding.code.name == "not-written"]
    assert not [e for e in translation.ledger if e.disposition.value == "unsupported"]
    assert not translation.comparison.undecided
    return "\n".join(text for name, text in translation.writing.files.items() if name.startswith("sites/"))


def _in_order(text: str, lines: list[str], root: str) -> None:
    at = 0
    for line in lines:
        wanted = line.replace("ROOT", root).replace(f"DOCUMENT_{root}", "DOCUMENT_ROOT")
        found = next((n for n, written in enumerate(text.splitlines()[at:], at) if written.strip() == wanted), None)
        assert found is not None, f"{wanted!r} is not in\n{text}"
        at = found


@pytest.mark.parametrize(
    ("server", "disposition", "code"),
    [
        ("return 444;", "changed", "no-counterpart"),
        ("root ROOT; gzip on;", "changed", "short-answers-compressed"),
        ("root ROOT; error_page 404 =200 /a.html;", "changed", "error-page-partly"),
        ("root ROOT; access_log /x main;", "changed", "log-format-differs"),
        ("root ROOT; auth_request /x;", "unsupported", "value-unread"),
        ("root ROOT; auth_request /x; location = /x { internal; proxy_pass http://192.0.2.21:8080; }", "unsupported", "no-counterpart"),
        ("proxy_pass http://$host;", "unsupported", None),
        ("return 418;", "unsupported", "no-counterpart"),
    ],
)
def test_what_is_not_simply_kept(reads: Reads, server: str, disposition: str, code: str | None) -> None:
    text = nginx(f"location / {{ {server} }}" if "proxy_pass" in server else server, "log_format main '$host';")
    ledger = _translated(reads, "nginx", text).ledger
    assert any(
        e.disposition.value == disposition and (code is None or (e.finding and e.finding.code.name == code))
        for e in ledger
    )


def test_a_limit_where_no_origin_is_asked_is_accounted_for(reads: Reads) -> None:
    ledger = _translated(reads, "nginx", nginx("root ROOT; client_max_body_size 8m;")).ledger
    assert [e.disposition.value for e in ledger if "client_max_body_size" in e.span.directive] == ["implied"]


def test_what_cannot_be_said_is_closed_and_not_open(reads: Reads) -> None:
    """A protection that is not read, and a refusal with a condition that has no test, answer with an error."""
    for server in (
        "root ROOT; location /s/ { secure_link $arg_s; }",
        "root ROOT; location /s/ { auth_request /x; }",
        "root ROOT; location /s/ { auth_request /x; } location = /x { internal; proxy_pass http://192.0.2.21:8080; }",
        "root ROOT; location /s/ { if ($ssl_client_fingerprint != 0f) { return 403; } }",
    ):
        text = "".join(_translated(reads, "nginx", nginx(server)).writing.files.values())
        assert "R=501" in text and '"^/s/"' in text


def test_values_cannot_break_out_of_their_place(reads: Reads) -> None:
    """Quotes, brackets, backslashes, percent and dollar signs of the source stay values."""
    for value in ('a" b', "x' y", "100% %{HTTP_HOST}e", "c:\\\\temp\\\\", "</VirtualHost>", "a # b", "${HOME}"):
        text = nginx(
            f"root ROOT; add_header X-A '{value}' always;"
            if "'" not in value
            else f'root ROOT; add_header X-A "{value}" always;'
        )
        translation = _translated(reads, "nginx", text)
        assert len(translation.read_back.estate.sites) == 1
        lost = any(e.disposition.value == "unsupported" for e in translation.ledger)
        assert lost or not any(
            "x-a" in item.what for cause in translation.comparison.causes if cause.reason is not Reason.HEAD for item in cause.differences
        ), value


@pytest.mark.parametrize("text", ['a"b', "a\\b", "a\\", 'a\\"b', "a\\\\b", "plain", ""])
def test_quoted_words_are_read_back(text: str) -> None:
    from young_lantern.dialects.apache.syntax import parse

    assert parse(f"Header set X-A {quote(text)}\n", "x").directives[0].args[-1] == text


def test_hosts_stand_in_the_order_in_which_names_are_tried(reads: Reads) -> None:
    """nginx prefers exact names wherever they stand; whoever answers unknown hosts comes first."""
    text = """events {}
http {
server { listen 80; server_name *.fernhollow.example; return 404; }
server { listen 80; server_name www.fernhollow.example; return 410; }
server { listen 80 default_server; server_name other.example; return 403; }
}
"""
    translation = _translated(reads, "nginx", text)
    assert list(translation.writing.files)[1:] == [
        "sites/000-other.example.conf",
        "sites/001-www.fernhollow.example.conf",
        "sites/002-any.fernhollow.example.conf",
    ]
    assert not [cause for cause in translation.comparison.causes if cause.severity.value == "breaking"]


def test_a_site_on_two_listeners_is_written_once(reads: Reads) -> None:
    text = nginx("root ROOT;", listen="listen 80; listen 443 ssl; ssl_certificate /c.pem; ssl_certificate_key /k.pem;")
    files = _translated(reads, "nginx", text).writing.files
    shared = files["sites/shared/www.fernhollow.example.conf"]
    hosts = next(text for name, text in files.items() if name.startswith("sites/000"))
    assert "DocumentRoot" in shared and "DocumentRoot" not in hosts
    assert hosts.count('Include "sites/shared/www.fernhollow.example.conf"') == 2 and "SSLEngine On" in hosts


def test_modules_are_named_and_no_more_than_needed(reads: Reads) -> None:
    main = _translated(reads, "nginx", nginx("return 301 https://a.example$request_uri;")).writing.files["httpd.conf"]
    assert "alias_module" in main and "proxy_module" not in main and "rewrite_module" not in main


def test_strict_writes_a_redirect_of_everything_as_a_rule(reads: Reads) -> None:
    text = nginx("return 301 https://a.example$request_uri;")
    assert "RewriteRule" in "".join(_translated(reads, "nginx", text, strict=True).writing.files.values())


def test_placeholders_come_out_as_httpd_can_read_them(reads: Reads) -> None:
    main = reads.write("caddy", caddy("reverse_proxy {$APP}:{$PORT}"))
    silent = translate(main.parent, "apache")
    asked = translate(main.parent, "apache", options=WriterOptions(placeholder="{{ NAME }}"))
    assert "http://${APP}:${PORT}" in "".join(silent.writing.files.values())
    assert "http://{{ APP }}:{{ PORT }}" in "".join(asked.writing.files.values())
    assert not silent.comparison.undecided


def test_tables_become_variables(reads: Reads) -> None:
    """The first row that holds has the last word."""
    table = "map $http_x_probe $kind { default other; a first; ~^a second; }"
    text = nginx("location / { proxy_pass http://192.0.2.1; proxy_set_header X-Kind $kind; }", table)
    translation = _translated(reads, "nginx", text)
    assert not [c for c in translation.comparison.causes if c.severity.value == "breaking" and c.reason.name == "OTHER"]
    assert "[E=kind:other]" in "".join(translation.writing.files.values())


@pytest.mark.parametrize("dialect", ["nginx", "caddy"])
def test_the_sample_estate(tmp_path: Path, dialect: str) -> None:
    """Every line has an entry that adds up; both servers answer alike, or as foretold."""
    source, files = unpack(tmp_path, dialect)
    translation = translate(source, "apache")
    spans = {entry.span for entry in translation.ledger}
    assert spans == {claim.span for claim in translation.reading.claims}
    assert sum(counted(translation.ledger).values()) == len(spans)
    assert not [entry for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"]
    live = check_live(translation.reading, translation.read_back, files=((FILES_AT, files),), most=300)
    assert not live.surprises
    assert live.same > len(live.rows) * 0.6  # slow origins and odd names of fields are asked where the two differ


def test_what_is_written_is_read_from_where_it_is_saved(reads: Reads, tmp_path: Path) -> None:
    translation = _translated(reads, "nginx", nginx("root ROOT;"))
    save(translation.writing.files, tmp_path / "out")
    reading = named("apache").read(tmp_path / "out" / "httpd.conf")
    assert [site.key for site in reading.estate.sites] == [site.key for site in translation.read_back.estate.sites]


# --- conditions on the path as patterns -----------------------------------------------------------------------------------

A, B, PDF = PathStartsWith("/a/"), PathIs("/b"), PathMatches(Pattern(r"\.pdf$", ignores_case=True))


@pytest.mark.parametrize(
    ("parts", "holds", "misses"),
    [
        ((A,), "/a/x", "/b/a/x"),
        ((Not(A), PDF), "/x.PDF", "/a/x.pdf"),
        ((AnyOf((A, B)),), "/b", "/bx"),
        ((AllOf((A, PDF)),), "/a/x.pdf", "/a/x.png"),
        ((A, Not(PathMatches(Pattern("/x|/y")))), "/a/z", "/a/q/y"),
        ((PathMatches(Pattern("^/a|b$")),), "/zb", "/zc"),
        ((PathIs("/a+b"),), "/a+b", "/aab"),
    ],
)
def test_sections_hold_what_their_conditions_hold(parts: tuple, holds: str, misses: str) -> None:  # type: ignore[type-arg]
    pattern = Pattern("^" + fragment(parts))
    assert search(pattern, holds) and not search(pattern, misses), pattern


def test_groups_are_counted_and_dropped() -> None:
    assert groups_of(r"(a)(?:b)(?<c>[(])\((?P<d>x)") == {"c": 2, "d": 3}
    assert without_groups(r"(a)\((?<n>b)[(]") == r"(?:a)\((?:b)[(]"
    assert look(AnyOf((PathIs("/x"), PathStartsWith("/x/")))) == "/x(?:/|$)"


def test_fields_with_the_target_and_the_host_that_the_client_sent(reads: Reads, tmp_path: Path) -> None:
    """httpd has no word for the target as received; and whatever comes after the line that sets the Host sees that one."""
    reading = reads.read("nginx", """events {}
http { server { listen 8000; server_name www.fernhollow.example;
    location / { proxy_pass http://192.0.2.21:8080; proxy_set_header X-Original-URI $request_uri; proxy_set_header X-Original-URL $scheme://$http_host$request_uri; }
    location /loans/ { proxy_pass http://192.0.2.21:8080; proxy_set_header X-Original-URI $request_uri; }
} }
""")
    made = translate(reading.main, "apache")
    assert not [entry for entry in made.ledger if entry.disposition.value == "unsupported"]
    save(made.writing.files, tmp_path / "new")
    after = read(tmp_path / "new")
    live = check_live(reading, after, most=400)
    assert not live.surprises
    assert not [item for row in live.rows for item in row.between if item.what.startswith("origin field x-original")]
    back = "\n".join(translate(after.main, "nginx").writing.files.values())
    assert "proxy_set_header X-Original-URI $request_uri;" in back


def test_fields_that_errors_do_not_get_go_with_an_origins_errors(reads: Reads, tmp_path: Path) -> None:
    """Caddy's deferred fields are on what an origin answers, whatever its status, and on no error of the server's own."""
    reading = reads.read("caddy", caddy("header {\n\tX-Frame-Options DENY\n\t-Server\n}\nhandle /a/* {\n\treverse_proxy 192.0.2.21:8080\n}\nhandle {\n\trespond /gone 410\n\terror 404\n}"))
    made = translate(reading.main, "apache")
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=400)
    assert not live.surprises
    refused = [row for row in live.rows if row.request.field("Lantern-Answer") == "404" and row.request.target.startswith("/a/")]
    assert refused and {answer.field("x-frame-options") for row in refused for answer in row.answers} == {"DENY"}
    own = [row for row in live.rows if row.request.target == "/x" and row.request.method == "GET" and row.request.host == "www.fernhollow.example"]
    assert own and {answer.field("x-frame-options") for row in own for answer in row.answers} == {None}


def test_the_type_of_a_text_is_for_that_answer_alone(reads: Reads) -> None:
    """A refusal with words of its own, by what no path says: pages of the origin keep their type."""
    text = "location / { proxy_pass http://192.0.2.7:8000; if ($office = 0) { return 403 \"office only\"; } }"
    made = translate(reads.write("nginx", nginx(text, "geo $office { default 0; 192.0.2.0/24 1; }")), "apache", dialect="nginx")
    written = "".join(made.writing.files.values())
    assert 'Header always set Content-Type "text/plain" env=' in written
    assert not [cause for cause in made.comparison.causes if cause.summary.startswith("field content-type: (the origin's)")]
    assert not check_live(made.reading, made.read_back, most=60).surprises


def test_an_origin_that_a_table_lets_in(reads: Reads) -> None:
    """The usual way to let pages of some origins in: the table's value is the client's own field, and nothing is sent where it is empty."""
    table = 'map $http_origin $cors { default ""; "~^https://([a-z]+\\.)?fernhollow\\.example$" $http_origin; }'
    place = "add_header Access-Control-Allow-Origin $cors always;"
    made = translate(reads.write("nginx", nginx(f"location /api/ {{ if ($request_method = OPTIONS) {{ {place} return 204; }} {place} proxy_pass http://192.0.2.1:81/; }}", table)), "apache")
    written = "\n".join(made.writing.files.values())
    assert "[E=cors:%{HTTP:Origin}]" in written and '"%{cors}e" env=cors' in written
    asked = [request_for("http://www.fernhollow.example/api/x", method, {"Origin": origin}) for method in ("GET", "OPTIONS") for origin in ("https://a.fernhollow.example", "https://other.example")]
    told = [dict(decide(estate, request, real_files()).fields).get("access-control-allow-origin") for estate in (made.reading.estate, made.read_back.estate) for request in asked]
    assert told == ["https://a.fernhollow.example", None] * 4
    assert not check_live(made.reading, made.read_back, requests=asked, most=100).surprises


@pytest.mark.parametrize("asked", ["$new", '$new != ""'])
def test_redirects_by_a_table_are_one_for_each_row(reads: Reads, asked: str) -> None:
    """A value with a question mark may not come out of a variable (2.4.60 and later); in a rule's own words it may."""
    tables = ("map $uri $new { /old-hours /hours.html; /old-prices /prices.html?x=1; ~^/tools/(?<num>\\d+)$ /tool.html?id=$num; ~*^/t/(.*)$ https://tools.fernhollow.example/$1; default \"\"; }",
              "map $request_uri $new { /old-hours /hours.html; /page.php?id=7 /seven; ~^/n/(\\d+)\\?k=(\\w+)$ /m/$2/$1?x=1; default \"\"; }")
    for table in tables:
        made = translate(reads.write("nginx", nginx(f"root ROOT; if ({asked}) {{ return 301 $new; }} location / {{ try_files $uri =404; }}", table)), "apache")
        written = "\n".join(made.writing.files.values())
        assert written.count("R=301") == 4 - ("request_uri" in table) and "%{ENV:new}" not in written
        assert {cause.reason for cause in made.comparison.of(Severity.BREAKING)} <= {Reason.ENCODED_MARK}
        live = check_live(made.reading, made.read_back, most=250)
        assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
        assert {301} <= {row.answers[1].status for row in live.rows}


def test_a_table_of_one_row_is_one_redirect(reads: Reads) -> None:
    """And its line is not said to be of no consequence."""
    made = translate(reads.write("nginx", nginx("if ($new) { return 301 $new; } return 200 books;", 'map $uri $new { /only /there?x=1; default ""; }')), "apache")
    assert '"/there?x=1"' in "\n".join(made.writing.files.values())
    assert {entry.disposition.value for entry in made.ledger if entry.span.directive.startswith("map ")} == {"kept"}


def test_a_table_is_asked_once(reads: Reads, tmp_path: Path) -> None:
    """nginx looks a table up once: what a fallback leads to is not held against it again, and nothing else is closed for it."""
    text = nginx(
        "root ROOT; if ($gone) { return 410; } location ~ \\.png$ { try_files $uri /style.css; } location / { try_files $uri @pages; } location @pages { proxy_pass http://192.0.2.1:81; }",
        "map $uri $gone { default 0; /old 1; ~^/retired/ 1; /style.css 1; }",
    )
    assert [reads.decide("nginx", text, path).status for path in ("/old", "/retired/x", "/style.css", "/x.png", "/a.html")] == [410, 410, 410, 200, 200]
    made = translate(reads.write("nginx", text), "apache")
    assert [decide(made.read_back.estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).status for path in ("/old", "/style.css", "/x.png", "/a.html")] == [410, 410, 200, 200]
    assert "".join(made.writing.files.values()).count("R=501") == 0
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new"), most=300).surprises


def test_methods_that_need_no_credentials(reads: Reads, tmp_path: Path) -> None:
    (tmp_path / "users").write_text(f"rowan:{PASSWORD_HASH}\n")
    text = nginx(f"location / {{ limit_except GET {{ auth_basic Staff; auth_basic_user_file {tmp_path}/users; }} proxy_pass http://192.0.2.1:81; }}")
    made = translate(reads.write("nginx", text), "apache")
    assert "Require method GET HEAD" in "".join(made.writing.files.values())
    statuses = [decide(made.read_back.estate, request_for("http://www.fernhollow.example/x", method), real_files()).status for method in ("GET", "HEAD", "POST", "DELETE")]
    assert statuses == [200, 200, 401, 401]
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new"), most=200).surprises


@pytest.mark.parametrize(("target", "status"), [("/dir/x.txt", 202), ("/dir/x.txt.old", 202), ("/dir/none", 404), ("/other", 410)])
def test_what_follows_an_ending_that_is_cut_off(reads: Reads, target: str, status: int) -> None:
    """It is for paths without that ending, too."""
    text = caddy("root * ROOT\nhandle /dir/* {\nuri strip_suffix .old\nrespond /dir/x.txt 202\nrespond 404\n}\nrespond 410")
    made = translate(reads.write("caddy", text), "apache", dialect="caddy")
    for reading in (made.reading, made.read_back):
        assert decide(reading.estate, request_for(f"http://www.fernhollow.example{target}"), real_files()).status == status


@pytest.mark.parametrize(("fields", "target"), [({"X-Old": "yes"}, "http://192.0.2.31:80/deals.html"), ({}, "http://192.0.2.30:80/deals.html")])
def test_a_changed_path_comes_to_the_rules_that_ask_origins(reads: Reads, fields: dict[str, str], target: str) -> None:
    """It is not passed on to be mapped where a rule, which asks for more than the path, would have taken it."""
    text = caddy("rewrite /sale /deals.html\n@old header X-Old yes\nreverse_proxy @old 192.0.2.31:80\nreverse_proxy 192.0.2.30:80")
    made = translate(reads.write("caddy", text), "apache", dialect="caddy")
    for reading in (made.reading, made.read_back):
        origin = decide(reading.estate, request_for("http://www.fernhollow.example/sale", fields=fields), real_files()).origin
        assert origin is not None and f"http://{origin.addresses[0]}{origin.target}" == target


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_a_table_of_variables_is_asked_by_what_they_are(reads: Reads, target: str) -> None:
    """The scheme that a proxy in front tells, else the connection's: the redirect to HTTPS behind a balancer."""
    tables = "map $http_x_forwarded_proto $real_scheme { default $http_x_forwarded_proto; '' $scheme; } map $http_x_mode $mode { default $cookie_mode; ~^t test; off ''; } map $http_x_kind $kind { default $http_x_kind; BOOK tool; }"
    text = nginx("root ROOT; if ($real_scheme = http) { return 301 https://$host$request_uri; } if ($real_scheme != https) { return 403; } location /m/ { if ($mode = test) { return 204; } } location /k/ { if ($kind = book) { return 205; } }", tables)
    made = translate(reads.write("nginx", text), target)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    for fields, status in (({}, 301), ({"X-Forwarded-Proto": "http"}, 301), ({"X-Forwarded-Proto": "ftp"}, 403), ({"X-Forwarded-Proto": "https", "X-Mode": "t"}, 204),
                           ({"X-Forwarded-Proto": "https", "X-Mode": "off", "Cookie": "mode=test"}, 404), ({"X-Forwarded-Proto": "https", "Cookie": "mode=test"}, 204)):
        for reading in (made.reading, made.read_back):
            assert decide(reading.estate, request_for("http://www.fernhollow.example/m/x", fields=fields), real_files()).status == status
    assert [(str(row.request), row.between, row.defects) for row in check_live(made.reading, made.read_back, most=200).surprises] == []
