"""What nginx configurations do, as the real server was seen to do it, and what reading them reports."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, nginx
from tests.test_apache_reader import httpd
from tests.test_conformance import content_of_the_package
from young_lantern.dialects.nginx import catalogue
from young_lantern.errors import LanternError, SourceUnreadable
from young_lantern.lab.live import check_live
from young_lantern.model import AnswerPlainly, Disposition, Refuse
from young_lantern.translate import read, save, translate

# server block, target, (status, location, file below the root or None)
ANSWERS = [
    ("root ROOT;", "/", 200, None, "index.html"),
    ("root ROOT;", "/dir", 301, "http://www.fernhollow.example/dir/", None),
    ("root ROOT;", "/dir?x=1", 301, "http://www.fernhollow.example/dir/?x=1", None),
    ("root ROOT;", "/bare/", 403, None, None),
    ("root ROOT;", "/none", 404, None, None),
    ("root ROOT; autoindex on;", "/bare/", 200, None, "bare/"),
    ("root ROOT; index none.html a.html;", "/", 200, None, "a.html"),
    ("root ROOT; try_files $uri /a.html;", "/none", 200, None, "a.html"),
    ("root ROOT; location / { try_files $uri =418; }", "/none", 418, None, None),
    ("root ROOT; location / { try_files $uri @n; } location @n { return 202 named; }", "/none", 202, None, None),
    ("return 301 https://$host$request_uri;", "/a?b", 301, "https://www.fernhollow.example/a?b", None),
    ("return https://fernhollow.example/;", "/", 302, "https://fernhollow.example/", None),
    ("return 444;", "/", None, None, None),
    ("return 204;", "/", 204, None, None),
    ("location = /x { return 201 a; } location /x { return 202 b; }", "/x", 201, None, None),
    ("location = /x { return 201 a; } location /x { return 202 b; }", "/xy", 202, None, None),
    ("location /x { return 201 a; } location ~ x { return 202 b; }", "/x", 202, None, None),
    ("location ^~ /x { return 201 a; } location ~ x { return 202 b; }", "/x", 201, None, None),
    ("location ~* \\.PNG$ { return 201 a; } location / { return 202 b; }", "/y.png", 201, None, None),
    ("location /a { location ~ b { return 201 a; } return 202 b; }", "/ab", 201, None, None),
    ("rewrite ^/old/(.*)$ /new/$1 permanent;", "/old/x?q", 301, SITE + "/new/x?q", None),
    ("rewrite ^/old/(.*)$ /new/$1? redirect;", "/old/x?q", 302, SITE + "/new/x", None),
    ("location /a { rewrite ^ /b last; } location /b { return 203 b; }", "/a", 203, None, None),
    ("location / { rewrite ^/loop /loop last; }", "/loop", 500, None, None),
    ("root ROOT; location /a { rewrite ^ /style.css break; }", "/a", 200, None, "style.css"),
    ("if ($request_method = POST) { return 405; } return 200 ok;", "/", 200, None, None),
    ("set $x 1; if ($x) { return 202 set; } return 200 ok;", "/", 202, None, None),
    ("if ($arg_a ~ ^b(.*)$) { return 302 /$1; } return 200 ok;", "/?a=bcd", 302, SITE + "/cd", None),
    ("root ROOT; if (-f $request_filename) { return 202 there; } return 203 not;", "/a.html", 202, None, None),
    ("root ROOT; location / { deny all; }", "/", 403, None, None),
    ("root ROOT; location / { allow 192.0.2.0/24; deny all; }", "/", 200, None, "index.html"),
    ("root ROOT; error_page 404 /404.html;", "/none", 404, None, "404.html"),
    ("root ROOT; error_page 404 =200 /404.html;", "/none", 200, None, "404.html"),
    (
        "root ROOT; error_page 404 https://fernhollow.example/gone;",
        "/none",
        302,
        "https://fernhollow.example/gone",
        None,
    ),
    ("root ROOT; location /in/ { internal; }", "/in/x", 404, None, None),
    ("root ROOT; error_page 404 @down; location @down { internal; try_files /none =503; }", "/none", 503, None, None),
    ("root ROOT; location /n/ { try_files $uri @in; } location @in { internal; return 202 in; }", "/n/x", 202, None, None),
    ("location /m/ { alias ROOT/dir/; }", "/m/index.html", 200, None, "dir/index.html"),
    ("location /api/ { proxy_pass http://192.0.2.1; }", "/api?x=1", 301, SITE + "/api/?x=1", None),
    ("root ROOT;", "/../x", 400, None, None),
    ("absolute_redirect off; return 301 /x;", "/", 301, "/x", None),
    ("if ($request_uri ~ ^/index\\.php(.*)$) { return 301 /$1; }", "/index.php/", 301, SITE + "//", None),
]


@pytest.mark.parametrize(
    ("server", "target", "status", "location", "file"), ANSWERS, ids=[f"{row[0][:60]} {row[1]}" for row in ANSWERS]
)
def test_answers(
    reads: Reads, server: str, target: str, status: int | None, location: str | None, file: str | None
) -> None:
    outcome = reads.decide("nginx", nginx(server), target)
    assert (outcome.status, outcome.location) == (status, location)
    if status and status < 400:
        assert (outcome.file and outcome.file.removeprefix(f"{reads.root}/")) == file


ORIGINS = [
    ("proxy_pass http://192.0.2.1:81;", "/a%20b?q", "192.0.2.1:81", "/a%20b?q"),
    ("location /api/ { proxy_pass http://192.0.2.1/; }", "/api/x%2Fy", "192.0.2.1:80", "/x/y"),
    ("location /api { proxy_pass http://192.0.2.1/v1; }", "/apix", "192.0.2.1:80", "/v1x"),
    ("location ~ ^/(\\w+)/ { proxy_pass http://192.0.2.1/$1?z; }", "/a/b", "192.0.2.1:80", "/a?z"),
    ("location / { rewrite ^/a/(.*)$ /b/$1 break; proxy_pass http://192.0.2.1/c/; }", "/a/x", "192.0.2.1:80", "/b/x"),
    ("location / { proxy_pass https://192.0.2.1; }", "/", "192.0.2.1:443", "/"),
    ("location / { proxy_pass http://${APP}:${PORT}; }", "/", "${APP}:${PORT}", "/"),
]


@pytest.mark.parametrize(("server", "target", "address", "asked"), ORIGINS)
def test_what_the_origin_is_asked(reads: Reads, server: str, target: str, address: str, asked: str) -> None:
    text = nginx(server if "location" in server else f"location / {{ {server} }}")
    origin = reads.decide("nginx", text, target).origin
    assert origin is not None
    assert (origin.addresses, origin.target) == ((address,), asked)


@pytest.mark.parametrize(
    "handler",
    [
        "uwsgi_pass suwsgi://192.0.2.1:9000;",
        "empty_gif;",
        "memcached_pass 192.0.2.1:11211;",
        "grpc_pass grpc://$http_x_desk;",
        "auth_request /check;",
    ],
)
def test_a_handler_that_is_not_read_is_no_file_server(reads: Reads, handler: str) -> None:
    """What it answers is not known; above all it is not the file, whose source would then be sent."""
    text = nginx("root ROOT; location ~ html$ { %s }" % handler)
    outcome = reads.decide("nginx", text, "/a.html")
    assert outcome.file is None and handler.split()[0].rstrip(";") in outcome.gave_up
    translation = reads.translate(text)
    assert "error 501" in "".join(translation.writing.files.values())
    assert translation.comparison.undecided


def test_fields_to_the_origin(reads: Reads) -> None:
    """A level's own fields hide those above; Host falls back to the pool's name; an empty value is no field."""
    http = "proxy_set_header X-Above 1; upstream app { server 192.0.2.1; server 192.0.2.2 backup; }"
    above = reads.decide("nginx", nginx("location / { proxy_pass http://app; }", http)).origin
    own = reads.decide(
        "nginx",
        nginx("location / { proxy_pass http://app; proxy_set_header Host $host; proxy_set_header X-Probe ''; }", http),
        fields={"X-Probe": "1"},
    ).origin
    assert above and own
    assert dict(above.fields) == {"host": "app", "x-above": "1", "connection": "close"}
    assert dict(own.fields)["host"] == "www.fernhollow.example"
    assert "x-above" not in dict(own.fields)
    assert dict(own.fields)["x-probe"] == ""  # the client sent it, and it is taken away
    assert above.choice.policy == "192.0.2.2:80 when all fail"
    assert above.mapped_back == "/"


@pytest.mark.parametrize(
    ("server", "target", "fields"),
    [
        ("root ROOT; add_header X-A 1; location / { add_header X-B $uri; }", "/", {"x-b": "/index.html"}),
        ("root ROOT; add_header X-A 1;", "/none", {}),
        ("root ROOT; add_header X-A 1 always;", "/none", {"x-a": "1"}),
        ("root ROOT; expires epoch;", "/", {"cache-control": "no-cache", "expires": "Thu, 01 Jan 1970 00:00:01 GMT"}),
        ("root ROOT; expires -1;", "/", {"cache-control": "no-cache", "expires": "(now -1 s)"}),
        ("root ROOT; expires 1h;", "/", {"cache-control": "max-age=3600", "expires": "(now +3600 s)"}),
        ("root ROOT; location / { if ($arg_a) { add_header X-If 1; } add_header X-A 1; }", "/?a=1", {"x-if": "1"}),
        (
            "root ROOT; location / { if ($arg_a) { add_header X-If 1; } add_header X-A 1; }",
            "/a.html?a=1",
            {"x-if": "1"},
        ),
    ],
)
def test_fields_of_the_response(reads: Reads, server: str, target: str, fields: dict[str, str]) -> None:
    assert dict(reads.decide("nginx", nginx(server), target).fields) == fields


def test_sites_are_chosen_by_name_then_port(reads: Reads) -> None:
    """Exact, leading star, trailing star, pattern, default; on each port by itself."""
    servers = "".join(
        f"server {{ listen {listen}; server_name {name}; return 200 '{body}'; }}"
        for listen, name, body in [
            ("80", "~^m(?<n>\\d+)\\.", "pattern-$n"),
            ("80", "media.*", "trailing"),
            ("80", "*.fernhollow.example", "leading"),
            ("80", "media.fernhollow.example", "exact"),
            ("80 default_server", "_", "default"),
            ("8080", "media.fernhollow.example", "port"),
        ]
    )
    text = f"events {{}}\nhttp {{ {servers} }}"
    for url, body in [
        ("http://media.fernhollow.example", "exact"),
        ("http://x.fernhollow.example", "leading"),
        ("http://b.a.fernhollow.example", "leading"),
        ("http://media.example", "trailing"),
        ("http://m12.example", "pattern-12"),
        ("http://other.example", "default"),
        ("http://MEDIA.fernhollow.example.", "exact"),
        ("http://anything.example:8080", "port"),
    ]:
        assert reads.decide("nginx", text, site=url).body == body, url


def test_listeners(reads: Reads) -> None:
    tls = "ssl_certificate c.pem; ssl_certificate_key k.pem;"
    text = f"""events {{}} http {{ {tls}
        server {{ listen 443 ssl http2 default_server; server_name _; ssl_reject_handshake on; }}
        server {{ listen 127.0.0.1:443 ssl; listen [::]:443 ssl; listen ${{PORT}}; server_name www.fernhollow.example; ssl_protocols TLSv1.3; }} }}"""
    estate = reads.read("nginx", text).estate
    by_address = {(listener.address, str(listener.port)): listener for listener in estate.listeners}
    assert isinstance(by_address["0.0.0.0", "443"].fallback, Refuse)
    assert not isinstance(by_address["127.0.0.1", "443"].fallback, Refuse | AnswerPlainly)
    assert by_address["127.0.0.1", "443"].fallback_stated is False
    site = estate.sites[1]
    assert site.tls and site.tls.protocols == ("TLSv1.3",) and site.tls.certificates[0].key_file == "k.pem"


@pytest.mark.parametrize(
    ("server", "code", "words"),
    [
        ("proxy_passs http://a;", "directive-unknown", "did you mean proxy_pass?"),
        ("upstream a { }", "directive-misplaced", "may not stand in server"),
        ("root;", "words-wrong", "root FOLDER"),
        ("root ROOT; location / { expires soon; }", "value-unread", "soon"),
        ("return 200 $gzip_ratio;", "variable-unread", "$gzip_ratio"),
        ("if ($a < 3) { return 404; }", "condition-unread", "($a < 3)"),
        ("location ~ ( { }", "pattern-unread", "("),
        ("include none/*.conf;", "include-empty", "none/*.conf"),
        ("client_body_timeout 3;\nlocation @unused { internal; }", "without-effect", "internal"),
    ],
)
def test_findings_of_reading(reads: Reads, server: str, code: str, words: str) -> None:
    reading = reads.read("nginx", nginx(server))
    found = next(item for item in reading.findings if item.code.name == code)
    assert words in found.message + found.advice
    assert found.span and found.span.line >= 6


def test_every_directive_has_a_claim(reads: Reads, sample: tuple[Path, Path]) -> None:
    """Whatever stands in the tree is claimed or settled, misspelt and unknown ones included."""
    from young_lantern.translate import read

    reading = read(sample[0])
    written = {directive.span for file in reading.tree.values() for directive in file.walk()}
    assert written == {claim.span for claim in reading.claims}
    assert all(claim.claimed or claim.disposition is not None or claim.follows for claim in reading.claims)
    assert reading.inactive == ("sites-available/newsletter",)
    unknown = reads.read("nginx", nginx("nonesuch a b; location / { nonesuch; }"))
    assert [claim.disposition for claim in unknown.claims if claim.name == "nonesuch"] == [Disposition.UNSUPPORTED] * 2


def test_includes(tmp_path: Path) -> None:
    """Globs and links are followed, names shown relative to the main file; a loop and a missing file are errors with their line."""
    (tmp_path / "available").mkdir()
    (tmp_path / "enabled").mkdir()
    (tmp_path / "available" / "a").write_text("server { listen 80; return 200 a; }\n")
    (tmp_path / "enabled" / "a").symlink_to("../available/a")
    main = tmp_path / "nginx.conf"
    main.write_text("events {}\nhttp { include enabled/*; }\n")
    reads = Reads(tmp_path / "x")
    from young_lantern.dialects import named

    reading = named("nginx").read(main)
    assert list(reading.texts) == ["nginx.conf", "enabled/a"]
    assert reading.inactive == ()
    main.write_text("events {}\nhttp {\n  include nginx.conf;\n}\n")
    with pytest.raises(SourceUnreadable, match=r"nginx.conf:3: the include of nginx.conf leads back to itself"):
        named("nginx").read(main)
    main.write_text("events {}\nhttp {\n\n  include missing.conf;\n}\n")
    with pytest.raises(SourceUnreadable, match=r"nginx.conf:4: included file missing.conf: there is no such file"):
        named("nginx").read(main)
    assert reads.decide("nginx", nginx("return 200;"), site=SITE).status == 200


WORDS = [
    "",
    "x",
    "/",
    "/a",
    "~",
    "=",
    "$host",
    "$1",
    "404",
    "=200",
    "@n",
    "on",
    "off",
    "1h",
    "-1",
    "8m",
    "http://a",
    "http://$x/",
    "(",
    "($a",
    "=",
    "b)",
    "!-f",
    "max",
    "default",
    "{{ a }}",
    "${B}",
    "*.a",
    "~^(",
    "ssl",
    "443",
    "[::]:80",
    "unix:/s",
    "always",
    "'q r'",
]


# Other examples with each content of the package, so that one content has one result.
@seed(int(content_of_the_package()[:12], 16))
@settings(max_examples=400, database=None, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(
        st.tuples(
            st.sampled_from(sorted(catalogue.NAMES)),
            st.lists(st.sampled_from(WORDS), max_size=3),
            st.sampled_from("hsli"),
            st.booleans(),
        ),
        max_size=6,
    )
)
def test_no_words_bring_the_reader_down(reads: Reads, rows: list[tuple[str, list[str], str, bool]]) -> None:
    """Any directive, with any words, in any block: findings, or one clear error; the ledger still adds up."""
    blocks = {
        letter: "".join(
            f"{name} {' '.join(word or chr(34) * 2 for word in words)}{' { }' if opens else ';'}\n"
            for name, words, within, opens in rows
            if within == letter
        )
        for letter in "hsli"
    }
    text = f"events {{}}\nhttp {{\n{blocks['h']}server {{\n{blocks['s']}location / {{\n{blocks['l']}if ($a) {{\n{blocks['i']}}}\n}}\n}}\n}}\n"
    try:
        translation = reads.translate(text)
    except LanternError as error:
        assert "\n" not in str(error) and "nginx.conf" in str(error)
        return
    assert {entry.span for entry in translation.ledger} == {claim.span for claim in translation.reading.claims}


TABLES = """
    map $uri $moved { default ""; /old /fresh; "~^/p/(?<rest>.*)$" /q/$rest; /Two /three; }
    map $http_user_agent $bot { default 0; ~*(crawler|spider) 1; Exact 1; }
    map $host $tenant { hostnames; default www; .fernhollow.example own; loans.* loans; }
    map $bot$moved $both { default none; 1/fresh both; }
    geo $inside { default 0; 192.0.2.0/24 1; 192.0.2.10 2; }
    map $self $self { default x; }
"""


@pytest.mark.parametrize(
    ("text", "target", "fields", "body"),
    [
        ("$moved", "/old", {}, "/fresh"),
        ("$moved", "/OLD", {}, "/fresh"),
        ("$moved", "/p/a/b", {}, "/q/a/b"),
        ("$moved", "/none", {}, ""),
        ("$bot", "/", {"User-Agent": "A Spider"}, "1"),
        ("$bot", "/", {"User-Agent": "exact"}, "1"),
        ("$bot", "/", {}, "0"),
        ("$both", "/old", {"User-Agent": "Exact"}, "both"),
        ("$tenant", "/", {}, "own"),
        ("$inside", "/", {}, "2"),
    ],
)
def test_tables(reads: Reads, text: str, target: str, fields: dict[str, str], body: str) -> None:
    """Texts ignore case and come before patterns; the longest network holds; tables may look at tables."""
    outcome = reads.decide("nginx", nginx(f'return 200 "{text}";', TABLES), target, fields=fields)
    assert outcome.body == body and not outcome.gave_up


def test_a_table_of_itself_is_not_read(reads: Reads) -> None:
    outcome = reads.decide("nginx", nginx('return 200 "$self";', TABLES))
    assert outcome.gave_up


@pytest.mark.parametrize(
    ("location", "method", "status"),
    [
        ("limit_except GET { deny all; } root ROOT;", "GET", 200),
        ("limit_except GET { deny all; } root ROOT;", "HEAD", 200),
        ("limit_except GET { deny all; } root ROOT;", "DELETE", 403),
        ("limit_except GET { allow 192.0.2.0/24; deny all; } return 200 x;", "DELETE", 405),
        ("limit_except GET { allow 192.0.2.0/24; deny all; } proxy_pass http://192.0.2.1;", "DELETE", None),
        (
            "deny 192.0.2.10; limit_except POST { allow 192.0.2.10; deny all; } proxy_pass http://192.0.2.1;",
            "GET",
            None,
        ),
        (
            "deny 192.0.2.10; limit_except POST { allow 192.0.2.10; deny all; } proxy_pass http://192.0.2.1;",
            "POST",
            403,
        ),
    ],
)
def test_limits_of_methods(reads: Reads, location: str, method: str, status: int | None) -> None:
    """Other methods have rules of their own, and nothing of what is rewritten there."""
    outcome = reads.decide("nginx", nginx("root /none; location / { %s }" % location), "/", method)
    assert outcome.status == status if status else outcome.origin is not None


def test_named_error_pages_do_not_multiply(reads: Reads) -> None:
    """Each of ten pages would hold the nine others, and these the eight others …; none of them is in force there."""
    names = " ".join(f"error_page {400 + n} @e{n}; location @e{n} {{ return 200 e{n}; }}" for n in range(10))
    assert reads.decide("nginx", nginx(f"root ROOT; {names} location /x {{ return 403; }}"), "/x").body == "e3"


@pytest.mark.parametrize(("recurs", "status"), [("on", 200), ("off", 410)])
def test_error_pages_on_the_way_to_one(reads: Reads, recurs: str, status: int) -> None:
    """The place of the first error says whether a second one is looked up."""
    text = (
        f"recursive_error_pages {recurs}; location /x {{ error_page 403 = @a; return 403; }}"
        " location @a { error_page 410 = @b; return 410; } location @b { return 200 b; }"
    )
    assert reads.decide("nginx", nginx(text), "/x").status == status


def test_a_break_makes_the_locations_text_count_no_more(reads: Reads) -> None:
    text = "location /a/ { rewrite ^ /b?; break; proxy_pass http://192.0.2.1/c/; }"
    origin = reads.decide("nginx", nginx(text), "/a/x").origin
    assert origin is not None and origin.target == "/b"


def test_a_text_of_nothing_is_none(reads: Reads) -> None:
    """`return 404 ""` goes through the error pages; a text that comes out empty is final."""
    pages = "root ROOT; error_page 404 = @e; location @e { return 200 page; }"
    assert reads.decide("nginx", nginx(f'{pages} location /x {{ return 404 ""; }}'), "/x").body == "page"
    final = reads.decide("nginx", nginx(f'{pages} location /x {{ set $n ""; return 404 $n; }}'), "/x")
    assert (final.status, final.body) == (404, "")


def test_too_much_content_is_refused_before_a_slash_is_added(reads: Reads, tmp_path: Path) -> None:
    text = nginx("client_max_body_size 1k; location /api/ { proxy_pass http://192.0.2.1:81; }")
    long = {"Content-Length": "2000"}
    assert [reads.decide("nginx", text, "/api", "POST", fields).status for fields in ({}, long)] == [301, 413]
    rows = [("POST", "www.fernhollow.example", "/api", fields) for fields in ({}, long)]
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (2, [])


def test_names_of_variables_have_no_case(reads: Reads, tmp_path: Path) -> None:
    text = nginx('set $Kind one; location ~ ^/(?<Part>[a-z]+)$ { add_header X-Kind "$kind $PART $HTTP_HOST $cookie_Who $arg_Name"; return 200 ok; }')
    rows = [("GET", "www.fernhollow.example", f"/abc?{name}=1", {"Cookie": f"{name}=2; Who=3; who=4"}) for name in ("WHO", "name")]
    asked, wrong = disagreements("nginx", text, rows, tmp_path / "c")
    assert (asked, wrong) == (2, [])


@pytest.mark.parametrize("name", ["HTTP_AUTHORIZATION", "HTTPS", "Scheme"])
def test_no_variable_takes_the_name_of_one_of_nginx_itself(reads: Reads, name: str) -> None:
    host = f"SetEnvIf X-Probe ^(b+)$ {name}=$1\nHeader always set X-Seen %{{{name}}}e"
    written = "".join(translate(reads.write("apache", httpd(host)).parent, "nginx").writing.files.values())
    assert f"set $own_{name.lower()} $1;" in written


def test_expires_by_a_map(tmp_path: Path) -> None:
    table = "map $uri $kept { default 1h; ~\\.js$ off; ~\\.css$ max; /old -1; /then epoch; }"
    text = nginx('root ROOT; expires $kept; location / { return 200 ok; }', table)
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/", "/a.js", "/a.css", "/old", "/then")]
    asked, wrong = disagreements("nginx", text, rows, tmp_path / "c")
    assert (asked, wrong) == (len(rows), [])


REFERERS = """location ~ \\.html$ {
    valid_referers none blocked server_names *.partner.example friends.example/pics/ ~\\.tools\\.;
    if ($invalid_referer) { return 403; }
}
location /strict/ { valid_referers www.fernhollow.example; if ($invalid_referer = 1) { return 403; } return 204; }
"""


@pytest.mark.parametrize(
    ("target", "referer", "status"),
    [
        ("/a.html", None, 200), ("/a.html", "anonymised", 200), ("/a.html", "http://x", 200), ("/a.html", "https://WWW.fernhollow.example:8443/x", 200),
        ("/a.html", "https://elsewhere.example/", 403), ("/a.html", "https://www.partner.example", 200), ("/a.html", "https://partner.example", 403),
        ("/a.html", "http://friends.example/pics/1", 200), ("/a.html", "http://friends.example/PICS/1", 403), ("/a.html", "https://a.tools.example/", 200),
        ("/strict/", None, 403), ("/strict/", "ftp://www.fernhollow.example/", 403), ("/strict/", "http://www.fernhollow.example/x", 204),
    ],
)
def test_referers(reads: Reads, target: str, referer: str | None, status: int) -> None:
    """Names without case and port; the beginning of a path with case; what has no scheme, or is too short for a name, is a blocked one."""
    text = nginx(f"root ROOT; {REFERERS}")
    assert reads.decide("nginx", text, target, fields={"Referer": referer} if referer else {}).status == status


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_referers_in_another_dialect(reads: Reads, tmp_path: Path, target: str) -> None:
    reading = reads.read("nginx", nginx(f"root ROOT; {REFERERS}"))
    made = translate(reading.main, target)
    assert not [entry for entry in made.ledger if "referer" in entry.span.directive and entry.disposition.value == "unsupported"]
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=500)
    assert not live.surprises
    assert {row.answers[1].status for row in live.rows if row.request.field("Referer") and row.request.target.startswith("/strict/")} >= {204, 403}


QUERIES = nginx(
    "root ROOT;"
    " location /a { return 302 /x$is_args$args; } location /b { return 301 https://$host$uri$is_args$args; }"
    " location /c { set $whole $uri$is_args$args; return 302 https://b.example$whole; }"
    " location /d { proxy_pass http://pool$request_uri; } location /e { proxy_pass http://192.0.2.6:81${uri}$is_args$args; }"
    " location /f { try_files $uri /g$is_args$args; } location = /g { return 200 \"$uri $args\"; }"
    " location /h { rewrite ^/h/(.*)$ /g?r=$1 last; } location /i { rewrite ^/i/(.*)$ /g?r=$1 redirect; }",
    "upstream pool { server 192.0.2.5; }",
)
ODD_QUERIES = [
    ("GET", "www.fernhollow.example", f"/{letter}{tail}", {})
    for letter in "abcdefhi"
    for tail in ("", "?", "?q=1", "/x%20y?q=a&b", "/a&b", "/a%26b+c", "/%C3%A9?")
]


def test_queries_with_their_marks_and_what_captures_bring_into_them(reads: Reads) -> None:
    asked, wrong = disagreements("nginx", QUERIES.replace("ROOT", str(reads.root)), ODD_QUERIES, reads.folder / "asked")
    # A decoded path with a blank, or beyond ASCII, makes no request line: what an origin says to it is not foretold.
    assert (asked, wrong) == (len(ODD_QUERIES) - 2, [])


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_a_query_with_its_mark_is_carried(reads: Reads, target: str, tmp_path: Path) -> None:
    made = translate(reads.write("nginx", QUERIES), target, dialect="nginx")
    lost = {entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"}
    assert not {line for line in lost if "return 302 /x" in line or "$host$uri" in line or "${uri}" in line}
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=200)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []


RECURSIVE = (
    "error_page 403 404 405 @e; location /a { recursive_error_pages on; return 403; } location /b { return 403; } location /f { error_page 403 @f; recursive_error_pages on; return 403; }"
    " location @e { add_header X-E 1 always; return 404; } location @f { error_page 405 @g; add_header X-F 1 always; return 405; } location @g { add_header X-G 1 always; return 404; }"
)


@pytest.mark.parametrize("everywhere", ["", "recursive_error_pages on; "])
def test_a_page_for_an_error_may_lead_to_itself(reads: Reads, tmp_path: Path, everywhere: str) -> None:
    """Whether further pages are looked up is said where the error was made; where it is nowhere switched off, it ends with 500 after ten rounds."""
    text = nginx(f"root ROOT; {everywhere}{RECURSIVE}").replace("ROOT", str(reads.root))
    rows: list[tuple[str, str, str, dict[str, str]]] = [("GET", "www.fernhollow.example", target, {}) for target in ("/a", "/b", "/f")]
    asked, wrong = disagreements("nginx", text, rows, tmp_path / "c")
    assert wrong == []
    assert asked == 3 or everywhere


def test_a_redirect_of_a_rewrite_decodes_what_needs_no_escape(reads: Reads, tmp_path: Path) -> None:
    """Up to the query, whose mark may come out of what a capture found; a blank, and a letter beyond ASCII, stay encoded."""
    text = nginx("rewrite ^/a(.*)$ /docs$1? permanent; rewrite ^/b(.*)$ /docs?from=$1 redirect;")
    targets = ["/a/x+y", "/a/x&y", "/a/x%2By%20z", "/a%3Fx%2By", "/a/%25%2B", "/a/%7E%23", "/a/%C3%A9", "/b/x+y", "/b/x%20&y"]
    sent = [reads.decide("nginx", text, target).location or "" for target in targets[:4]]
    assert [location.partition("example")[2] for location in sent] == ["/docs/x+y", "/docs/x&y", "/docs/x+y%20z", "/docs?x%2By"]
    asked, wrong = disagreements("nginx", text, [("GET", "www.fernhollow.example", target, {}) for target in targets], tmp_path / "c")
    assert (asked, wrong) == (len(targets), [])


def test_what_else_a_listener_speaks_is_told(reads: Reads) -> None:
    reading = reads.read("nginx", nginx("return 204;", listen="listen 80 proxy_protocol backlog=9;"))
    found = [item for item in reading.findings if item.code.name == "value-unread"]
    assert [item.span.line for item in found if item.span] == [5] and "proxy_protocol" in found[0].message
    both = reads.read("nginx", nginx("return 204;", listen="listen [::]:80 ipv6only=off;")).estate.listeners
    only = reads.read("nginx", nginx("return 204;", listen="listen [::]:80;")).estate.listeners
    assert [listener.address for listener in (*both, *only)] == ["0.0.0.0", "::"]


def test_what_an_if_changed_is_forgotten_where_the_search_begins_again(reads: Reads, tmp_path: Path) -> None:
    """ngx_http_rewrite_module (1.22.1, probed): the page for an error finds its location anew, without the query that the `if` asked for."""
    text = nginx("root ROOT; error_page 405 =200 /missing; location / { if ($arg_x) { set $v 1; } try_files $uri $uri/ /missing; }")
    assert [reads.decide("nginx", text, "/loop?x=2", method).status for method in ("GET", "PUT")] == [404, 500]
    rows = [(method, "www.fernhollow.example", target, {}) for method in ("GET", "PUT") for target in ("/loop?x=2", "/loop")]
    assert disagreements("nginx", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (4, [])


@pytest.mark.parametrize(("lines", "told"), [
    ("location /protected/ { internal; alias ROOT/; }", ["/protected/"]),
    ("location / { location /deep/ { internal; } }", ["/deep/"]),
    ("error_page 404 /protected/404.html; location /protected/ { internal; }", []),
    ("location / { try_files $uri /protected/x; } location /protected/ { internal; }", []),
    ("location /a { rewrite ^/a/(.*)$ /protected/$1 last; } location /protected/ { internal; }", []),
    ("location /a { auth_request /ask; } location = /ask { internal; proxy_pass http://192.0.2.1:81; }", []),
    ("location / { try_files $file =404; } location /protected/ { internal; }", []),
    ("location @app { internal; }", []),
])
def test_places_that_only_origins_lead_to(reads: Reads, lines: str, told: list[str]) -> None:
    """X-Accel-Redirect, which no other server reads: what is sent by it would be gone."""
    if "auth_request" not in lines:  # without any origin nobody leads there
        assert not any(finding.code.name == "origins-lead-inside" for finding in reads.read("nginx", nginx(lines)).findings)
    findings = reads.read("nginx", nginx(lines + "location /app/ { proxy_pass http://192.0.2.7:81; }")).findings
    assert [finding.message.split(" leads to ")[1].split(",")[0] for finding in findings if finding.code.name == "origins-lead-inside"] == told


def test_an_if_without_a_handler_after_one_that_has_it(reads: Reads, tmp_path: Path) -> None:
    """The settings of the last true `if` hold, and the handler of the one before it, which has no origin there."""
    text = nginx("root ROOT; location / { if ($arg_a) { proxy_pass http://192.0.2.1:81; } if ($arg_b) { set $v 1; } }")
    assert [reads.decide("nginx", text, f"/a.html?{query}").status for query in ("a=1", "b=1", "a=1&b=1", "")] == [200, 200, 500, 200]
    rows = [("GET", "www.fernhollow.example", f"/a.html?{query}", {}) for query in ("a=1", "b=1", "a=1&b=1", "x=1")]
    assert disagreements("nginx", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (4, [])


def test_an_if_with_no_settings_after_one_that_has_some(reads: Reads, tmp_path: Path) -> None:
    """The last true `if` stands in the place of those before it, though it only sets a variable."""
    text = nginx("root ROOT; add_header X-B b always; location / { if ($arg_a) { add_header X-If 1; } if ($arg_b) { set $v 1; } return 204; }")
    told = [dict(reads.decide("nginx", text, f"/?{query}").fields) for query in ("a=1", "b=1", "a=1&b=1")]
    assert [(fields.get("x-if"), fields.get("x-b")) for fields in told] == [("1", None), (None, "b"), (None, "b")]
    rows = [("GET", "www.fernhollow.example", f"/?{query}", {}) for query in ("a=1", "b=1", "a=1&b=1", "x=1")]
    assert disagreements("nginx", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (4, [])
