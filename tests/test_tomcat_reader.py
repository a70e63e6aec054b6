"""Tomcat: what is read of server.xml and the files beside it, against the running server; and what is told."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.tomcat import STOCK, constraint, files_of, filter_of, rules, server, valve, web
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.dialects.dialect import Reading
from young_lantern.dialects.tomcat import syntax
from young_lantern.errors import SourceUnreadable
from young_lantern.model import Disposition
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
PATHS = (
    "/ /index.html /docs /docs/ /docs/a.txt /docs/a.txt/ /empty /empty/ /none /none/ /app /app/ /app/sub /app/sub/ /app/sub/c.html /app/deep /app/deep/ /app/deeper /apple /x.unknown /noext /a%20b.html /docs?x=1 /docs? /app? /app?x=1"
    " /docs//a.txt //docs/a.txt /docs/./a.txt /docs/../index.html /docs/.. /docs/. /../x /%64ocs /docs/%2e%2e/index.html /docs%2fa.txt /docs;x=1/a.txt /docs/a.txt;v=1 /docs;x /WEB-INF/web.xml /web-inf /META-INF/x /WEB-INFx /x.jsp"
    " /docs/a%00 /docs/%ff /docs/%zz /%5cx /docs/|x /docs/[x] /docs/%7Bx /;/x /docs/a.txt%3Bx /%c3%a9 /a%2520b /. /.. /docs/a.txt?a=b%20c /docs?a=[1] /docs?a=%zz /docs?a=b/c?d /docs?a=^"
).split()
# What valves of a host make of a target that is refused is left open.
REFUSED = "/../x /docs%2fa.txt /docs/a%00 /docs/%ff /docs/%zz /%5cx /docs/|x /docs/[x] /.. /docs?a=[1] /docs?a=^".split()
METHODS = tuple((method, HOST, path, {}) for path in ("/", "/docs", "/none", "/empty/", "/app", "/docs/a.txt", "/WEB-INF/x", "/x.jsp", "/index.html", "/docs/index.html", "/a%20b.html", "/none?x=1")
                for method in ("GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "PATCH", "FOO"))
DENIED, TLS = "<auth-constraint/>", "<user-data-constraint><transport-guarantee>CONFIDENTIAL</transport-guarantee></user-data-constraint>"
ROOT = "webapps/ROOT/WEB-INF/web.xml"
SPA = "RewriteCond %{REQUEST_PATH} !-f\nRewriteCond %{REQUEST_PATH} !-d\nRewriteRule ^(.*)$ /index.html [L]\n"
MOVED = """# moved
RewriteRule ^/old/(.*)$ /new/$1 [R=301,L]
RewriteRule /perm https://www.fernhollow.example/p%{QUERY_STRING} [R=permanent]
RewriteRule ^/gone$ - [G]
RewriteRule ^/no.*$ - [F]
RewriteRule ^/app/(.*)$ /docs/$1 [L]
RewriteRule ^/q/(.*)$ /r?v=$1 [R]
RewriteRule ^/s$ /docs/a.txt [NC]
RewriteRule ^/ne/(.*)$ /n/$1 [NE,R]
RewriteRule ^/qsd$ /x [QSD,R]
RewriteRule ^/qsa/(.*)$ /x?a=$1 [QSA,R]
"""
MOVED_PATHS = "/old/x /old/a%20b /old/x?y=1 /old/a%25b /old/a%3Fb /old/a%3Bb /perm /perm?a /gone /no /app/old /q/1 /q/a%20b /q/a/b /s /S /ne/a%20b /ne/a%3Fb /qsd?x=1 /qsa/1?x=2 /docs".split()
CONDITIONS = """RewriteCond %{HTTP_HOST} ^loans\\.(.*)$ [NC]
RewriteRule ^/api/(.*)$ https://%1/loan/$1 [R=302,L]
RewriteCond %{HTTP:X-Probe} =1 [OR]
RewriteCond %{HTTP_USER_AGENT} curl.*
RewriteRule ^/x/(.*)$ /docs/a.txt [L]
RewriteCond %{HTTPS} off
RewriteCond %{REQUEST_METHOD} =GET
RewriteRule ^/docs/.*$ https://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]
RewriteRule ^/a$ /b [C]
RewriteRule ^/b$ /c [C]
RewriteRule ^/c$ /docs/a.txt
RewriteRule ^/d$ - [S=1]
RewriteRule ^/[^x].*$ /index.html
"""
CONDITION_ROWS = [("GET", host, path, fields) for host in (HOST, "loans.fernhollow.example") for path in ("/", "/api/x", "/docs/a.txt", "/x/y", "/a", "/b", "/c", "/d") for fields in ({}, {"X-Probe": "1"}, {"User-Agent": "curl/7"})]
KEPT = """RewriteRule ^/(keep|docs|x.unknown)$ - [T=text/x-kept]
RewriteRule ^/t$ /docs/a.txt [T=text/x-tool,L]
RewriteRule ^/n$ /none [T=text/x-tool,L]
RewriteRule ^/keep$ /noext
RewriteRule ^/[xyz]$ - [E=a:1,E=b:2]
RewriteCond %{ENV:a}%{ENV:b} =12
RewriteRule ^/x$ /docs/a.txt [L]
RewriteCond %{ENV:b} =1
RewriteRule ^/y$ /docs/a.txt [L]
"""
PAGES = {ROOT: web("<error-page><error-code>404</error-code><location>/404.html</location></error-page>")}
ENGINES = "RewriteRule ^/a$ /docs/a.txt [L]\nRewriteRule ^/b$ https://www.fernhollow.example/ [R=301,L]\nRewriteRule ^/x$ - [F]\nRewriteCond %{REQUEST_PATH} !-f\nRewriteRule ^/y$ /docs/a.txt [L]\n"
NOWHERE = server().replace(f'<Host name="{HOST}" appBase="webapps">\n<Alias>*.fernhollow.example</Alias>\n\n</Host>\n', "").replace(f'defaultHost="{HOST}">', f'defaultHost="nowhere">{valve("rewrite.RewriteValve")}')
LISTED = "<param-name>listings</param-name>\n            <param-value>"


@pytest.mark.parametrize(("text", "rows", "beside"), [
    pytest.param(server(), [("GET", HOST, path, {}) for path in PATHS], {}, id="paths"),
    pytest.param(server(), METHODS, {}, id="methods"),
    pytest.param(server(), [("GET", host, "/docs", {}) for host in (HOST, "x.fernhollow.example", "a.b.fernhollow.example", "other.example", HOST.upper(), f"{HOST}.", "192.0.2.7")], {}, id="hosts"),
    pytest.param(server(valve("rewrite.RewriteValve")), [("GET", HOST, path, {}) for path in PATHS if path not in REFUSED], rules(SPA), id="fallback"),
    pytest.param(server(valve("rewrite.RewriteValve")), [("GET", HOST, path, {}) for path in MOVED_PATHS], rules(MOVED), id="moved"),
    pytest.param(server(valve("rewrite.RewriteValve")), CONDITION_ROWS, rules(CONDITIONS), id="conditions"),
    pytest.param(server(), [("GET", HOST, path, {}) for path in (*MOVED_PATHS, "/app/old/x", "/app/old/x?y", "/app/spa/y")], {
        "webapps/ROOT/META-INF/context.xml": f"<Context>{valve('rewrite.RewriteValve')}</Context>", "webapps/ROOT/WEB-INF/rewrite.config": MOVED.replace("^/app/", "^/toapp/"),
        "webapps/app/META-INF/context.xml": f"<Context>{valve('rewrite.RewriteValve')}</Context>",
        "webapps/app/WEB-INF/rewrite.config": "RewriteRule ^/old/(.*)$ /new/$1 [R,L]\nRewriteCond %{REQUEST_PATH} !-f\nRewriteRule ^/spa/.*$ /index.html [L]\n"}, id="rules-of-contexts"),
    pytest.param(server(), METHODS, {ROOT: web(constraint(["/*"], TLS) + constraint(["/docs/*"]) + constraint(["*.html"], DENIED) + constraint(["/"], DENIED))}, id="best-pattern"),
    pytest.param(server(), METHODS, {ROOT: web(constraint(["/*"], DENIED, "<http-method>DELETE</http-method><http-method>FOO</http-method>") + constraint(["/docs/*"], TLS, "<http-method-omission>GET</http-method-omission>"))}, id="by-method"),
    pytest.param(server(), METHODS, {ROOT: web(constraint([""], DENIED) + constraint(["/docs"], DENIED) + constraint(["*.txt"], TLS))}, id="whole-paths"),
    pytest.param(server(), METHODS, {ROOT: web("<error-page><error-code>404</error-code><location>/404.html</location></error-page><error-page><location>/docs/a.txt</location></error-page>")}, id="pages"),
    pytest.param(server(), METHODS, {ROOT: web(constraint(["/docs/*", "/404.html"], DENIED) + "<error-page><error-code>403</error-code><location>/404.html</location></error-page>")}, id="refused-pages"),
    pytest.param(server(), METHODS, {ROOT: web(
        "<welcome-file-list><welcome-file>a.txt</welcome-file><welcome-file>docs/a.txt</welcome-file></welcome-file-list><mime-mapping><extension>unknown</extension><mime-type>text/x</mime-type></mime-mapping>"
        + constraint(["/docs/*"], DENIED) + filter_of("HttpHeaderSecurityFilter", "/*", antiClickJackingOption="SAMEORIGIN"))}, id="welcome-files-and-fields"),
    pytest.param(server(valve("RemoteAddrValve", r'allow="127\.\d+\.\d+\.\d+|::1"') + valve("RemoteCIDRValve", 'deny="192.0.2.0/24"')), METHODS, {
        "webapps/app/META-INF/context.xml": f"<Context>{valve('RemoteAddrValve', 'deny=%s127.*%s denyStatus=%s404%s' % (chr(34), chr(34), chr(34), chr(34)))}</Context>"}, id="addresses"),
    pytest.param(server(valve("RemoteIpValve") + valve("RemoteAddrValve", r'deny="192\.0\.2\.\d+"')), [
        ("GET", HOST, "/", {"X-Forwarded-For": said}) for said in ("192.0.2.1", "198.51.100.1", "192.0.2.1, 10.0.0.1", "198.51.100.7, 192.0.2.1", "x", "")], {}, id="client"),
    pytest.param(server(valve("ErrorReportValve", 'errorCode.404="webapps/ROOT/404.html" showReport="false"'), 'server="lantern" compression="on" compressionMinSize="1"'), [
        *METHODS, *(("GET", HOST, path, {"Accept-Encoding": "gzip"}) for path in ("/", "/docs/a.txt", "/none", "/x.unknown", "/docs"))], {}, id="connector-and-report"),
    pytest.param(server(), METHODS, {"conf/web.xml": STOCK.replace(f"{LISTED}false", f"{LISTED}true")}, id="listings"),
    pytest.param(server('<Context path="/manual" docBase="ROOT/docs"/><Context path="" docBase="app"/>'), [("GET", HOST, path, {}) for path in ("/", "/manual", "/manual/a.txt", "/sub/", "/docs/", "/app/")], {}, id="stated-contexts"),
    pytest.param(server(valve("rewrite.RewriteValve")), [("GET", HOST, path, {}) for path in ("/t", "/n", "/keep", "/docs", "/x", "/y", "/z", "/x.unknown")], {**rules(KEPT), **PAGES}, id="types-and-variables"),
    pytest.param(server(valve("rewrite.RewriteValve")), METHODS, {}, id="rules-that-are-not-there"),
    pytest.param(NOWHERE, [(method, host, path, {}) for host in (HOST, "unknown.test") for path in ("/a", "/b", "/docs/", "/x", "/y") for method in ("GET", "POST", "FOO", "OPTIONS")], {"conf/Catalina/rewrite.config": ENGINES}, id="no-host"),
    pytest.param(server().replace(f'defaultHost="{HOST}">', f'defaultHost="{HOST}">' + valve("ErrorReportValve", 'errorCode.404="webapps/ROOT/404.html"')), METHODS, {}, id="report-of-the-engine"),
    pytest.param(server(connector='proxyName="loans.fernhollow.example" proxyPort="443"'), [("GET", host, "/docs", {}) for host in (HOST, "x.example")], {}, id="proxy-name"),
])
def test_the_model_foretells_tomcat(text: str, rows: list[tuple[str, str, str, dict[str, str]]], beside: dict[str, str], tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    asked, wrong = disagreements("tomcat", text, list(rows), tmp_path, files_of(beside))
    assert (asked, wrong) == (len(rows), [])


def read(tmp_path: Path, text: str, beside: dict[str, str] | None = None) -> Reading:
    for name, content in {"conf/server.xml": text, **(files_of(beside) if beside is not None else {})}.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(content)
    return named("tomcat").read(tmp_path / "conf" / "server.xml")


def test_every_byte_comes_back() -> None:
    text = '<?xml version="1.0"?>\n<!-- kept -->\n<Server  port = "8005"\n  shutdown=\'S\'>\r\n\t<Service name="a&amp;b"/><!-- é -->\n</Server>\n'
    assert syntax.print_file(syntax.parse(text, "server.xml")) == text
    assert syntax.print_file(syntax.parse(STOCK, "web.xml")) == STOCK


def test_a_copy_is_made_by_what_changes() -> None:
    file = syntax.parse('<a x="1"><b/><c y=\'2\'>t</c></a>', "a.xml")
    edits = syntax.Edits(file)
    edits.set(file.root, "x", 'say "so"')
    edits.set(file.root.children[0], "new", "n")
    edits.drop_attribute(file.root.children[1], "y")
    edits.inside(file.root.children[0], "<d/>")
    assert edits.text() == '<a x="say &quot;so&quot;"><b new="n"><d/></b><c >t</c></a>'


@pytest.mark.parametrize(("text", "line", "words"), [
    ("<Server>\n<Service>\n</Server>", 3, "well-formed"), ("", 1, "well-formed"), ("<!DOCTYPE s [\n<!ENTITY e SYSTEM '/etc/passwd'>\n]>\n<Server>&e;</Server>", 2, "entity"),
    ("<Context/>", 1, "root is <Context>"), ("<Server><Service/></Server>", 1, "no Connector"), ("<a>" * 200, 1, "deep"),
])
def test_bad_input_has_its_line(text: str, line: int, words: str, tmp_path: Path) -> None:
    with pytest.raises(SourceUnreadable) as raised:
        read(tmp_path, text)
    assert raised.value.line == line and words in str(raised.value)


def test_what_nobody_knows_is_told_with_its_place(tmp_path: Path) -> None:
    reading = read(tmp_path, server('<Aliass>x</Aliass>', 'redirectPrt="8443"'), {})
    told = {finding.code.name: (finding.span.line if finding.span else 0, finding.advice) for finding in reading.findings}
    assert "directive-unknown" in told and any("did you mean redirectPort?" in finding.advice for finding in reading.findings) and any("did you mean Alias?" in finding.advice for finding in reading.findings)


def test_every_element_and_attribute_has_an_entry(tmp_path: Path) -> None:
    reading = read(tmp_path, server(valve("rewrite.RewriteValve") + valve("AccessLogValve", 'pattern="combined"')), {**rules(SPA), ROOT: web(constraint(["/*"], TLS))})
    claimed = {claim.span for claim in reading.claims}
    for file in reading.tree.files.values():
        if file.root.name == "web-app":
            assert {child.span for child in file.root.children} <= claimed
            continue
        for element in file.root.walk():
            assert element.span in claimed
            assert {held.span for held in element.attributes.values() if held.name != "className"} <= claimed
    assert [claim.name for claim in reading.claims if claim.disposition is None and not claim.claimed] == []


def test_passwords_are_not_shown(tmp_path: Path) -> None:
    text = server(more='<Connector port="443" SSLEnabled="true"><SSLHostConfig><Certificate certificateKeystoreFile="conf/fern.p12" certificateKeystorePassword="opensesame"/></SSLHostConfig></Connector>')
    reading = read(tmp_path, text, {})
    assert not any("opensesame" in str(vars_) for vars_ in (*(finding.message for finding in reading.findings), *(claim.span.directive for claim in reading.claims)))
    assert any("key store" in finding.message for finding in reading.findings)


def test_an_application_stays_where_it_is(tmp_path: Path) -> None:
    """Classes, and servlets of its own: nobody foretells their answers, and the reader says so with the line."""
    reading = read(tmp_path, server(), {"webapps/app/WEB-INF/classes/fern/Loans.class": "x", ROOT: web(
        "<servlet><servlet-name>loans</servlet-name><servlet-class>example.fernhollow.Loans</servlet-class></servlet><servlet-mapping><servlet-name>loans</servlet-name><url-pattern>/loans/*</url-pattern></servlet-mapping>")})
    said = " ".join(finding.message for finding in reading.findings)
    assert "the application /app" in said and "the servlet loans" in said
    lost = [claim for claim in reading.claims if claim.finding is not None]
    assert all(claim.disposition is Disposition.UNSUPPORTED for claim in lost)


def test_a_property_is_filled_in_or_left_to_deployment(tmp_path: Path) -> None:
    text = server().replace('port="80"', 'port="${http.port}"')
    assert str(read(tmp_path / "open", text, {}).estate.listeners[0].port) == "${http_port}"
    assert read(tmp_path / "default", text.replace("${http.port}", "${http.port:-8080}"), {}).estate.listeners[0].port == 8080
    assert read(tmp_path / "given", text, {"conf/catalina.properties": "# ours\nhttp.port=8081\n"}).estate.listeners[0].port == 8081


def test_pages_made_by_jsp_are_left_open(tmp_path: Path) -> None:
    """The folder whose welcome file is such a page as well; but not one with a plain file before it."""
    reading = read(tmp_path, server(), {"webapps/ROOT/pages/index.jsp": "<% %>", "webapps/ROOT/both/index.jsp": "<% %>", "webapps/ROOT/both/index.html": "plain\n"})
    known = real_files(Path)
    said = {path: decide(reading.estate, request_for(f"http://{HOST}{path}"), known) for path in ("/pages/", "/pages/index.jsp", "/both/", "/docs/")}
    assert {path: bool(outcome.gave_up) for path, outcome in said.items()} == {"/pages/": True, "/pages/index.jsp": True, "/both/": False, "/docs/": False}


def test_a_link_that_others_follow_is_told(tmp_path: Path) -> None:
    (tmp_path / "webapps" / "ROOT").mkdir(parents=True)
    (tmp_path / "webapps" / "ROOT" / "secret").symlink_to(tmp_path / "conf")
    reading = read(tmp_path, server(), {})
    assert [finding.code.name for finding in reading.findings if "link secret" in finding.message] == ["part-not-read"]
    asked, wrong = disagreements("tomcat", server(), [("GET", HOST, "/docs/a.txt", {})], tmp_path / "asked", files_of({}))
    assert (asked, wrong) == (1, [])


def test_the_last_version_of_a_context_counts(tmp_path: Path) -> None:
    beside = {"webapps/tools##1/index.html": "one\n", "webapps/tools##2/index.html": "two\n"}
    assert disagreements("tomcat", server(), [("GET", HOST, path, {}) for path in ("/tools/", "/tools", "/tools/none")], tmp_path, files_of(beside)) == (3, [])


def test_an_attribute_that_says_what_is_so_anyway_loses_nothing(tmp_path: Path) -> None:
    said = {}
    for number, value in enumerate(("UTF-8", "ISO-8859-1")):
        reading = read(tmp_path / str(number), server(connector=f'URIEncoding="{value}"'), {})
        said[value] = next(claim.disposition for claim in reading.claims if claim.name == "URIEncoding")
    assert said == {"UTF-8": Disposition.IMPLIED, "ISO-8859-1": Disposition.UNSUPPORTED}


def test_rules_that_are_not_there_are_told(tmp_path: Path) -> None:
    """Once for a host, and for the contexts that share one valve only where none has any."""
    everywhere = {"conf/context.xml": f"<Context>{valve('rewrite.RewriteValve')}</Context>"}
    said = [[finding.span.file for finding in read(tmp_path / str(number), server(inner), beside).findings if finding.code.name == "rules-not-found" and finding.span] for number, (inner, beside) in enumerate((
        (valve("rewrite.RewriteValve"), {}), (valve("rewrite.RewriteValve"), rules("")), ("", everywhere), ("", {**everywhere, "webapps/app/WEB-INF/rewrite.config": SPA})))]
    assert said == [["conf/server.xml"], [], ["conf/context.xml"], []]


def test_a_pattern_that_was_meant_for_a_part_is_told(tmp_path: Path) -> None:
    text = "RewriteCond %{HTTP_HOST} ^www\\.\nRewriteRule ^/old /new [L]\nRewriteCond %{HTTP_HOST} ^www\\..*\nRewriteRule ^/old.*$ /new [L]\nRewriteRule \\.php$ - [F]\nRewriteRule /plain /new\n"
    reading = read(tmp_path, server(valve("rewrite.RewriteValve")), rules(text))
    assert [finding.span.line for finding in reading.findings if finding.code.name == "pattern-of-the-whole" and finding.span] == [1, 2, 5]
    in_vain = read(tmp_path / "vain", server(valve("rewrite.RewriteValve")), rules("RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule ^/x.*$ /index.html\n"))
    assert [finding.span.line for finding in in_vain.findings if finding.code.name == "file-test-in-vain" and finding.span] == [1]
    assert disagreements("tomcat", server(valve("rewrite.RewriteValve")), [("GET", HOST, path, {}) for path in ("/old", "/old/x", "/x.php", ".php", "/plain", "/plain/x")], tmp_path / "asked", files_of(rules(text)))[1] == []


@pytest.mark.parametrize(("text", "beside"), [
    (server(valve("RemoteHostValve", 'allow=".*\\.fernhollow\\.example"')), {}),
    (server(), {ROOT: web(filter_of("RemoteAddrFilter", "/docs/*", allow="10\\..*"))}),
    (server(), {ROOT: web(constraint(["/docs/*"], "<auth-constraint><role-name>staff</role-name></auth-constraint>") + "<login-config><auth-method>BASIC</auth-method></login-config>")}),
    (server(valve("RemoteCIDRValve", 'allow="10.0.0.0/8"') + valve("RemoteIpValve") + valve("rewrite.RewriteValve")), rules(SPA)),
])
@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_what_is_guarded_in_a_way_that_is_not_read_stays_closed(text: str, beside: dict[str, str], target: str, tmp_path: Path) -> None:
    """Nobody is answered with the file by any of the others, and the line is told."""
    read(tmp_path / "source", text, beside)
    made = translate(tmp_path / "source", target)
    assert any(entry.disposition is Disposition.UNSUPPORTED for entry in made.ledger)
    outcome = decide(made.read_back.estate, request_for(f"http://{HOST}/docs/a.txt"), real_files(Path))
    assert outcome.status is not None and outcome.status >= 400 and outcome.file is None
