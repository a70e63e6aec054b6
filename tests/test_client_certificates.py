"""Clients that show a certificate, or none: read, written and asked on the real servers."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import Request, decide, real_files
from young_lantern.behaviour.client_certificates import CERTIFICATE, TRUSTED, UNKNOWN
from young_lantern.dialects import named
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import Translation, translate

HOST = "members.fernhollow.example"
KEYS = "ssl_certificate /etc/ssl/m/chain.pem; ssl_certificate_key /etc/ssl/m/key.pem; ssl_client_certificate /etc/ssl/m/issuers.pem;"


def nginx(lines: str, http: str = "") -> str:
    return f"events {{}}\nhttp {{\n{http}\nserver {{\nlisten 443 ssl;\nserver_name {HOST};\nroot ROOT;\n{KEYS}\n{lines}\n}}\n}}\n"


def httpd(lines: str, more: str = "") -> str:
    keys = "SSLEngine On\nSSLCertificateFile /etc/ssl/m/chain.pem\nSSLCertificateKeyFile /etc/ssl/m/key.pem\n"
    return f"Listen 443\n<VirtualHost *:443>\nServerName {HOST}\nDocumentRoot ROOT\n{keys}{lines}\n</VirtualHost>\n{more}"


def caddy(clients: str, lines: str) -> str:
    return f"{HOST} {{\nroot * ROOT\ntls /etc/ssl/m/chain.pem /etc/ssl/m/key.pem {{\nclient_auth {{\n{clients}\n}}\n}}\n{lines}\nfile_server\n}}\n"


TRUST = "trusted_ca_cert_file /etc/ssl/m/issuers.pem"
HTTPD_TRUST = "SSLCACertificateFile /etc/ssl/m/issuers.pem\n"
ORIGIN = "location /api/ { proxy_pass http://192.0.2.7:8000; proxy_set_header X-Verdict $ssl_client_verify; proxy_set_header X-Subject $ssl_client_s_dn; }"
CASES = {
    "nginx-on": ("nginx", nginx(f"ssl_verify_client on; add_header X-All yes always; error_page 404 /404.html;\n{ORIGIN}")),
    "nginx-pages": ("nginx", nginx("ssl_verify_client on; rewrite ^/old/(.*)$ /dir/$1 permanent; error_page 495 496 =200 /dir/index.html; location /dir/ { add_header X-In yes; }")),
    "nginx-optional": ("nginx", nginx(f"ssl_verify_client optional; ssl_verify_depth 3; location /dir/ {{ if ($ssl_client_verify != SUCCESS) {{ return 403; }} }}\n{ORIGIN}")),
    "nginx-no-issuer": ("nginx", nginx(f"ssl_verify_client optional_no_ca; location /dir/ {{ if ($ssl_client_verify ~ ^FAILED) {{ return 401; }} return 204; }}\n{ORIGIN}")),
    "nginx-table": ("nginx", nginx("ssl_verify_client optional; add_header X-Role $role; location /dir/ { if ($role != member) { return 403; } }",
                                  "map $ssl_client_s_dn $role { default visitor; ~CN=client member; }")),
    "apache-require": ("apache", httpd(f"{HTTPD_TRUST}SSLVerifyClient require\nHeader always set X-Issuer \"expr=%{{SSL_CLIENT_I_DN}}\"\nRequestHeader set X-Verdict \"%{{SSL_CLIENT_VERIFY}}s\"\n"
                                       "ProxyPass /api http://192.0.2.7:8000/api")),
    "apache-optional": ("apache", httpd(f"{HTTPD_TRUST}SSLVerifyClient optional\n<Location /dir>\nRequire ssl-verify-client\n</Location>\nRewriteEngine On\nRewriteCond %{{SSL:SSL_CLIENT_VERIFY}} !=SUCCESS\n"
                                        "RewriteRule ^/a - [F]\n<If \"%{SSL_CLIENT_VERIFY} == 'NONE'\">\nHeader set X-Nobody yes\n</If>")),
    "apache-no-issuer": ("apache", httpd("SSLVerifyClient optional_no_ca\nRequestHeader set X-Subject \"%{SSL_CLIENT_S_DN}s\"\nProxyPass /api http://192.0.2.7:8000/api")),
    "caddy-verified": ("caddy", caddy(TRUST, "header X-Subject {http.request.tls.client.subject}\nreverse_proxy /api/* 192.0.2.7:8000 {\nheader_up X-Subject {tls_client_subject}\n}")),
    "caddy-if-given": ("caddy", caddy(f"mode verify_if_given\n{TRUST}", "@none {\npath /dir/*\nnot vars_regexp {tls_client_fingerprint} ^[0-9a-f]+$\n}\nrespond @none 403")),
    "caddy-required": ("caddy", caddy("mode require", "@me vars_regexp {tls_client_subject} CN=client\nrespond @me \"it is you\"")),
    "caddy-asked": ("caddy", caddy("mode request", "@shown vars_regexp {tls_client_fingerprint} ^[0-9a-f]\nrespond @shown \"shown\"")),
}  # fmt: skip


def status(made: Translation, certificate: str | None, target: str = "/") -> tuple[int | None, int | None]:
    fields = ((CERTIFICATE, certificate),) if certificate else ()
    request = Request("GET", "https", HOST, 443, target, fields)
    one, other = (decide(reading.estate, request, real_files()).status for reading in (made.reading, made.read_back))
    return one, other


@pytest.mark.parametrize("case", sorted(CASES))
def test_the_model_foretells_who_is_let_in(reads: Reads, case: str) -> None:
    reading = reads.read(*CASES[case])
    live = check_live(reading, reading, most=600)
    assert {row.request.field(CERTIFICATE) for row in live.rows} >= {None, TRUSTED, UNKNOWN}
    assert not live.surprises


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
@pytest.mark.parametrize("case", sorted(CASES))
def test_it_is_carried(reads: Reads, case: str, target: str) -> None:
    """On the real servers nobody is let in, or kept out, that was not; what is otherwise was foretold."""
    dialect, text = CASES[case]
    if dialect == target:
        return
    made = translate(reads.write(dialect, text), target)
    live = check_live(made.reading, made.read_back, most=150)
    assert not live.surprises
    kept_out = [row for row in live.rows if row.request.field(CERTIFICATE) != TRUSTED and (row.answers[0].status or 499) >= 400 and (row.answers[1].status or 499) < 400]
    assert not [row.request for row in kept_out if row.request.method == "GET" and row.outcomes[0].handshake]
    assert not [entry.span for entry in made.ledger if entry.finding and entry.finding.code.name in ("not-written", "value-unread")]


def test_who_is_refused(reads: Reads) -> None:
    """A refusal in the handshake for one by an answer is a small difference; a page in its place is lost, and that is a great one."""
    made = translate(reads.write(*CASES["nginx-on"]), "apache")
    assert [status(made, shown) for shown in (None, UNKNOWN, TRUSTED)] == [(400, None), (400, None), (200, 200)]
    assert {cause.severity for cause in made.comparison.causes if cause.after.handshake} == {Severity.MINOR}
    pages = translate(reads.write(*CASES["nginx-pages"]), "apache")
    assert Severity.BREAKING in {cause.severity for cause in pages.comparison.causes if cause.after.handshake}


def test_what_is_not_asked_any_more_is_breaking(reads: Reads) -> None:
    """Two configurations that somebody wrote: one lets all in, or trusts others."""
    asks, other = (reads.read("nginx", text) for text in (CASES["nginx-on"][1], CASES["nginx-on"][1].replace("issuers.pem", "others.pem")))
    from young_lantern.behaviour.compare import compare_estates

    everybody = reads.read("nginx", CASES["nginx-on"][1].replace("ssl_verify_client on", "ssl_verify_client off"))
    opened = compare_estates(asks.estate, everybody.estate).of(Severity.BREAKING)
    assert any(cause.before.status == 400 and cause.after.status == 200 for cause in opened)
    trusts = compare_estates(asks.estate, other.estate).of(Severity.BREAKING)
    assert {item.what for cause in trusts for item in cause.differences} == {"whose certificates of clients are trusted"}


@pytest.mark.parametrize(
    ("dialect", "text"),
    [
        ("apache", httpd("SSLCACertificatePath /etc/ssl/m/issuers\nSSLVerifyClient require")),
        ("apache", httpd(f"{HTTPD_TRUST}<Location /dir>\nSSLVerifyClient require\n</Location>")),
        ("caddy", caddy("trusted_leaf_cert_file /etc/ssl/m/leaf.pem", "")),
        ("caddy", caddy("mode maybe", "")),
    ],
)
def test_what_is_not_read_stays_closed(reads: Reads, dialect: str, text: str) -> None:
    made = translate(reads.write(dialect, text), "nginx")
    assert "return 501;" in "".join(made.writing.files.values())
    assert any(item.code.severity is Severity.BREAKING for item in made.findings)


def test_lines_that_go_with_it(reads: Reads) -> None:
    """How long a chain may be, and who was struck off; a page for plain HTTP on the port for TLS."""
    text = nginx("ssl_verify_client on; ssl_crl /etc/ssl/m/revoked.pem; error_page 497 =301 https://$host$request_uri;")
    to = {target: translate(reads.write("nginx", text), target) for target in ("apache", "caddy")}
    lines = "".join(to["apache"].writing.files.values())
    assert "SSLCARevocationFile \"/etc/ssl/m/revoked.pem\"\n" in lines and "SSLCARevocationCheck chain" in lines and "SSLVerifyDepth" not in lines
    for made in to.values():
        lost = [item.span.directive for item in made.findings if item.code.name == "no-counterpart" and item.span]
        assert any("error_page 497" in line for line in lost)
    assert any("ssl_crl" in item.span.directive for item in to["caddy"].findings if item.span)
    back = translate(reads.write(*CASES["caddy-verified"]), "nginx")
    assert "ssl_verify_depth 9;" in "".join(back.writing.files.values())


def test_several_files_of_issuers(reads: Reads) -> None:
    made = translate(reads.write("caddy", caddy(f"{TRUST}\ntrusted_ca_cert_file /etc/ssl/m/more.pem", "")), "nginx")
    assert any("more.pem" in dict(item.facts).get("reason", "") for item in made.findings)
    assert named("nginx").read and replace(made.reading.estate.sites[0].tls.clients, span=None).trusted == ("/etc/ssl/m/issuers.pem", "/etc/ssl/m/more.pem")  # type: ignore[union-attr]
