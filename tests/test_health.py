"""What goes wrong in practice, found in a configuration by itself."""

from __future__ import annotations

import datetime
from pathlib import Path

import pytest

from tests.support.reading import Reads, nginx
from young_lantern.dialects import named
from young_lantern.health import check_health
from young_lantern.lab.certificates import make_certificate

TLS = "listen 443 ssl;"


def certificate(folder: Path, names: list[str], days: int) -> str:
    chain, key = make_certificate(folder, names)
    if days < 0:
        from cryptography import x509
        from cryptography.hazmat.primitives import hashes, serialization

        old = x509.load_pem_x509_certificate(chain.read_bytes())
        private = serialization.load_pem_private_key(key.read_bytes(), None)
        then = datetime.datetime.now(datetime.UTC) + datetime.timedelta(days=days)
        made = x509.CertificateBuilder(
            old.issuer,
            old.subject,
            old.public_key(),
            old.serial_number,
            then - datetime.timedelta(days=9),
            then,
            list(old.extensions),
        ).sign(private, hashes.SHA256())  # type: ignore[arg-type]
        chain.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    return f"ssl_certificate {chain}; ssl_certificate_key {key};"


@pytest.mark.parametrize(
    ("names", "days", "codes"),
    [
        (["www.fernhollow.example"], 1, []),
        (["*.fernhollow.example"], 1, []),
        (["fernhollow.example"], 1, ["certificate-does-not-cover"]),
        (["www.fernhollow.example"], -3, ["certificate-expired"]),
    ],
)
def test_certificates(reads: Reads, tmp_path: Path, names: list[str], days: int, codes: list[str]) -> None:
    text = nginx(certificate(tmp_path / "c", names, days) + "return 204;", listen=TLS)
    assert [item.code.name for item in check_health(reads.read("nginx", text))] == codes


@pytest.mark.parametrize(
    ("server", "listen", "codes"),
    [
        ("return 204;", TLS, ["tls-without-certificate"]),
        ("ssl_certificate none.pem; ssl_certificate_key k; return 204;", TLS, ["certificate-not-found"]),
        ("return 301 http://$host$request_uri;", "listen 80;", ["redirect-loop"]),
        ("location / { proxy_pass http://dead; }", "listen 80;", ["pool-without-members"]),
        ("return 204;", "listen 80;", []),
    ],
)
def test_sites(reads: Reads, server: str, listen: str, codes: list[str]) -> None:
    http = "upstream dead { server 192.0.2.1 down; }" if "dead" in server else ""
    assert [item.code.name for item in check_health(reads.read("nginx", nginx(server, http, listen)))] == codes


def test_a_rule_in_the_plain_site_only(reads: Reads) -> None:
    plain = "server { listen 80; server_name a.example; location /new/ { return 204; } location / { return 204; } }"
    secure = "server { listen 443 ssl; server_name a.example; ssl_certificate x; ssl_certificate_key y; location / { return 204; } }"
    found = check_health(reads.read("nginx", f"events {{}}\nhttp {{\n{plain}\n{secure}\n}}\n"))
    rule = next(item for item in found if item.code.name == "rule-only-in-plain-site")
    assert rule.span and rule.span.line == 3 and "location /new/" in rule.message


def test_a_route_that_cannot_be_reached(reads: Reads) -> None:
    """Caddy 2.6 asks for `/q*` before `/q`, wherever they are written; nginx orders its locations itself."""
    text = "http://a.example {\n\thandle /q {\n\t\trespond a\n\t}\n\thandle /q* {\n\t\trespond b\n\t}\n\thandle {\n\t\trespond c\n\t}\n}\n"
    found = check_health(reads.read("caddy", text))
    assert [(item.code.name, item.span and item.span.line) for item in found] == [("route-unreachable", 2)]
    assert "Caddyfile:5" in found[0].why
    assert (
        check_health(
            reads.read(
                "nginx", nginx("location = /q { return 204; } location /q { return 204; } location / { return 204; }")
            )
        )
        == []
    )


def test_two_sites_that_claim_one_name(reads: Reads) -> None:
    server = "server { listen 80; server_name a.example; return 204; }\n"
    reading = reads.read("nginx", f"events {{}}\nhttp {{\n{server}{server}}}\n")
    found = next(item for item in reading.findings if item.code.name == "name-claimed-twice")
    assert found.span and found.span.line == 4 and "nginx.conf:3" in found.message


def test_a_document_root_that_is_missing_among_others(reads: Reads) -> None:
    """Where one root is there, another that is not is misspelt; where none is, this is another machine."""
    lines = "root ROOT; location /old/ { root ROOT/none/deep; } location /docs/ { alias ROOT/doks/; }"
    found = check_health(reads.read("nginx", nginx(lines)))
    assert [item.code.name for item in found] == ["document-root-not-found"] * 2
    assert {dict(item.facts)["folder"] for item in found} == {f"{reads.root}/none/deep", f"{reads.root}/doks"}
    assert check_health(reads.read("nginx", nginx("root /nonesuch/site; location /a/ { root /nonesuch/other; }"))) == []


def test_a_line_for_all_sites_is_in_none_alone(tmp_path: Path) -> None:
    """And what certificates are asked for by has no place in a site with TLS (RFC 8555 section 8.3)."""
    (tmp_path / "httpd.conf").write_text("""Listen 80
Listen 443
<DirectoryMatch "/[.]git">
Require all denied
</DirectoryMatch>
<VirtualHost *:80>
ServerName www.fernhollow.example
Alias /.well-known/acme-challenge/ /srv/acme/
Alias /old/ /srv/old/
</VirtualHost>
<VirtualHost *:443>
ServerName www.fernhollow.example
DocumentRoot /srv/www
SSLEngine On
SSLCertificateFile /etc/ssl/chain.pem
</VirtualHost>
""")
    found = [str(item.span) for item in check_health(named("apache").read(tmp_path / "httpd.conf")) if item.code.name == "rule-only-in-plain-site"]
    assert found == ["httpd.conf:9"]
