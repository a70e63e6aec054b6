"""Applications that go by no file, by uWSGI's protocol and SCGI: what they are told by nginx and httpd, by the model and the running servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.origin_answers import ANSWER
from young_lantern.lab.applications import _scgi_pairs, _uwsgi_pairs
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

_NAMES = {"QUERY_STRING": "$query_string", "REQUEST_METHOD": "$request_method", "REQUEST_URI": "$request_uri", "CONTENT_LENGTH": "$content_length", "DOCUMENT_ROOT": "$document_root",
          "REMOTE_ADDR": "$remote_addr", "REQUEST_SCHEME": "$scheme", "SERVER_PORT": "$server_port", "SERVER_NAME": "$server_name"}  # fmt: skip
USUAL = {kind: "".join(f"{kind}_param {name} {value};" for name, value in _NAMES.items()) for kind in ("uwsgi", "scgi")}
NGINX = nginx(
    f"""root ROOT; add_header X-Shelf 7;
    location / {{ {USUAL["uwsgi"]} uwsgi_param PATH_INFO $document_uri; uwsgi_param HTTP_X_FORWARDED_PROTO $scheme; uwsgi_param SHELF "seven of 9"; uwsgi_read_timeout 30s; uwsgi_pass desk; }}
    location /dir/ {{ }}
    location /tools/ {{
        {USUAL["uwsgi"]} fastcgi_split_path_info ^(/tools)(/.*)$; uwsgi_param SCRIPT_NAME $fastcgi_script_name; uwsgi_param PATH_INFO $fastcgi_path_info;
        uwsgi_pass unix:/run/tools.sock; uwsgi_hide_header X-Powered-By; uwsgi_intercept_errors on; error_page 502 503 /404.html;
    }}
    location /rpc {{ {USUAL["scgi"]} scgi_param SCRIPT_NAME $document_uri; scgi_pass 192.0.2.9:5000; }}
    location ~ \\.cgi$ {{ {USUAL["scgi"]} scgi_param PATH_INFO $document_uri; scgi_pass unix:/run/scgi.sock; }}
    location = /404.html {{ }}
    location /missing/ {{ try_files $uri @app; }}
    location @app {{ {USUAL["uwsgi"]} uwsgi_param PATH_INFO $document_uri; uwsgi_pass uwsgi://192.0.2.8:3031; }}""",
    "upstream desk { server 192.0.2.7:3031; server 192.0.2.8:3031; }",
)
HTTPD = """<Proxy balancer://desk>
BalancerMember uwsgi://192.0.2.7:3031
BalancerMember uwsgi://192.0.2.8
BalancerMember "unix:/run/third.sock|uwsgi://localhost"
</Proxy>
""" + httpd("""SetEnv SHELF 7
Header set X-Shelf 7
Header unset X-Powered-By
SetEnvIf Request_URI ^ proxy-scgi-pathinfo=1
ProxyPass /dir/ !
ProxyPass /api/ uwsgi://192.0.2.7:3031/api/
ProxyPass /tools/ uwsgi://192.0.2.7/
ProxyPass /desk/ balancer://desk/
ProxyPass /deep uwsgi://192.0.2.7:3031/x/y
ProxyPass /rpc/ scgi://192.0.2.9/
ProxyPassMatch ^/m/(.*)$ uwsgi://192.0.2.7:3031/x/$1 timeout=20
ProxyPassMatch ^/w/ uwsgi://192.0.2.7:3031
<Location /sock/>
ProxyPass unix:/run/s.sock|uwsgi://localhost/sock/
ProxyErrorOverride On
SetEnv SHELF 8
</Location>
ErrorDocument 404 /404.html
RewriteEngine On
RewriteRule ^/b/(.*)$ balancer://desk/$1 [P]
RewriteRule ^/c/(.*)$ scgi://192.0.2.9:4000/$1 [P]""")
# Dialect, configuration, target, protocol, and some of what the application is told.
TOLD = [
    ("nginx", NGINX, "/a%20b?x", "uwsgi", {"PATH_INFO": "/a b", "QUERY_STRING": "x", "REQUEST_URI": "/a%20b?x", "SHELF": "seven of 9", "HTTP_X_FORWARDED_PROTO": "http"}),
    ("nginx", NGINX, "/tools/x", "uwsgi", {"PATH_INFO": "/x", "SCRIPT_NAME": "/tools"}),
    ("nginx", NGINX, "/rpc/x", "scgi", {"SCRIPT_NAME": "/rpc/x"}),
    ("nginx", NGINX, "/missing/x", "uwsgi", {"PATH_INFO": "/missing/x"}),
    ("apache", HTTPD, "/api/x%20y", "uwsgi", {"PATH_INFO": "/api/x y"}),
    ("apache", HTTPD, "/tools/x", "uwsgi", {"PATH_INFO": "/x", "SCRIPT_NAME": "/tools", "SHELF": "7"}),
    ("apache", HTTPD, "/tools/", "uwsgi", {"PATH_INFO": "/", "SCRIPT_NAME": "/tools/"}),  # a quirk of the server's own
    ("apache", HTTPD, "/rpc/x%20y", "scgi", {"PATH_INFO": "/x%20y", "SCRIPT_NAME": "/rpc/x y"}),
    ("apache", HTTPD, "/w/x", "uwsgi", {"PATH_INFO": "/w/x"}),
    ("apache", HTTPD, "/b/x", "uwsgi", {"PATH_INFO": "/x", "SCRIPT_NAME": "/b"}),
    ("apache", HTTPD, "/c/x", "scgi", {"PATH_INFO": "/x", "SCRIPT_NAME": "/c"}),
    ("apache", HTTPD, "/sock/x", "uwsgi", {"PATH_INFO": "/sock/x", "SHELF": "8"}),
]
_PATHS = frozenset({"PATH_INFO", "SCRIPT_NAME"})


@pytest.mark.parametrize(("dialect", "text", "target", "protocol", "told"), TOLD, ids=[f"{row[0]} {row[2]}" for row in TOLD])
def test_what_an_application_is_told(reads: Reads, dialect: str, text: str, target: str, protocol: str, told: dict[str, str]) -> None:
    origin = decide(reads.read(dialect, text).estate, request_for(f"http://www.fernhollow.example{target}"), real_files()).origin
    assert origin is not None and origin.protocol == protocol
    sent = dict(origin.fields)
    assert {name: value for name, value in sent.items() if name in _PATHS or name in told} == told


@pytest.mark.parametrize(("dialect", "text"), [("nginx", NGINX), ("apache", HTTPD)])
def test_both_servers_tell_it_as_foretold(reads: Reads, tmp_path: Path, dialect: str, text: str) -> None:
    """There, in the other dialect, and back again."""
    other = {"nginx": "apache", "apache": "nginx"}[dialect]
    there = translate(reads.write(dialect, text), other, dialect=dialect)
    save(there.writing.files, tmp_path / "there")
    after = read(tmp_path / "there", other)
    live = check_live(there.reading, after, most=700)
    assert not live.surprises
    back = translate(tmp_path / "there", dialect, dialect=other)
    save(back.writing.files, tmp_path / "back")
    assert not check_live(after, read(tmp_path / "back", dialect), most=400).surprises


def test_nothing_of_the_usual_kind_is_lost(reads: Reads) -> None:
    made = translate(reads.write("nginx", NGINX), "apache")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    breaking = [cause.summary for cause in made.comparison.causes if cause.severity.value == "breaking" and not cause.reason.value and "%3F" not in cause.example.target and not any(item.what == "field x-shelf" for item in cause.differences)]
    assert breaking == []
    assert "unix:/run/tools.sock|uwsgi://tools/" in "".join(made.writing.files.values()) and "ProxySCGIInternalRedirect Off" in "".join(made.writing.files.values())


def test_caddy_asks_none_of_them(reads: Reads) -> None:
    """It says so, with the line, and answers 501: one cause for each, whatever the application would have said."""
    made = translate(reads.write("nginx", nginx(f"location / {{ {USUAL['uwsgi']} uwsgi_pass 192.0.2.7:3031; }}")), "caddy")
    assert any(entry.span.directive.startswith("uwsgi_pass") and entry.disposition.value == "unsupported" for entry in made.ledger)
    for answer in ("200", "302 /x", "404"):
        assert decide(made.read_back.estate, request_for("http://www.fernhollow.example/x", fields={ANSWER: answer}), real_files()).status == 501
    causes = [cause for cause in made.comparison.causes if cause.after.status == 501 and cause.severity.value == "breaking"]
    assert len(causes) == 1
    assert caddy("respond ok") != made.writing.files["Caddyfile"]


@pytest.mark.parametrize(
    ("text", "line"),
    [
        (httpd("ProxyPass /a/ uwsgi://192.0.2.7:3031/ nocanon"), "nocanon"),
        (httpd("SetEnvIf Remote_Addr ^192 proxy-scgi-pathinfo=1\nProxyPass / scgi://192.0.2.7/"), "proxy-scgi-pathinfo"),
        (httpd("RewriteEngine On\nRewriteRule ^ uwsgi://192.0.2.7%{REQUEST_URI} [P]"), "an origin that does not depend"),
    ],
)
def test_what_is_not_read_is_said(reads: Reads, text: str, line: str) -> None:
    findings = reads.read("apache", text).findings
    assert any(line in str(item.facts) for item in findings if item.code.name == "value-unread")


def test_the_stand_in_reads_both_protocols() -> None:
    """uWSGI: sizes of two bytes, the low one first; SCGI: a netstring of words that end in a zero byte."""
    assert _uwsgi_pairs(b"\x01\x00A\x02\x00bc\x03\x00DEF\x00\x00") == [("A", "bc"), ("DEF", "")]

    class Stream:
        data = b"20:CONTENT_LENGTH\x000\x00A\x00b\x00,"

        def recv(self, count: int) -> bytes:
            made, self.data = self.data[:count], self.data[count:]
            return made

    stream = Stream()
    assert _scgi_pairs(stream)[0] == ("CONTENT_LENGTH", "0")  # type: ignore[arg-type]


@pytest.mark.parametrize("line", ["SetHandler proxy:fcgi://192.0.2.5:9000", *(f"ProxyPass /dir {protocol}://192.0.2.5:9000/" for protocol in ("fcgi", "scgi", "uwsgi", "http"))])
@pytest.mark.parametrize("typed", ["", "Header setifempty Content-Type text/x-empty", "Header always set Content-Type text/x-always\nHeader setifempty Content-Type text/x-empty", "Header set Content-Type text/x-set"])
def test_what_lines_see_of_an_applications_type(reads: Reads, tmp_path: Path, line: str, typed: str) -> None:
    """httpd has the type of FastCGI's and SCGI's answers apart from the fields; of a path that is doubled at its front uWSGI's protocol has one slash."""
    text = httpd(f'{typed}\n{line}\nHeader set X-Typed yes "expr=%{{CONTENT_TYPE}} =~ m#^(?:text/html|application/json)#"')
    rows = [("GET", "www.fernhollow.example", path, fields) for path in ("/dir/index.html", "/dir/none") for fields in ({}, {"Lantern-Field": "Content-Type: text/html"})]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (4, [])


@pytest.mark.parametrize(("more", "asked"), [("\nRewriteEngine On\nRewriteRule ^/w/(.*) ROOT/dir//$1", ("/w//none//b", "/dir//index.html")), ("", ("/old//none//b", "//dir/none//b//", "/dir///index.html/info//b", "/none/../dir", "//d%69r", "/dir//../dir//none"))])
def test_slashes_in_a_row_before_an_application(reads: Reads, tmp_path: Path, more: str, asked: tuple[str, ...]) -> None:
    """The file's name that a handler is given has single slashes, however the path is spelt, and wherever it is mapped to."""
    text = httpd(f"MergeSlashes Off\nSetHandler proxy:fcgi://192.0.2.5:9000\nAlias /old/ ROOT/dir/{more}").replace("ROOT", str(reads.root))
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", path, {}) for path in asked], tmp_path / "asked") == (len(asked), [])


SHOP = """FilesMatch
Alias /shop ROOT/shop
<Directory ROOT/shop>
RewriteEngine On
RewriteCond %{REQUEST_FILENAME} !-f
RewriteRule ^item/([0-9]+)/?$ item.php?id=$1 [L,QSA]
RewriteRule ^(css|js)/ - [L]
RewriteRule !\\.(gif|jpg|png)$ index.php [L]
</Directory>"""


def test_an_application_below_an_alias_of_the_same_name(reads: Reads) -> None:
    """The alias is a root for nginx, so that what leads to the application from other places finds it, and a front controller ends its own round."""
    (reads.root / "shop").mkdir()
    for name in ("index.php", "item.php", "a.gif"):
        (reads.root / "shop" / name).write_text("x")
    text = httpd(SHOP.replace("FilesMatch", "<FilesMatch \\.php$>\nSetHandler proxy:fcgi://192.0.2.5:9000\n</FilesMatch>"))
    made = translate(reads.write("apache", text), "nginx")
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    live = check_live(made.reading, made.read_back, most=300)
    assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []
    for path, script in (("/shop/x", "index.php"), ("/shop/item/7", "index.php"), ("/shop/index.php", "index.php")):
        asked = request_for(f"http://www.fernhollow.example{path}")
        before, after = (decide(estate, asked, real_files()).origin for estate in (made.reading.estate, made.read_back.estate))
        assert before is not None and after is not None and before.target == after.target == str(reads.root / "shop" / script)
