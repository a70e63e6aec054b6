"""What an nginx line becomes in a Caddyfile, and that every line of the source is accounted for."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.generate_nginx import NginxSource
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.dialects.caddy.order import sort_items
from young_lantern.fitting import disjoint
from young_lantern.dialects.caddy.writer.output import Node, Output
from young_lantern.dialects.dialect import WriterOptions
from young_lantern.fitting import hoist, leaves, unroll
from young_lantern.ledger import counted, make_ledger
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import ALWAYS, AnyOf, Disposition, HostIs, PathForm, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern, Severity
from young_lantern.translate import read, save, translate

LINES = [
    ("return 301 https://$host$request_uri;", ["redir https://{host}{uri} 301"]),
    ("location = /x { return 200 ok; }", ["handle /x {", 'respond "ok" 200']),
    ("location /x/ { return 404; }", ["handle /x/* {", "error 404"]),
    ("location ~* \\.(css|js)$ { return 204; }", ["@css_js path_regexp css_js (?i)\\.(css|js)$", "handle @css_js {"]),
    (
        "root ROOT; location / { try_files $uri $uri/ /index.html; }",
        ["root * ROOT", "try_files {path} {path}/ /index.html", "file_server"],
    ),
    (
        "root ROOT; location / { try_files $uri @app; } location @app { proxy_pass http://192.0.2.1:80; }",
        ["@found file {path}", "handle @found {", "reverse_proxy 192.0.2.1:80 {"],
    ),
    ("root ROOT; autoindex on;", ["file_server browse"]),
    ("root ROOT; index a.html b.html;", ["index a.html b.html"]),
    ("rewrite ^/old/(.*)$ /new/$1 last;", ["@old path_regexp old ^/old/(.*)$", "rewrite @old /new/{re.old.1}"]),
    ("rewrite ^/old/(?<rest>.*)$ /new/$rest?k=v last;", ["rewrite @old /new/{re.old.rest}?k=v&{query}"]),
    ("location /api/ { proxy_pass http://192.0.2.1:80/; }", ["handle_path /api/* {"]),
    ("location /api/ { proxy_pass http://192.0.2.1:80/v1/; }", ["handle_path /api/* {", "rewrite /v1{uri}"]),
    (
        "location / { proxy_pass http://192.0.2.1:80; proxy_set_header Host $host; proxy_set_header X-Probe $http_x_a; }",
        ["header_up X-Probe {header.x-a}"],
    ),
    (
        "location / { proxy_pass http://192.0.2.1:80; proxy_hide_header X-Powered-By; proxy_buffering off; proxy_read_timeout 90s; }",
        ["header_down -X-Powered-By", "read_timeout 90s", "flush_interval -1"],
    ),
    (
        "location / { proxy_pass https://192.0.2.1; }",
        ["reverse_proxy https://192.0.2.1:443 {", "tls_insecure_skip_verify"],
    ),
    (
        "location / { proxy_pass http://192.0.2.1; proxy_redirect http://a.example/ /b/; }",
        ["header_down Location ^http://a\\.example/ /b/"],
    ),
    ("client_max_body_size 8m; location / { proxy_pass http://192.0.2.1; }", ["max_size 8MiB"]),
    ("root ROOT; add_header X-A 1 always;", ["header X-A 1"]),
    ("root ROOT; add_header X-A 'a b';", ["header {", 'X-A "a b"', "defer"]),
    (
        "root ROOT; gzip on; gzip_min_length 256; gzip_types text/css;",
        ["encode gzip {", "minimum_length 256", "header Content-Type text/css*"],
    ),
    (
        "root ROOT; location /s/ { deny 198.51.100.0/24; }",
        ["@denied remote_ip 198.51.100.0/24", "handle @denied {", "error 403"],
    ),
    ("root ROOT; location /s/ { allow 192.0.2.0/24; deny all; }", ["@denied not remote_ip 192.0.2.0/24"]),
    (
        "root ROOT; error_page 404 /404.html;",
        ["handle_errors {", "@error_404 expression `{err.status_code} == 404`", "rewrite * /404.html"],
    ),
    ("root ROOT; location /h { access_log off; }", ["skip_log"]),
    ("access_log /var/log/x.log; return 204;", ["log {", "output file /var/log/x.log"]),
    ("if ($http_user_agent ~* bot) { return 403; } return 204;", ["header_regexp user_agent_bot user-agent (?i)bot"]),
    ("if ($request_method = POST) { return 405; } return 204;", ["method POST"]),
    (
        "if ($host = fernhollow.example) { return 301 https://www.fernhollow.example/; } return 204;",
        ["host fernhollow.example"],
    ),
    ("if ($args) { return 204; } return 205 x;", ['expression `{query} in ["", "0"]`']),
    ("location ~ /\\.(?!git) { deny all; }", ["path_regexp git /\\.(?:$|[^g]|g(?:$|[^i]|i(?:$|[^t])))", "error 403"]),
    ("root ROOT; location /m { alias ROOT/dir; }", ["handle /m* {", "redir /m /m/ 301", "uri strip_prefix /m"]),
    ("location ~ ^/go(.*)$ { return 302 /$1; }", ["redir @go {scheme}://{hostport}/{re.go.1} 302"]),
    ("location = /f { alias ROOT/a.html; }", ["handle /f {", "rewrite * /a.html"]),
    ("location /m/ { alias ROOT/dir/; }", ["handle_path /m/* {", "root * ROOT/dir"]),
    ("location ~ ^/u/(\\w+)$ { alias ROOT/$1.html; }", ["root * ROOT", "rewrite * /{re.u.1}.html"]),
]


@pytest.mark.parametrize(("server", "lines"), LINES, ids=[row[0][:60] for row in LINES])
def test_lines(reads: Reads, server: str, lines: list[str]) -> None:
    """These lines stand in the site's file, in this order."""
    text = reads.caddy(server)
    at = 0
    for line in lines:
        found = next(
            (number for number, written in enumerate(text.splitlines()[at:], at) if line in written.strip()), None
        )
        assert found is not None, f"{line!r} is not in\n{text}"
        at = found


@pytest.mark.parametrize(
    ("server", "disposition", "code"),
    [
        ("limit_req zone=often;", "unsupported", "no-counterpart"),
        ("location ~ (?=y)y { return 204; }", "unsupported", "pattern-beyond-engine"),
        ("location / { proxy_pass http://p; }", "unsupported", "no-counterpart"),
        ("root ROOT; expires 1h;", "changed", "expires-date-lost"),
        ("access_log /x fernhollow;", "changed", "log-format-differs"),
        ("location /api/ { return 204; }", "changed", "path-case-ignored"),
        ("client_max_body_size 1m; location / { proxy_pass http://192.0.2.1; }", "changed", "body-limit-when-read"),
        ("default_type text/plain; root ROOT;", "kept", None),
        ("error_log /x;", "manual", None),
        ("keepalive_timeout 3;", "implied", None),
        (
            "location / { proxy_pass http://192.0.2.1; proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; }",
            "changed",
            "client-chain-not-trusted",
        ),
        ("types { text/x a; } root ROOT;", "unsupported", None),
        ("proxy_passs x;", "unsupported", "directive-unknown"),
        ("return 200 $gzip_ratio;", "unsupported", "variable-unread"),
    ],
)
def test_what_is_not_simply_kept(reads: Reads, server: str, disposition: str, code: str | None) -> None:
    ledger = reads.translate(
        nginx(server, "client_max_body_size 0; upstream p { least_conn; server 192.0.2.1 weight=2; server 192.0.2.2; } log_format fernhollow $uri; limit_req_zone $uri zone=often:1m rate=1r/s;")
    ).ledger
    assert any(
        entry.disposition.value == disposition
        and (code is None or (entry.finding is not None and entry.finding.code.name == code))
        for entry in ledger
    )


def test_strict_reproduces_accidents(reads: Reads) -> None:
    server = (
        "location /Api/ { proxy_pass http://192.0.2.1; proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; }"
    )
    relaxed, strict = reads.caddy(server), reads.caddy(server, strict=True)
    assert "handle /Api/* {" in relaxed and "bind" not in relaxed
    assert (
        "path_regexp" in strict
        and "^/Api/" in strict
        and "trusted_proxies 0.0.0.0/0 ::/0" in strict
        and "bind 0.0.0.0" in strict
    )


def test_placeholders_come_out_as_asked(reads: Reads) -> None:
    text = nginx("location / { proxy_pass http://${APP}:{{ port }}; }", listen="listen ${WEB_PORT};")
    kept, asked = reads.translate(text), reads.translate(text, placeholder="{$NAME}")
    assert 'reverse_proxy ${APP}:{{ port }} {' in "".join(kept.writing.files.values())
    assert "reverse_proxy {$APP}:{$port}" in "".join(asked.writing.files.values())
    assert "http://www.fernhollow.example:{$WEB_PORT}" in "".join(asked.writing.files.values())
    assert not asked.comparison.undecided


def test_values_cannot_break_out_of_their_place(reads: Reads) -> None:
    """Braces, quotes and line breaks of the source stay values."""
    for body in ("a } b", 'x" y', "`x`", "{env.SECRET}", "a\\nb } respond 1", "# no comment"):
        translation = reads.translate(nginx("return 200 '%s';" % body))
        assert len(translation.read_back.estate.sites) == 1
        assert reads.decide("nginx", nginx("return 200 '%s';" % body)).body == body.replace("\\n", "\n")


def test_the_ledger_adds_up(sample: tuple[Path, Path]) -> None:
    """Each directive of the sample has an entry, none is left unwritten, and targets are lines that are there."""
    translation = translate(sample[0], "caddy")
    spans = {entry.span for entry in translation.ledger}
    assert spans == {claim.span for claim in translation.reading.claims}
    assert sum(counted(translation.ledger).values()) == len(spans)
    assert not [entry for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"]
    for entry in translation.ledger:
        for file, first, last in entry.targets:
            assert 1 <= first <= last <= len(translation.writing.files[file].splitlines())
    kept = [entry for entry in translation.ledger if entry.disposition is Disposition.KEPT]
    assert all(entry.targets or entry.reason or entry.finding for entry in kept)


def test_a_writer_that_forgets_is_found_out(reads: Reads) -> None:
    """A directive that an answer depends on, without lines and without a word, is `not-written`."""
    translation = reads.translate(nginx("root ROOT; add_header X-A 1;"))
    span = next(entry.span for entry in translation.ledger if entry.span.directive.startswith("add_header"))
    translation.writing.targets.pop(span)
    entries = make_ledger(translation.reading, translation.writing, "caddy")
    assert [entry.finding.code.name for entry in entries if entry.span == span and entry.finding] == ["not-written"]


def test_lines_that_places_share_have_all_their_sources(reads: Reads) -> None:
    """Fields written alike at several places become one snippet: each is said to have gone to it."""
    places = " ".join(
        f"location /{name}/ {{ add_header X-A {name[:1]}; return 200 a; }}\n" for name in ("a1", "a2", "a3")
    )
    translation = reads.translate(nginx(places))
    wheres = [entry.targets for entry in translation.ledger if entry.span.directive.startswith("add_header")]
    assert len(wheres) == 3 and all(len(targets) == 2 for targets in wheres)
    assert "(fields)" in translation.writing.files["Caddyfile"]


@pytest.mark.parametrize("seed", range(0, 60, 6))
def test_fitting_loses_no_answer(tmp_path: Path, seed: int) -> None:
    """Each generated program is fitted within bounds, and read back the new configuration has as many listeners."""
    (tmp_path / "nginx.conf").write_text(NginxSource(seed, "/srv").text)
    translation = translate(tmp_path, "caddy", options=WriterOptions())
    for site in translation.reading.estate.sites:
        chain, lost = unroll(site.program)
        assert len(list(leaves(hoist(chain)))) <= 700
        assert all(item.reason for item in lost)
    assert {listener.port for listener in translation.read_back.estate.listeners} <= {
        listener.port for listener in translation.reading.estate.listeners
    }
    assert translation.read_back.findings == [] or all(
        item.code.severity.value != "breaking" for item in translation.read_back.findings
    )


def test_order_in_all_versions() -> None:
    """`/q*` before `/q` in 2.6, the other way round later; what has a matcher comes before what has none."""
    short, long, rest = (
        Node(["handle", "/q"], [], paths=("/q",)),
        Node(["handle", "/q*"], [], paths=("/q*",)),
        Node(["handle"], []),
    )
    assert sort_items([rest, short, long]) == [long, short, rest]
    assert sort_items([rest, long, short], stem_first=True) == [short, long, rest]
    redirect = Node(["redir", "/x", "/y"], paths=("/x",))
    assert sort_items([rest, redirect]) == [redirect, rest]


@pytest.mark.parametrize(
    ("one", "other", "apart"),
    [
        (PathIs("/a"), PathIs("/b"), True),
        (PathIs("/a"), PathIs("/A"), False),
        (PathStartsWith("/a/"), PathStartsWith("/b/"), True),
        (PathStartsWith("/a"), PathIs("/ab"), False),
        (AnyOf((PathIs("/a"), PathIs("/b"))), PathIs("/c"), True),
        (PathMatches(Pattern("^/a/.*")), PathStartsWith("/b"), True),
        (PathMatches(Pattern("x$")), PathIs("/b"), True),
        (PathMatches(Pattern("[XY]$")), PathIs("/bx"), False),
        (PathMatches(Pattern("^/(a|b)/")), PathMatches(Pattern("^/[c-z]/.*")), True),
        (PathGlob("*.php"), PathStartsWith("/b"), False),
        (PathIs("/a", form=PathForm.URL), PathIs("/b"), False),
        (PathGlob("/a/*"), PathMatches(Pattern("^/(?!a)")), True),
        (HostIs(("a",)), PathIs("/b"), False),
        (ALWAYS, ALWAYS, False),
    ],
)
def test_disjoint(one, other, apart: bool) -> None:  # type: ignore[no-untyped-def]
    assert disjoint(one, other) is apart


def test_output_knows_its_lines() -> None:
    from young_lantern.model import Span

    span = Span("x", 1)
    output = Output()
    output.write("f", [Node(["a"], [Node(["b"], comments=("why",)), Node(["c"], spans=(span,))])], ("head",))
    assert output.files["f"] == "# head\na {\n\t# why\n\tb\n\tc\n}\n"
    assert output.targets[span] == [("f", 5, 5)]


ERRORS = (
    "server { listen 80 default_server; server_name www.fernhollow.example; root ROOT; error_page 404 /404.html; if (-f ROOT/closed.html) { return 503; } error_page 503 /404.html; }\n"
    "server { listen 80; server_name loans.fernhollow.example; root ROOT; location /x { return 403; } }\n"
    "server { listen 80; server_name shop.fernhollow.example; root ROOT; error_page 403 /404.html; location /x { return 403; } }\n"
)


def test_pages_for_errors_are_of_their_own_site(reads: Reads, tmp_path: Path) -> None:
    """Caddy would give those of the site for all hosts to every site that has none."""
    made = translate(reads.write("nginx", nginx("return 204;", ERRORS, name="server_name other.example;")), "caddy", dialect="nginx")
    save(made.writing.files, tmp_path / "new")
    after = read(tmp_path / "new")
    live = check_live(made.reading, after, most=200)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []
    assert not [cause.summary for cause in made.comparison.causes if cause.severity is Severity.BREAKING and cause.summary.startswith("status")]
    for host, target, file in (("loans", "/none", None), ("loans", "/x", None), ("www", "/none", "404.html"), ("shop", "/x", "404.html"), ("shop", "/none", None)):
        outcome = decide(after.estate, request_for(f"http://{host}.fernhollow.example{target}"), real_files())
        assert (outcome.file or "").rpartition("/")[2] == (file or "")
    sites = "".join(text for name, text in made.writing.files.items() if name.startswith("sites/"))
    # A file that is named whole is asked for below the root of all folders, in the pages for errors, too.
    assert sites.count("closed.html") == sites.count("root /\n")


@pytest.mark.parametrize(
    ("nginx_line", "caddy_line"),
    [("hash $request_uri consistent;", "lb_policy uri_hash"), ("hash $http_x_tenant consistent;", "lb_policy header X-Tenant"), ("ip_hash;", "lb_policy ip_hash"), ("least_conn;", "lb_policy least_conn")],
)
def test_members_chosen_by_a_key(reads: Reads, nginx_line: str, caddy_line: str) -> None:
    """By the target, a field or the client in both, and back again; httpd, which has no such way, is told of."""
    source = nginx("location / { proxy_pass http://app; }", f"client_max_body_size 0; upstream app {{ {nginx_line} server 192.0.2.1:81; server 192.0.2.2:81; }}")
    made = translate(reads.write("nginx", source), "caddy")
    written = "\n".join(made.writing.files.values())
    assert caddy_line in written
    assert not [item for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
    back = translate(reads.write("caddy", caddy(f"reverse_proxy 192.0.2.1:81 192.0.2.2:81 {{\n{caddy_line}\n}}")), "nginx")
    assert nginx_line in "\n".join(back.writing.files.values())
    told = {item.code.name for item in translate(reads.write("nginx", source), "apache").findings}
    assert bool(told & {"pool-policy-differs", "clients-kept-otherwise"}) is (nginx_line != "least_conn;")


def test_a_key_that_is_not_read(reads: Reads) -> None:
    reading = reads.read("nginx", nginx("location / { proxy_pass http://app; }", "upstream app { hash $cookie_id; server 192.0.2.1:81; server 192.0.2.2:81; }"))
    assert [item.code.name for item in reading.findings] == ["value-unread"]


@pytest.mark.parametrize(
    ("dialect", "text", "most"),
    [
        ("apache", httpd("\n".join(f'<Location /p{number}>\nErrorDocument 404 "none in {number}"\n</Location>' for number in range(8))), 9),
        ("caddy", caddy("root * ROOT\n" + "\n".join(f"header /p{number}/* X-P{number} v" for number in range(8)) + "\nfile_server"), 9),
        ("caddy", caddy("root * ROOT\n" + "\n".join(f"header /p{number}/* X-P v\nerror /p{number}/gone 410" for number in range(8)) + "\nfile_server"), 25),
    ],
)
def test_places_apart_are_not_multiplied(reads: Reads, dialect: str, text: str, most: int) -> None:
    """A path that lies in one of them lies in none of the others: the ways through grow with their number, and do not double with each."""
    (site,) = [site for site in reads.read(dialect, text).estate.sites if site.names and "www" in site.names[0].text]
    assert len(list(leaves(unroll(site.program)[0]))) == most


def test_what_lies_below_another_place_is_still_in_it(reads: Reads) -> None:
    """Lines for a place and for one below it both count there, in each target."""
    text = caddy("root * ROOT\nheader /dir/* X-Outer v\nheader /dir/x* X-Inner v\nheader /DIR/* X-Also v\nheader /di* X-Wide v\nfile_server")
    main = reads.write("caddy", text)
    for target in ("nginx", "apache"):
        made = translate(main, target, dialect="caddy")
        fields = dict(decide(made.read_back.estate, request_for("http://www.fernhollow.example/dir/x.txt"), real_files()).fields)
        # httpd's sections mind case, which is told.
        assert {"x-outer", "x-inner", "x-wide"} | ({"x-also"} if target == "nginx" else set()) == set(fields) - {"content-type"}
        assert not check_live(made.reading, made.read_back, most=60).surprises
