"""httpd variables that are there once a handler is chosen: `SetEnv`, and HTTPS of mod_ssl."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour.decide import decide
from young_lantern.behaviour.request import Request, placed
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition, FileKind
from young_lantern.translate import translate

HOST = r"""
SetEnv PROBED set
SetEnvIf X-Probe (.+) PROBED=$1
SetEnv STAGE main
SetEnv NOTHING
Header set X-Probed "%{PROBED}e"
Header set X-Stage "%{STAGE}e"
Header set X-If-Stage yes env=STAGE
Header set X-Unless-Stage yes env=!STAGE
Header set X-Nothing "[%{NOTHING}e]"
Header set X-If-Nothing yes env=NOTHING
Header set X-Asked yes "expr=reqenv('STAGE') == 'main'"
Header set X-Secure "%{HTTPS}e"
Header set X-If-Secure yes env=HTTPS
Header always set X-Always "%{STAGE}e %{PROBED}e"
Header always set X-If-Always yes env=STAGE
Redirect /moved /x
RewriteEngine On
RewriteRule ^/there$ /x [R]
RewriteRule ^/closed$ - [F]
RewriteRule ^/passed/(.*)$ /$1 [PT]
RedirectMatch 410 \.gone$
Header always set X-Nobody yes env=!nobody
Header always set X-Somebody yes env=nobody
<If "%{REQUEST_URI} =~ m#^/passed#">
Header always set X-Passed yes
</If>
<Location /x>
Header always set X-Here yes
</Location>
<Location /shut>
Require all denied
</Location>
<Directory ROOT>
RewriteEngine On
RewriteCond %{ENV:STAGE} main
RewriteRule ^ - [E=SEEN:yes]
Header set X-Seen "%{SEEN}e"
</Directory>
"""


def test_the_server_answers_as_foretold(tmp_path: Path, reads: Reads) -> None:
    """Handlers know it, redirects and refusals before them do not."""
    (reads.root / "x").write_text("content\n")
    text = httpd(HOST).replace("ROOT", str(reads.root))
    targets = ["/x", "/none", "/moved", "/there", "/closed", "/shut", "/passed/x", "/passed/x.gone"]
    rows = [("GET", "www.fernhollow.example", target, fields) for target in targets for fields in ({}, {"X-Probe": "sent"})]
    asked, wrong = disagreements("apache", text, rows, tmp_path / "c")
    assert asked == len(rows)
    assert wrong == []


def _fields(reads: Reads, host: str, scheme: str = "http") -> dict[str, str]:
    text = httpd(host)
    if scheme == "https":
        text = text.replace("Listen 80", "Listen 443").replace("*:80>", "*:443>\nSSLEngine on\nSSLCertificateFile /none.pem\nSSLCertificateKeyFile /none.key")
    reading = reads.read("apache", text.replace("ROOT", "/srv"))
    request = Request("GET", scheme, "www.fernhollow.example", 443 if scheme == "https" else 80, "/x")
    return dict(decide(reading.estate, request, placed({"/srv/x": FileKind.FILE}, frozenset({"/srv"}))).fields)


@pytest.mark.parametrize("line", ["Header set X-Secure %{HTTPS}e env=HTTPS", "Header always set X-Secure %{HTTPS}e env=HTTPS"])
def test_tls_is_known_to_lines_of_headers(reads: Reads, line: str) -> None:
    assert _fields(reads, line, "https") == {"x-secure": "on"}
    assert _fields(reads, line) == {}


def test_what_a_rule_set_does_not_hide_tls(reads: Reads) -> None:
    assert _fields(reads, "SetEnvIf X-None ^$ HTTPS=off\nHeader set X-Secure %{HTTPS}e", "https") == {"x-secure": "on"}


@pytest.mark.parametrize(
    "host",
    [
        '<LocationMatch "^/(?<part>\\w+)">\nHeader set X-Part "%{MATCH_PART}e"\n</LocationMatch>',
        "PassEnv STAGE\nHeader set X-Stage %{STAGE}e",
        "SetEnv STAGE main\n<Location /a>\nSetEnv STAGE other\n</Location>\nHeader set X-Stage %{STAGE}e",
        "SetEnv STAGE main\nHeader set X-Stage yes \"expr=reqenv('STAGE') == 'main'\"",
        "Header set X-Suite yes env=SSL_CIPHER",
    ],
)
def test_what_nobody_here_knows_is_told(reads: Reads, host: str) -> None:
    reading = reads.read("apache", httpd(host))
    assert [finding.code.name for finding in reading.findings if finding.span.directive.startswith("Header")]


def test_a_pattern_with_a_name_in_it_is_read(reads: Reads) -> None:
    host = '<DirectoryMatch "^(?<whole>/srv)">\nHeader set X-Whole yes\n</DirectoryMatch>'
    assert _fields(reads, host) == {"x-whole": "yes"}


def test_it_is_written_as_the_value_that_it_has(reads: Reads) -> None:
    made = translate(reads.write("apache", httpd("SetEnv STAGE main\nHeader set X-Stage %{STAGE}e\nHeader set X-If yes env=STAGE")).parent, "nginx")
    written = "".join(made.writing.files.values())
    assert "add_header X-Stage main;" in written and "add_header X-If yes;" in written
    assert [entry.disposition.value for entry in made.ledger if entry.span.directive.startswith("SetEnv")] == ["kept"]


def test_a_date_that_no_table_can_hold_is_told(reads: Reads) -> None:
    host = "SetEnvIf User-Agent robot bot\nExpiresActive On\nExpiresDefault \"access plus 1 hour\"\nHeader set Cache-Control no-cache\nHeader set Expires never env=bot"
    ledger = translate(reads.write("apache", httpd(host)).parent, "nginx").ledger
    assert [entry.disposition.value for entry in ledger if entry.span.directive.startswith("Header set Expires")] == ["unsupported"]


@pytest.mark.parametrize(("module", "unset"), [("headers", True), ("geoip", False)])
def test_what_other_modules_than_the_packaged_ones_set_is_not_taken_for_unset(reads: Reads, module: str, unset: bool) -> None:
    main = "\n".join(f"LoadModule {name}_module modules/mod_{name}.so" for name in ("mpm_event", "authz_core", "headers", module))
    reading = reads.read("apache", httpd("Header set X-Country yes env=COUNTRY\nHeader set X-None %{COUNTRY}e", main))
    told = [finding.span.line for finding in reading.findings if finding.span and finding.span.directive.startswith("Header")]
    assert told == [] if unset else len(told) == 2


def test_a_path_that_is_kept_from_a_proxy_has_the_sections_of_what_it_became(reads: Reads, tmp_path: Path) -> None:
    (reads.root / "b").mkdir()
    (reads.root / "b" / "kept").write_text("content\n")
    host = "RewriteEngine On\nRewriteRule ^/a/(.*)$ /b/$1 [PT]\nProxyPass /b/kept !\nProxyPass /b/ http://192.0.2.1:81/\n<Location /b>\nHeader always set X-B yes\n</Location>\n<Location /a>\nHeader always set X-A yes\n</Location>"
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/a/kept", "/b/kept", "/a/x", "/b/x")]
    asked, wrong = disagreements("apache", httpd(host).replace("ROOT", str(reads.root)), rows, tmp_path / "c")
    assert (asked, wrong) == (len(rows), [])


@pytest.mark.parametrize(
    ("line", "filters", "kept"),
    [
        (r"SetEnvIfNoCase Request_URI \.(?:gif|jpe?g|png)$ no-gzip dont-vary", "AddOutputFilterByType DEFLATE text/html text/css", True),
        (r"SetEnvIfNoCase Request_URI \.(?:gif|css)$ no-gzip", "AddOutputFilterByType DEFLATE text/html text/css", False),
        (r"SetEnvIfNoCase Request_URI \.(?:gif|png)$ no-gzip", "SetOutputFilter DEFLATE", False),
        (r"SetEnvIf Request_URI \.(?:zip|pdf) no-gzip", "AddOutputFilterByType DEFLATE text/*", True),
        (r"AddType text/html .gif" "\n" r"SetEnvIf Request_URI \.gif$ no-gzip", "AddOutputFilterByType DEFLATE text/html", False),
        (r"SetEnvIf Request_URI \.\w+$ no-gzip", "AddOutputFilterByType DEFLATE text/html", False),
        (r"SetEnvIfNoCase User-Agent old no-gzip", "AddOutputFilterByType DEFLATE text/html", False),
    ],
)
def test_files_that_are_not_compressed_anyway(reads: Reads, line: str, filters: str, kept: bool) -> None:
    """A line that keeps images from being compressed says nothing where their types never are; where they are, it is told."""
    claim = next(item for item in reads.read("apache", httpd(f"{filters}\n{line}")).claims if item.span.directive.startswith("SetEnvIf"))
    assert (claim.disposition is Disposition.CHANGED, claim.finding is None) == (kept, kept)


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_what_was_set_is_there_under_another_name_once_rules_begin_anew(reads: Reads, tmp_path: Path, target: str) -> None:
    """http_request.c, rename_original_env."""
    rules = "RewriteRule ^v(\\d+)/(.*)$ $2 [L,E=RELEASE:$1]\nRewriteCond %{ENV:REDIRECT_RELEASE} ^9\nRewriteRule ^ - [R=410]"
    text = httpd(f"<Directory ROOT>\nRewriteEngine On\n{rules}\n</Directory>").replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/v9/a.html", "/v8/a.html", "/v9/v8/a.html", "/v8/v9/a.html", "/a.html", "/v9/nix")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])
    made = translate(reads.write("apache", text), target)
    live = check_live(made.reading, made.read_back, most=150)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
