"""Percent signs, backslashes, groups and blanks in targets of redirects and proxies, as each directive takes them; the running servers stand behind each row."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.differences import resolved
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

HTTPD = httpd(r"""DocumentRoot ROOT
<Directory ROOT>
Require all granted
</Directory>
Redirect /plain /q%20z/$1
RedirectMatch ^/match/(.*) "/q%20z\.\$1$&/$1#t"
<Location /lone>
Redirect 302 /x%20y%{REQUEST_URI}
</Location>
ProxyPass /pass http://192.0.2.9:81/a%20b
ProxyPass /raw http://192.0.2.9:81/a%20b nocanon
ProxyPass /bare http://192.0.2.9:81 nocanon
ProxyPassMatch ^/by/(.*)$ "http://192.0.2.9:81/a\.b{c}/$1"
RewriteEngine On
RewriteRule ^/r1$ /q\.html#t [R,L]
RewriteRule ^/r2$ /q\%20z [R,L]
RewriteRule ^/r3$ /q\%20z#t [R,NE,L]
RewriteRule ^/r4$ "/q\\wx" [R,L]
RewriteRule ^/r5$ /q\$1 [R,L]
RewriteRule ^/p1/(.*)$ http://192.0.2.9:81/a\%20b/$1 [P,L]
RewriteRule ^/p2/(.*)$ "http://192.0.2.9:81/a b{c}/$1" [P,L]
RewriteCond "x\\y\z" "=x\yz"
RewriteRule ^/c1 /yes [R,L]
RewriteCond %{DOCUMENT_ROOT}%{REQUEST_URI}\.html -f
RewriteRule ^/(a)$ /$1.html [R,L]
""")
# what is asked for, and where it leads: a Location, or the target at the origin
ROWS = [
    ("/plain/x", SITE + "/q%20z/$1/x"),
    ("/match/x", SITE + "/q%2520z.$1$&/x#t"),
    ("/lone", SITE + "/x%2520y/lone"),
    ("/pass/x", "/a%2520b/x"),
    ("/raw/x", "/a%20b/x"),
    ("/by/x", "/a.b%7Bc%7D/x"),
    ("/r1", SITE + "/q.html%23t"),
    ("/r2", SITE + "/q%2520z"),
    ("/r3", SITE + "/q%20z#t"),
    ("/r4", SITE + "/q%5Cwx"),
    ("/r5", SITE + "/q$1"),
    ("/p1/x", "/a%2520b/x"),
    ("/p2/x", "/a%20b%7Bc%7D/x"),
    ("/c1", SITE + "/yes"),
    ("/a", SITE + "/a.html"),
]
# As it was spelt, a target goes on only where a slash or nothing follows the prefix; else all of it is encoded.
NOT_AS_SPELT = [("/raw?q=1", "/a%2520b?q=1"), ("/ra%77/x%7e", "/a%2520b/x~"), ("/raw/x%7e", "/a%20b/x%7e"), ("/bare?q=1", "/?q=1")]
NGINX = nginx(
    "location /a1/ { proxy_pass http://192.0.2.9:81/a%20b/; }\nlocation ~ ^/a2/(.*)$ { proxy_pass http://192.0.2.9:81/a%20b/$1; }\n"
    "location = /a3 { return 302 /x%20y#top; }\nlocation ~ ^/a4/(.*)$ { return 302 /x%20y/$1; }\nrewrite ^/a5/(.*)$ /q%20z/$1 permanent;\n"
    "location /a6/ { rewrite ^/a6/(.*)$ /a%20c/$1 break; proxy_pass http://192.0.2.9:81; }\nlocation /a7/ { return 302 /x%20y$request_uri; }\n")
CADDY = caddy(
    "redir /a1/* /x%20y{uri} 302\nredir /a2 /x%zz 302\nhandle_path /a3/* {\nrewrite * /a%20b{uri}\nreverse_proxy 192.0.2.9:81\n}\n"
    'handle_path /a4/* {\nrewrite * "/a b{path}"\nreverse_proxy 192.0.2.9:81\n}\nhandle /a5/* {\nreverse_proxy 192.0.2.9:81 {\nrewrite /a%20b{uri}\n}\n}\n'
    'handle_path /a6/* {\nreverse_proxy 192.0.2.9:81 {\nrewrite "/a b{uri}"\n}\n}\nhandle /a7/* {\nroute {\nrewrite * /a#x\nredir * {uri} 302\n}\n}')
ASKED = [f"/a{number}/x" for number in range(1, 8)] + ["/a2", "/a3", "/a1/x%20y?q=%20"]


@pytest.mark.parametrize(("target", "leads"), [*ROWS, *NOT_AS_SPELT], ids=[row[0] for row in [*ROWS, *NOT_AS_SPELT]])
def test_targets_of_httpd(reads: Reads, tmp_path: Path, target: str, leads: str) -> None:
    outcome = decide(reads.read("apache", HTTPD).estate, request_for(SITE + target), real_files())
    assert leads == (outcome.origin.target if outcome.origin else outcome.location)
    asked, wrong = disagreements("apache", re.sub(r"(?<!_)ROOT", str(reads.root), HTTPD), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert asked == 1 and not wrong


@pytest.mark.parametrize(("dialect", "target"), [("nginx", "apache"), ("nginx", "caddy"), ("caddy", "apache"), ("caddy", "nginx"), ("apache", "nginx"), ("apache", "caddy")])
def test_escapes_are_neither_lost_nor_doubled(reads: Reads, tmp_path: Path, dialect: str, target: str) -> None:
    """Redirects and targets are the same behind a translation; the servers agree, or differ as foretold."""
    text = {"nginx": NGINX, "caddy": CADDY, "apache": HTTPD}[dialect]
    made = translate(reads.write(dialect, text), target)
    # A rewrite of Caddy has no way to say a number sign in a path, which is told.
    asked = [request_for(SITE + path) for path in (ASKED if dialect != "apache" else [row[0] for row in ROWS]) if (target, path) != ("caddy", "/r1")]
    assert target != "caddy" or dialect != "apache" or any(cause.example.target == "/r1" for cause in made.comparison.causes)
    for one in asked:
        before, after = (decide(estate, one, real_files()) for estate in (made.reading.estate, made.read_back.estate))
        assert (resolved(after.location, one), after.origin and after.origin.target) == (resolved(before.location, one), before.origin and before.origin.target), one.target
    save(made.writing.files, tmp_path / target)
    assert not check_live(made.reading, read(tmp_path / target, target), requests=asked, most=150).surprises


def test_redirects_of_an_origin_are_mapped_back_where_a_section_holds(reads: Reads, tmp_path: Path) -> None:
    """httpd: ProxyPassReverse of a section is none for a rule elsewhere that asks the same origin."""
    text = httpd("""RewriteEngine On
RewriteRule ^/b/(.*)$ http://192.0.2.9:81/v/$1 [P,L]
ProxyPass /a/ http://192.0.2.9:81/v/
<Location /a/>
ProxyPassReverse http://192.0.2.9:81/v/
</Location>""")
    fields = {"Lantern-Answer": "302 self"}
    estate = reads.read("apache", text).estate
    found = [decide(estate, request_for(SITE + path, "GET", fields), real_files()).location for path in ("/a/x", "/b/x")]
    assert found == [SITE + "/a/x", "http://192.0.2.9:81/v/x"]
    asked, wrong = disagreements("apache", text, [("GET", "www.fernhollow.example", path, fields) for path in ("/a/x", "/b/x")], tmp_path / "asked")
    assert asked == 2 and not wrong
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", text), target)
        assert [decide(made.read_back.estate, request_for(SITE + path, "GET", fields), real_files()).location for path in ("/a/x", "/b/x")] == found


LOST = nginx("""location /a { rewrite ^/a(.*)$ http://other.example$uri redirect; }
    location /b { rewrite ^/b(.*)$ http://other.example$uri?m=$1? redirect; }
    location /c { rewrite ^/c(.*)$ http://other.example$uri/%zz%4/x?m=$1? redirect; }""")


@pytest.mark.parametrize(("target", "location"), [
    ("/a/x", "/a/x"), ("/a/a%25b", "/a/a"), ("/a/%25zzy", "/a/zzy"), ("/a/%25%25", "/a/%"), ("/a/a%2541b", "/a/aAb"), ("/b/%25", "/b/?m=/%25"),
    ("/b/a%25b", "/b/am=/a%25b"), ("/b/a%253Fb", "/b/a?b?m=/a%253Fb"), ("/c/x", "/c/x/zzx?m=/x"),
])
def test_what_a_rewrite_of_nginx_makes_of_lone_percent_signs(reads: Reads, tmp_path: Path, target: str, location: str) -> None:
    """A decoded path in a redirect is decoded once more, and what is no code by then is lost."""
    assert reads.decide("nginx", LOST, target).location == f"http://other.example{location}"
    asked, wrong = disagreements("nginx", LOST, [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert (asked, wrong) == (1, [])
