"""Values that a server makes itself: said in words in fields, carried where the target has them, and nothing else is undecided for them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour.own_values import alike_but_for_form, fits, is_own, unread_value
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import Translation, translate

MAKES = {"nginx": nginx, "caddy": caddy, "apache": httpd}
LOADED = "".join(f"LoadModule {name}_module /usr/lib/apache2/modules/mod_{name}.so\n" for name in ("mpm_event", "authz_core", "dir", "mime", "headers", "unique_id"))
# Dialect, lines of a site, the field of the answer, and what is foretold of it ("": it is not sent).
SAID = [
    ("nginx", "add_header X-Own $request_id;", "(the id of the request, 32 hexadecimal digits)"),
    ("nginx", 'add_header X-Own "<$remote_port>";', "<(the client's port)>"),
    ("nginx", 'add_header X-Own "$ssl_protocol";', ""),
    ("nginx", 'add_header X-Own "$https";', ""),
    ("nginx", 'add_header X-Own "$request";', "GET /a.html HTTP/1.1"),
    ("nginx", "add_header X-Own $server_protocol;", "HTTP/1.1"),
    ("nginx", "add_header X-Own $upstream_addr;", ""),
    ("nginx", "add_header X-Own $request_time;", "(the value of $request_time)"),
    ("nginx", "set $id $request_id; add_header X-Own $id;", "(the id of the request, 32 hexadecimal digits)"),
    ("caddy", "header X-Own {http.request.uuid}", "(the id of the request, a UUID)"),
    ("caddy", "header X-Own {tls_version}", "{http.request.tls.version}"),
    ("caddy", "header X-Own {http.auth.user.id}", "{http.auth.user.id}"),
    ("caddy", "header X-Own {http.reverse_proxy.upstream.hostport}", "{http.reverse_proxy.upstream.hostport}"),
    ("caddy", "header X-Own {http.request.duration}", "(the value of {http.request.duration})"),
    ("apache", 'Header set X-Own "%{UNIQUE_ID}e"', "(the id of the request, 27 letters and digits)"),
    ("apache", 'Header set X-Own "expr=%{HTTPS} %{SERVER_PROTOCOL}"', "off HTTP/1.1"),
    ("apache", 'Header set X-Own "%{SSL_PROTOCOL}s"', "(null)"),
    ("apache", 'Header set X-Own "%{REMOTE_USER}s"', "(null)"),
    ("apache", 'Header set X-Own "expr=%{THE_REQUEST}"', "GET /a.html HTTP/1.1"),
    ("apache", 'Header set X-Own "%D"', "(the value of %D)"),
]  # fmt: skip


def _whole(dialect: str, lines: str) -> str:
    served = {"nginx": "root ROOT;", "caddy": "root * ROOT\nfile_server\n", "apache": ""}[dialect]
    text = MAKES[dialect](f"{served}\n{lines}")
    return LOADED + text if "UNIQUE_ID" in lines else text


@pytest.mark.parametrize(("dialect", "lines", "said"), SAID)
def test_a_field_says_it_in_words(reads: Reads, tmp_path: Path, dialect: str, lines: str, said: str) -> None:
    """The model, and the server: each value is there, in the form that is foretold, or not."""
    text = _whole(dialect, lines)
    outcome = reads.decide(dialect, text, "/a.html")
    assert outcome.gave_up == ""
    assert dict(outcome.fields).get("x-own", "") == said
    rows = [("GET", "www.fernhollow.example", target, {}) for target in ("/a.html", "/nothing")]
    count, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, tmp_path / "run")
    assert (count, wrong) == (2, [])


@pytest.mark.parametrize(
    "lines",
    ["if ($request_id) { return 204; }", "return 200 $request_id;", "set $id $request_id; if ($id = x) { return 204; }", "location /a { return 301 /$remote_port; }"],
)
def test_what_hangs_on_one_is_not_decided(reads: Reads, lines: str) -> None:
    outcome = reads.decide("nginx", nginx(lines), "/a")
    assert outcome.gave_up.endswith("is not known")


PROXIED = "proxy_pass http://192.0.2.7:8000; proxy_set_header {} {};"
# Variable of nginx; what Caddy and httpd are written ("": told to be lost).
CARRIED = [
    ("$request_id", "{http.request.uuid}", "expr=%{ENV:UNIQUE_ID}"),
    ("$remote_port", "{remote_port}", "expr=%{REMOTE_PORT}"),
    ("$hostname", "{system.hostname}", ""),
    ("$server_port", "80", "80"),
    ("$server_name", "www.fernhollow.example", "www.fernhollow.example"),
    ("$server_protocol", "{http.request.proto}", "expr=%{SERVER_PROTOCOL}"),
    ('"$request"', '"{http.request.orig_method} {uri} {http.request.proto}"', "expr=%{THE_REQUEST}"),
    ("$content_type", "{header.Content-Type}", "expr=%{HTTP:Content-Type}"),
    ("$request_time", "", ""),
]  # fmt: skip


@pytest.mark.parametrize(("variable", "in_caddy", "in_httpd"), CARRIED)
def test_what_other_servers_are_written(reads: Reads, variable: str, in_caddy: str, in_httpd: str) -> None:
    """Each is carried, or told with its line; no request is undecided; and both real servers are as foretold."""
    main = reads.write("nginx", nginx(f"location / {{ {PROXIED.format('X-Own', variable)} }}"))
    for target, wanted in (("caddy", in_caddy), ("apache", in_httpd)):
        made = translate(main, target, dialect="nginx")
        written = "\n".join(made.writing.files.values())
        assert made.comparison.undecided == {}
        lost = [cause for cause in made.comparison.causes if cause.summary.startswith("field x-own") and cause.severity is Severity.BREAKING]
        if wanted:
            assert f"X-Own {wanted}" in written or f'X-Own "{wanted}"' in written
            assert lost == []
        else:
            assert "X-Own" not in written
            assert lost
            assert any("X-Own" in entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported")
        live = check_live(made.reading, made.read_back, most=40)
        assert _surprises(live) == []


def _surprises(live: object) -> list[str]:
    return [f"{row.request} {row.request.fields} {row.between} {row.defects}" for row in live.surprises]  # type: ignore[attr-defined]


def test_another_form_of_the_same_is_minor(reads: Reads) -> None:
    made = translate(reads.write("nginx", nginx(f"location / {{ {PROXIED.format('X-Own', '$request_id')} }}")), "caddy", dialect="nginx")
    cause = next(cause for cause in made.comparison.causes if cause.summary.startswith("field x-own"))
    assert cause.severity is Severity.MINOR
    assert "32 hexadecimal digits" in cause.summary and "a UUID" in cause.summary


def test_a_cache_that_says_what_it_did_leaves_the_rest_decided(reads: Reads) -> None:
    """A very common line, which sends nothing where nothing is kept; where something is, its loss is told."""
    for lines, told in (("", []), ("proxy_cache pages;", ["field x-cache: MISS becomes none"])):
        text = nginx(f"add_header X-Cache $upstream_cache_status; location / {{ proxy_pass http://192.0.2.7:8000; {lines} }}", "proxy_cache_path /var/cache/pages keys_zone=pages:1m;")
        made = translate(reads.write("nginx", text), "caddy", dialect="nginx")
        assert made.comparison.undecided == {}
        assert [cause.summary for cause in made.comparison.causes if cause.summary.startswith("field x-cache")] == told


def _in_both(reads: Reads) -> Translation:
    listen = "listen 80; listen 443 ssl; ssl_certificate c.pem; ssl_certificate_key k.pem;"
    return translate(reads.write("nginx", nginx(f"location / {{ {PROXIED.format('X-Ssl', '$https')} }}", listen=listen)), "caddy", dialect="nginx")


def test_over_tls_or_not_is_known_where_a_site_is_only_one(reads: Reads) -> None:
    """A field that is empty for every request is taken away, as nginx does not send it; on both ports a table says it."""
    plain = translate(reads.write("nginx", nginx(f"location / {{ {PROXIED.format('X-Ssl', '$https')} }}")), "caddy", dialect="nginx")
    assert "header_up -X-Ssl" in "".join(plain.writing.files.values())
    assert "map {scheme} {over_tls}" in "".join(_in_both(reads).writing.files.values())


def test_recognising_them() -> None:
    assert is_own("<(the client's port)>") and is_own("(now +60 s)") and not is_own("(null)") and not is_own("(the unfinished")
    assert alike_but_for_form("(the version of TLS, as TLSv1.3)", "(the version of TLS, as tls1.3)")
    assert not alike_but_for_form("(the version of TLS, as TLSv1.3)", "(the client's port)") and not alike_but_for_form("a", "a") and not alike_but_for_form(None, "a")
    assert fits(["<(the client's port)>"], ["<1234>"]) and not fits(["<(the client's port)>"], ["1234"]) and not fits(["(the client's port)"], [])
    assert is_own(unread_value("expr=file('/x')")) and fits([unread_value("file('/x')")], ["x"])
    assert fits(["(the value of $x)"], []) and fits(["a"], ["a"]) and not fits(["a"], ["b"])
