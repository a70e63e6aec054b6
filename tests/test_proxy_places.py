"""What httpd's sections say of what is proxied, whichever line proxies it; and origins with what a pattern found put right behind them."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

SAID = "ProxyPreserveHost On\nProxyErrorOverride On\nProxyAddHeaders Off"
LINES = {
    "prefix": "ProxyPass / http://192.0.2.1:81/", "pattern": "ProxyPassMatch ^(/.*)$ http://192.0.2.1:81$1", "rule": "RewriteEngine On\nRewriteRule ^ http://192.0.2.1:81%{REQUEST_URI} [P]",
    "place": "<Location />\nProxyPass http://192.0.2.1:81/\n</Location>",
}  # fmt: skip
SECTIONS = {"location": "<Location /api>", "locationmatch": "<LocationMatch ^/api>", "location ~": '<Location ~ "^/api">', "proxy": "<Proxy *>", "if": "<If \"%{HTTP:X-A} == '1'\">"}


@pytest.mark.parametrize("line", LINES)
@pytest.mark.parametrize("section", SECTIONS)
def test_sections_say_it_for_each_line(reads: Reads, line: str, section: str) -> None:
    """Whether the Host is kept, errors are overridden and fields are added: where the section holds, and nowhere else; as the server does it."""
    opening = SECTIONS[section]
    host = f"{LINES[line]}\n{opening}\n{SAID}\n</{opening[1:].split()[0].rstrip('>')}>"
    made = translate(reads.write("apache", httpd(host)), "nginx", dialect="apache")
    assert not [item for item in made.findings if item.code.name == "place-not-read"]
    for path, fields, held in (("/api/x", {}, section != "if"), ("/other", {}, section == "proxy"), ("/other", {"X-A": "1"}, section in ("proxy", "if"))):
        origin = decide(made.reading.estate, request_for(f"http://www.fernhollow.example{path}", fields=fields), real_files()).origin
        assert origin is not None
        sent = dict(origin.fields)
        assert (sent["host"], "x-forwarded-for" in sent) == (("www.fernhollow.example", False) if held else ("192.0.2.1:81", True))
    live = check_live(made.reading, made.read_back, most=120)
    assert not live.surprises


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize(
    ("line", "sent"),
    [
        ('ProxyPassMatch "^/api(/.*)?$" "http://192.0.2.1:81$1"', ("/", "/x")),
        ('ProxyPassMatch "^/api(/.*)?$" "http://192.0.2.1$1"', ("/", "/x")),
        ('ProxyPassMatch "^(/api.*)$" "http://192.0.2.1:81$1"', ("/api", "/api/x")),
        ("RewriteEngine On\nRewriteRule ^/api(/.*)?$ http://192.0.2.1:81$1 [P]", ("/", "/x")),
    ],
)
def test_a_path_right_behind_the_origin(reads: Reads, line: str, sent: tuple[str, str], target: str) -> None:
    made = translate(reads.write("apache", httpd(line)), target, dialect="apache")
    origins = [decide(made.reading.estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).origin for path in ("/api", "/api/x")]
    assert tuple(origin.target if origin else None for origin in origins) == sent
    live = check_live(made.reading, made.read_back, most=120)
    assert not live.surprises


def test_an_origin_that_a_path_makes_is_not_read(reads: Reads) -> None:
    """`$1` may be a port, or the end of a name."""
    text = httpd('ProxyPassMatch "^/api(.*)$" "http://192.0.2.1$1"')
    assert decide(reads.read("apache", text).estate, request_for("http://www.fernhollow.example/api/x"), real_files()).gave_up
