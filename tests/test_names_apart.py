"""Sites whose rules ask for the host: by names that are written out they become sites of their own, for whom nothing is left to ask."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason
from young_lantern.dialects.dialect import WriterOptions
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import translate

NAMES = "server_name fernhollow.example www.fernhollow.example;"
ALIAS = "ServerAlias fernhollow.example\nRewriteEngine On"
# Dialect, its text, and a line of the site that sends clients on, by target.
MOVED = [
    ("nginx", nginx("root ROOT; if ($host ~* ^www\\.(.+)$) { return 301 http://$1$request_uri; }", name=NAMES), {"caddy": "redir http://fernhollow.example{uri} 301", "apache": 'Redirect permanent "/" "http://fernhollow.example/"'}),
    ("nginx", nginx("root ROOT; if ($host = www.fernhollow.example) { return 302 /moved; }", name=NAMES), {"caddy": "redir", "apache": "/moved"}),
    ("apache", httpd(f"{ALIAS}\nRewriteCond %{{HTTP_HOST}} ^fernhollow\\.example$ [NC]\nRewriteRule ^ http://www.fernhollow.example%{{REQUEST_URI}} [R=301,L]"),
     {"nginx": "return 301 http://www.fernhollow.example$request_uri;", "caddy": "redir http://www.fernhollow.example{uri} 301"}),
    ("apache", httpd(f"{ALIAS}\nRewriteCond %{{HTTP_HOST}} !^www\\. [NC]\nRewriteRule ^/?(.*)$ http://www.fernhollow.example/$1 [R=301,L,NE]"), {"nginx": "return 301 http://www.fernhollow.example", "caddy": "redir http://www.fernhollow.example"}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "lines"), MOVED)
def test_a_site_for_each_answer(reads: Reads, dialect: str, text: str, lines: dict[str, str]) -> None:
    """Two files, neither of which asks for the host; every line kept; and the servers agree, by names that nobody has, too."""
    main = reads.write(dialect, text)
    for target, line in lines.items():
        made = translate(main, target, dialect=dialect)
        sites = {name: held for name, held in made.writing.files.items() if name.startswith("sites/") and "fernhollow" in name}
        assert len(sites) == 2
        assert [name for name, held in sites.items() if line in held] and not all(line in held for held in sites.values())
        assert not [name for name, held in sites.items() if "$http_host ~" in held or "if ($host" in held or "HTTP_HOST" in held or "{hostport} " in held]
        assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
        live = check_live(made.reading, made.read_back, most=150)
        assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


def test_hosts_that_no_site_names_follow_the_canonical_name_rule(reads: Reads) -> None:
    """They are sent on, as before: the catch-all goes to the site that redirects."""
    _, text, _ = MOVED[3]
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    site = made.writing.files["sites/fernhollow.example.conf"]
    assert "default_server" in site and "return 301 http://www.fernhollow.example" in site
    assert not [cause for cause in made.comparison.causes if cause.example.host == "other-name.example" and cause.severity is Severity.BREAKING and "%2F" not in cause.example.target]


def test_a_name_that_nobody_has_is_a_lesser_thing(reads: Reads) -> None:
    """`www.` before a name that no site has: sent on before, and answered now; told as one minor cause."""
    _, text, _ = MOVED[0]
    made = translate(reads.write("nginx", text), "caddy", dialect="nginx")
    named = [cause for cause in made.comparison.causes if cause.reason is Reason.NAMELESS]
    assert named and all(cause.severity is Severity.MINOR for cause in named)
    assert all("fernhollow" not in cause.example.host for cause in named)


@pytest.mark.parametrize(
    ("server", "name", "strict"),
    [
        ("if ($host ~* ^www\\.) { return 301 http://fernhollow.example$request_uri; }", NAMES, True),  # asked for
        ("if ($host ~* ^www\\.) { return 301 http://fernhollow.example$request_uri; }", "server_name *.fernhollow.example fernhollow.example;", False),  # not every name is written out
        ("location / { proxy_pass http://192.0.2.1:8000; proxy_set_header Host $host; }", NAMES, False),  # nothing asks
        ("if ($host ~* ^(www)\\.) { set $seen 1; } location / { return 302 /$1; }", NAMES, False),  # found there, asked for elsewhere
        ("if ($host ~* ^(?<first>www)\\.) { set $seen 1; } location / { return 302 /$first; }", NAMES, False),  # likewise, by name
    ],
)
def test_what_stays_one_site(reads: Reads, server: str, name: str, strict: bool) -> None:
    made = translate(reads.write("nginx", nginx(server, name=name)), "caddy", dialect="nginx", options=WriterOptions(strict=strict))
    assert len([file for file in made.writing.files if file.startswith("sites/") and "fernhollow" in file]) == 1


def test_a_port_that_is_part_of_the_name(reads: Reads) -> None:
    """On another port the Host field has it, so that what a pattern finds in the field is not known beforehand."""
    text = httpd(f"{ALIAS}\nRewriteCond %{{HTTP_HOST}} ^(.+)$\nRewriteCond %{{HTTP_HOST}} ^fernhollow\\.example\nRewriteRule ^ http://www.fernhollow.example/ [R=301,L]")
    text = text.replace("Listen 80", "Listen 8080").replace("*:80>", "*:8080>")
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    assert len([file for file in made.writing.files if file.startswith("sites/") and "fernhollow" in file]) == 1


def test_one_catch_all_for_both_families(reads: Reads) -> None:
    """nginx has a default for IPv4 and one for IPv6: Caddy would refuse two sites without a name on one port, and httpd has one for both; told."""
    text = "events {}\nhttp {\nserver { listen 80; server_name old.fernhollow.example; return 301 http://fernhollow.example$request_uri; }\nserver { listen 80; listen [::]:80; server_name fernhollow.example; root ROOT; }\n}\n"
    for target in ("caddy", "apache"):
        made = translate(reads.write("nginx", text), target, dialect="nginx")
        assert any(item.code.name == "other-default-on-ipv6" for item in made.findings)
        written = "".join(made.writing.files.values())
        assert target != "caddy" or written.count("http:// {") == 1
        assert not check_live(made.reading, made.read_back, most=60).surprises


def test_parts_keep_what_the_whole_was_called(reads: Reads) -> None:
    """$server_name is the first name that is written, star and all, whichever part of the site answers; else clients would be sent to where they are."""
    text = """events {}
http { server { listen 9480; server_name www.fernhollow.example fernhollow.example; if ($host != www.fernhollow.example) { return 301 https://$server_name$request_uri; } return 204; }
server { listen 9480; server_name www.loans.example loans.example; if ($host ~* ^www\\.(.*)$) { set $bare $1; return 301 http://$bare$request_uri; } return 204; }
server { listen 9480; server_name *.workshops.example workshops.example; return 301 https://$server_name$request_uri; }
server { listen ${PORT}; server_name staff.example; return 301 https://$server_name$request_uri; } }
"""
    main = reads.write("nginx", text)
    for target in ("caddy", "apache"):
        made = translate(main, target, dialect="nginx")
        for host, wanted in (("fernhollow", "https://www.fernhollow"), ("www.loans", "http://loans"), ("workshops", "https://*.workshops"), ("a.workshops", "https://*.workshops")):
            request = request_for(f"http://{host}.example:9480/x")
            assert [decide(reading.estate, request, real_files()).location for reading in (made.reading, made.read_back)] == [f"{wanted}.example/x"] * 2
        assert not [cause for cause in made.comparison.causes if "becomes none" in cause.summary]
        assert check_live(made.reading, made.read_back, most=80).surprises == ()
