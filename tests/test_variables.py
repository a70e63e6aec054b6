"""Each variable in each place where a value may stand, asked of the running servers: what it says there, and what stands where it has no value."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd

# What each place does with a value: %s is the variable, %d its number.
NGINX_PLACES = {
    "text": 'return 200 "<%s>";', "field": 'add_header X-V "<%s>"; add_header X-B "%s"; return 204;', "redirect": "return 302 /to/%s;",
    "query": "return 302 http://elsewhere.fernhollow.example/?%s;", "rewrite": 'rewrite ^ /r/%s break; return 200 "$uri $args";',
    "argument": 'rewrite ^ /r?x=%s break; return 200 "$uri $args";', "moved": "rewrite ^ /r/%s redirect;", "truth": "if (%s) { return 200 full; } return 200 empty;",
    "equal": "if (%s = GET) { return 200 yes; } return 200 no;", "pattern": 'if (%s ~ "^(.)") { return 200 "got $1"; } return 200 none;', "set": 'set $x%d "<%s>"; return 200 $x%d;',
    "origin": 'proxy_set_header X-V "<%s>"; proxy_set_header X-B "%s"; proxy_pass http://192.0.2.7:8000;', "target": "proxy_pass http://192.0.2.7:8000/o/%s;",
    "files": "root ROOT; try_files /%s /a.html =404;", "page": "error_page 404 /to/%s; return 404;", "table": 'return 200 "<$made%d>";', "late": 'add_header X-V "<$made%d>"; root ROOT; try_files /a.html =404;',
}  # fmt: skip
NGINX = [
    "scheme", "host", "http_host", "server_name", "request_method", "request_uri", "uri", "args", "is_args", "remote_addr", "proxy_add_x_forwarded_for", "upstream_addr", "document_root", "status",
    "server_protocol", "remote_user", "ssl_protocol", "ssl_client_verify", "content_type", "request", "https", "arg_a", "arg_none", "http_x_is", "http_none", "cookie_c", "cookie_none",
    "sent_http_content_type", "upstream_http_x_y",
]  # fmt: skip
CADDY_PLACES = {
    "field": 'header X-V "<%s>"\nrespond ok', "text": 'respond "<%s>"', "redirect": "redir * /to/%s 302", "query": "redir * /to?x=%s 302", "whole": 'redir * "%s" 302',
    "rewrite": 'rewrite * /r/%s\nrespond "{uri} {path} {query}"', "argument": 'rewrite * /r?x=%s\nrespond "{uri} {query}"', "search": 'rewrite * ?%s\nrespond "{uri} {query}"',
    "equal": '@m vars %s ""\nrespond @m empty\nrespond full', "empty": "@m vars_regexp %s ^$\nrespond @m empty\nrespond full", "nothing": "@m vars_regexp %s nil\nrespond @m nil\nrespond other",
    "group": '@m vars_regexp q %s ^(.)\nrespond @m "{re.q.1}"\nrespond none', "asked": '@m expression `%s == ""`\nrespond @m empty\nrespond full',
    "request": 'request_header X-V "<%s>"\nrespond "{header.X-V}"', "origin": 'reverse_proxy 192.0.2.7:8000 {\nheader_up X-V "<%s>"\nheader_down X-W "<%s>"\n}',
    "target": "rewrite * /o/%s\nreverse_proxy 192.0.2.7:8000", "files": "root * ROOT\ntry_files /%s /a.html\nfile_server", "set": 'vars x %s\nrespond "{vars.x}"',
    "root": 'root * ROOT\nheader X-R "{http.vars.root}"\n@r vars {http.vars.root} ROOT\nrespond @r "<%s> {vars.root}"', "table": 'respond "{made%d}"',
}  # fmt: skip
CADDY = [
    "{host}", "{header.Host}", "{hostport}", "{header.X-None}", "{header.X-Is}", "{query.none}", "{query.a}", "{cookie.none}", "{cookie.c}", "{vars.none}", "{vars.there}", "{http.vars.root}",
    "{err.status_code}", "{http.error.status_text}", "{upstream_hostport}", "{http.matchers.file.relative}", "{tls_version}", "{http.request.tls.server_name}", "{http.auth.user.id}", "{remote_host}",
    "{query}", "{uri}", "{path}", "{http.request.orig_uri}", "{http.regexp.x.1}", "{method}", "{http.request.tls.client.subject}", "{http.request.proto}",
]  # fmt: skip
HTTPD_PLACES = {
    "field": 'Header set X-V "expr=<%{%s}>"', "held": "Header set X-V yes \"expr=%{%s} != ''\"", "matched": 'Header set X-V yes "expr=%{%s} =~ /^(GET|i|y|HTTP|w)/"',
    "origin": 'RequestHeader set X-V "expr=<%{%s}>"\nProxyPass http://192.0.2.7:8000/o', "redirect": 'Redirect 302 "/to/%{%s}"', "page": 'ErrorDocument 403 "<%{%s}>"\nRequire all denied',
    "environment": 'SetEnvIfExpr "%{%s} =~ /^(...)/" got=$1\nHeader set X-V "%{got}e"', "section": "<If \"%{%s} == 'GET' || %{%s} == 'yes'\">\nHeader set X-V yes\n</If>",
    "rule": "RewriteRule ^PATH$ /to/%{%s} [R,L]", "query": "RewriteRule ^PATH$ /to?x=%{%s} [R,L]", "condition": "RewriteCond %{%s} ^(..)\nRewriteRule ^PATH$ /to/%1 [R,L]",
    "equal": "RewriteCond %{%s} =GET [OR]\nRewriteCond %{%s} =yes\nRewriteRule ^PATH$ - [F]", "empty": "RewriteCond %{%s} ^$\nRewriteRule ^PATH$ - [F]",
    "target": "RewriteRule ^PATH$ http://192.0.2.7:8000/o/%{%s} [P]", "inside": "RewriteEngine On\nRewriteCond %{%s} ^(..)\nRewriteRule ^ /to/%1%{%s} [R,L]",
}  # fmt: skip
HTTPD = [
    "HTTP_HOST", "SERVER_NAME", "REQUEST_METHOD", "REQUEST_SCHEME", "REQUEST_URI", "QUERY_STRING", "REMOTE_ADDR", "HTTPS", "HTTP_COOKIE", "HTTP_ACCEPT", "HTTP:X-Is", "HTTP:X-None", "HTTP:Host",
    "THE_REQUEST", "SERVER_PROTOCOL", "DOCUMENT_ROOT", "ENV:there", "ENV:none", "ENV:UNIQUE_ID",
]  # fmt: skip
_MODULES = "mpm_event authz_core authz_host authn_core dir mime headers unique_id rewrite proxy proxy_http alias setenvif env".split()
_LOADED = "".join(f"LoadModule {name}_module /usr/lib/apache2/modules/mod_{name}.so\n" for name in _MODULES)
_TABLE = '{ "" empty; ~^(...) "begins $1"; default full; }'


def _in_nginx(place: str) -> str:
    lines = "\n".join(f"location = /{place}{number} {{ {NGINX_PLACES[place].replace('%d', str(number)).replace('%s', f'${name}')} }}" for number, name in enumerate(NGINX))
    tables = "\n".join(f"map ${name} $made{number} {_TABLE}" for number, name in enumerate(NGINX)) if "$made" in lines else ""
    return nginx(f"root ROOT;\n{lines}", tables)


def _in_caddy(place: str) -> str:
    made = []
    for number, name in enumerate(CADDY):
        if place == "table":
            made.append(f"map {name} {{made{number}}} {{\n~^$ empty\n~^(<.*>)$ nil\n~^\\{{(.*)$ self\n~. full\ndefault d\n}}")
        made.append(f"handle /{place}{number} {{\n{CADDY_PLACES[place].replace('%d', str(number)).replace('%s', name)}\n}}")
    return caddy("vars there yes\n" + "\n".join(made) + f'\nhandle_errors {{\nheader X-E "{"|".join(CADDY)}"\nrespond "{"|".join(CADDY)}"\n}}\nerror /broken 404')


def _in_httpd(place: str) -> str:
    lines, of_host = [], "PATH" in HTTPD_PLACES[place]
    for number, name in enumerate(HTTPD):
        path = f"/{place}{number}"
        line = HTTPD_PLACES[place].replace("%s", name).replace("PATH", path)
        lines.append(line if of_host else f"<Location {path}>\n{line}\n</Location>")
    before = "SetEnvIf Request_URI . there=yes\n" + ("RewriteEngine On\n" if of_host else "")
    return _LOADED + httpd(before + "\n".join(lines))


MAKES = {"nginx": (_in_nginx, NGINX_PLACES, NGINX), "caddy": (_in_caddy, CADDY_PLACES, CADDY), "apache": (_in_httpd, HTTPD_PLACES, HTTPD)}
ASKED = [(dialect, place) for dialect, (_, places, _) in MAKES.items() for place in places]


@pytest.mark.parametrize(("dialect", "place"), ASKED)
def test_what_a_variable_says(reads: Reads, tmp_path: Path, dialect: str, place: str) -> None:
    make, _, names = MAKES[dialect]
    text = re.sub(r"(?<![A-Z_])ROOT\b", str(reads.root), make(place))
    sent = (("?a=b%20c&d=/e", {"X-Is": "it", "Cookie": "c=v"}), ("", {}))
    rows = [("GET", "www.fernhollow.example", f"/{place}{number}{query}", fields) for number in range(len(names)) for query, fields in sent]
    rows.append(("GET", "www.fernhollow.example", "/broken?a=1", {}))
    asked, wrong = disagreements(dialect, text, rows, tmp_path / "asked")
    assert wrong == []
    # Of what a server makes itself nothing is foretold where something hangs on it.
    assert asked > 0.85 * len(rows)
