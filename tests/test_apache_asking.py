"""httpd `<If>`, `<Limit>`, `SetEnvIf` and their like: read, foretold, and written for other servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.model import Severity
from young_lantern.translate import translate

HOST = r"""
SetEnvIf Request_URI "%20" spelt
SetEnvIf Request_URI "^/r1" path=$0
SetEnvIf Request_URI "^/(a)\.(.*)$" parts=$1-$2
SetEnvIf User-Agent "^Bot" bot
BrowserMatch "keep" nokeepalive
SetEnvIf X-None "^$" missing
SetEnvIf X-None "a" !bot
SetEnvIf X-Two "b" two=1
SetEnvIf two "1" three
SetEnvIfNoCase X-Two "B" plain=$0
SetEnvIf Remote_Addr "^127\." here
SetEnvIfExpr "%{HTTP:X-Two} == 'b'" expression=yes
Header always set X-Seen "%{spelt}e %{path}e %{parts}e %{bot}e %{missing}e %{three}e %{plain}e %{here}e %{expression}e %{section}e"
<Location /a.css>
SetEnvIf User-Agent "^Bot" section=yes
</Location>
RewriteEngine On
RewriteCond %{ENV:three} 1
RewriteRule ^/three$ - [R=410]
RewriteCond %{ENV:section} yes
RewriteRule ^/a.css$ - [R=410]
RewriteRule ^/inside$ /a.html
RewriteRule ^/again$ /a.css [PT]
ErrorDocument 404 /404.html
<Location /closed>
Require env two
</Location>
<Location /unless>
<RequireAll>
Require all granted
Require not env two
</RequireAll>
</Location>
<Location /expression>
Require expr %{HTTP:X-Two} == 'b'
</Location>
<If "%{HTTP:X-If} == 'a'">
Header always set X-If a
Redirect /moved /target
</If>
<ElseIf "%{HTTP:X-If} == 'b' || reqenv('two') == '1'">
Header always set X-If b
ErrorDocument 404 "sorry"
</ElseIf>
<Else>
Header always set X-If none
</Else>
<If "%{REQUEST_URI} =~ m#^/style#">
Require all denied
</If>
<Directory ROOT/dir>
<If "%{HTTP:X-If} == 'c'">
Require all denied
</If>
</Directory>
<Location /bare>
<If "%{HTTP:X-If} == 'c'">
Redirect 302 /elsewhere
</If>
</Location>
<If "%{HTTP:X-If} == 'd'">
Header always set X-Outer d
<If "%{HTTP:X-Two} == 'b'">
Header always set X-Inner b
Require all denied
</If>
<Else>
Header always set X-Inner none
</Else>
<Files "a.html">
Header always set X-Files never
</Files>
</If>
Alias /limited ROOT
Alias /excepted ROOT
Alias /opened ROOT
<Location /limited>
<Limit GET>
Require all denied
</Limit>
</Location>
<Location /excepted>
<LimitExcept GET>
Require all denied
</LimitExcept>
</Location>
<Location /opened>
Require all denied
<Limit GET>
Require all granted
</Limit>
</Location>
"""
TARGETS = [
    "/a.html", "/r1%20x", "//r1", "/three", "/a.css", "/inside", "/again", "/none", "/closed", "/unless", "/expression", "/moved/x", "/style.css", "/dir/", "/bare/", "/limited/a.html",
    "/excepted/a.html", "/opened/a.html",
]
FIELDS: list[dict[str, str]] = [{}, {"X-Two": "b"}, {"X-Two": "B"}, {"X-If": "a"}, {"X-If": "b"}, {"X-If": "c"}, {"X-If": "d"}, {"X-If": "d", "X-Two": "b"}, {"User-Agent": "Bot/1"}, {"User-Agent": "Bot", "X-None": "a"}]


def test_the_server_answers_as_foretold(tmp_path: Path, reads: Reads) -> None:
    text = httpd(HOST).replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", target, fields) for target in TARGETS for fields in FIELDS]
    rows += [(method, "www.fernhollow.example", target, {}) for target in TARGETS for method in ("POST", "HEAD", "DELETE")]
    asked, wrong = disagreements("apache", text, rows, tmp_path / "c")
    assert asked == len(rows)
    assert wrong == []


@pytest.mark.parametrize(
    ("host", "target", "wanted"),
    [
        ("SetEnvIf User-Agent bot unwanted\n<Location />\n<RequireAll>\nRequire all granted\nRequire not env unwanted\n</RequireAll>\n</Location>", "nginx", ["if ($http_user_agent ~ bot) {", "return 403;"]),
        ("SetEnvIf User-Agent bot unwanted\n<Location />\n<RequireAll>\nRequire all granted\nRequire not env unwanted\n</RequireAll>\n</Location>", "caddy", ["header_regexp", "User-Agent bot", "error 403"]),
        ("SetEnvIf X-Forwarded-Proto https secure\nRewriteEngine On\nRewriteCond %{ENV:secure} !1\nRewriteRule ^/(.*) https://%{HTTP_HOST}/$1 [R=301,L]", "nginx", ["if ($http_x_forwarded_proto !~ https) {", "return 301 https://$http_host$request_uri;"]),
        ("SetEnvIf X-Forwarded-Proto https HTTPS=on\nProxyPass / http://192.0.2.1:81/\nRequestHeader set X-Scheme %{HTTPS}e env=HTTPS", "nginx", ["map $http_x_forwarded_proto", "~https", "proxy_set_header X-Scheme"]),
        ("SetEnvIf User-Agent bot kind=robot\nSetEnvIfNoCase User-Agent crawler kind=spider\nHeader always set X-Kind %{kind}e", "nginx", ["map $http_user_agent $kind {", "~*crawler spider;", "~bot robot;", "add_header X-Kind $kind_or_null always;"]),
        ("SetEnvIf User-Agent bot kind=robot\nHeader always set X-Kind %{kind}e", "caddy", ["map {header.User-Agent} {kind}", "~bot robot", "header X-Kind {kind_or_null}"]),
        ("<If \"%{HTTP:X-Probe} == '1'\">\nHeader always set X-Probed yes\n</If>", "nginx", ["map $http_x_probe $x_probed_by_x_probe {", "1 yes;", "add_header X-Probed $x_probed_by_x_probe always;"]),
        ("<If \"%{REQUEST_METHOD} != 'GET' && %{HTTP:X-Probe} == '1'\">\nHeader always set X-Probed yes\n</If>", "nginx", ["map $http_x_probe", "map $request_method", "add_header X-Probed"]),
        ("<If \"%{HTTP_HOST} != 'www.fernhollow.example'\">\nRedirect permanent / http://www.fernhollow.example/\n</If>", "nginx", ["if ($http_host != www.fernhollow.example) {", "return 301 http://www.fernhollow.example$request_uri;"]),
        ("<Location /staff>\n<LimitExcept GET>\nRequire ip 192.0.2.0/24\n</LimitExcept>\n</Location>", "caddy", ["not method GET HEAD", "not remote_ip 192.0.2.0/24", "error 403"]),
    ],
)
def test_what_is_asked_is_written_as_a_person_would(reads: Reads, host: str, target: str, wanted: list[str]) -> None:
    made = translate(reads.write("apache", httpd(host)).parent, target)
    written = "\n".join(text for name, text in made.writing.files.items() if name != "mime.types")
    at = 0
    for line in wanted:
        assert line in written[at:], f"{line} is not in\n{written[at:]}"
        at = written.index(line, at)
    assert "470" not in written and "vars " not in written
    assert not [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING and cause.reason.name == "OTHER"]


def test_a_variable_that_captures_fill_stays_one(reads: Reads) -> None:
    """What it stands for cannot be said beforehand; it is set, and empty where nothing sets it."""
    host = "SetEnvIf X-Probe ^(b+)$ probed=$1\nRewriteEngine On\nRewriteCond %{ENV:probed} bb\nRewriteRule ^/b - [R=410]"
    files = translate(reads.write("apache", httpd(host)).parent, "caddy").writing.files
    assert 'vars probed ""' in "".join(files.values())


def test_a_variable_that_knew_the_path_before_it_was_rewritten_stays_one(reads: Reads) -> None:
    host = "SetEnvIf Request_URI ^/a marked\nRewriteEngine On\nRewriteRule ^/a/(.*)$ /b/$1 [PT]\n<Location /b>\nRequire env marked\n</Location>"
    made = translate(reads.write("apache", httpd(host)).parent, "nginx")
    assert not [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING]
