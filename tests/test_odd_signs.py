"""Signs that a path may not hold, and clients send all the same: files are found by them, and origins and browsers get them as the server leaves them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.access_logs import read_access_log
from young_lantern.errors import LanternError
from young_lantern.translate import translate

SIGNS = ("[", "]", "{", "}", "|", "^", "`", "\\", '"', "<", ">", "'", "%5B", "%7C", "%20", "a%5B[", "é", "é%20", "%C3%A9[", "~", "$", "@:", "*", "(!)")
QUERIES = ("", "?a[]=1", "?a=b|c")
CONFIGURATIONS = {
    "nginx": nginx(
        "location /kept/ { proxy_pass http://192.0.2.1:81; }\nlocation /cut/ { proxy_pass http://192.0.2.1:81/; }\n"
        "location /led/ { rewrite ^/led/(.*)$ /x/$1 break; proxy_pass http://192.0.2.1:81; }\nlocation /inside/ { rewrite ^/inside/(.*)$ /cut/$1 last; }\n"
        "location ~ ^/group/(.*)$ { proxy_pass http://192.0.2.1:81/$1; }\nlocation /to/ { rewrite ^/to/(.*)$ http://elsewhere.fernhollow.example/$1 permanent; }\n"
        "location /same/ { return 302 http://elsewhere.fernhollow.example$uri; }"
    ),
    "caddy": caddy(
        "handle /kept/* {\nreverse_proxy 192.0.2.1:81\n}\nhandle_path /cut/* {\nreverse_proxy 192.0.2.1:81\n}\nhandle /led/* {\nuri replace /led/ /x/\nreverse_proxy 192.0.2.1:81\n}\n"
        "handle /inside/* {\nrewrite * /x{path}\nreverse_proxy 192.0.2.1:81\n}\n@group path_regexp g ^/group/(.*)$\nhandle @group {\nrewrite * /{re.g.1}\nreverse_proxy 192.0.2.1:81\n}\n"
        "handle /to/* {\nredir http://elsewhere.fernhollow.example{uri}\n}\nhandle /same/* {\nuri strip_suffix ]\nreverse_proxy 192.0.2.1:81\n}"
    ),
    "apache": httpd(
        "ProxyPass /kept http://192.0.2.1:81/kept nocanon\nProxyPass /cut/ http://192.0.2.1:81/\nProxyPassMatch ^/group/(.*)$ http://192.0.2.1:81/$1\nRedirect /to http://elsewhere.fernhollow.example\n"
        "RewriteEngine On\nRewriteRule ^/led/(.*)$ http://192.0.2.1:81/x/$1 [P]\nRewriteRule ^/inside/(.*)$ http://192.0.2.1:81/x/$1 [P,NE]\n"
        "RewriteRule ^/same/(.*)$ http://elsewhere.fernhollow.example/$1 [R]"
    ),
}


@pytest.mark.parametrize("place", ["kept", "cut", "led", "inside", "group", "to", "same"])
@pytest.mark.parametrize("dialect", CONFIGURATIONS)
def test_what_comes_of_each(tmp_path: Path, dialect: str, place: str) -> None:
    rows = [("GET", "www.fernhollow.example", f"/{place}/{front}{sign}{query}", {}) for sign in SIGNS for front in ("", "x") for query in QUERIES]
    asked, wrong = disagreements(dialect, CONFIGURATIONS[dialect], rows, tmp_path / "asked")
    assert wrong == []
    assert asked > len(rows) * 0.7


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_another_spelling_at_the_origin_is_minor(reads: Reads, target: str) -> None:
    """Programs take both for the same path; browsers send brackets as they are (URL standard, path percent-encode set)."""
    made = translate(reads.write("apache", httpd("ProxyPass / http://192.0.2.1:81/")), target, dialect="apache")
    causes = [cause for cause in made.comparison.causes if any(item.what == "target at the origin" for item in cause.differences)]
    assert causes
    assert {cause.severity.value for cause in causes} == {"minor"}


@pytest.mark.parametrize("target", ["nginx", "apache"])
def test_a_location_that_is_no_url_is_compared_all_the_same(reads: Reads, target: str) -> None:
    """RFC 3986 section 3.2.2: brackets in the name of a host."""
    made = translate(reads.write("caddy", caddy("redir /a* {uri}\nredir /b* http://elsewhere.fernhollow.example{uri}\nredir /c* //[y]{uri}")), target, dialect="caddy")
    assert made.comparison.requests > 50
    one = decide(made.reading.estate, request_for("http://www.fernhollow.example/c"), real_files())
    assert one.location == "//[y]/c"


def test_another_answer_to_such_a_path_is_breaking(reads: Reads) -> None:
    """Files of programs for browsers are named so (`[slug].js`): that one is no longer found is no matter of spelling."""
    before = caddy("root * ROOT\n@named path_regexp \\[\\w+\\]\nhandle @named {\nrespond yes\n}\nhandle {\nrespond no\n}")
    made = compare_estates(reads.read("caddy", before).estate, reads.read("caddy", caddy("respond no")).estate)
    told = [(cause.severity.value, cause.example.target) for cause in made.causes if any(item.what == "content" for item in cause.differences)]
    assert told and {severity for severity, _ in told} == {"breaking"}, made.causes


@pytest.mark.parametrize(("sign", "written"), [(" ", "%20"), ("\n", "%0A"), ("\r\nX-Added: 1", "%0D"), ("\x01", "%01"), ("\x7f", "%7F")])
def test_what_would_end_the_line_is_no_request(tmp_path: Path, sign: str, written: str) -> None:
    """Neither from a URL nor out of a log, where it stands escaped; the octets of other letters are."""
    with pytest.raises(LanternError, match=f"write {written} for it"):
        request_for(f"http://www.fernhollow.example/a{sign}b")
    log = tmp_path / "access.log"
    escaped = "".join(f"\\x{ord(letter):02X}" for letter in sign)
    log.write_text("".join(f'192.0.2.1 - - [12/Nov/2026:10:00:00 +0000] "GET /a{text}b HTTP/1.1" 400 0\n' for text in (escaped, "\\xC2\\xA0", "")))
    read = read_access_log(log, request_for("http://www.fernhollow.example/"))
    assert ([row.request.target for row in read.rows], read.unread) == (["/a\u00a0b", "/ab"], 1)
