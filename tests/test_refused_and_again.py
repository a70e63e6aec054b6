"""What is refused before any rule is asked, and what is left of a request that begins anew: the model's word, and the running server's, row by row."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

MANY = {f"X-{number}": "1" for number in range(8)}
SETS = httpd("""DocumentRoot ROOT
LimitRequestFields 6
SetEnvIf Request_URI . early=1
RewriteEngine On
RewriteRule ^ - [E=ruled:1]
Header always set X-Early "%{early}e"
Header always set X-Ruled "%{ruled}e\"""")
NAMES = httpd("DocumentRoot ROOT\nServerAlias *\nHeader always set X-Here 1")
UNSAFE = NAMES.replace("DocumentRoot ROOT\n", "DocumentRoot ROOT\nHttpProtocolOptions Unsafe\n", 1)
TYPED = httpd("""DocumentRoot ROOT
<Location /a.html>
Header always set Content-Type text/x-always
</Location>
<Location /bare/x>
Header set Content-Type text/x-set
</Location>
<Location /bare/merged>
Header always merge Content-Type text/x-merged
Header unset Content-Type
</Location>
<If "true">
Header add Content-Type text/x-added
</If>""")
SLASHED = httpd("""DocumentRoot ROOT
Alias /al ROOT/dir
<DirectoryMatch "/dir/">
Header always set X-In 1
</DirectoryMatch>""")
ROUNDS = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteCond %{ENV:moved} =1
RewriteRule ^/b(.*)$ - [E=!moved,E=round:second]
RewriteRule ^/a/(.*)$ /b/$1 [E=moved:1]
RewriteCond %{ENV:moved} =1
RewriteRule ^ - [N=3]
RewriteRule ^/b/(.*)$ /$1.html [PT]
Header always set X-Round "%{round}e\"""")
PAGE = httpd("""DocumentRoot ROOT
RequestHeader append X-Forwarded-For "expr=%{REMOTE_ADDR}"
ErrorDocument 404 /page/none
ErrorDocument 403 /page/closed
ProxyPass /page http://192.0.2.3:81
<Location /closed>
Require all denied
</Location>""")
INDEX = httpd("DocumentRoot ROOT\nRewriteEngine On\nRewriteRule ^(/.*)$ %{DOCUMENT_ROOT}$1 [L]\nHeader always set X-Path \"expr=%{REQUEST_URI}\"")
CIRCLE = nginx('error_page 404 /none; add_header X-Path "$uri|$args" always; recursive_error_pages on; rewrite ^/(?!none) /first?only=1 last;')
BLANKS = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteCond %{QUERY_STRING} ^file
RewriteRule ^/(.*)$ /a.html?q=$1 [L]
RewriteRule ^/(.*)$ /a?q=$1
RewriteCond %{QUERY_STRING} asks
RewriteRule ^ http://192.0.2.3:81/only?z=1 [P,L]
RewriteCond %{QUERY_STRING} closed
RewriteRule ^ - [R=404,L]
RewriteCond %{QUERY_STRING} plain
RewriteRule ^ /a.html?q=plain [L]""")
MARKS = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^ - [E=seen:before]
RewriteRule ^/go(.*) /a$1 [E=seen:go,R=301,L]
RewriteRule ^/in(.*) /dir$1 [E=seen:in,PT]
Header always set X-Seen "%{seen}e\"""")
ASKS = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/query/(.*)$ http://192.0.2.3:81/made?from=$1 [QSA,P,L]
RewriteRule ^/path/(.*)$ http://192.0.2.3:81/$1?from=path [P,L]
Header always set X-Query "expr=%{QUERY_STRING}\"""")
NAMED = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/old(.*) /a$1
RewriteRule ^/a/go http://other.example%{REQUEST_URI} [R,L]
RewriteRule ^/a/asks http://192.0.2.3:81/only?z=1 [P,L]
Header always set X-Query "expr=%{QUERY_STRING}\"""")
TWO_NAMES = "events {}\nhttp { server { listen 80 default_server; return 200 other; }\nserver { listen 80; server_name ~.; return 200 named; } }\n"

# what is said, method, host, target, fields; the status and a field of the answer
ROWS = [
    (SETS, "GET", "www.fernhollow.example", "/a.html", {}, 200, ("x-ruled", "1")),
    (SETS, "GET", "www.fernhollow.example", "/a%2Fb", {}, 404, ("x-ruled", "(null)")),
    (SETS, "GET", "www.fernhollow.example", "/a%2Fb", {}, 404, ("x-early", "1")),
    (SETS, "GET", "www.fernhollow.example", "/a.html", MANY, 400, ("x-ruled", "(null)")),
    (SETS, "GET", "www.fernhollow.example", "/a.html", MANY, 400, ("x-early", "(null)")),
    (NAMES, "GET", "1", "/a.html", {}, 400, ("x-here", "1")),
    (NAMES, "GET", "192.0.2", "/a.html", {}, 400, ("x-here", "1")),
    (NAMES, "GET", "192.0.02.1", "/a.html", {}, 400, ("x-here", "1")),
    (NAMES, "GET", "192.0.2.1", "/a.html", {}, 200, ("x-here", "1")),
    (NAMES, "GET", "fern..example", "/a.html", {}, 400, ("x-here", "1")),
    (NAMES, "GET", "fern~hollow", "/a.html", {}, 400, ("x-here", "1")),
    (NAMES, "GET", "fern_hollow", "/a.html", {}, 200, ("x-here", "1")),
    (UNSAFE, "GET", "1", "/a.html", {}, 200, ("x-here", "1")),
    (UNSAFE, "GET", "fern~hollow", "/a.html", {}, 200, ("x-here", "1")),
    (UNSAFE, "GET", "fern..hollow", "/a.html", {}, 400, ("x-here", "1")),
    (TYPED, "GET", "www.fernhollow.example", "/a.html", {}, 200, ("content-type", "text/x-always")),
    (TYPED, "OPTIONS", "www.fernhollow.example", "/bare/x", {}, 200, ("content-type", "text/x-set")),
    (TYPED, "OPTIONS", "www.fernhollow.example", "/bare/merged", {}, 200, ("content-type", "text/x-merged")),
    (SLASHED, "GET", "www.fernhollow.example", "/al", {}, 301, ("x-in", "")),
    (SLASHED, "GET", "www.fernhollow.example", "/al/", {}, 200, ("x-in", "1")),
    (SLASHED, "GET", "www.fernhollow.example", "/dir", {}, 301, ("x-in", "")),
    (ROUNDS, "GET", "www.fernhollow.example", "/a/a", {}, 200, ("x-round", "second")),
    (ROUNDS, "GET", "www.fernhollow.example", "/b/a", {}, 200, ("x-round", "(null)")),
    (BLANKS, "GET", "www.fernhollow.example", "/in%20the/shed?file", {}, 403, ("location", "")),
    (BLANKS, "GET", "www.fernhollow.example", "/asks%20us", {}, 200, ("location", "")),
    (BLANKS, "GET", "www.fernhollow.example", "/plain%20us", {}, 200, ("location", "")),
    (BLANKS, "GET", "www.fernhollow.example", "/closed%20shed", {}, 403, ("location", "")),
    (BLANKS, "GET", "www.fernhollow.example", "/in%20the/shed", {}, 403, ("location", "")),
    (MARKS, "GET", "www.fernhollow.example", "/go/x", {}, 301, ("x-seen", "go")),
    (MARKS, "GET", "www.fernhollow.example", "/go%3Fx", {}, 403, ("x-seen", "before")),
    (MARKS, "GET", "www.fernhollow.example", "/in%3Fx", {}, 403, ("x-seen", "before")),
    (NAMED, "GET", "www.fernhollow.example", "/old/go?q=2", {}, 302, ("x-query", "q=2")),
    (NAMED, "GET", "www.fernhollow.example", "/old/asks?q=2", {}, 200, ("x-query", "z=1")),
    (ASKS, "GET", "www.fernhollow.example", "/query/a%3Fb?q=1", {}, 200, ("x-query", "from=a?b&q=1")),
    (ASKS, "GET", "www.fernhollow.example", "/path/a%3Fb?q=1", {}, 403, ("x-query", "q=1")),
    (INDEX, "FERN", "www.fernhollow.example", "/dir/", {}, 501, ("x-path", "/dir/index.html")),
]


@pytest.mark.parametrize(("text", "method", "host", "target", "fields", "status", "field"), ROWS, ids=[f"{row[1]} {row[2]}{row[3]} {row[6][0]} {len(row[4])}" for row in ROWS])
def test_httpd(reads: Reads, tmp_path: Path, text: str, method: str, host: str, target: str, fields: dict[str, str], status: int, field: tuple[str, str]) -> None:
    outcome = decide(reads.read("apache", text).estate, request_for(f"http://{host}{target}", method, fields), real_files())
    said = {**dict(outcome.fields), **({"content-type": outcome.media_types[0]} if outcome.media_types else {})}
    assert (outcome.status, said.get(field[0], "")) == (status, field[1])
    asked, wrong = disagreements("apache", re.sub(r"(?<!_)ROOT\b", str(reads.root), text), [(method, host, target, fields)], tmp_path / "asked")
    assert asked == 1 and not wrong


def test_the_path_that_came_stays_in_its_variable(reads: Reads) -> None:
    """Rules that change the path leave REQUEST_URI alone, wherever a later one asks for it."""
    assert reads.decide("apache", NAMED, "/old/go?q=2").location == "http://other.example/old/go?q=2"


@pytest.mark.parametrize(("target", "chain"), [("/none", "192.0.2.10, 192.0.2.10"), ("/closed/x", "192.0.2.10")])
def test_what_a_handler_saw_goes_to_the_origin_of_a_page(reads: Reads, tmp_path: Path, target: str, chain: str) -> None:
    """What a file was looked for with stays in the request; where it was refused before, nothing was put there."""
    outcome = decide(reads.read("apache", PAGE).estate, request_for(f"http://www.fernhollow.example{target}"), real_files())
    assert outcome.origin is not None and dict(outcome.origin.fields)["x-forwarded-for"] == f"{chain}, 192.0.2.10"
    asked, wrong = disagreements("apache", PAGE.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert asked == 1 and not wrong


def test_two_dots_are_no_host_for_nginx(tmp_path: Path, reads: Reads) -> None:
    assert decide(reads.read("nginx", TWO_NAMES).estate, request_for("http://fern..example/"), real_files()).status == 400
    rows = [("GET", host, "/", {}) for host in ("fern..example", "1", ".example", "fern~hollow", "192.0.02")]
    assert disagreements("nginx", TWO_NAMES, rows, tmp_path / "asked") == (len(rows), [])


def test_the_end_of_a_circle_has_the_path_before(reads: Reads, tmp_path: Path) -> None:
    """The redirect inside that is one too many changes nothing any more."""
    rows = [("GET", "www.fernhollow.example", target, {}) for target in ("/x", "/none", "/x?q=1")]
    assert disagreements("nginx", CIRCLE, rows, tmp_path / "asked") == (3, [])


def test_rounds_that_are_written_forget_what_was_noted(reads: Reads, tmp_path: Path) -> None:
    """A path that is looked up again in httpd is no longer known to have been changed, or it would be looked up for ever."""
    text = nginx(r"""
        location ^~ /a/ { location ^~ /a/api { rewrite ^/a/(.*)$ /docs/$1; if ($arg_v = 1) { rewrite ^ /a.html break; } try_files $uri /none; } }
        location = /docs/ { return 204; }
        location ~* "\d+" { return 403; }
        location ~* "^/a/(?<rest>.+)$" { proxy_pass http://192.0.2.9:81; }""")
    made = translate(reads.write("nginx", text), "apache")
    save(made.writing.files, tmp_path / "apache")
    asked = [request_for(f"http://www.fernhollow.example{target}") for target in ("/a/api0/", "/a/api", "/a/api?v=1", "/docs/0")]
    live = check_live(made.reading, read(tmp_path / "apache", "apache"), requests=asked, most=20)
    assert not live.surprises and decide(made.read_back.estate, asked[0], real_files()).status == 403
    assert any("E=!" in text and "N=12" in text for text in made.writing.files.values())


@pytest.mark.parametrize("section", ["<Location /dir>\nRequire all denied\n</Location>", "<Location /dir>\n<Limit GET>\nRequire all denied\n</Limit>\n</Location>", "<LocationMatch ^/dir/p>\nRequire all denied\n</LocationMatch>"])
def test_the_page_of_a_refusal_is_sent_to_who_asks_for_it(tmp_path: Path, section: str) -> None:
    """It is the very path that was refused, so that nothing is asked anew; for any other path of the place the page is refused as well."""
    tmp_path.chmod(0o755)
    root = tmp_path / "tools"
    (root / "dir").mkdir(parents=True)
    for name in ("page.html", "other.html"):
        (root / "dir" / name).write_text(name)
    text = httpd(f"<Directory ROOT>\nHeader set X-Own 1\n</Directory>\nErrorDocument 403 /dir/page.html\n{section}").replace("ROOT", str(root))
    paths = ("/dir/page.html", "/dir/%70age.html", "/dir/./page.html", "/dir//page.html", "/dir/page.html?a=1", "/dir/other.html", "/dir/none", "/dir/")
    assert disagreements("apache", text, [("GET", "www.fernhollow.example", path, {}) for path in paths], tmp_path / "asked") == (len(paths), [])


def test_who_named_himself_on_the_way_to_a_page_is_not_who_asked(tmp_path: Path) -> None:
    """What is said of the first request is said without him, where its page is refused."""
    tmp_path.chmod(0o755)
    root = tmp_path / "tools"
    (root / "sub").mkdir(parents=True)
    (root / "404.html").write_text("none")
    text = httpd('<Directory ROOT>\nAuthType Basic\nAuthName tools\nAuthUserFile /etc/fernhollow/users\nRequire valid-user\n</Directory>\n'
                 '<Directory ROOT/sub>\nRequire all granted\nErrorDocument 404 /404.html\nHeader always set X-User "expr=%{REMOTE_USER}"\n</Directory>').replace("ROOT", str(root))
    rows = [("GET", "www.fernhollow.example", "/sub/none", fields) for fields in ({}, {"Authorization": "Basic bm9ib2R5Ong="})]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (2, [])


@pytest.mark.parametrize(("always", "first"), [
    ("", "<Location /a>\nRequire all denied\nHeader always set X-Place 1\n</Location>\nErrorDocument 403 /404.html"), ("ErrorDocument 404 /404.html", ""), ("", ""),
])
def test_rewriting_without_an_end_on_the_way_to_a_page(tmp_path: Path, always: str, first: str) -> None:
    """The request that failed first is answered then, with the fields of its place; without a page, the one that went round last."""
    tmp_path.chmod(0o755)
    root = tmp_path / "tools"
    root.mkdir()
    for name in ("index.html", "a"):
        (root / name).write_text(name)
    (root / ".htaccess").write_text('Header always set X-Folder 1\nRewriteEngine On\nRewriteCond %{REQUEST_URI} !^/a\nRewriteRule ^ /x.html [L]\n')
    text = httpd(f"<Directory ROOT>\nAllowOverride All\n</Directory>\n{always}\n{first}\nRewriteEngine On\nRewriteCond %{{REQUEST_URI}} !^/a\nRewriteRule ^/. /index.html\nHeader always set X-Site 1").replace("ROOT", str(root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/a", "/b%2Fx", "/b%00x", "/", "/b")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])
