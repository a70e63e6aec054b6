"""What an origin answers, and what becomes of it on the way back: errors, redirects, cookies, other fields. Mostly asked of the real servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.origin_answers import ANSWER, FIELD, asks_origin, cookie_attributes, fields_in_words
from young_lantern.behaviour.request import Assumed, assumed
from young_lantern.fitting.cookies import as_edits, of_edit
from young_lantern.lab.live import check_live
from young_lantern.model import CookieFlags, CookieMapping, Field, Forward, Operation, Pattern, Side
from young_lantern.source.plan import Plan
from young_lantern.translate import read, save, translate

SOURCES = {
    "nginx": r"""events {}
http {
    error_page 404 /missing.html;
    server {
        listen 8000; server_name loans.fernhollow.example; root FILES;
        add_header X-Frame-Options DENY; add_header X-Shelf two always; proxy_hide_header X-Powered-By;
        location / { proxy_pass http://192.0.2.21:8080; proxy_cookie_path /app /public; proxy_cookie_domain .inside.example loans.fernhollow.example; }
        location /shelf/ {
            proxy_pass http://192.0.2.21:8080/s/; proxy_intercept_errors on; error_page 500 502 /oops.html;
            proxy_cookie_path / "/; Secure; HttpOnly";
        }
        location /desk/ {
            proxy_pass http://192.0.2.21:8080; proxy_redirect http://192.0.2.21:8080/ /desk/;
            proxy_cookie_flags sid httponly samesite=strict; proxy_cookie_path ~*^/tools(/.*)$ /desk$1;
        }
        location = /oops.html { }
        location = /missing.html { }
    }
}
""",
    "apache": r"""Listen 8000
<VirtualHost *:8000>
    ServerName loans.fernhollow.example
    DocumentRoot FILES
    ErrorDocument 404 /missing.html
    ErrorDocument 500 "no luck"
    Header set X-Frame-Options DENY
    Header always set X-Shelf two
    Header unset X-Powered-By
    ProxyPass /missing.html !
    ProxyPass /shelf/ http://192.0.2.21:8080/s/
    ProxyPassReverse /shelf/ http://192.0.2.21:8080/s/
    ProxyPass /desk/ http://192.0.2.21:8080/desk/
    ProxyPass /till/ http://192.0.2.21:8080/till/
    ProxyPassReverseCookiePath /app /public
    ProxyPassReverseCookieDomain inside.example loans.fernhollow.example
    <Location /desk/>
        ProxyErrorOverride On
        ProxyPassReverseCookiePath /d /desk
        Header edit Set-Cookie ^(.*)$ "$1; Secure"
    </Location>
    <Location /till/>
        ProxyErrorOverride On 500 503
        Header edit Location ^http://192\.0\.2\.21:8080/ /till/
        Header always edit Set-Cookie ^(.*)$ "$1; HttpOnly"
    </Location>
    <Directory FILES>
        Require all granted
    </Directory>
</VirtualHost>
""",
    "caddy": r"""http://loans.fernhollow.example:8000 {
    header X-Frame-Options DENY
    header -X-Powered-By
    handle /shelf/* {
        reverse_proxy 192.0.2.21:8080 {
            header_down Set-Cookie (?i)(;\s*path=)/app ${1}/public
            header_down -X-Secret
            header_up Host 192.0.2.21:8080
            header_down Location ^http://192\.0\.2\.21:8080/ /shelf/
        }
    }
    handle /desk/* {
        reverse_proxy 192.0.2.21:8080 {
            @refused status 404 5xx
            handle_response @refused {
                error "" {rp.status_code}
            }
        }
    }
    handle {
        header Set-Cookie "^(.*)$" "$1; Secure"
        reverse_proxy 192.0.2.21:8080
    }
    handle_errors {
        respond "sorry"
    }
}
""",
}


@pytest.fixture
def files(tmp_path: Path) -> Path:
    made = tmp_path / "files"
    made.mkdir()
    for name in ("oops.html", "missing.html"):
        (made / name).write_text(f"{name}\n")
    return made


@pytest.mark.parametrize("dialect", SOURCES)
def test_the_model_foretells_what_becomes_of_every_answer(reads: Reads, files: Path, dialect: str) -> None:
    reading = reads.read(dialect, SOURCES[dialect].replace("FILES", str(files)))
    live = check_live(reading, reading, most=700)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    asked = {name for row in live.rows for name, _ in row.request.fields}
    assert {ANSWER, FIELD} <= asked
    assert {row.answers[0].status for row in live.rows if row.request.field(ANSWER) == "500"} >= {500}


@pytest.mark.parametrize(("dialect", "target"), [(one, other) for one in SOURCES for other in SOURCES if one != other])
def test_no_answer_is_treated_otherwise_without_a_word(reads: Reads, files: Path, tmp_path: Path, dialect: str, target: str) -> None:
    reading = reads.read(dialect, SOURCES[dialect].replace("FILES", str(files)))
    made = translate(reading.main, target, dialect=dialect)
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=500)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    assert sum(asks_origin(row.request) for row in live.rows) > 20


def test_the_differences_that_are_left_are_these(reads: Reads, files: Path) -> None:
    """nginx answers an origin's errors itself only where it has a page for them, httpd and Caddy all that are listed; httpd says 503 where there is no origin."""
    reading = reads.read("apache", SOURCES["apache"].replace("FILES", str(files)))
    causes = translate(reading.main, "nginx").comparison.causes
    words = {item.what for cause in causes for item in cause.differences if asks_origin(cause.example)}
    assert words == {"answered by", "status"}
    assert {(item.before, item.after) for cause in causes for item in cause.differences if item.what == "status" and cause.example.field(ANSWER) == "refused"} == {("503", "502")}


@pytest.mark.parametrize(
    ("line", "wanted"),
    [
        ("proxy_cookie_path /app /public;", 'Header edit Set-Cookie "(?i)(;\\s*path=)/app" "$1/public"'),
        ("proxy_cookie_domain inside.example www.fernhollow.example;", 'Header edit Set-Cookie "(?i)(;\\s*domain=)\\.?inside\\.example(\\s*(?:;|$))" "${1}www.fernhollow.example$2"'),
        ("proxy_cookie_flags ~ secure;", 'Header edit Set-Cookie "^(.*)$" "$1; Secure"'),
        ("proxy_cookie_flags ~ nosecure;", 'Header edit* Set-Cookie "(?i);\\s*secure(?:=[^;]*)?(;|$)" "$1"'),
        ("proxy_cookie_path ~^/app(/.*)$ /shelf$1;", 'Header edit Set-Cookie "(?i)(;\\s*path=)/app(/[^;]*)" "$1/shelf$2"'),
    ],
)
def test_cookies_in_httpd(reads: Reads, line: str, wanted: str) -> None:
    reading = reads.read("nginx", "events {}\nhttp { server { listen 8000; server_name www.fernhollow.example; location / { proxy_pass http://192.0.2.21:8080; %s } } }\n" % line)
    made = translate(reading.main, "apache")
    assert wanted.replace("${1}www", "$1www") in "\n".join(made.writing.files.values())
    assert not [cause for cause in made.comparison.causes if any(item.what == "field set-cookie" for item in cause.differences)]


@pytest.mark.parametrize("change", [
    CookieMapping("path", ("/app",), ("/public",)), CookieMapping("path", ("/app",), ("/public",), exact=True), CookieMapping("domain", ("inside.example",), ("www.fernhollow.example",)),
    CookieMapping("domain", ("inside.example",), ("www.fernhollow.example",), exact=True), CookieFlags(("secure", "samesite=lax")),
])
def test_an_edit_is_read_as_the_mapping_that_it_was(change: CookieMapping | CookieFlags) -> None:
    edits = as_edits(Forward("pool", cookies=(change,)), "pcre", lambda *words: pytest.fail(str(words)))
    assert [of_edit(edit) for edit in edits] == [change]


@pytest.mark.parametrize(("find", "value"), [("sid=1", "sid=2"), ("^(.*)$", "$1; Max-Age=3"), (r"(?i)(;\s*path=)/a|/b", "$1/c")])
def test_other_edits_are_no_mapping(find: str, value: str) -> None:
    assert of_edit(Field(Side.RESPONSE, Operation.EDIT, "Set-Cookie", (value,), find=Pattern(find))) is None


def test_places_with_mappings_that_contradict_each_other(reads: Reads) -> None:
    """httpd has one list of mappings for the whole host, of which the first that fits counts."""
    reading = reads.read("nginx", "events {}\nhttp { server { listen 8000; location / { proxy_pass http://192.0.2.21:8080; } location /app/ { proxy_pass http://192.0.2.21:8080/; } } }\n")
    made = translate(reading.main, "apache")
    text = "\n".join(made.writing.files.values())
    assert 'ProxyPassReverse "/' not in text
    assert '<Location "/app/">\n        ProxyPassReverse "http://192.0.2.21:8080/"' in text
    assert 'Header edit Location "^http://192\\.0\\.2\\.21:8080/" "/"' in text
    assert not [cause for cause in made.comparison.causes if not cause.reason.value and any("redirects" in item.what for item in cause.differences)]


def test_places_of_one_origin_that_map_by_a_pattern_or_nothing(reads: Reads) -> None:
    """What one of them maps must not count for the others: httpd's mapping for a host comes before its edits, and after an `off`."""
    origin = "proxy_pass http://192.0.2.21:8080"
    made = translate(reads.write("nginx", nginx(f"location /app {{ {origin}; proxy_redirect ~^http://[^/]+/(.*)$ /app/$1; }} location /raw/ {{ {origin}; proxy_redirect off; }} location /dav/ {{ {origin}/; }}")), "apache")
    assert not [cause for cause in made.comparison.causes if not cause.reason.value and any("redirects" in item.what for item in cause.differences)]
    live = check_live(made.reading, made.read_back, most=400)
    assert not live.surprises


def test_httpd_edits_what_it_mapped(reads: Reads) -> None:
    """mod_proxy maps a Location, and mod_headers edits what came of that (2.4.71, probed)."""
    text = httpd('ProxyPass / http://192.0.2.1:81/\nProxyPassReverse /in/ http://192.0.2.1:81/\nHeader edit Location "^https?://[^/]+/(.*)$" "/out/$1"')
    asked = request_for("http://www.fernhollow.example/x", fields={ANSWER: "302 self"})
    outcome = decide(reads.read("apache", text).estate, asked, real_files())
    assert outcome.location == "/out/in/x"


def test_cookies_are_compared_as_clients_understand_them() -> None:
    assert cookie_attributes("a=1; path=/x; Domain=.Fernhollow.example; HttpOnly") == cookie_attributes("a=1;HTTPONLY; domain=fernhollow.example; Path=/y; Path=/x")
    assert cookie_attributes("a=1; Path=/x") != cookie_attributes("a=1; Path=/X")


def test_a_request_says_what_the_origin_is_taken_to_answer(reads: Reads) -> None:
    reading = reads.read("nginx", "events {}\nhttp { server { listen 8000; location / { proxy_pass http://192.0.2.21:8080; } } }\n")
    request = Request("GET", "http", "www.fernhollow.example", 8000, "/x", ((ANSWER, "503"),))
    assert decide(reading.estate, request, assumed(Assumed.NOTHING, frozenset())).status == 503
    assert fields_in_words(request) == ["(the origin answers 503)"]
    assert compare_estates(reading.estate, reading.estate).causes == ()


def test_names_of_origins_are_moved_with_them() -> None:
    plan = Plan(Path(), iter(range(9000, 9010)).__next__, members={"192.0.2.21:80"})
    assert plan.host_named("192.0.2.21") == "127.0.0.1:9000"
    assert plan.host_named("www.fernhollow.example") == "www.fernhollow.example"
    assert plan.origin_named('"^http://192\\.0\\.2\\.21/x"') == '"^http://127\\.0\\.0\\.1:9000/x"'
    assert plan.origin_named("http://192.0.2.22/") == "http://192.0.2.22/"


@pytest.mark.parametrize(
    ("dialect", "text", "target", "wanted"),
    [
        ("nginx", "events {}\nhttp { server { listen 8000; error_page 502 /down.html; root FILES; location / { proxy_pass http://192.0.2.21:8080; } location = /down.html { } } }\n",
         "apache", 'ErrorDocument 503 "/down.html"'),
        ("apache", "Listen 8000\n<VirtualHost *:8000>\nServerName www.fernhollow.example\nDocumentRoot FILES\nErrorDocument 503 /missing.html\nProxyPass /missing.html !\n"
                   "ProxyPass / http://192.0.2.21:8080/\n<Directory FILES>\nRequire all granted\n</Directory>\n</VirtualHost>\n", "nginx", "error_page 502 =503 /missing.html;"),
    ],
)
def test_the_page_for_an_origin_that_cannot_be_reached(reads: Reads, files: Path, tmp_path: Path, dialect: str, text: str, target: str, wanted: str) -> None:
    """nginx says 502 then, httpd 503: a page for the one has to be one for the other."""
    (files / "down.html").write_text("down.html\n")
    reading = reads.read(dialect, text.replace("FILES", str(files)))
    made = translate(reading.main, target)
    assert wanted in "\n".join(made.writing.files.values())
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=300)
    assert not live.surprises
    refused = [row for row in live.rows if row.request.field(ANSWER) == "refused"]
    assert refused and all(b".html" in answer.content for row in refused for answer in row.answers if row.request.method == "GET")


@pytest.mark.parametrize(
    "section",
    ["<Directory /srv>\nProxyErrorOverride On\n</Directory>", "<Proxy https://192.0.2.21/>\nSSLProxyVerify require\n</Proxy>"],
)
def test_what_holds_for_a_part_of_what_is_proxied_is_told(reads: Reads, section: str) -> None:
    """It would be no truth to say that such lines take part in no answer."""
    reading = reads.read("apache", f"Listen 80\nServerName www.fernhollow.example\n{section}\nProxyPass / http://192.0.2.21:8080/\n")
    line = section.split("\n")[1]
    assert [claim.disposition.value for claim in reading.claims if claim.span.directive == line and claim.disposition] == ["unsupported"]
    assert any(finding.span and finding.span.line == 4 and finding.code.name == "place-not-read" for finding in reading.findings)


def test_an_if_has_the_mapping_of_its_location(reads: Reads) -> None:
    """nginx maps by the origin of the outermost proxy_pass; another one within keeps its own names."""
    reading = reads.read("nginx", nginx("location / { if ($cookie_try) { proxy_pass http://192.0.2.2:81; } proxy_pass http://192.0.2.1:81; }"))
    asked = request_for("http://www.fernhollow.example/a", fields={"Cookie": "try=1", ANSWER: "302 self"})
    live = check_live(reading, reading, requests=[asked], most=60)
    assert not live.surprises
    outcome = decide(reading.estate, request_for("http://www.fernhollow.example/x", fields={"Cookie": "try=1"}), real_files())
    assert outcome.origin is not None and outcome.origin.mapped_back == "http://192.0.2.2:81/x"


PARTS = """Listen 80
ServerName www.fernhollow.example
DocumentRoot ROOT
ErrorDocument 404 /404.html
ProxyPass /app http://192.0.2.21:8080/app
ProxyPassReverse /app http://192.0.2.21:8080/app
<Location /app/loans/>
ProxyErrorOverride On 404
ProxyPreserveHost On
</Location>
<Location /app/loans/old>
ProxyErrorOverride Off
ProxyPassReverse http://192.0.2.21:8080/elsewhere
</Location>
"""


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_sections_for_parts_of_what_is_proxied(reads: Reads, target: str) -> None:
    """Each part has what its own section says, on the real servers as well."""
    made = translate(reads.write("apache", PARTS), target)
    assert not [item.code.name for item in made.findings if item.code.name in ("place-not-read", "without-effect")]
    live = check_live(made.reading, made.read_back, most=300)
    assert not live.surprises

    def status(path: str) -> tuple[int | None, str]:
        row = reads.decide("apache", PARTS, path, "GET", {ANSWER: "404"}, site="http://www.fernhollow.example")
        return row.status, dict(row.origin.fields).get("host", "") if row.origin else ""

    assert [status(path) for path in ("/app/x", "/app/loans/x", "/app/loans/old/x")] == [(404, "192.0.2.21:8080"), (404, ""), (404, "www.fernhollow.example")]


# Pages for errors that an origin makes: dialect, its text, and what the others are written for the status and the method.
PAGES = [
    ("nginx", """events {}
http { server { listen 8000; server_name loans.fernhollow.example; root FILES;
error_page 404 /missing?why=gone; error_page 403 =410 /gone; error_page 405 = /how;
location /missing { proxy_pass http://192.0.2.21:8080; } location /gone { proxy_pass http://192.0.2.21:8080; } location /how { proxy_pass http://192.0.2.21:8080; }
location /private { deny all; } location /form/ { proxy_pass http://192.0.2.22:8080; proxy_method POST; } } }
""", {"caddy": ["replace_status {err.status_code}", "replace_status 410", "rewrite * /missing?why=gone", "method GET", "method POST"], "nginx": ["proxy_method POST;", "error_page 405 = /how;"]}),
    ("caddy", """http://loans.fernhollow.example:8000 {
root * FILES
handle /private {
error 403
}
handle /old {
error 410
}
handle /form/* {
reverse_proxy 192.0.2.22:8080 {
method POST
}
}
file_server
handle_errors {
@gone expression `{err.status_code} == 404`
handle @gone {
rewrite * /missing
reverse_proxy 192.0.2.21:8080 {
replace_status {err.status_code}
}
}
@own expression `{err.status_code} == 403`
handle @own {
reverse_proxy 192.0.2.21:8080
}
@fixed expression `{err.status_code} == 410`
handle @fixed {
reverse_proxy 192.0.2.21:8080 {
replace_status 418
}
}
}
}
""", {"nginx": ["error_page 404 @", "error_page 403 = @", "error_page 410 =418 @", "proxy_method POST;"]}),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "text", "lines"), PAGES)
def test_pages_that_come_from_origins(reads: Reads, dialect: str, text: str, lines: dict[str, list[str]]) -> None:
    """With the status that the server gives them, and by the method that it asks by; on both real servers."""
    main = reads.write(dialect, text.replace("FILES", str(reads.root)))
    for target, wanted in lines.items():
        made = translate(main, target, dialect=dialect)
        written = "".join(made.writing.files.values())
        assert [line for line in wanted if line not in written] == []
        live = check_live(made.reading, made.read_back, most=250)
        assert [f"{row.request} {row.request.fields} {row.between} {row.defects}" for row in live.surprises] == []


def test_httpd_asks_by_the_method_of_the_request(reads: Reads) -> None:
    dialect, text, _ = PAGES[0]
    made = translate(reads.write(dialect, text.replace("FILES", str(reads.root))), "apache", dialect=dialect)
    assert any(entry.span.directive == "proxy_method POST" and entry.disposition.value == "unsupported" for entry in made.ledger)
    assert any(cause.summary.startswith("method to the origin: POST becomes GET") for cause in made.comparison.causes)


def test_an_origin_that_is_asked_first_obeys_verdicts_only(reads: Reads) -> None:
    """Asked by a client itself, it answers what it says of everybody; a field that other origins would send is none of its own."""
    text = """events {}
http { map $sent_http_content_type $age { default off; text/css 1h; } server { listen 8000; server_name loans.fernhollow.example; expires $age;
location / { auth_request /asked; proxy_pass http://192.0.2.21:8080; }
location = /asked { proxy_pass http://192.0.2.8:9091; proxy_set_header Content-Length ''; } } }
"""
    made = translate(reads.write("nginx", text), "caddy", dialect="nginx")
    asked = [Request("GET", "http", "loans.fernhollow.example", 8000, "/asked", ((FIELD, "Content-Type: text/css"),))]
    live = check_live(made.reading, made.read_back, requests=asked, most=1)
    assert [row.request.target for row in live.rows] == ["/asked"] and live.surprises == ()


def test_an_address_of_several_words_is_none(reads: Reads) -> None:
    made = reads.read("caddy", 'http://loans.fernhollow.example {\nreverse_proxy "192.0.2.1:81 192.0.2.2:81"\n}\n')
    assert any(item.code.name == "value-unread" for item in made.findings)


MAPPED = (
    "location /a/ { proxy_pass http://192.0.2.1:81; proxy_redirect ~^http://[^/]+(/.*)$ https://$host/a$1; }"
    "location /b/ { proxy_pass http://192.0.2.1:81; proxy_redirect ~*/X(\\w*) /y/$1/; }"
    "location /c/ { proxy_pass http://192.0.2.1:81; proxy_redirect ~^http://[^/]+/ /; }"
)


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_redirects_mapped_by_patterns(reads: Reads, tmp_path: Path, target: str) -> None:
    """The whole Location gives way to what a pattern's groups say, and does so again when it comes back to nginx."""
    there = translate(reads.write("nginx", nginx(MAPPED)).parent, target)
    lost = [entry.span.directive for entry in there.ledger if entry.disposition.value == "unsupported"]
    assert [line for line in lost if "$host" not in line] == []  # httpd puts no host into what it edits, and says so
    save(there.writing.files, tmp_path / "there")
    after = read(tmp_path / "there", target)
    assert not check_live(there.reading, after, most=300).surprises
    back = translate(tmp_path / "there", "nginx", dialect=target)
    assert "".join(back.writing.files.values()).count("proxy_redirect ~") >= (3 if target == "caddy" else 2)
    save(back.writing.files, tmp_path / "back")
    assert not check_live(after, read(tmp_path / "back", "nginx"), most=300).surprises


def test_redirects_in_the_place_of_an_origins_errors(reads: Reads, tmp_path: Path) -> None:
    """Pages of a place for what its origin refuses, beside those of the site: Caddy answers them where it asks the origin."""
    text = nginx(
        "root ROOT; error_page 404 /404.html; location @login { return 302 /login?next=$request_uri; }"
        "location /d/ { proxy_pass http://192.0.2.1:81/e/; proxy_intercept_errors on; error_page 403 =302 https://a.example/?back=$uri; error_page 401 = @login; error_page 404 /404.html; }"
    )
    made = translate(reads.write("nginx", text), "caddy")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    asked = [request_for("http://www.fernhollow.example/d/x?q", "GET", {ANSWER: status}) for status in ("403", "401", "404")]
    found = [decide(made.read_back.estate, request, real_files()) for request in asked]
    assert [(outcome.status, outcome.location) for outcome in found] == [(302, "https://a.example/?back=/d/x"), (302, "/login?next=/d/x?q"), (404, None)]
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", "caddy"), most=300).surprises
