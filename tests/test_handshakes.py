"""What is settled before a request is sent: certificates, versions of TLS, HTTP/2; by the model, by each server, and in a translation."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import request_for
from young_lantern.behaviour.handshakes import shake
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition, Severity
from young_lantern.translate import translate

_MODULES = "".join(f"LoadModule {name}_module /usr/lib/apache2/modules/mod_{name}.so\n" for name in ("mpm_event", "authz_core", "ssl", "http2", "alias", "dir", "mime"))
BOTH, NEW, OLD = ("TLSv1.2", "TLSv1.3"), ("TLSv1.3",), ("TLSv1.2",)


def nginx(*servers: tuple[str, str, str], http: str = "") -> str:
    """Servers by their listen options, name, and lines."""
    made = "".join(f"server {{ listen {listen}; server_name {name}.fernhollow.example; ssl_certificate /etc/ssl/{name}.pem; ssl_certificate_key /etc/ssl/{name}.key; {lines} return 200 {name}; }}\n"
                   for listen, name, lines in servers)
    return f"events {{}}\nhttp {{ {http}\n{made} }}\n"


def apache(*hosts: tuple[str, str], main: str = "") -> str:
    made = "".join(f"<VirtualHost *:443>\nServerName {name}.fernhollow.example\nSSLEngine on\nSSLCertificateFile /etc/ssl/{name}.pem\nSSLCertificateKeyFile /etc/ssl/{name}.key\n{lines}\n"
                   f"Redirect 302 /old http://{name}/\n</VirtualHost>\n" for name, lines in hosts)
    return f"{_MODULES}Listen 443 https\nServerName localhost\n{main}\n{made}"


def caddy(*sites: tuple[str, str], options: str = "") -> str:
    made = "".join(f"https://{name}.fernhollow.example {{\ntls /etc/ssl/{name}.pem /etc/ssl/{name}.key {lines}\nrespond {name}\n}}\n" for name, lines in sites)
    return f"{{\nauto_https disable_redirects\n{options}\n}}\n{made}"


# Dialect, its text, and of each host the certificate, the versions and whether HTTP/2 is offered.
SERVERS = [
    ("nginx", nginx(("443 ssl http2", "a", "ssl_protocols TLSv1.2 TLSv1.3;"), ("443 ssl", "b", "ssl_protocols TLSv1.3;")), {"a": ("a", BOTH, True), "b": ("b", BOTH, True), "z": ("a", BOTH, True)}),
    ("nginx", nginx(("443 ssl", "a", "ssl_protocols TLSv1.3;"), ("443 ssl", "b", "")), {"a": ("a", NEW, False), "b": ("b", NEW, False)}),
    ("nginx", nginx(("443 ssl", "a", ""), ("443 ssl default_server", "b", "ssl_protocols TLSv1.3 TLSv1.2;")), {"a": ("a", BOTH, False), "z": ("b", BOTH, False)}),
    ("nginx", nginx(("443 ssl", "a", "ssl_protocols TLSv1.3;")).replace("http { ", "http { server { listen 443 ssl default_server; ssl_reject_handshake on; }"), {"a": ("a", OLD, False)}),
    ("apache", apache(("a", "SSLProtocol all -TLSv1.2\nProtocols h2 http/1.1"), ("b", "SSLProtocol -all +TLSv1.2")), {"a": ("a", NEW, True), "b": ("b", OLD, False), "z": ("a", NEW, True)}),
    ("apache", apache(("a", "SSLProtocol -all +TLSv1.3"), ("b", "")), {"a": ("a", NEW, False), "b": ("b", NEW, False)}),
    ("apache", apache(("a", ""), ("b", "SSLProtocol -all +TLSv1.3"), main="Protocols h2 http/1.1"), {"a": ("a", BOTH, True), "b": ("b", NEW, True)}),
    ("caddy", caddy(("a", ""), ("b", "{\nprotocols tls1.3\n}"), ("c", "{\nprotocols tls1.2 tls1.2\n}")), {"a": ("a", BOTH, True), "b": ("b", NEW, True), "c": ("c", OLD, True)}),
    ("caddy", caddy(("a", ""), options="servers {\nprotocols h1\n}"), {"a": ("a", BOTH, False)}),
    ("caddy", caddy(("a", ""), ("b", "")).replace("tls /etc/ssl/a.pem /etc/ssl/a.key", "import pair a").replace("tls /etc/ssl/b.pem /etc/ssl/b.key", "import pair b").replace("https://a", "(pair) {\ntls /etc/ssl/{args.0}.pem /etc/ssl/{args.0}.key\n}\nhttps://a"),
     {"a": ("a", BOTH, True), "b": ("b", BOTH, True)}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "hosts"), SERVERS)
def test_what_a_client_meets(reads: Reads, dialect: str, text: str, hosts: dict[str, tuple[str, tuple[str, ...], bool]]) -> None:
    """As foretold; and a copy of the server does just that."""
    reading = reads.read(dialect, text)
    for host, (certificate, versions, http2) in hosts.items():
        made = shake(reading.estate, request_for(f"https://{host}.fernhollow.example/"))
        assert made is not None
        assert (made.certificates, made.versions, made.http2) == ((f"/etc/ssl/{certificate}.pem",), versions, http2), host
    steps: list[tuple[int, int]] = []
    live = check_live(reading, reading, most=40, progress=lambda done, of: steps.append((done, of)))
    assert steps == [(number, len(live.rows)) for number in range(1, len(live.rows) + 1)]
    assert [(row.request.host, row.defects) for row in live.handshakes if row.defects] == []
    assert {row.met[0].versions for row in live.handshakes} == {versions for _, versions, _ in hosts.values()}
    assert bool(live.by_http2) is any(http2 for _, _, http2 in hosts.values())
    assert [f"{row.request} {row.defects}" for row in live.surprises] == []


@pytest.mark.parametrize(("dialect", "text", "hosts"), SERVERS)
@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_what_differs_is_told(reads: Reads, dialect: str, target: str, text: str, hosts: dict[str, tuple[str, tuple[str, ...], bool]]) -> None:
    """Certificates stay; versions and HTTP/2 stay, or are among the differences; both servers do what was foretold."""
    if target == dialect:
        return
    made = translate(reads.write(dialect, text), target, dialect=dialect)
    told = {item.what for cause in made.comparison.causes for item in cause.differences}
    live = check_live(made.reading, made.read_back, most=60)
    assert live.handshakes
    for row in live.handshakes:
        assert row.defects == ()
        assert {item.what for item in row.between} <= told
        assert row.met[0].certificates == row.met[1].certificates
    assert [f"{row.request} {row.defects}" for row in live.surprises] == []


def test_versions_that_sites_share(reads: Reads) -> None:
    """nginx has one set for a port: nobody is shut out, the site that was stricter is told; one that says what nobody hears is, too."""
    made = translate(reads.write("apache", SERVERS[4][1]), "nginx")
    assert {line.strip() for text in made.writing.files.values() for line in text.splitlines() if "ssl_protocols" in line} == {"ssl_protocols TLSv1 TLSv1.1 TLSv1.2 TLSv1.3;"}
    assert [item.code.name for item in made.findings if item.code.name == "tls-versions-shared"] == ["tls-versions-shared"] * 2
    severities = {cause.hosts[0]: cause.severity for cause in made.comparison.causes if cause.differences[0].what == "TLS versions"}
    assert severities == {"a.fernhollow.example": Severity.BREAKING, "b.fernhollow.example": Severity.MINOR}
    unheard = reads.read("nginx", SERVERS[0][1])
    assert [item.span.line for item in unheard.findings if item.code.name == "tls-versions-unheard" and item.span] == [4]
    assert [claim.disposition for claim in unheard.claims if claim.span.directive == "ssl_protocols TLSv1.3"] == [Disposition.IMPLIED]


def test_hosts_that_are_refused_cost_no_version(reads: Reads) -> None:
    """The block that refuses them is the default of the port, so that what it says of versions counts for all."""
    made = translate(reads.write("caddy", caddy(("a", ""))), "nginx")
    assert "\n".join(made.writing.files.values()).count("ssl_protocols TLSv1.2 TLSv1.3;") == 2
    assert [cause for cause in made.comparison.causes if cause.differences[0].what == "TLS versions"] == []


def test_severities(reads: Reads) -> None:
    """Another certificate, or clients that are shut out, break; a version more does not, unless only newer ones were let in."""
    def causes(before: str, after: str) -> dict[str, Severity]:
        from young_lantern.behaviour.compare import compare_estates

        found = compare_estates(reads.read("nginx", before).estate, reads.read("nginx", after).estate)
        return {item.what: item.severity for cause in found.causes for item in cause.differences}

    one = nginx(("443 ssl", "a", "ssl_protocols TLSv1.2 TLSv1.3;"))
    assert causes(one, one.replace("/a.pem", "/b.pem")) == {"certificate": Severity.BREAKING}
    assert causes(one, one.replace("TLSv1.2 ", "")) == {"TLS versions": Severity.BREAKING}
    assert causes(one, one.replace(" TLSv1.3", "")) == {"TLS versions": Severity.MINOR}
    assert causes(one.replace("TLSv1.2 ", ""), one) == {"TLS versions": Severity.BREAKING}
    assert causes(one, one.replace("443 ssl", "443 ssl http2")) == {"HTTP/2": Severity.MINOR}
    assert causes(one, one) == {}


def test_certificates_that_share_a_key(reads: Reads) -> None:
    """Each is another one in the copies, and goes with the key; much content over TLS is answered, too."""
    text = nginx(("443 ssl", "a", ""), ("443 ssl", "b", "")).replace("/etc/ssl/b.key", "/etc/ssl/a.key")
    made = translate(reads.write("nginx", text), "apache")
    live = check_live(made.reading, made.read_back, most=150, requests=[request_for("https://a.fernhollow.example/", "POST", {"Content-Length": "1048577"})])
    assert {row.request.host[0]: row.met[1].certificates for row in live.handshakes if row.request.host[0] in "ab"} == {"a": ("/etc/ssl/a.pem",), "b": ("/etc/ssl/b.pem",)}
    assert [f"{row.request} {row.defects}" for row in live.surprises] == []
    large = [row.answers[1].status for row in live.rows if row.request.field("Content-Length") == "1048577" and row.request.scheme == "https"]
    assert large and None not in large
