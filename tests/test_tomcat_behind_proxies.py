"""Tomcat behind a proxy that ends TLS: what is taken for secure, by the Connector or by what the proxy says; who is asked for, the client or the proxy; and Connectors that speak AJP."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.tomcat import HOST, constraint, files_of, filter_of, rules, server, valve, web
from tests.test_tomcat_reader import METHODS, ROOT, TLS, read
from young_lantern.errors import SourceUnreadable
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import translate

SECURED = {ROOT: web(constraint(["/*"], TLS) + filter_of("HttpHeaderSecurityFilter", "/*", hstsMaxAgeSeconds="60"))}
PROTO = [("GET", HOST, "/docs/a.txt", fields) for fields in (
    {}, {"X-Forwarded-Proto": "https"}, {"X-Forwarded-Proto": "HTTPS"}, {"X-Forwarded-Proto": "http"}, {"X-Forwarded-Proto": "https, https"}, {"X-Forwarded-Proto": "https,http"},
    {"X-Forwarded-Proto": "https", "X-Forwarded-For": "203.0.113.7"}, {"X-Told": "https"}, {"X-Told": "on"})]
ASKED = {**rules("RewriteCond %{HTTPS} =on\nRewriteRule ^/docs/a.txt$ /before [R,L]\n"), "webapps/ROOT/META-INF/context.xml": f"<Context>{valve('rewrite.RewriteValve')}</Context>",
         "webapps/ROOT/WEB-INF/rewrite.config": "RewriteCond %{HTTPS} off\nRewriteRule ^/docs/a.txt$ https://%{HTTP_HOST}/behind [R,L]\n"}
FORWARDED = [("GET", HOST, "/", fields) for fields in ({}, {"X-Forwarded-For": "203.0.113.7"}, {"X-Forwarded-For": "127.0.0.1"})]
LOCAL = r'"127\.0\.0\.1"'


@pytest.mark.parametrize(("text", "rows", "beside"), [
    pytest.param(server(connector='secure="true" scheme="https"'), METHODS, SECURED, id="secure-port"),
    pytest.param(server(connector='scheme="https"'), METHODS, SECURED, id="scheme-alone"),
    pytest.param(server(valve("RemoteIpValve")), PROTO, SECURED, id="told"),
    pytest.param(server(valve("RemoteIpValve", r'internalProxies="10\.\d+\.\d+\.\d+"')), PROTO, SECURED, id="told-by-nobody-who-is-believed"),
    pytest.param(server(valve("RemoteIpValve", 'internalProxies=""')), PROTO, SECURED, id="nobody-is-believed"),
    pytest.param(server(valve("RemoteIpValve", 'protocolHeader="X-Told" protocolHeaderHttpsValue="on"')), PROTO, SECURED, id="told-otherwise"),
    pytest.param(server(valve("RemoteIpValve", 'protocolHeader=""')), PROTO, SECURED, id="not-told"),
    pytest.param(server(valve("RemoteIpValve"), connector='secure="true"'), PROTO, SECURED, id="told-at-a-secure-port"),
    pytest.param(server(valve("rewrite.RewriteValve") + valve("RemoteIpValve")), PROTO, ASKED, id="rules-before-and-behind"),
    pytest.param(server(valve("RemoteIpValve") + valve("rewrite.RewriteValve"), connector='secure="true"'), PROTO, ASKED, id="rules-at-a-secure-port"),
    pytest.param(server(valve("RemoteIpValve") + valve("RemoteAddrValve", f'deny={LOCAL} usePeerAddress="true"')), FORWARDED, {}, id="peer"),
    pytest.param(server(valve("RemoteIpValve") + valve("RemoteAddrValve", f"deny={LOCAL}")), FORWARDED, {}, id="client"),
    pytest.param(server(valve("RemoteAddrValve", f"deny={LOCAL}") + valve("RemoteIpValve")), FORWARDED, {}, id="valve-before"),
    pytest.param(server(valve("RemoteAddrValve", 'allow="203.*" denyStatus="404"') + valve("RemoteIpValve")), FORWARDED, {}, id="odd-valve-before"),
    pytest.param(server(valve("RemoteCIDRValve", 'allow="10.0.0.0/8"') + valve("RemoteIpValve")), FORWARDED, {}, id="networks-before"),
    pytest.param(server(valve("RemoteIpValve") + valve("RemoteCIDRValve", 'deny="203.0.113.0/24" denyStatus="404"')), FORWARDED, {}, id="another-status"),
])
def test_the_model_foretells_what_is_taken_for_secure(text: str, rows: list[tuple[str, str, str, dict[str, str]]], beside: dict[str, str], tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    assert disagreements("tomcat", text, list(rows), tmp_path, files_of(beside)) == (len(rows), [])


def moved(tmp_path: Path, text: str, beside: dict[str, str], target: str) -> list[str]:
    """Both servers asked about a source; the lines that could not be carried."""
    tmp_path.chmod(0o755)
    read(tmp_path / "source", text, beside)
    made = translate(tmp_path / "source", target)
    live = check_live(made.reading, made.read_back, most=120)
    assert not live.surprises and len(live.rows) == 120
    return [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED]


@pytest.mark.parametrize(("text", "beside", "lost"), [
    pytest.param(server(valve("RemoteIpValve")), {ROOT: web(constraint(["/*"], TLS))}, {"nginx": [], "apache": ["<security-constraint>"], "caddy": ["RemoteIpValve"]}, id="told"),
    pytest.param(server(valve("RemoteAddrValve", f"deny={LOCAL}") + valve("RemoteIpValve")), {}, {"nginx": [], "apache": [], "caddy": ["RemoteIpValve"]}, id="peer"),
    pytest.param(server(connector='secure="true" scheme="https"', more='<Connector port="8080"/>'), {ROOT: web(constraint(["/*"], TLS))}, {"nginx": [], "apache": ["<security-constraint>"], "caddy": []}, id="one-port-of-two"),
])
@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_it_is_moved(text: str, beside: dict[str, str], lost: dict[str, list[str]], target: str, tmp_path: Path) -> None:
    told = moved(tmp_path, text, beside, target)
    assert all(any(name in line for name in lost[target]) for line in told), told


def test_ajp_beside_http_is_told(tmp_path: Path) -> None:
    text = server(more='<Connector protocol="AJP/1.3" port="8009" secretRequired="false" allowedRequestAttributesPattern="x.*"/>\n')
    reading = read(tmp_path, text, {})
    told = [finding for finding in reading.findings if "AJP" in finding.message]
    assert [(finding.span.line if finding.span else 0, finding.code.name) for finding in told] == [(4, "part-not-read")]
    assert [claim.disposition for claim in reading.claims if claim.name == "secretRequired"] == [Disposition.IMPLIED]
    assert [listener.port for listener in reading.estate.listeners] == [80]


def test_ajp_alone_cannot_be_asked(tmp_path: Path) -> None:
    with pytest.raises(SourceUnreadable) as raised:
        read(tmp_path, server().replace('port="80" redirectPort="8443"', 'protocol="AJP/1.3" port="8009"'), {})
    assert raised.value.line == 3 and "HTTP" in str(raised.value)
