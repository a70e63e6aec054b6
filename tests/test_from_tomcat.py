"""A site of Tomcat's, moved to each of the others: what is written, and both servers asked."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.tomcat import STOCK, constraint, filter_of, web
from young_lantern.demo.estate import FILES_AT, unpack
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import Translation, translate

SERVER = """<?xml version="1.0" encoding="UTF-8"?>
<Server port="8005" shutdown="SHUTDOWN">
  <Listener className="org.apache.catalina.startup.VersionLoggerListener"/>
  <Service name="Catalina">
    <!-- plain, for the redirect -->
    <Connector port="80" protocol="HTTP/1.1" connectionTimeout="20000" redirectPort="443"/>
    <Connector port="443" protocol="org.apache.coyote.http11.Http11NioProtocol" SSLEnabled="true" scheme="https" secure="true" maxThreads="150">
      <UpgradeProtocol className="org.apache.coyote.http2.Http2Protocol"/>
      <SSLHostConfig protocols="TLSv1.2+TLSv1.3">
        <Certificate certificateFile="/etc/fernhollow/tls/www.pem" certificateKeyFile="/etc/fernhollow/tls/www.key"/>
      </SSLHostConfig>
    </Connector>
    <Engine name="Catalina" defaultHost="www.fernhollow.example">
      <Host name="www.fernhollow.example" appBase="webapps">
        <Alias>fernhollow.example</Alias>
        <!-- old names of pages -->
        <Valve className="org.apache.catalina.valves.rewrite.RewriteValve"/>
        <Valve className="org.apache.catalina.valves.AccessLogValve" directory="logs" prefix="www_access" suffix=".log" pattern="combined"/>
      </Host>
      <Host name="media.fernhollow.example" appBase="media">
        <Valve className="org.apache.catalina.valves.RemoteCIDRValve" deny="192.0.2.0/24"/>
      </Host>
    </Engine>
  </Service>
</Server>
"""
RULES = """# one name for the site
RewriteCond %{HTTP_HOST} fernhollow\\.example
RewriteRule ^(.*)$ https://www.fernhollow.example$1 [R=301,L]
# pages that have moved
RewriteRule ^/hours\\.html$ /docs/hours.html [R=301,L]
RewriteRule ^/tool/(\\d+)$ /docs/tool-$1.html [L]
# the catalogue finds its way by itself
RewriteCond %{REQUEST_URI} !^/catalogue/.*\\.\\w+$
RewriteRule ^/catalogue/.*$ /catalogue/index.html [L]
"""
FILES = {
    "conf/server.xml": SERVER, "conf/web.xml": STOCK, "conf/Catalina/www.fernhollow.example/rewrite.config": RULES,
    "webapps/ROOT/WEB-INF/web.xml": web(
        "<error-page><error-code>404</error-code><location>/docs/none.html</location></error-page>" + constraint(["/*"], "<user-data-constraint><transport-guarantee>CONFIDENTIAL</transport-guarantee></user-data-constraint>")
        + filter_of("HttpHeaderSecurityFilter", "/*", hstsMaxAgeSeconds="31536000", antiClickJackingOption="SAMEORIGIN")),
    "webapps/ROOT/index.html": "root\n", "webapps/ROOT/docs/hours.html": "hours\n", "webapps/ROOT/docs/none.html": "nothing here\n", "webapps/ROOT/docs/tool-7.html": "a saw\n",
    "webapps/catalogue/index.html": "catalogue\n", "webapps/catalogue/app.js": "js\n", "media/ROOT/index.html": "media\n", "media/ROOT/manuals/saw.txt": "saw\n",
}


def moved(tmp_path: Path, target: str) -> Translation:
    tmp_path.chmod(0o755)
    for name, content in FILES.items():
        (tmp_path / "tomcat" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "tomcat" / name).write_text(content)
    return translate(tmp_path / "tomcat", target)


@pytest.mark.parametrize(("target", "wanted"), [
    ("nginx", ["location ^~ /catalogue/ {", "return 301 /docs/hours.html$is_args$args;", "# pages that have moved", "error_page 404 /docs/none.html;", "ssl_certificate /etc/fernhollow/tls/www.pem;"]),
    ("apache", ['RewriteRule "^/tool/(\\d+)$" "/docs/tool-$1.html"', "ErrorDocument 404", "SSLProtocol -all +TLSv1.2 +TLSv1.3", "TraceEnable Off"]),
    ("caddy", ["handle /catalogue/* {", "rewrite @tool /docs/tool-{re.tool.1}.html", "tls /etc/fernhollow/tls/www.pem /etc/fernhollow/tls/www.key", "remote_ip 192.0.2.0/24"]),
])
def test_a_site_of_tomcats_is_moved(target: str, wanted: list[str], tmp_path: Path) -> None:
    """As the target says it, with nothing lost, and both servers agree wherever no difference was foretold."""
    made = moved(tmp_path, target)
    text = "\n".join(made.writing.files.values())
    assert [line for line in wanted if line not in text] == []
    lost = [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED]
    # httpd cannot put fields on some answers of one path alone, and says so.
    assert lost == ([] if target != "apache" else [name for name in ("<security-constraint>", "<filter>") if name in lost])
    live = check_live(made.reading, made.read_back, most=250)
    assert live.servers[0].startswith("Tomcat/10") and len(live.rows) > 100
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises if hasattr(row, "request")] == []
    assert not live.surprises and live.same > len(live.rows) / 2


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_the_sample_estate_is_moved(target: str, tmp_path: Path) -> None:
    """Nothing is lost but what the target has no way to say, no cause is told twice, and both servers agree wherever no difference was foretold."""
    tmp_path.chmod(0o755)
    folder, served = unpack(tmp_path, "tomcat")
    at = ((FILES_AT, served),)
    made = translate(folder, target, files=at)
    assert [finding.code.name for finding in made.reading.findings] == []
    assert {entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED} <= ({"<security-constraint>", "<filter>"} if target == "apache" else set())
    kinds = [cause.reason for cause in made.comparison.causes if cause.reason.name == "PARAMETERS"]
    assert 0 < len(kinds) <= 8
    live = check_live(made.reading, made.read_back, files=at, most=150)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises if hasattr(row, "request")] == []
    assert not live.surprises and len(live.rows) > 100


def test_tables_of_media_types_are_written_once(tmp_path: Path) -> None:
    """The server's own web.xml has a thousand of them."""
    made = moved(tmp_path, "nginx")
    assert sum(text.count("application/vnd.lotus-1-2-3") for text in made.writing.files.values()) == 1
    assert "application/vnd.lotus-1-2-3 123;" in made.writing.files["mime.types"]
