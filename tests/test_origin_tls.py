"""TLS to an origin: what is checked of its certificate, and that nothing less is checked without a word."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.translate import translate

NGINX = "events {}\nhttp { server { listen 80; server_name www.fernhollow.example; location / { proxy_pass https://192.0.2.21; %s } } }\n"
HTTPD = "Listen 80\n<VirtualHost *:80>\nServerName www.fernhollow.example\nSSLProxyEngine On\n%s\nProxyPass / https://192.0.2.21/\n</VirtualHost>\n"
CADDY = "http://www.fernhollow.example {\n\treverse_proxy https://192.0.2.21 {\n\t\ttransport http {\n\t\t\tdial_timeout 3s\n\t\t\t%s\n\t\t}\n\t}\n}\n"


@pytest.mark.parametrize(
    ("dialect", "text", "lines", "checked"),
    [
        ("nginx", NGINX, "", "nothing"),
        ("nginx", NGINX, "proxy_ssl_verify on; proxy_ssl_trusted_certificate /etc/ssl/own.pem;", "all, trusting /etc/ssl/own.pem"),
        ("nginx", NGINX, "proxy_ssl_verify on; proxy_ssl_trusted_certificate /etc/ssl/certs/ca-certificates.crt; proxy_ssl_name origin.fernhollow.example;", "all, as origin.fernhollow.example"),
        ("apache", HTTPD, "", "its name and dates"),
        ("apache", HTTPD, "SSLProxyVerify none\nSSLProxyCheckPeerName off", "nothing"),
        ("apache", HTTPD, "SSLProxyVerify require\nSSLProxyCACertificateFile /etc/ssl/own.pem", "all, trusting /etc/ssl/own.pem"),
        ("caddy", CADDY, "", "all"),
        ("caddy", CADDY, "tls_insecure_skip_verify", "nothing"),
        ("caddy", CADDY, "tls_trusted_ca_certs /etc/ssl/own.pem", "all, trusting /etc/ssl/own.pem"),
    ],
)
def test_what_is_checked(reads: Reads, dialect: str, text: str, lines: str, checked: str) -> None:
    """nginx checks nothing by itself, httpd the name and the dates, Caddy all."""
    reading = reads.read(dialect, text % lines)
    origin = decide(reading.estate, request_for("http://www.fernhollow.example/"), real_files()).origin
    assert origin is not None and (origin.secure, origin.certificate) == (True, checked)
    for target in {"nginx", "apache", "caddy"} - {dialect}:
        made = translate(reading.main, target)
        differing = [(item.before, item.after, item.severity.value) for cause in made.comparison.causes for item in cause.differences if "certificate" in item.what]
        named = "as origin" in checked and target == "apache"  # httpd asks for the name of the address: not carried
        if checked.startswith("all") and not named:
            assert differing == [], target
        elif checked == "its name and dates":
            assert set(differing) <= {(checked, "nothing", "minor")}, target
        elif checked == "nothing":
            assert differing == [], target


def test_what_is_not_carried_is_breaking(reads: Reads) -> None:
    reading = reads.read("nginx", NGINX % "proxy_ssl_verify on; proxy_ssl_name origin.fernhollow.example;")
    made = translate(reading.main, "apache")
    assert [entry.disposition.value for entry in made.ledger if entry.span.directive.startswith("proxy_ssl_verify")] == ["unsupported"]
    assert {cause.severity.value for cause in made.comparison.causes if any("certificate" in item.what for item in cause.differences)} >= {"breaking"}
