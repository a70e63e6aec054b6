"""Answers of origins that are kept for later requests: by the servers themselves, which are asked twice, and in translations."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide, real_files, request_for
from young_lantern.behaviour.compare import Comparison, compare_estates
from young_lantern.behaviour.origin_answers import ANSWER, FIELD
from young_lantern.behaviour.outcome import Kept, outcome_of
from young_lantern.lab.live import check_live
from young_lantern.model import Cache, Severity, Var, Variable
from young_lantern.model.walk import walk
from young_lantern.translate import Translation, translate

ZONE = "proxy_cache_path /var/cache/pages levels=1:2 keys_zone=pages:1m max_size=10m inactive=1h; fastcgi_cache_path /var/cache/scripts keys_zone=scripts:1m;"
ORIGIN = "http://192.0.2.1:81"
LONG, PAST, AHEAD = "Fri, 01 Jan 2016 00:00:00 GMT", "Thu, 01 Jan 1970 00:00:00 GMT", "Fri, 01 Jan 2100 00:00:00 GMT"


def keeping(*lines: str, place: str = "/") -> str:
    return nginx(f"location {place} {{ proxy_pass {ORIGIN}; proxy_cache pages; {' '.join(lines)} }}", ZONE)


def enabled(*lines: str, place: str = "/", quick: str = "Off") -> str:
    return httpd(f"CacheRoot /var/cache/kept\nCacheQuickHandler {quick}\nCacheEnable disk {place}\n" + "\n".join(lines) + f"\nProxyPass / {ORIGIN}/")


NGINX = keeping("proxy_cache_valid 200 301 10m;", "proxy_cache_valid 404 1m;", "proxy_cache_bypass $cookie_session;", "proxy_no_cache $cookie_session;")
HTTPD = enabled("CacheIgnoreNoLastMod On", "CacheDefaultExpire 600", "CacheLock On", "SetEnvIf Cookie session= no-cache")
# What the origin says, and for how many seconds each of them keeps it.
SAID: list[tuple[dict[str, str], float | None, float | None]] = [
    ({}, 600, 600),
    ({FIELD: "Cache-Control: max-age=60"}, 60, 60),
    ({FIELD: "Cache-Control: max-age=60, s-maxage=9"}, 9, 9),
    ({FIELD: "Cache-Control: max-age=0"}, None, None),
    ({FIELD: "Cache-Control: private"}, None, None),
    ({FIELD: "Cache-Control: max-age=60, no-cache"}, None, None),
    ({FIELD: "Cache-Control: public"}, 600, 600),
    ({FIELD: f"Expires: {PAST}"}, None, None),
    ({FIELD: f"Expires: {AHEAD}"}, 31_536_000, 31_536_000),
    ({FIELD: "Expires: 0"}, None, None),
    ({FIELD: "Set-Cookie: sid=1"}, None, 600),
    ({FIELD: "Vary: *"}, None, None),
    ({FIELD: "Vary: Accept-Language"}, 600, 600),
    ({FIELD: "X-Accel-Expires: 5"}, 5, 600),
    ({FIELD: "X-Accel-Expires: 0"}, None, 600),
    ({FIELD: "Pragma: no-cache"}, 600, None),
    ({FIELD: f"Last-Modified: {LONG}"}, 600, 86_400),
    ({ANSWER: "404"}, 60, None),
    ({ANSWER: "301 /x"}, 600, 600),
    ({ANSWER: "302 /x"}, None, None),
    ({ANSWER: "500"}, None, None),
    ({ANSWER: "404", FIELD: "Cache-Control: max-age=9"}, 9, 9),
    ({ANSWER: "206"}, None, None),
    ({"Authorization": "Basic eDp5"}, 600, None),
    ({"Authorization": "Basic eDp5", FIELD: "Cache-Control: public, max-age=7"}, 7, 7),
    ({"Cookie": "session=1"}, None, None),
    ({"Cookie": "session=0"}, 600, None),
]


@pytest.mark.parametrize(("fields", "by_nginx", "by_httpd"), SAID, ids=lambda value: str(value)[:50])
def test_how_long_answers_are_kept(reads: Reads, fields: dict[str, str], by_nginx: float | None, by_httpd: float | None) -> None:
    for dialect, text, seconds in (("nginx", NGINX, by_nginx), ("apache", HTTPD, by_httpd)):
        outcome = reads.decide(dialect, text, "/x", fields=fields)
        assert outcome.kept is not None and outcome.kept.seconds == seconds, dialect
        assert outcome_of(outcome.as_json()).kept == outcome.kept


def _asked(more: list[dict[str, str]] | None = None) -> list[Request]:
    return [request_for(SITE + "/x", "GET", fields) for fields in more if fields] if more else [request_for(SITE + "/x", "GET", fields) for fields, _, _ in SAID]


@pytest.mark.parametrize(("dialect", "text"), [
    ("nginx", NGINX),
    ("nginx", keeping("proxy_cache_bypass $arg_new $http_x_new;", "add_header X-Kept $upstream_cache_status always;")),
    ("nginx", keeping("proxy_cache_valid any 1m;", "proxy_ignore_headers Set-Cookie Cache-Control Expires Vary X-Accel-Expires;", "proxy_no_cache $upstream_http_pragma;")),
    ("nginx", keeping("proxy_cache_methods GET POST;", "proxy_cache_valid 5m;", "proxy_cache_min_uses 3;", "proxy_cache_lock on;")),
    ("nginx", keeping("proxy_cache_key $host$uri;", "proxy_cache_convert_head off;", "proxy_cache_valid 200 5m;")),
    ("apache", HTTPD),
    ("apache", enabled()),
    ("apache", enabled(quick="On")),
    ("apache", enabled("CacheIgnoreQueryString On", "CacheIgnoreCacheControl On", "CacheIgnoreNoLastMod On", "CacheIgnoreHeaders Set-Cookie", "CacheMaxExpire 300", place="/x")),
    ("apache", enabled("CacheIgnoreNoLastMod On", "Header always merge Cache-Control private \"expr=-n resp('Set-Cookie')\"", "RequestHeader set Cache-Control no-cache env=new", "SetEnvIf X-New . new", "CacheDisable /out")),
    ("apache", httpd(f"CacheRoot /kept\nCacheQuickHandler Off\nCacheEnable disk /x\nCacheDisable /out\n<Location /x>\nCacheEnable disk\nCacheIgnoreNoLastMod On\nCacheDefaultExpire 60\n</Location>\n<LocationMatch ther>\nCacheEnable disk\nCacheDefaultExpire 9\n</LocationMatch>\nProxyPass / {ORIGIN}/")),
    ("apache", enabled("CacheIgnoreNoLastMod On", "<Location /x>", "SetEnvIf X-New . no-cache", "</Location>", "SetEnvIf Cookie session= no-cache")),
    ("apache", enabled("CacheIgnoreNoLastMod On", "SetEnvIf Cookie session= no-cache", "SetEnvIf X-New . !no-cache")),
    ("apache", enabled("CacheIgnoreNoLastMod On", "RewriteEngine On", "RewriteCond %{HTTP:X-New} .", "RewriteRule ^/x - [E=no-cache:1]")),
    ("apache", httpd(f"CacheRoot /kept\nCacheQuickHandler Off\n<Location /x>\nCacheEnable disk\nCacheIgnoreNoLastMod On\nCacheDefaultExpire 60\n</Location>\nProxyPass / {ORIGIN}/")),
])
def test_servers_keep_what_is_foretold(reads: Reads, dialect: str, text: str) -> None:
    """Each request twice: whether the second one reaches the origin. Both sides are the same configuration, so that a surprise is a defect of the model's."""
    reading = reads.read(dialect, text)
    more = [{"X-New": "1"}, {"Cache-Control": "no-cache"}, {"Pragma": "no-cache"}, {"Cookie": "session=1"}]
    targets = [request_for(SITE + path, "GET", fields) for path in ("/x?new=1", "/x?new=0", "/out/x", "/other") for fields in ({}, {FIELD: "Cache-Control: max-age=9"})]
    live = check_live(reading, reading, requests=[*_asked(), *_asked(more), *targets])
    assert [(str(row.request), row.request.fields, row.defects) for row in live.surprises] == []
    assert len(live.kept) > 20
    assert {True, False} == {asked for row in live.kept for asked in row.asked}


def test_what_a_cache_says_of_itself(reads: Reads) -> None:
    text = keeping("add_header X-Kept $upstream_cache_status;", "proxy_cache_bypass $cookie_s;")
    for fields, method, said in (({}, "GET", "MISS"), ({"Cookie": "s=1"}, "GET", "BYPASS"), ({"Cookie": "s=0"}, "HEAD", "MISS"), ({}, "POST", None)):
        outcome = reads.decide("nginx", text, "/x", method, fields)
        assert dict(outcome.fields).get("x-kept") == said
    assert reads.decide("nginx", text, "/x", "HEAD").origin.method == "GET"  # type: ignore[union-attr]


@pytest.mark.parametrize(("lines", "by"), [
    ("", ("path", "query", "scheme")), ("proxy_cache_key $host$uri;", ("host", "path")), ("proxy_cache_key $host$request_uri$cookie_lang;", ("cookie lang", "host", "path", "query")),
    ("proxy_cache_key $uri$is_args$args$http_accept;", ("field accept", "path", "query")), ("proxy_cache_key $http_host$phone;", ("a table of field user-agent", "host", "port")),
    ("proxy_cache_key $request_method$uri;", ("path",)), ("proxy_cache_key $request_method$uri; proxy_cache_methods GET POST;", ("method", "path")), ("proxy_cache_key all;", ()),
])
def test_what_tells_kept_answers_apart(reads: Reads, lines: str, by: tuple[str, ...]) -> None:
    kept = reads.decide("nginx", keeping(lines, "proxy_cache_valid 1m;").replace("http {", "http { map $http_user_agent $phone { default 0; ~Mobile 1; }", 1), "/x").kept
    assert kept == Kept(60, True, by)


def _compared(reads: Reads, before: str, after: str) -> Comparison:
    return compare_estates(reads.read("nginx", before).estate, reads.read("nginx", after).estate)


@pytest.mark.parametrize(("before", "after", "severity", "what"), [
    ("proxy_cache_valid 200 10m;", "proxy_cache off;", Severity.MINOR, "kept for later requests: 600 seconds becomes no"),
    ("", "proxy_cache_valid 200 10m;", Severity.BREAKING, "kept for later requests: no becomes 600 seconds"),
    ("proxy_cache_valid 200 10m;", "proxy_cache_valid 200 1m;", Severity.MINOR, "kept for later requests: 600 seconds becomes 60 seconds"),
    ("proxy_cache_valid 1m; proxy_cache_bypass $cookie_s;", "proxy_cache_valid 1m;", Severity.BREAKING, "gets what is kept: no becomes yes"),
    ("proxy_cache_valid 1m; proxy_cache_key $request_uri$cookie_lang;", "proxy_cache_valid 1m;", Severity.BREAKING, "what is kept is told apart by: cookie lang, path, query becomes path, query, scheme"),
    ("proxy_cache_valid 1m;", "proxy_cache_valid 1m; proxy_cache_key $uri;", Severity.BREAKING, "what is kept is told apart by: path, query, scheme becomes path"),
    ("proxy_cache_valid 1m; proxy_cache_key $host$request_uri;", "proxy_cache_valid 1m; proxy_cache_key $request_uri;", Severity.BREAKING, "what is kept is told apart by: host, path, query becomes path, query"),
    ("proxy_cache_valid 1m; proxy_cache_key $request_uri;", "proxy_cache_valid 1m; proxy_cache_key $host$request_uri;", Severity.MINOR, "what is kept is told apart by: path, query becomes host, path, query"),
    ("proxy_cache_valid 1m;", "proxy_cache_valid 1d;", Severity.BREAKING, "kept for later requests: 60 seconds becomes 86400 seconds"),
    # Who is known keeps nothing in either, and gets what is kept for others in one.
    ("proxy_cache_valid 1m; proxy_cache_bypass $cookie_s; proxy_no_cache $cookie_s;", "proxy_cache_valid 1m; proxy_no_cache $cookie_s;", Severity.BREAKING, "gets what is kept: no becomes yes"),
    ("proxy_cache_valid 1m;", "proxy_cache_valid 1m; proxy_ignore_headers Set-Cookie;", Severity.BREAKING, "kept for later requests: no becomes 60 seconds"),
])
def test_caches_are_compared(reads: Reads, before: str, after: str, severity: Severity, what: str) -> None:
    texts = [keeping(lines).replace("proxy_cache pages;", "") if "off" in lines else keeping(lines) for lines in (before, after)]
    assert (severity, what) in [(cause.severity, cause.summary) for cause in _compared(reads, *texts).causes]
    assert _compared(reads, texts[0], texts[0]).causes == ()


def _site(made: Translation) -> str:
    return "".join(text for name, text in made.writing.files.items() if name.startswith("sites/"))


def _of_caches(made: Translation) -> list[tuple[Severity, str]]:
    return [(cause.severity, cause.summary) for cause in made.comparison.causes if cause.differences[0].what.startswith(("kept for", "gets what", "what is kept"))]


def _no_surprise(made: Translation) -> None:
    live = check_live(made.reading, made.read_back, most=300)
    assert [(str(row.request), row.request.fields, getattr(row, "between", ()), row.defects) for row in live.surprises] == []
    assert live.kept


def test_from_nginx_to_httpd(reads: Reads) -> None:
    made = translate(reads.write("nginx", NGINX), "apache", dialect="nginx")
    site = _site(made)
    for line in ("CacheQuickHandler Off", "CacheEnable disk", "CacheDefaultExpire 600", "CacheIgnoreNoLastMod On", "RequestHeader set Cache-Control no-cache env=no-cache", "resp('Set-Cookie')"):
        assert line in site
    assert all(severity is Severity.MINOR for severity, _ in _of_caches(made))  # nothing is kept that was not
    assert {finding.code.name for finding in made.findings} >= {"cache-begins-anew", "cache-keeps-less"}
    assert "new-line-not-compared" not in {finding.code.name for finding in made.findings}
    _no_surprise(made)


def test_from_httpd_to_nginx(reads: Reads) -> None:
    made = translate(reads.write("apache", enabled("CacheIgnoreNoLastMod On", "CacheIgnoreQueryString On", "CacheDefaultExpire 300", "CacheDisable /mine", "SetEnvIf Cookie session= no-cache")), "nginx", dialect="apache")
    text = "".join(made.writing.files.values())
    for line in ("proxy_cache_path /var/cache/nginx/kept keys_zone=kept:10m;", "proxy_cache kept;", "proxy_cache_valid 200 203 300 301 5m;", "map $http_authorization", "$upstream_http_pragma", "~^/mine 1;"):
        assert line in text
    assert all(severity is Severity.MINOR for severity, _ in _of_caches(made))
    _no_surprise(made)


SKIPS = "set $skip 0; if ($request_method = POST) { set $skip 1; } if ($query_string != '') { set $skip 1; } if ($request_uri ~* \"/admin/|/login\") { set $skip 1; } if ($http_cookie ~* \"session_id|no_cache\") { set $skip 1; }"
ROWS = "map $http_cookie $known { default 0; ~*session_id 1; }"


def skipping(place: str, more: str = "") -> str:
    return nginx(f"{SKIPS} location /app/ {{ proxy_pass {ORIGIN}/; proxy_cache pages; proxy_cache_valid 200 10m; {place} }} {more}", ZONE + ROWS)


@pytest.mark.parametrize("place", ["proxy_cache_bypass $skip $http_pragma; proxy_no_cache $skip;", "proxy_cache_bypass $known; proxy_no_cache $known;", "proxy_no_cache ${skip};"])
@pytest.mark.parametrize("target", ["apache", "nginx"])
def test_what_a_cache_leaves_alone_by_the_usual_lines(reads: Reads, place: str, target: str) -> None:
    """A variable that several `if` lines set says which requests a cache leaves alone; it is not asked in front of every route."""
    made = translate(reads.write("nginx", skipping(place)), target, dialect="nginx")
    site = _site(made)
    assert len(site.splitlines()) < 70
    assert "CacheEnable disk" in site if target == "apache" else "proxy_cache pages;" in site
    assert all(severity is Severity.MINOR for severity, _ in _of_caches(made))
    _no_surprise(made)


@pytest.mark.parametrize("lines", [
    "location /app/x { set $skip 1; }",  # not only the server's own lines
    "if ($uri ~ x) { set $skip 1; }",  # what a rewrite may change meanwhile
    "set $skip $arg_skip;",
])
def test_a_variable_that_is_not_so_plain_stays_one(reads: Reads, lines: str) -> None:
    reading = reads.read("nginx", skipping("proxy_cache_bypass $skip;", lines))
    kept = [item for site in reading.estate.sites for item in walk(site.program) if isinstance(item, Cache)]
    assert any(part == Var(Variable.VARIABLE, "skip") for part in walk(kept[0].bypasses))


def test_each_kind_of_application_has_zones_of_its_own(reads: Reads) -> None:
    script = "location ~ \\.php$ { root ROOT; fastcgi_pass 127.0.0.1:9000; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_cache scripts; fastcgi_cache_key $request_uri; fastcgi_cache_valid 1m; }"
    made = translate(reads.write("nginx", nginx(script, ZONE)), "nginx", dialect="nginx")
    assert "fastcgi_cache_path /var/cache/scripts keys_zone=scripts:1m;" in made.writing.files["nginx.conf"]
    _no_surprise(made)


def test_to_nginx_again(reads: Reads) -> None:
    lines = "proxy_cache_valid 200 1m; proxy_cache_valid any 9s; proxy_cache_bypass $cookie_a $arg_b; proxy_no_cache $http_c; proxy_cache_use_stale error http_503; proxy_cache_lock on; proxy_cache_key $host$uri; proxy_ignore_headers Expires; proxy_cache_methods GET HEAD POST; proxy_cache_min_uses 2; proxy_cache_revalidate on; proxy_cache_background_update on;"
    made = translate(reads.write("nginx", keeping(lines)), "nginx", dialect="nginx")
    assert made.comparison.causes == ()
    assert {entry.disposition.value for entry in made.ledger if entry.span.directive.startswith("proxy_")} == {"kept"}
    text = "".join(made.writing.files.values())
    assert [line.strip() for line in lines.split(";") if line.strip() and f"{line.strip()};" not in text] == []


@pytest.mark.parametrize(("source", "why"), [
    (keeping("proxy_cache_valid 1m;", "proxy_cache_key $request_uri$cookie_lang;"), "a key that tells requests apart by more than their URL"),
    (keeping("proxy_cache_valid 1m;", "proxy_cache_bypass $remote_user;"), "a condition under which nothing is kept"),
    (nginx("location ~ \\.php$ { root ROOT; fastcgi_pass 127.0.0.1:9000; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_cache scripts; fastcgi_cache_key $request_uri; fastcgi_cache_valid 1m; }", ZONE), "the cookies that they set"),
])
def test_what_httpd_would_keep_for_the_wrong_clients_is_not_kept(reads: Reads, source: str, why: str) -> None:
    made = translate(reads.write("nginx", source), "apache", dialect="nginx")
    assert "CacheEnable" not in _site(made)
    assert any(why in finding.why for finding in made.findings)
    assert _of_caches(made) and all(severity is Severity.MINOR for severity, _ in _of_caches(made))


def test_caddy_keeps_nothing_and_says_so(reads: Reads) -> None:
    made = translate(reads.write("nginx", NGINX), "caddy", dialect="nginx")
    lost = {entry.span.directive.split()[0] for entry in made.ledger if entry.disposition.value == "unsupported"}
    assert lost == {"proxy_cache_path", "proxy_cache", "proxy_cache_valid", "proxy_cache_bypass", "proxy_no_cache"}
    assert all(severity is Severity.MINOR for severity, _ in _of_caches(made)) and _of_caches(made)


@pytest.mark.parametrize(("host", "code"), [
    (f"CacheEnable disk /\nProxyPass / {ORIGIN}/\n<Location />\nRequire ip 192.0.2.0/24\n</Location>", "cache-before-access"),
    (f"CacheRoot /kept\nCacheQuickHandler Off\nCacheEnable disk http://a.example/\nProxyPass / {ORIGIN}/", "value-unread"),
    (f"CacheQuickHandler Off\nCacheEnable socache /\nProxyPass / {ORIGIN}/", "value-unread"),
    (f"CacheQuickHandler Off\nCacheEnable disk /\nCacheStorePrivate On\nProxyPass / {ORIGIN}/", "value-unread"),
])
def test_what_is_told_of_caches_of_httpd(reads: Reads, host: str, code: str) -> None:
    assert code in {finding.code.name for finding in reads.read("apache", httpd(host)).findings}


def test_a_section_keeps_nothing_while_the_quick_handler_is_on(reads: Reads) -> None:
    """mod_cache.c (2.4.71, probed): sections are looked for too late for it."""
    text = httpd(f"<Location />\nCacheEnable disk\nCacheIgnoreNoLastMod On\n</Location>\nProxyPass / {ORIGIN}/")
    assert reads.decide("apache", text, "/x").kept is None
    assert reads.decide("apache", text.replace("<Location />", "CacheQuickHandler Off\n<Location />"), "/x").kept == Kept(3600, True, ("host", "path", "port", "query", "scheme"))


@pytest.mark.parametrize(("answer", "seconds"), [("404", 60), ("503", None), ("404 X-Accel-Expires: 5", 5), ("404 Cache-Control: private", None)])
def test_nginx_notes_errors_that_it_words_itself(reads: Reads, answer: str, seconds: float | None) -> None:
    """ngx_http_upstream_intercept_errors (1.22.1, probed): whatever proxy_no_cache says; httpd keeps none of them."""
    status, _, field = answer.partition(" ")
    asked = {"Lantern-Answer": status, **({"Lantern-Field": field} if field else {})}
    text = keeping("proxy_intercept_errors on; error_page 404 503 /gone.html;", "proxy_cache_valid 404 1m; proxy_no_cache 1;")
    kept = reads.decide("nginx", text, "/x", fields=asked).kept
    assert kept is not None and kept.seconds == seconds
    words = enabled("CacheIgnoreNoLastMod On", "ProxyErrorOverride On", "ErrorDocument 404 /gone.html")
    assert reads.decide("apache", words, "/x", fields={**asked, "Cache-Control": "max-age=60"}).kept is None


@pytest.mark.parametrize("place", ["proxy_no_cache $cookie_s;", "auth_request /verify;", "error_page 404 500 @later;"])
def test_errors_and_those_who_decide_are_held_against_the_servers(reads: Reads, place: str) -> None:
    """What keeps the error, and not the page for it, asks one of the two anew, as what keeps answers asks who decides."""
    more = f"location = /verify {{ internal; proxy_pass {ORIGIN}/check; }} location @later {{ proxy_pass http://127.0.0.1:9002; }}"
    text = nginx(f"proxy_intercept_errors on; error_page 404 500 /gone.html; location / {{ proxy_pass {ORIGIN}; proxy_cache pages; proxy_cache_valid any 1m; {place} }} {more}", ZONE)
    _no_surprise(translate(reads.write("nginx", text), "caddy", dialect="nginx"))


def test_what_origins_say_to_nginx_alone_is_not_kept_by_httpd(reads: Reads) -> None:
    made = translate(reads.write("nginx", keeping("proxy_cache_valid 10m;")), "apache", dialect="nginx")
    assert "resp('X-Accel-Expires')" in _site(made)
    for seconds in ("0", "60"):
        assert decide(made.read_back.estate, request_for(f"{SITE}/x", fields={"Lantern-Field": f"X-Accel-Expires: {seconds}"}), real_files()).kept.seconds is None  # type: ignore[union-attr]
    made = translate(reads.write("nginx", keeping("proxy_cache_valid 10m; proxy_ignore_headers X-Accel-Expires;")), "apache", dialect="nginx")
    assert "resp('X-Accel-Expires')" not in _site(made)


def test_a_zone_that_is_not_there_is_told(reads: Reads) -> None:
    reading = reads.read("nginx", keeping().replace("proxy_cache pages", "proxy_cache other"))
    assert any("other is not a value" in finding.message for finding in reading.findings)


def test_what_origins_say_to_the_server_alone(reads: Reads) -> None:
    """nginx keeps X-Accel-Expires to itself, and Caddy says Pragma once more as Cache-Control; both are seen by clients of the other."""
    place = f"location / {{ proxy_pass {ORIGIN}; }}"
    for dialect, text, line, seen in (("nginx", nginx(place), "X-Accel-Expires: 5", {}), ("caddy", caddy(f"reverse_proxy {ORIGIN}"), "X-Accel-Expires: 5", {"x-accel-expires": "5"}),
                                      ("caddy", caddy(f"reverse_proxy {ORIGIN}"), "Pragma: no-cache", {"pragma": "no-cache", "cache-control": "no-cache"})):
        fields = dict(reads.decide(dialect, text, "/x", fields={FIELD: line}).fields)
        assert {name: value for name, value in fields.items() if name in ("x-accel-expires", "pragma", "cache-control")} == seen


def test_a_zone_for_each_way_that_answers_come(reads: Reads) -> None:
    """nginx does not start where two kinds of applications share one."""
    text = httpd("CacheEnable disk /\nCacheQuickHandler Off\nProxyPass /desk/ http://192.0.2.7:81/\n<FilesMatch \\.php$>\nSetHandler proxy:fcgi://192.0.2.5:9000\n</FilesMatch>")
    made = translate(reads.write("apache", text), "nginx")
    zones = [line.split("keys_zone=")[1].split(":")[0] for line in made.writing.files["nginx.conf"].splitlines() if "keys_zone" in line]
    assert len(zones) == 2 == len(set(zones))
    live = check_live(made.reading, made.read_back, most=60)
    assert live.rows and not live.surprises


@pytest.mark.parametrize(("answer", "said", "seconds"), [("404", "Cache-Control: public", 600), ("302 /x", "Cache-Control: must-revalidate", 600), ("500", "Cache-Control: x", 600), ("404", "X-Shelf: 7", None), ("403", "Cache-Control: private", None)])
def test_httpd_keeps_errors_of_which_something_is_said(reads: Reads, answer: str, said: str, seconds: float | None) -> None:
    """Any Cache-Control is enough, and the default time counts: what is written for it leaves such answers alone."""
    asked = [request_for(f"{SITE}/desk/a", "GET", {ANSWER: answer, FIELD: said})]
    reading = reads.read("apache", HTTPD)
    kept = decide(reading.estate, asked[0], real_files()).kept
    assert kept is not None and kept.seconds == seconds
    live = check_live(reading, reading, requests=asked, most=1)
    assert live.kept and not live.surprises


@pytest.mark.parametrize(("protocol", "added"), [("HTTP/1.1", "no-cache"), ("HTTP/2.0", None)])
def test_caddy_says_a_clients_pragma_once_more_by_http_1_alone(reads: Reads, protocol: str, added: str | None) -> None:
    reading = reads.read("caddy", caddy(f"reverse_proxy {ORIGIN}"))
    asked = replace(request_for(f"{SITE}/x", "GET", {"Pragma": "no-cache"}), protocol=protocol)
    origin = decide(reading.estate, asked, real_files()).origin
    assert origin is not None and dict(origin.fields).get("cache-control") == added
