"""Applications by FastCGI: what they are told, by the model and by each running server, and what is left of it in another dialect."""

from __future__ import annotations

import itertools
import json
import re
import socket
import struct
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab import fastcgi
from young_lantern.lab.live import check_live
from young_lantern.lab.origin import MARK, Origins
from young_lantern.lab.ports import free_port
from young_lantern.translate import read, save, translate

USUAL = "\n".join(
    f"fastcgi_param {name} {value};"
    for name, value in {
        "SCRIPT_FILENAME": "$document_root$fastcgi_script_name",
        "SCRIPT_NAME": "$fastcgi_script_name",
        "QUERY_STRING": "$query_string",
        "REQUEST_METHOD": "$request_method",
        "CONTENT_TYPE": "$content_type",
        "CONTENT_LENGTH": "$content_length",
        "REQUEST_URI": "$request_uri",
        "DOCUMENT_ROOT": "$document_root",
        "REQUEST_SCHEME": "$scheme",
        "REMOTE_ADDR": "$remote_addr",
        "SERVER_PORT": "$server_port",
        "SERVER_NAME": "$host",
    }.items()
)
SPLIT = "fastcgi_split_path_info ^(.+?\\.php)(/.*)$;"
HANDLER = '<FilesMatch "\\.php$">\nSetHandler "proxy:fcgi://192.0.2.5:9000"\n</FilesMatch>'
SCRIPTS = ("a.php", "dir/index.php", "index.php")
# Dialect, lines of a site, target, status, the script below the root, and some of what it is told.
ROWS = [
    (
        "nginx",
        f"root ROOT; location ~ \\.php$ {{ {USUAL} fastcgi_pass 192.0.2.5:9000; }}",
        "/a.php?q=1",
        200,
        "/a.php",
        {"QUERY_STRING": "q=1", "SCRIPT_NAME": "/a.php"},
    ),
    (
        "nginx",
        f"root ROOT; location ~ \\.php$ {{ {USUAL} fastcgi_pass 192.0.2.5:9000; }}",
        "/none.php",
        404,
        "/none.php",
        {},
    ),
    (
        "nginx",
        f"root ROOT; location ~ \\.php(/|$) {{ {SPLIT} {USUAL} fastcgi_param PATH_INFO $fastcgi_path_info; fastcgi_pass 192.0.2.5:9000; }}",
        "/a.php/m%20o",
        200,
        "/a.php",
        {"PATH_INFO": "/m o"},
    ),
    (
        "nginx",
        f"root ROOT; location ~ \\.php(/|$) {{ {SPLIT} try_files $fastcgi_script_name =404; {USUAL} fastcgi_param PATH_INFO $fastcgi_path_info; fastcgi_pass 192.0.2.5:9000; }}",
        "/a.php/more",
        200,
        "/a.php",
        {"PATH_INFO": None},
    ),
    (
        "nginx",
        f"root ROOT; location ~ \\.php(/|$) {{ {SPLIT} try_files $fastcgi_script_name =404; set $path_info $fastcgi_path_info; {USUAL} fastcgi_param PATH_INFO $path_info; fastcgi_pass 192.0.2.5:9000; }}",
        "/a.php/more",
        200,
        "/a.php",
        {"PATH_INFO": "/more"},
    ),
    (
        "nginx",
        f"root ROOT; index index.php; location / {{ try_files $uri $uri/ /index.php$is_args$args; }} location ~ \\.php$ {{ {USUAL} fastcgi_pass 192.0.2.5:9000; }}",
        "/no/such?q=1",
        200,
        "/index.php",
        {"QUERY_STRING": "q=1", "REQUEST_URI": "/no/such?q=1"},
    ),
    (
        "nginx",
        f"root ROOT; index index.php; location / {{ try_files $uri $uri/ /index.php?$query_string; }} location ~ \\.php$ {{ {USUAL} fastcgi_pass 192.0.2.5:9000; }}",
        "/dir/",
        200,
        "/dir/index.php",
        {},
    ),
    (
        "nginx",
        f"root ROOT; location / {{ {USUAL} fastcgi_param SCRIPT_FILENAME ROOT/index.php; fastcgi_param SEASON autumn; fastcgi_pass 192.0.2.5:9000; }}",
        "/x/y",
        200,
        "/index.php",
        {"SEASON": "autumn", "SCRIPT_NAME": "/x/y"},
    ),
    (
        "nginx",
        f"root ROOT; location ~ \\.php$ {{ {USUAL} fastcgi_index a.php; fastcgi_pass 192.0.2.5:9000; }} location / {{ fastcgi_index a.php; {USUAL} fastcgi_pass 192.0.2.5:9000; }}",
        "/",
        200,
        "/a.php",
        {"SCRIPT_NAME": "/a.php"},
    ),
    (
        "caddy",
        "root * ROOT\nphp_fastcgi 192.0.2.5:9000\nfile_server",
        "/a.php/more?q=1",
        200,
        "/a.php",
        {"PATH_INFO": "/more", "HTTP_X_FORWARDED_PROTO": "http"},
    ),
    (
        "caddy",
        "root * ROOT\nphp_fastcgi 192.0.2.5:9000\nfile_server",
        "/no/such?q=1",
        200,
        "/index.php",
        {"QUERY_STRING": "q=1", "REQUEST_URI": "/no/such?q=1"},
    ),
    (
        "caddy",
        "root * ROOT\nphp_fastcgi 192.0.2.5:9000\nfile_server",
        "/dir/",
        200,
        "/dir/index.php",
        {"SCRIPT_NAME": "/dir/index.php"},
    ),
    (
        "caddy",
        "root * ROOT\nphp_fastcgi 192.0.2.5:9000 {\nindex off\nenv SEASON {method}\n}\nfile_server",
        "/A.PHP",
        404,
        "/A.PHP",
        {"SEASON": "GET"},
    ),
    (
        "caddy",
        "root * ROOT\nreverse_proxy /a* 192.0.2.5:9000 {\ntransport fastcgi {\nsplit .php\n}\n}\nfile_server",
        "/a.php/x",
        200,
        "/a.php",
        {"PATH_INFO": "/x"},
    ),
    (
        "caddy",
        "root * ROOT\nreverse_proxy /a* 192.0.2.5:9000 {\ntransport fastcgi\n}\nfile_server",
        "/a.php",
        200,
        "",
        {"PATH_INFO": "/a.php", "SCRIPT_NAME": None},
    ),
    ("apache", HANDLER, "/a.php/more?q=1", 200, "/a.php", {"PATH_INFO": "/more", "QUERY_STRING": "q=1"}),
    ("apache", HANDLER, "/none.php", 404, "/none.php", {}),
    (
        "apache",
        f"DirectoryIndex index.php\nFallbackResource /index.php\nSetEnv SEASON autumn\n{HANDLER}",
        "/no/such",
        200,
        "/index.php",
        {"SEASON": "autumn", "SCRIPT_NAME": "/index.php"},
    ),
    (
        "apache",
        f"DirectoryIndex index.php\n{HANDLER}",
        "/dir/",
        200,
        "/dir/index.php",
        {"SCRIPT_NAME": "/dir/index.php"},
    ),
    (
        "apache",
        f"RewriteEngine On\nRewriteRule ^/old$ /a.php [L]\n{HANDLER}",
        "/old",
        200,
        "/a.php",
        {"SCRIPT_NAME": "/old"},
    ),
    (
        "apache",
        f"RewriteEngine On\nRewriteRule ^/old$ /a.php [PT]\n{HANDLER}",
        "/old",
        200,
        "/a.php",
        {"SCRIPT_NAME": "/a.php"},
    ),
    ("apache", f"{HANDLER}\n<Location /dir>\nSetHandler none\n</Location>", "/a.php", 200, "/a.php", {}),
    (
        "apache",
        'ProxyPassMatch "^/(.*\\.php)$" "fcgi://192.0.2.5:9000ROOT/$1"',
        "/dir/index.php?q",
        200,
        "/dir/index.php",
        {"SCRIPT_NAME": "/dir/index.php"},
    ),
]
MAKES = {"nginx": nginx, "caddy": caddy, "apache": httpd}


def _with_scripts(reads: Reads) -> None:
    for name in SCRIPTS:
        (reads.root / name).write_text("<?php\n")


@pytest.mark.parametrize(("dialect", "lines", "target", "status", "script", "told"), ROWS)
def test_what_an_application_is_told(
    reads: Reads, dialect: str, lines: str, target: str, status: int, script: str, told: dict[str, str | None]
) -> None:
    """The model foretells it, and the server does it."""
    _with_scripts(reads)
    text = MAKES[dialect](lines)
    outcome = reads.decide(dialect, text, target)
    assert outcome.origin is not None and outcome.origin.protocol == "fastcgi", outcome.trace
    assert (outcome.status, outcome.origin.target.removeprefix(str(reads.root)).rstrip("/")) == (status, script)
    sent = dict(outcome.origin.fields)
    assert {name: sent.get(name) for name in told} == told
    rows = [
        ("GET", "www.fernhollow.example", target, {}),
        ("POST", "www.fernhollow.example", target, {"Content-Length": "3"}),
    ]
    asked, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, reads.folder / "asked")
    assert (asked, wrong) == (2, [])


FRONTS = {
    "nginx": f"root ROOT; index index.php; location / {{ try_files $uri $uri/ /index.php$is_args$args; }} location ~ \\.php$ {{ {SPLIT} try_files $fastcgi_script_name =404; {USUAL} fastcgi_param SEASON autumn; fastcgi_pass unix:/run/fernhollow.sock; }}",
    "caddy": "root * ROOT\nphp_fastcgi unix//run/fernhollow.sock {\nenv SEASON autumn\n}\nfile_server",
    "apache": 'DirectoryIndex index.php\nFallbackResource /index.php\nSetEnv SEASON autumn\n<FilesMatch "\\.php$">\nSetHandler "proxy:unix:/run/fernhollow.sock|fcgi://localhost"\n</FilesMatch>',
}
WRITTEN = {
    "nginx": ["try_files", "fastcgi_param SEASON autumn;", "fastcgi_pass unix:/run/fernhollow.sock;"],
    "caddy": ["reverse_proxy unix//run/fernhollow.sock {", "transport fastcgi {", "env SEASON autumn"],
    "apache": [
        '<FilesMatch "\\.php$">',
        'SetHandler "proxy:unix:/run/fernhollow.sock|fcgi://localhost"',
        'SetEnv SEASON "autumn"',
    ],
}


@pytest.mark.parametrize(("source", "target"), list(itertools.permutations(FRONTS, 2)))
def test_a_front_script_in_another_dialect(reads: Reads, tmp_path: Path, source: str, target: str) -> None:
    """No line is lost, both servers agree or were foretold to differ, and no script is ever sent as a file."""
    _with_scripts(reads)
    translation = translate(reads.write(source, MAKES[source](FRONTS[source])).parent, target)
    text = "\n".join(translation.writing.files.values())
    assert all(line in text for line in WRITTEN[target]), text
    assert not [entry for entry in translation.ledger if entry.disposition.value == "unsupported"]
    assert not translation.comparison.undecided
    for cause in translation.comparison.causes:
        assert not (cause.after.file or "").endswith(".php"), cause.example
    save(translation.writing.files, tmp_path / "out")
    live = check_live(translation.reading, read(tmp_path / "out", target), most=150)
    assert not live.surprises and len(live.rows) >= 100
    sent = [row for row in live.rows for answer in row.answers if answer.content == b"<?php\n"]
    assert not sent


def test_what_cannot_be_carried_is_refused(reads: Reads) -> None:
    """Two applications of one host: httpd's section by name can run one."""
    lines = "".join(
        f"location ~ ^/{name}/.*\\.php$ {{ root ROOT; {USUAL} fastcgi_pass 192.0.2.{number}:9000; }} "
        for number, name in enumerate("ab", 5)
    )
    translation = translate(reads.write("nginx", nginx(lines)).parent, "apache")
    assert [
        entry.span.directive.split()[0] for entry in translation.ledger if entry.disposition.value == "unsupported"
    ] == ["fastcgi_pass"]
    assert "R=501" in "".join(translation.writing.files.values())


def _record(kind: int, body: bytes) -> bytes:
    return struct.pack("!BBHHBx", 1, kind, 7, len(body), 0) + body


def test_the_stand_in_reads_records() -> None:
    """Short and long names, content in pieces, and a second request on a connection that is kept."""
    long = "x" * 300
    pairs = bytes([9, 3]) + b"SOME_NAMEabc" + struct.pack("!IB", len(long) | 1 << 31, 1) + long.encode() + b"v"
    assert list(fastcgi.read_pairs(pairs)) == [("SOME_NAME", "abc"), (long, "v")]
    port = free_port()
    with Origins([port]), socket.create_connection(("127.0.0.1", port), timeout=5) as stream:
        for _ in range(2):
            stream.sendall(
                _record(1, struct.pack("!HBxxxxx", 1, 1))
                + _record(4, pairs)
                + _record(4, b"")
                + _record(5, b"ab")
                + _record(5, b"c")
                + _record(5, b"")
            )
            got = b""
            while not re.search(rb"\x01\x03\x00\x07\x00\x08", got):
                got += stream.recv(4096)
            said = json.loads(got[got.index(b"{"):got.rindex(b"}") + 1])
            assert MARK in said and said["content_bytes"] == 3 and b"Status: 200" in got


def test_what_a_program_says_stands_in_the_table_of_always(reads: Reads) -> None:
    """httpd: `always set` takes the place of a program's field, `set` comes beside it; for a proxied origin it is the other way round."""
    _with_scripts(reads)
    host = f"{HANDLER}\nProxyPass /app/ http://192.0.2.6:81/\nHeader always set X-Always own\nHeader set X-Set own"
    reading = reads.read("apache", httpd(host))
    live = check_live(reading, reading, most=300)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    asked = {(row.request.target.startswith("/app/"), row.request.field("Lantern-Field")) for row in live.rows if row.request.field("Lantern-Field")}
    assert {by_proxy for by_proxy, field in asked if field and field.lower().startswith("x-")} == {True, False}


@pytest.mark.parametrize("base", ["", "RewriteBase /\n"])
def test_a_front_controller_in_htaccess_is_one_line(reads: Reads, base: str) -> None:
    """What most applications bring: not for what is there, and `.` leaves out the root alone, which always is."""
    _with_scripts(reads)
    (reads.root / ".htaccess").write_text(f"RewriteEngine On\n{base}RewriteCond %{{REQUEST_FILENAME}} !-f\nRewriteCond %{{REQUEST_FILENAME}} !-d\nRewriteRule . /index.php [L]\n")
    text = httpd(f"<Directory ROOT>\nAllowOverride All\n</Directory>\nDirectoryIndex index.php\n{HANDLER}")
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    site = next(text for name, text in made.writing.files.items() if name.startswith("sites/"))
    assert "try_files $uri $uri/ /index.php$is_args$args;" in site
    assert "470" not in site.partition("location / {")[2].partition("}")[0]


@pytest.mark.parametrize(("asked", "override"), [("fastcgi", ""), ("fastcgi", "ProxyErrorOverride On\n"), ("http", "")])
def test_pages_for_errors_that_an_origin_answers(reads: Reads, asked: str, override: str) -> None:
    """httpd: an application's error is taken over for the request that came alone; a page that nobody answers leaves the first status."""
    (reads.root / "a.php").write_text("a\n")
    (reads.root / "index.php").write_text("index\n")
    inner = "<Directory ROOT>\nRewriteEngine On\nRewriteRule ^inner$ /a.php [L]\n</Directory>\nRewriteEngine On\nRewriteRule ^/outer$ /a.php [PT]\n"
    pages = "ErrorDocument 404 /index.php\nErrorDocument 500 /404.html\n" if asked == "fastcgi" else "ErrorDocument 404 /app/x\nErrorDocument 500 /404.html\nProxyPass /app http://192.0.2.6:80/app\n"
    reading = reads.read("apache", httpd(f"DirectoryIndex index.php\n{HANDLER}\n{inner if asked == 'fastcgi' else ''}{override}{pages}"))
    live = check_live(reading, reading, most=300)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    assert any(row.request.field("Lantern-Answer") == "418" for row in live.rows) is bool(override)


NGINX_HIDES = """events {}
http { server { listen 80; server_name www.fernhollow.example; root ROOT; index index.php;
fastcgi_hide_header X-Powered-By; add_header X-Own yes;
location ~ \\.php$ { fastcgi_pass 192.0.2.5:9000; fastcgi_param REQUEST_METHOD $request_method; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; }
location /app/ { proxy_pass http://192.0.2.7:8000; proxy_hide_header X-Runtime; }
} }
"""
CADDY_HIDES = """http://www.fernhollow.example {
root * ROOT
php_fastcgi 192.0.2.5:9000 {
header_down -X-Powered-By
}
file_server
}
"""
HTTPD_HIDES = f"{HANDLER}\nProxyPass /app/ http://192.0.2.7:8000/app/\nHeader always set X-Powered-By none\nHeader always unset X-Debug\nHeader set X-Set own\nHeader unset X-Runtime"


@pytest.mark.parametrize(
    ("dialect", "target", "lines"),
    [
        ("nginx", "apache", ["Header always unset X-Powered-By", "Header unset X-Runtime"]),
        ("nginx", "caddy", ["header_down -X-Powered-By", "header_down -X-Runtime"]),
        ("caddy", "nginx", ["fastcgi_hide_header X-Powered-By;"]),
        ("caddy", "apache", ["Header always unset X-Powered-By"]),
        ("apache", "nginx", ["fastcgi_hide_header X-Powered-By;", "fastcgi_hide_header X-Debug;", "proxy_hide_header X-Set;", "proxy_hide_header X-Runtime;"]),
        ("apache", "caddy", []),
    ],
)
def test_fields_of_programs_that_are_taken_away(reads: Reads, dialect: str, target: str, lines: list[str]) -> None:
    """On both real servers; what acts on a program is another line than what acts on a proxied origin."""
    _with_scripts(reads)
    text = {"nginx": NGINX_HIDES, "caddy": CADDY_HIDES, "apache": httpd(HTTPD_HIDES)}[dialect]
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    written = "".join(made.writing.files.values())
    assert [line for line in lines if line not in written] == []
    live = check_live(made.reading, made.read_back, most=600)
    assert [str(row.request) + str(row.request.fields) + str(row.between) + str(row.defects) for row in live.surprises] == []
    assert any("x-powered-by" in (row.request.field("Lantern-Field") or "").lower() for row in live.rows)


BASIC_FIELD = {"Authorization": "Basic ZmVybjpsYW50ZXJu"}


@pytest.mark.parametrize(
    ("dialect", "lines", "told"),
    [
        ("nginx", "root ROOT; location / { fastcgi_pass 192.0.2.5:9000; fastcgi_param REQUEST_METHOD $request_method; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; }", None),
        ("caddy", "root * ROOT\nphp_fastcgi 192.0.2.5:9000", None),
        ("apache", HANDLER, ""),
        ("apache", HANDLER.replace("</FilesMatch>", "CGIPassAuth On\n</FilesMatch>"), None),
        ("apache", f'{HANDLER}\n<FilesMatch "\\.php$">\nCGIPassAuth On\n</FilesMatch>', None),
        ("apache", f"{HANDLER}\n<Location />\nCGIPassAuth On\n</Location>", None),
        ("apache", HANDLER + '\nSetEnvIf Authorization "(.+)" HTTP_AUTHORIZATION=$1', BASIC_FIELD["Authorization"]),
    ],
)
def test_what_clients_say_of_themselves(reads: Reads, dialect: str, lines: str, told: str | None) -> None:
    """httpd tells it to no program, unless it is asked to; the others do. None: as the client sent it. By the model, and on the server."""
    _with_scripts(reads)
    text = MAKES[dialect](lines)
    outcome = reads.decide(dialect, text, "/a.php", fields=BASIC_FIELD)
    assert dict(outcome.origin.fields).get("HTTP_AUTHORIZATION") == told
    rows = [("GET", "www.fernhollow.example", "/a.php", BASIC_FIELD)]
    assert disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, reads.folder / "asked") == (1, [])


def test_programs_behind_httpd_are_told_what_those_behind_nginx_were(reads: Reads) -> None:
    _with_scripts(reads)
    fields = "location ~ \\.php$ { fastcgi_pass 192.0.2.5:9000; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_param HTTP_HOST $host; fastcgi_param HTTPS on; }"
    made = translate(reads.write("nginx", nginx("root ROOT; " + fields)), "apache", dialect="nginx")
    written = "".join(made.writing.files.values())
    assert "CGIPassAuth On" in written and 'SetEnv HTTPS "on"' in written
    assert not [entry for entry in made.ledger if entry.disposition.value == "unsupported"]
    back = translate(reads.write("apache", httpd(HANDLER + "\nRequestHeader set X-Forwarded-Port 443\nRequestHeader unset X-Debug")), "nginx", dialect="apache")
    written = "".join(back.writing.files.values())
    assert "fastcgi_param HTTP_X_FORWARDED_PORT 443;" in written and 'fastcgi_param HTTP_X_DEBUG "";' in written
    assert any(cause.summary.startswith("parameter HTTP_AUTHORIZATION: none becomes Basic") for cause in back.comparison.causes) is False  # nobody is asked for a password there
    assert check_live(back.reading, back.read_back, most=150).surprises == ()


def test_a_section_that_lets_some_programs_know(reads: Reads) -> None:
    """Told as not read: the model has one answer for all that an application runs."""
    made = reads.read("apache", httpd(f"{HANDLER}\n<Location /dir/>\nCGIPassAuth On\n</Location>"))
    assert any(item.code.name == "value-unread" and "CGIPassAuth" in item.span.directive for item in made.findings)


def test_an_application_is_not_told_what_origins_are(reads: Reads) -> None:
    """A Host for an origin, and the field of its place, stand where that origin is asked, and not for the whole host; what is set for all still reaches both."""
    made = translate(reads.write("nginx", nginx(f"root ROOT; location /p/ {{ proxy_set_header X-P 1; proxy_pass http://192.0.2.1:81; }} location ~ \\.php$ {{ try_files $uri =404; {USUAL} fastcgi_pass 192.0.2.2:9000; }}")), "apache")
    assert "HTTP_HOST" not in {item.what.removeprefix("parameter ") for cause in made.comparison.causes for item in cause.differences}
    live = check_live(made.reading, made.read_back, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    both = translate(reads.write("caddy", caddy("root * ROOT\nrequest_header X-App shop\nhandle /api/* {\nreverse_proxy 192.0.2.9:81 {\nheader_up Host internal.example\n}\n}\nhandle {\nphp_fastcgi 192.0.2.2:9000\n}")), "apache")
    lines = [line.strip() for text in both.writing.files.values() for line in text.splitlines()]
    assert 'RequestHeader set X-App "shop"' in lines
    assert lines.index('RequestHeader set Host "internal.example"') > lines.index('<Location "/api/">')


def test_an_application_that_is_away_is_no_missing_index_file(reads: Reads) -> None:
    """httpd has found the index file by then, and looks for no other."""
    made = translate(reads.write("nginx", nginx(f"root ROOT; index i.php index.html; location ~ \\.php$ {{ try_files $uri =404; {USUAL} fastcgi_pass 192.0.2.2:9000; }}")), "apache")
    (reads.root / "i.php").write_text("<?php\n")
    live = check_live(made.reading, made.read_back, most=300)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    assert any(row.answers[1].status == 503 and row.request.target == "/" for row in live.rows)


INFORMED = f"{SPLIT} {{test}} {USUAL} fastcgi_param PATH_INFO {{info}}; fastcgi_pass unix:/run/fernhollow.sock;"


@pytest.mark.parametrize("target", ["caddy", "apache"])
@pytest.mark.parametrize(
    ("test", "info", "told"),
    [
        ("try_files $fastcgi_script_name =404;", "$fastcgi_path_info", None),
        ("set $path_info $fastcgi_path_info; try_files $fastcgi_script_name =404;", "$path_info", "/more"),
        ("if (!-f $document_root$fastcgi_script_name) { return 404; }", "$fastcgi_path_info", "/more"),
        ("try_files $fastcgi_script_name /index.php;", "$fastcgi_path_info", None),
    ],
)
def test_scripts_that_must_be_there(reads: Reads, tmp_path: Path, target: str, test: str, info: str, told: str | None) -> None:
    """The ways in which scripts are asked for as files, with information behind their names: carried, and nothing is answered with 501."""
    _with_scripts(reads)
    text = nginx(f"root ROOT; location ~ \\.php(/|$) {{ {INFORMED.format(test=test, info=info)} }}")
    made = translate(reads.write("nginx", text), target)
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    after = decide(made.read_back.estate, request_for("http://www.fernhollow.example/a.php/more"), real_files())
    assert after.origin is not None and after.origin.target == str(reads.root / "a.php") and (dict(after.origin.fields).get("PATH_INFO") or None) == told
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new"), most=200).surprises


def test_parameters_that_a_request_fills(reads: Reads, tmp_path: Path) -> None:
    """What tables and fields say is told to applications behind httpd, too, whose variables do not mind case."""
    _with_scripts(reads)
    asked = "fastcgi_param DEVICE $device; fastcgi_param FRONT $host; fastcgi_param LANGS $http_accept_language; fastcgi_pass unix:/run/fernhollow.sock;"
    text = nginx(f"root ROOT; location ~ \\.php$ {{ {USUAL} {asked} }}", "map $http_user_agent $device { default desktop; ~*iphone phone; }")
    made = translate(reads.write("nginx", text), "apache")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    request = request_for("http://www.fernhollow.example/a.php", "GET", {"User-Agent": "iPhone", "Accept-Language": "de, en"})
    outcome = decide(made.read_back.estate, request, real_files())
    assert outcome.origin is not None
    told = dict(outcome.origin.fields)
    assert (told["DEVICE"], told["FRONT"], told["LANGS"]) == ("phone", "www.fernhollow.example", "de, en")
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new"), most=200).surprises


HANDED_ON = """DocumentRoot ROOT
SetEnvIf Authorization "(.*)" HTTP_AUTHORIZATION=$1
<Directory ROOT>
RewriteEngine On
RewriteCond %{HTTP:Authorization} .
RewriteRule .* - [E=HTTP_AUTHORIZATION:%{HTTP:Authorization}]
RewriteCond %{REQUEST_FILENAME} !-d
RewriteCond %{REQUEST_URI} (.+)/$
RewriteRule ^ %1 [L,R=301]
RewriteCond %{REQUEST_FILENAME} !-d
RewriteCond %{REQUEST_FILENAME} !-f
RewriteRule ^ index.php [L]
</Directory>
<FilesMatch "\\.php$">
SetHandler "proxy:fcgi://192.0.2.9:9000"
</FilesMatch>"""


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_an_application_for_a_whole_folder(reads: Reads, tmp_path: Path, target: str) -> None:
    """The rules that its makers hand out: Authorization needs no rule elsewhere, a slash at the end is taken off, and all else is the application's."""
    (reads.root / "index.php").write_text("<?php\n")
    made = translate(reads.write("apache", httpd(HANDED_ON)), target)
    site = "".join(text for name, text in made.writing.files.items() if "/www." in name)
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    assert "uthorization" not in site and "AUTHORIZATION" not in site and len(site.splitlines()) < 60
    asked = [request_for(SITE + path, fields=fields) for path in ("/none", "/none/", "/a.html", "/index.php") for fields in ({}, {"Authorization": "Bearer x"})]
    for request in asked:
        before, after = (decide(estate, request, real_files()) for estate in (made.reading.estate, made.read_back.estate))
        assert before.status == after.status and (before.location or "").removeprefix(SITE) == (after.location or "").removeprefix(SITE)
    lost = [cause.summary for cause in made.comparison.causes if "HTTP_AUTHORIZATION" in cause.summary]
    assert all("empty" in summary or "''" in summary for summary in lost), lost
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", target), requests=asked, most=150).surprises
