"""Values that are left to deployment, wherever they stand: spelt as the target's deployment fills them, told, never taken to be known."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern import trace
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.deployment import as_deployed
from young_lantern.dialects.dialect import WriterOptions
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

# Dialect, its text, and lines that the targets have.
TEMPLATES = [
    ("nginx", nginx("root ${FILES}; location /old { return 301 https://{{ domain }}$request_uri; } location /{{ place }}/ { proxy_pass http://${APP}:${APP_PORT}; }",
                    listen="listen ${PORT};", name="server_name ${DOMAIN} www.${DOMAIN};"),
     {"caddy": ["http://${DOMAIN}:${PORT}, http://www.${DOMAIN}:${PORT}", "root * ${FILES}", "redir https://{{ domain }}{uri} 301", "/{{ place }}/*", "reverse_proxy ${APP}:${APP_PORT}"],
      "apache": ["Listen ${PORT}", '<VirtualHost *:${PORT}>', 'ServerName "${DOMAIN}"', 'ServerAlias "www.${DOMAIN}"', '"${FILES}', '"https://{{ domain }}%{REQUEST_URI}"', '"http://${APP}:${APP_PORT}/{{ place }}/"']}),
    ("caddy", caddy("root * {$FILES:/srv/www}\nredir /old/* https://{$DOMAIN}{uri}\nhandle /{$PLACE}/* {\nreverse_proxy {$APP}:{$APP_PORT:9000}\n}\nhandle {\nfile_server\n}",
                    "http://{$DOMAIN}:{$PORT:8080}, http://www.{$DOMAIN}:{$PORT:8080}"),
     {"nginx": ["listen ${PORT};", "server_name ${DOMAIN} www.${DOMAIN};", 'root "${FILES}";', "https://${DOMAIN}$request_uri", "/${PLACE}/", "http://${APP}:${APP_PORT}"],
      "apache": ["Listen ${PORT}", 'ServerName "${DOMAIN}"', 'DocumentRoot "${FILES}"', "https://${DOMAIN}", "/${PLACE}/", "http://${APP}:${APP_PORT}"]}),
    ("apache", f"{httpd('')}Listen ${{PORT}}\n<VirtualHost *:${{PORT}}>\nServerName {{{{ domain }}}}\nServerAlias www.{{{{ domain }}}}\nRedirect permanent /old https://{{{{ domain }}}}/new\n"
     "ProxyPass /${PLACE}/ http://${APP}:${APP_PORT}/\n</VirtualHost>\n",
     {"nginx": ["listen ${PORT} default_server;", "server_name {{ domain }} www.{{ domain }};", "rewrite ^/old(/.*)?$ https://{{ domain }}/new$1 permanent;", "/${PLACE}/", "http://${APP}:${APP_PORT}"],
      "caddy": ["http://{{ domain }}:${PORT}, http://www.{{ domain }}:${PORT}", "https://{{ domain }}{uri}", "/${PLACE}/", "reverse_proxy ${APP}:${APP_PORT}"]}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "lines"), TEMPLATES)
def test_they_stand_where_they_stood(reads: Reads, dialect: str, text: str, lines: dict[str, list[str]]) -> None:
    """Each in its place, none escaped or cut; each told with its line; filled in, the servers agree with what was foretold."""
    main = reads.write(dialect, text)
    for target, wanted in lines.items():
        made = translate(main, target, dialect=dialect)
        written = "\n".join(made.writing.files.values())
        assert [line for line in wanted if line not in written] == []
        assert not any(ord(character) >= 0xE000 for name, held in made.writing.files.items() for character in name + held)
        told = {dict(item.facts)["placeholder"] for item in made.findings if item.code.name == "placeholder-open"}
        assert {name.strip("${} ").partition(":")[0].lower() for name in told} >= {"port", "domain", "place", "app", "app_port"}
        assert all(item.span is not None and item.span.line for item in made.findings if item.code.name == "placeholder-open")
        live = check_live(made.reading, made.read_back, most=200)
        assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
        assert live.same > 20


def test_one_spelling_for_all(reads: Reads) -> None:
    """In the style that is asked for, however the source spells them."""
    for dialect, text, lines in TEMPLATES:
        for target in lines:
            made = translate(reads.write(dialect, text), target, dialect=dialect, options=WriterOptions(placeholder="{{ site_NAME }}"))
            written = "\n".join(held for name, held in made.writing.files.items() if name.startswith("sites/"))
            assert "{{ site_" in written and "{$" not in written and "${" not in written.replace("${MODULES}", "")
            assert "site_site_" not in written


@pytest.mark.parametrize(
    ("dialect", "text", "kept"),
    [
        ("nginx", nginx('set $env "${ENV}"; if ($env = prod) { return 403; } location / { return 200 a; }'), {"caddy": "error 403", "apache": "[F]"}),
        ("nginx", nginx('if ($http_x_key = "${KEY}") { return 402; } location / { return 200 a; }'), {"caddy": "error 402", "apache": "R=402"}),
        ("nginx", nginx("if ($env = prod) { return 403; } location / { return 200 a; }", "map $host $env { default ${ENV}; a.example prod; }"), {"caddy": "error 403", "apache": "RewriteEngine On\n    RewriteCond %{SERVER_NAME} =a.example [NC,OR]\n    RewriteCond \"${ENV}\" =prod\n    RewriteRule \"^\" - [F]"}),
        ("nginx", nginx("if ($host = www.${DOMAIN}) { return 301 http://${DOMAIN}/; } location / { return 200 a; }", name="server_name fernhollow.example www.fernhollow.example;"), {"caddy": "redir", "apache": "R=301"}),
        ("nginx", nginx("if ($host ~ ^www) { return 301 http://fernhollow.example/; } location / { return 200 a; }", name="server_name ${DOMAIN} fernhollow.example;"), {"caddy": "redir", "apache": "R=301"}),
        ("apache", httpd("SetEnv ENV ${ENV}\nHeader set X-Prod 1 \"expr=reqenv('ENV') == 'prod'\"\nRewriteEngine On\nRewriteCond %{HTTP:X-Key} =${KEY}\nRewriteRule ^ - [F]"), {"nginx": "return 403", "caddy": "error 403"}),
        ("caddy", caddy("@prod expression `\"{$ENV}\" == \"prod\"`\nrespond @prod 403\nrespond a"), {"nginx": "= prod", "apache": "=prod", "caddy": "`\"{$ENV}\" == \"prod\"`"}),
    ],
)  # fmt: skip
def test_nothing_is_taken_to_be_known(reads: Reads, dialect: str, text: str, kept: dict[str, str]) -> None:
    """What hangs on a value that is filled in later is still asked for: it is not decided by the placeholder's name."""
    for target, line in kept.items():
        made = translate(reads.write(dialect, text), target, dialect=dialect)
        written = "\n".join(made.writing.files.values())
        assert line in written, written


def test_a_request_to_a_host_that_is_left_open(reads: Reads) -> None:
    """By any spelling of the name, and by the one that reports have."""
    reading = reads.read("nginx", nginx("return 200 named;", name="server_name www.${DOMAIN};").replace("http {", "http { server { listen 80 default_server; return 404; }"))
    for host in ("www.${DOMAIN}", "www.{$DOMAIN}", "www._domain_"):
        assert trace(reading, f"http://{host}/").status == 200
    assert trace(reading, "http://www.fernhollow.example/").status == 404


def test_roots_are_folders(reads: Reads, tmp_path: Path) -> None:
    """A root that is left open is taken for a folder, in every dialect; where it lies here can be said."""
    (tmp_path / "files").mkdir()
    (tmp_path / "files" / "here.txt").write_text("here\n")
    texts = {
        "nginx": nginx("root ${FILES_OF_SITE};"),
        "caddy": caddy("root * {$FILES_OF_SITE}\nfile_server"),
        "apache": httpd("DocumentRoot ${FILES_OF_SITE}\n<Directory ${FILES_OF_SITE}>\nRequire all granted\n</Directory>"),
    }
    for dialect, text in texts.items():
        main = reads.folder / f"{dialect}-open" / "site.conf"
        main.parent.mkdir()
        main.write_text(text.replace("\nDocumentRoot ROOT\n", "\n"))
        estate = as_deployed(translate(main, "nginx" if dialect != "nginx" else "caddy", dialect=dialect).reading.estate)
        found = decide(estate, request_for("http://www.fernhollow.example/here.txt"), real_files(lambda path: tmp_path / "files" / path.removeprefix("/_files_of_site_/")))
        assert (found.status, found.file) == (200, "/_files_of_site_/here.txt"), dialect


# Dialect, its text, and what the others write.
NUMBERS = [
    ("nginx", nginx("client_max_body_size ${UPLOADS_MB}m; location / { proxy_read_timeout {{ wait }}; proxy_pass http://192.0.2.7:8000; }"),
     {"caddy": ["max_size ${UPLOADS_MB}MiB", "read_timeout {{ wait }}"], "apache": ["timeout={{ wait }}"]}, {"{{ wait }}"}),
    ("nginx", nginx("client_max_body_size ${UPLOADS}; location / { proxy_read_timeout ${WAIT}s; proxy_connect_timeout ${REACH}; proxy_pass http://192.0.2.7:8000; }"),
     {"caddy": ["max_size ${UPLOADS}", "read_timeout ${WAIT}s", "dial_timeout ${REACH}"], "apache": ["-gt ${UPLOADS}", "timeout=${WAIT}s", "connectiontimeout=${REACH}"]}, {"${UPLOADS}", "${REACH}"}),
    ("caddy", caddy("request_body {\nmax_size {$UPLOADS}\n}\nreverse_proxy 192.0.2.7:8000 {\ntransport http {\nread_timeout {$WAIT}s\n}\n}"),
     {"nginx": ["client_max_body_size ${UPLOADS};", "proxy_read_timeout ${WAIT}s;"], "apache": ["-gt ${UPLOADS}", "timeout=${WAIT}s"]}, {"{$UPLOADS}"}),
    ("apache", httpd("<Location /up>\nLimitRequestBody ${UPLOADS}\n</Location>\nProxyTimeout ${WAIT}\nProxyPass /app/ http://192.0.2.7:8000/"),
     {"nginx": ["client_max_body_size ${UPLOADS};", "proxy_read_timeout ${WAIT};"], "caddy": ["max_size ${UPLOADS}", "read_timeout ${WAIT}"]}, {"${WAIT}"}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "lines", "united"), NUMBERS)
def test_sizes_and_times_stay_open(reads: Reads, dialect: str, text: str, lines: dict[str, list[str]], united: set[str]) -> None:
    """They are written, told where their unit is in the value, and compared as what they are, not as the server's own."""
    for target, wanted in lines.items():
        made = translate(reads.write(dialect, text), target, dialect=dialect)
        written = "\n".join(made.writing.files.values())
        assert [line for line in wanted if line not in written] == [], written
        told = {dict(item.facts)["placeholder"] for item in made.findings if item.code.name == "placeholder-unit"}
        assert told == united
        assert not [item for item in made.findings if item.code.name == "value-unread"]
        live = check_live(made.reading, made.read_back, most=200)
        assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


def test_a_unit_that_the_target_has_not(reads: Reads) -> None:
    """20MB in Caddy is no whole number of anything in nginx: told, and no limit there, in the place of nginx's own."""
    made = translate(reads.write("caddy", caddy("request_body {\nmax_size {$UPLOADS}MB\n}\nreverse_proxy 192.0.2.7:8000")), "nginx")
    assert "client_max_body_size 0;" in "\n".join(made.writing.files.values())
    assert [item.span.line for item in made.findings if item.code.name == "no-counterpart" and item.span]
