"""How much of a request's head is taken, which names of fields, and how long origins are waited for: read, written and asked on the real servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, caddy, nginx
from young_lantern.behaviour import Request, decide, real_files
from young_lantern.behaviour.compare import Reason
from young_lantern.behaviour.heads import ODD_FIELDS
from young_lantern.behaviour.origin_answers import AFTER
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
PROXY = "location /api/ { proxy_pass http://192.0.2.7:8000; }"


def httpd(lines: str, main: str = "") -> str:
    return f"Listen 80\n{main}\n<VirtualHost *:80>\nServerName {HOST}\nDocumentRoot ROOT\n{lines}\n</VirtualHost>\n<Directory ROOT>\nRequire all granted\n</Directory>\n"


HEADS = {
    "nginx-usual": ("nginx", nginx(f"root ROOT; error_page 414 494 /404.html; add_header X-All yes always; add_header X-Path \"($uri $args $request_method)\" always; {PROXY}")),
    "nginx-large": ("nginx", nginx(f"root ROOT; large_client_header_buffers 4 32k; {PROXY}", "client_header_buffer_size 2k;")),
    "nginx-underscores": ("nginx", nginx(f"root ROOT; underscores_in_headers on; {PROXY}")),
    "nginx-any-name": ("nginx", nginx(f"root ROOT; ignore_invalid_headers off; {PROXY}")),
    "apache-usual": ("apache", httpd("ErrorDocument 414 \"too long\"\nHeader always set X-All yes\nProxyPass /api/ http://192.0.2.7:8000/api/")),
    "apache-limits": ("apache", httpd("LimitRequestLine 16000\nLimitRequestFields 40\nProxyPass /api/ http://192.0.2.7:8000/api/", "LimitRequestFieldSize 12000")),
    "caddy-usual": ("caddy", caddy("root * ROOT\nreverse_proxy /api/* 192.0.2.7:8000\nfile_server")),
    "caddy-limit": ("caddy", "{\nauto_https disable_redirects\nservers :80 {\nmax_header_size 24KB\n}\n}\nhttp://www.fernhollow.example {\nroot * ROOT\nrequest_header -*_*\nreverse_proxy /api/* 192.0.2.7:8000\nfile_server\n}\n"),
}  # fmt: skip


@pytest.mark.parametrize("case", sorted(HEADS))
def test_the_model_foretells_what_is_taken(reads: Reads, case: str) -> None:
    reading = reads.read(*HEADS[case])
    live = check_live(reading, reading, most=400)
    assert [(str(row.request), row.defects) for row in live.surprises] == []
    assert {row.answers[0].status for row in live.rows} & {400, 414, 431, 200} and any(len(row.request.target) > 8000 or len(row.request.fields) > 5 for row in live.rows) is (case != "caddy-usual")


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
@pytest.mark.parametrize("case", sorted(HEADS))
def test_it_is_carried_or_told(reads: Reads, case: str, target: str) -> None:
    dialect, text = HEADS[case]
    if dialect == target:
        return
    made = translate(reads.read(dialect, text).main, target)
    live = check_live(made.reading, made.read_back, most=400)
    assert [(str(row.request), row.defects, row.between) for row in live.surprises] == []
    assert not [cause for cause in made.comparison.causes if cause.reason in (Reason.HEAD, Reason.NAMES) and cause.severity is Severity.BREAKING]


@pytest.mark.parametrize(
    ("case", "target", "line"),
    [
        ("nginx-large", "apache", "LimitRequestFieldSize 32766"),
        ("apache-limits", "nginx", "large_client_header_buffers 4 16k;"),
        ("caddy-usual", "nginx", "underscores_in_headers on;"),
        ("nginx-usual", "caddy", "request_header -*_*"),
        ("caddy-limit", "nginx", "large_client_header_buffers 4 28k;"),
        ("caddy-usual", "apache", "LimitRequestFieldSize 1048576"),
    ],
)
def test_what_is_written(reads: Reads, case: str, target: str, line: str) -> None:
    files = translate(reads.read(*HEADS[case]).main, target).writing.files
    assert line in "\n".join(files.values())
    assert ("underscores_in_headers" in "\n".join(files.values())) is (target == "nginx" and case != "caddy-limit")


def test_the_first_host_of_an_address_reads_for_all(reads: Reads) -> None:
    """httpd knows the host only when it has read everything; nginx knows it when fields behind it are read."""
    text = httpd("LimitRequestLine 20000") + "<VirtualHost *:80>\nServerName b.fernhollow.example\nDocumentRoot ROOT\nLimitRequestLine 30000\n</VirtualHost>\n"
    reading = reads.read("apache", text)
    for length, status in ((15000, 200), (25000, 414)):
        request = Request("GET", "http", "b.fernhollow.example", 80, "/?" + "a" * length)
        assert decide(reading.estate, request, real_files()).status == status
    assert any(claim.why.startswith("requests are read as the first host") for claim in reading.claims)


def test_a_field_with_an_underscore_reaches_no_application(reads: Reads) -> None:
    """Remote_User and Remote-User are one parameter to an application: who drops the first protects the second."""
    run = "location ~ \\.php$ { include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_pass 192.0.2.7:9000; }"
    for lines, seen in (("", ""), ("underscores_in_headers on;", "1")):
        outcome = decide(reads.read("nginx", nginx(f"root ROOT; {lines} {run}")).estate, Request("GET", "http", HOST, 80, "/x.php", ODD_FIELDS[:1]), real_files())
        assert outcome.origin is not None and dict(outcome.origin.fields).get("HTTP_X_FERN") == seen


WAITS = {
    "nginx": ("nginx", nginx(f"root ROOT; error_page 504 /404.html; location /late/ {{ proxy_pass http://192.0.2.7:8000; proxy_read_timeout 1s; }} {PROXY}")),
    "apache": ("apache", httpd("ErrorDocument 502 late\nProxyPass /late/ http://192.0.2.7:8000/late/ timeout=1\nProxyPass /api/ http://192.0.2.7:8000/api/\nProxyPass /app/ fcgi://192.0.2.8:9000/srv/app/ timeout=1", "Timeout 300")),
    "caddy": ("caddy", caddy("reverse_proxy /late/* 192.0.2.7:8000 {\ntransport http {\nresponse_header_timeout 1s\n}\n}\nreverse_proxy /api/* 192.0.2.7:8000\nhandle_errors {\nrespond \"late {err.status_code}\"\n}")),
}  # fmt: skip


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
@pytest.mark.parametrize("case", sorted(WAITS))
def test_origins_that_take_long(reads: Reads, case: str, target: str) -> None:
    """The real servers give up when the model says; nobody gives up sooner than before."""
    dialect, text = WAITS[case]
    main = reads.read(dialect, text).main
    if dialect == target:
        before = after = reads.read(dialect, text)
        causes = ()
    else:
        made = translate(main, target)
        before, after, causes = made.reading, made.read_back, made.comparison.causes
    live = check_live(before, after, most=500)
    assert [(str(row.request), row.request.fields, row.defects) for row in live.surprises] == []
    late = [row for row in live.rows if row.request.field(AFTER)]
    assert late and {row.answers[0].status for row in late if "/late/" in row.request.target} & {200, 404, 502, 504}
    assert not [cause for cause in causes if cause.reason is Reason.SLOW and cause.severity is Severity.BREAKING]


def test_what_is_written_of_waiting(reads: Reads) -> None:
    """Five minutes are Debian's Timeout; Caddy waits as long as it takes, the others a minute."""
    text = {key: "\n".join(translate(reads.read(*WAITS[key[0]]).main, key[1]).writing.files.values()) for key in (("apache", "nginx"), ("caddy", "nginx"), ("caddy", "apache"), ("nginx", "caddy"))}
    assert "proxy_read_timeout 5m;" in text["apache", "nginx"] and "fastcgi_read_timeout 1s;" in text["apache", "nginx"]
    assert "proxy_read_timeout 1d;" in text["caddy", "nginx"] and "ProxyTimeout 86400" in text["caddy", "apache"]
    assert text["nginx", "caddy"].count("read_timeout") == 1


def test_an_application_asked_by_a_handler_keeps_its_time(reads: Reads) -> None:
    """It has no line of its own for it in httpd: the host's is for it, and origins by HTTP then say theirs."""
    run = "location ~ \\.php$ { include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_pass 192.0.2.7:9000; fastcgi_read_timeout 300s; }"
    text = "\n".join(translate(reads.read("nginx", nginx(f"root ROOT; {run} {PROXY}")).main, "apache").writing.files.values())
    assert "ProxyTimeout 300" in text and "timeout=60" in text


@pytest.mark.parametrize(
    ("dialect", "line", "told"),
    [
        ("apache", "ProxyVia On", True), ("apache", "ProxyVia Off", False), ("apache", "SSLOptions +StdEnvVars", False), ("apache", "SSLOptions +FakeBasicAuth", True),
        ("apache", "ContentDigest On", True), ("apache", "IndexIgnore .??* *~ HEADER* RCS", False), ("apache", "IndexIgnore secret*", True), ("apache", "AddEncoding gzip .gz", False), ("apache", "AddEncoding gzip .css", False),
        ("nginx", "gzip_static on;", False), ("nginx", "gzip_static off;", False), ("nginx", "max_ranges 0;", True), ("nginx", "proxy_ssl_crl /x.pem;", True),
    ],
)  # fmt: skip
def test_lines_that_are_harmless_with_some_words_only(reads: Reads, dialect: str, line: str, told: bool) -> None:
    """A file `style.css` lies there, none that ends in .gz."""
    text = httpd(f"{line}\nProxyPass /api/ http://192.0.2.7:8000/api/") if dialect == "apache" else nginx(f"root ROOT; {line} {PROXY}")
    made = translate(reads.read(dialect, text).main, "caddy")
    entry = next(entry for entry in made.ledger if entry.span.directive.startswith(line.rstrip(";")))
    assert (entry.finding is not None) is told and (entry.disposition.value == "unsupported") is told


def test_languages_by_the_names_of_files_that_are_not_here_are_told_once(reads: Reads) -> None:
    reading = reads.read("apache", httpd("AddLanguage de .de\nAddLanguage fr .fr").replace("ROOT", "/srv/nowhere/tools"))
    found = [item for item in reading.findings if item.code.name == "language-by-name"]
    assert len(found) == 1 and ".de" in found[0].message


def test_long_requests_are_shown_by_their_beginning(tmp_path: Path, reads: Reads) -> None:
    made = translate(reads.read(*HEADS["nginx-usual"]).main, "caddy")
    cause = next(cause for cause in made.comparison.causes if cause.reason is Reason.HEAD)
    assert len(cause.example.target) > 8000 and len(str(cause.example)) < 200
    assert cause.severity is Severity.MINOR and not [other for other in translate(reads.read(*HEADS["caddy-usual"]).main, "nginx").comparison.causes if other.reason is Reason.HEAD]


def test_what_differs_anyway_is_no_cause_of_its_own(reads: Reads) -> None:
    """Unknown hosts get nothing in nginx, 403 in httpd: a long request to them differs for that."""
    text = nginx(f"root ROOT; {PROXY}", "server { listen 80 default_server; return 444; }")
    causes = translate(reads.read("nginx", text).main, "apache").comparison.causes
    closed = [cause for cause in causes if cause.differences[0].before == "none" and cause.differences[0].what == "status"]
    assert closed and {cause.differences[0].after for cause in closed} <= {"403", "404"}
    assert not any("x-fern" in name for cause in closed for name, _ in cause.example.fields)


@pytest.mark.parametrize(
    ("main", "lines"),
    [
        ("<Proxy balancer://pool>\nBalancerMember http://192.0.2.7:8000 timeout=1\n</Proxy>", "ProxyPass /late/ balancer://pool/late/"),
        ("<Proxy fcgi://192.0.2.8:9000/>\nProxySet timeout=1\n</Proxy>", "ProxyPass /late/ fcgi://192.0.2.8:9000/srv/"),
    ],
)
def test_workers_say_how_long_they_are_waited_for(reads: Reads, main: str, lines: str) -> None:
    reading = reads.read("apache", httpd(lines, main))
    outcome = decide(reading.estate, Request("GET", "http", HOST, 80, "/late/x", ((AFTER, "2"),)), real_files())
    assert outcome.status == (504 if "fcgi" in main else 502)


def test_members_of_a_balancer_are_waited_for_as_the_host_says(reads: Reads) -> None:
    """Places that wait differently share them: the longest counts, for httpd has one line for a host."""
    text = nginx("location /fast/ { proxy_pass http://app; } location /slow/ { proxy_read_timeout 90s; proxy_pass http://app; }", "upstream app { server 192.0.2.1:81; server 192.0.2.2:81; }")
    made = translate(reads.write("nginx", text), "apache")
    written = "\n".join(made.writing.files.values())
    assert "ProxyTimeout 90" in written and "timeout=" not in written
    late = [cause for cause in made.comparison.causes if "takes longer" in cause.reason.value]
    assert [(cause.severity, cause.paths[0]) for cause in late] == [(Severity.MINOR, "/fast/")]


def test_caddys_own_redirects_heed_no_limit(reads: Reads) -> None:
    """The port for redirects to HTTPS is opened by Caddy itself, with none of the options that are said for servers."""
    text = "{\nservers {\nmax_header_size 32KB\n}\n}\nwww.fernhollow.example {\ntls /etc/a.pem /etc/a.key\nrespond books\n}\n"
    reading = reads.read("caddy", text)
    long = (("X-Fern", "f" * 40_000),)
    statuses = [decide(reading.estate, Request("GET", scheme, "www.fernhollow.example", port, "/", long), real_files()).status for scheme, port in (("http", 80), ("https", 443))]
    assert statuses == [308, 431]
    live = check_live(reading, reading, most=100)
    assert [f"{row.request} {row.defects}" for row in live.surprises] == []


def test_a_name_that_chose_the_site_is_told_where_the_head_is_too_large(reads: Reads) -> None:
    """ngx_http_set_virtual_server: the groups of the pattern are known once the Host field is read."""
    text = nginx("root ROOT; add_header X-Tenant $tenant always;").replace("server_name www.fernhollow.example;", "server_name ~^(?<tenant>[a-z]+)\\.fernhollow\\.example$;")
    reading = reads.read("nginx", text)
    assert "~^(?<tenant>" in reading.estate.sites[0].key
    large = decide(reading.estate, Request("GET", "http", HOST, 80, "/", (("X-Fern", "f" * 40_000),)), real_files())
    assert (large.status, large.fields) == (400, (("x-tenant", "www"),))
    live = check_live(reading, reading, most=100)
    assert [f"{row.request} {row.defects}" for row in live.surprises] == []
