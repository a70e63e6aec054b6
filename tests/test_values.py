"""Codecs, paths and patterns, row by row."""

from __future__ import annotations

import pytest

from young_lantern.behaviour import paths
from young_lantern.dialects.caddy import values as caddy
from young_lantern.dialects.nginx import values as nginx
from young_lantern.dialects.spelling import spell
from young_lantern.model import (
    Capture,
    HttpDate,
    PathReading,
    Pattern,
    Placeholder,
    Unread,
    Var,
    Variable,
    join,
    literal,
)
from young_lantern.model.placeholders import canonical, placeholder_names
from young_lantern.patterns import (
    beyond_re2,
    compiled,
    covered_prefix,
    examples,
    host_matches,
    literal_start,
    may_end_in_slash,
    problem,
    search,
    to_re2,
)
from young_lantern.patterns.engines import go_replacement
from young_lantern.source.plan import Plan


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("30", 30),
        ("30s", 30),
        ("1h30m", 5400),
        ("500ms", 0.5),
        ("2w", 1209600),
        ("1M", 2592000),
        ("1d 2h", 93600),
        ("", None),
        ("x", None),
        ("1x", None),
    ],
)
def test_nginx_time(text: str, seconds: float | None) -> None:
    assert nginx.read_time(text) == seconds


@pytest.mark.parametrize(
    ("text", "size"), [("8", 8), ("8k", 8192), ("8M", 8388608), ("1g", 1073741824), ("8mb", None), ("-1", None)]
)
def test_nginx_size(text: str, size: int | None) -> None:
    assert nginx.read_size(text) == size


@pytest.mark.parametrize(
    ("text", "template"),
    [
        ("a", ("a",)),
        ("$host", (Var(Variable.HOST),)),
        ("${host}x", (Var(Variable.HOST), "x")),
        ("https://$host$request_uri", ("https://", Var(Variable.HOST), Var(Variable.TARGET))),
        ("$1-$2", (Capture(1), "-", Capture(2))),
        ("${APP_PORT}", (Placeholder("${APP_PORT}"),)),
        ("{{ app }}:80", (Placeholder("{{ app }}"), ":80")),
        ("$arg_q", (Var(Variable.ARGUMENT, "q"),)),
        ("$http_x_probe", (Var(Variable.FIELD, "x-probe"),)),
        ("$cookie_a", (Var(Variable.COOKIE, "a"),)),
        ("$nonesuch", (Unread("$nonesuch"),)),
        ("a$", ("a$",)),
        ("$mine", (Var(Variable.VARIABLE, "mine"),)),
        ("$tail", (Capture("tail"),)),
    ],
)
def test_nginx_template(text: str, template: tuple) -> None:  # type: ignore[type-arg]
    assert nginx.read_template(text, frozenset({"mine"}), frozenset({"tail"})) == template


@pytest.mark.parametrize(
    ("text", "seconds"), [("10s", 10), ("1m30s", 90), ("250ms", 0.25), ("1d", 86400), ("10", None), ("x", None)]
)
def test_caddy_duration(text: str, seconds: float | None) -> None:
    assert caddy.read_duration(text) == seconds


@pytest.mark.parametrize(("size", "text"), [(1048576, "1MiB"), (8 * 1048576, "8MiB"), (2048, "2KiB"), (1000, "1000")])
def test_caddy_size_both_ways(size: int, text: str) -> None:
    assert caddy.write_size(size) == text
    assert caddy.read_size(text) == size


@pytest.mark.parametrize(
    ("text", "size"), [("8MB", 8000000), ("10", 10), ("1GiB", 2**30), ("8 MB", 8000000), ("x", None)]
)
def test_caddy_size(text: str, size: int | None) -> None:
    assert caddy.read_size(text) == size


@pytest.mark.parametrize(
    ("template", "text"),
    [
        (("a",), "a"),
        ((Var(Variable.HOST_SENT),), "{host}"),
        ((Var(Variable.TARGET),), "{uri}"),
        ((Var(Variable.FIELD, "X-A"), "b"), "{header.X-A}b"),
        ((Var(Variable.ARGUMENT, "q"),), "{query.q}"),
        ((Capture(1, "p1"),), "{re.files.1}"),
        (("x{y}",), "x\\{y\\}"),
        ((Var(Variable.CLIENT),), "{remote_host}"),
        ((Var(Variable.MEMBER),), "{upstream_hostport}"),
    ],
)
def test_caddy_template_is_written(template: tuple, text: str) -> None:  # type: ignore[type-arg]
    assert caddy.write_template(template, {"p1": "files"}) == text


@pytest.mark.parametrize(
    "part",
    [
        HttpDate(60),
        Unread("$x"),
        Capture(1, "unknown"),
        Var(Variable.QUERY_MARK),
        Var(Variable.POOL),
        Var(Variable.PORT),
    ],
)
def test_caddy_says_what_it_cannot_write(part: object) -> None:
    assert isinstance(caddy.write_template((part,), {}), caddy.Unwritable)  # type: ignore[arg-type]


def test_the_target_has_another_name_once_the_path_changed() -> None:
    assert caddy.write_template((Var(Variable.TARGET),), {}, rewritten=True) == "{http.request.orig_uri}"


@pytest.mark.parametrize(
    ("text", "style", "out"),
    [
        ("${PORT}", None, "${PORT}"),
        ("${PORT}", "{$NAME}", "{$PORT}"),
        ("{{ app_host }}", "{env.NAME}", "{env.app_host}"),
        ("{{ host | default('x') }}", None, "{{ host | default('x') }}"),
        ("{$PORT:8080}", None, "{$PORT:8080}"),
    ],
)
def test_placeholders_are_spelt_as_asked(text: str, style: str | None, out: str) -> None:
    assert spell(text, style) == out


@pytest.mark.parametrize(
    ("text", "quoted"),
    [
        ("a", "a"),
        ("a b", '"a b"'),
        ("", '""'),
        ('a"b', '`a"b`'),
        ("#x", '"#x"'),
        ("\\.png$", "\\.png$"),
        ("{", '"{"'),
        ("a`b c", '"a`b c"'),
    ],
)
def test_caddy_quoting(text: str, quoted: str) -> None:
    assert caddy.quote(text) == quoted


NGINX_READING, RAW = PathReading(), PathReading(merges_slashes=False, resolves_dots=False, refuses_upward=False)


@pytest.mark.parametrize(
    ("raw", "reading", "path"),
    [
        ("/a", NGINX_READING, "/a"),
        ("//a///b", NGINX_READING, "/a/b"),
        ("/a/../b", NGINX_READING, "/b"),
        ("/../a", NGINX_READING, None),
        ("/a/./b/.", NGINX_READING, "/a/b/"),
        ("/%41%2Fb", NGINX_READING, "/A/b"),
        ("/%zz", NGINX_READING, None),
        ("/a/%2e%2e/b", NGINX_READING, "/b"),
        ("/a//b", RAW, "/a//b"),
        ("/a/../b", RAW, "/a/../b"),
        ("a", NGINX_READING, None),
        ("/a%00", NGINX_READING, None),
    ],
)
def test_how_a_path_is_read(raw: str, reading: PathReading, path: str | None) -> None:
    assert paths.read_path(raw, reading) == path


@pytest.mark.parametrize(
    ("path", "cleaned"),
    [("/a//b", "/a/b"), ("/a/.", "/a"), ("/a/..", "/"), ("/a/../", "/"), ("/", "/"), ("//", "/"), ("/../x", "/x")],
)
def test_clean_is_go_clean(path: str, cleaned: str) -> None:
    assert paths.clean(path) == cleaned


@pytest.mark.parametrize(
    ("raw", "prefix", "rest"),
    [
        ("/api/x", "/api", "/x"),
        ("/API/x", "/api", "/x"),
        ("/%61pi/x", "/api", "/x"),
        ("/apx", "/api", "/apx"),
        ("/api", "/api", ""),
    ],
)
def test_stripping(raw: str, prefix: str, rest: str) -> None:
    assert paths.without_prefix(raw, prefix) == rest


@pytest.mark.parametrize(
    ("path", "wire"), [("/a b", "/a%20b"), ("/é", "/%C3%A9"), ("/a%b", "/a%25b"), ("/a;b+c", "/a;b+c")]
)
def test_escaping(path: str, wire: str) -> None:
    assert paths.escaped(path, PathReading().escapes) == wire
    assert paths.decoded(wire) == path


@pytest.mark.parametrize(
    ("text", "beyond"),
    [
        (r"\.png$", None),
        (r"^/(a|b)/(?<rest>.*)$", None),
        (r"(?=x)", "look-around"),
        (r"/\.(?!git)", None),
        (r"^(?!/api)", None),
        (r"(?!a)b", "look-around"),
        (r"(a)\1", "back-reference"),
        (r"a++", "possessive repeat"),
        (r"(?>a)", "atomic group"),
        (r"[[:alpha:]]+\d{2,3}", None),
    ],
)
def test_what_re2_has_not(text: str, beyond: str | None) -> None:
    assert beyond_re2(text) == beyond


@pytest.mark.parametrize("text", ["(", "[a", "a**b)", "(?P<x", "*a"])
def test_what_no_engine_reads(text: str) -> None:
    assert problem(Pattern(text)) is not None
    assert search(Pattern(text), "anything") is None


def test_re2_gets_names_and_case_its_own_way() -> None:
    assert to_re2(Pattern(r"(?<a>x)(?<!y)", ignores_case=True)).text == r"(?i)(?P<a>x)(?<!y)"


@pytest.mark.parametrize(
    "text", [r"/\.(?!well-known)", r"^/(?!api/).*$", r"^/(?!(admin|api)/)", r"^/(?!ab|cd)", r"^(?!/api)"]
)
def test_not_followed_by_is_spelt_out(text: str) -> None:
    """Where RE2 has no look-ahead the words are spelt out, and just the same paths match."""
    plain = to_re2(Pattern(text))
    assert "(?!" not in plain.text
    for path in (
        "/",
        "/.",
        "/.w",
        "/.well",
        "/.well-known",
        "/.well-known/x",
        "/a",
        "/ap",
        "/api",
        "/api/",
        "/api/x",
        "/admin",
        "/admin/",
        "/adm",
        "/ab",
        "/ac",
        "/cd",
        "/.well-known/.git",
    ):
        assert bool(search(plain, path)) == bool(search(Pattern(text), path)), path


def test_a_pattern_that_runs_away_is_stopped() -> None:
    assert search(Pattern(r"^(a|a)*(a|a)*(a|a)*$"), "a" * 60 + "b") is None


@pytest.mark.parametrize(
    "text",
    [
        r"\.(css|js)$",
        r"^/manuals/(\w+)\.pdf$",
        r"^/(a|b)/?$",
        r"\d+",
        r"^/x{2,3}/[^/]+$",
        r"(?i)\.PNG$",
        r"^(.*)\.htm$",
    ],
)
def test_examples_match(text: str) -> None:
    made = examples(Pattern(text))
    assert made
    assert all(search(Pattern(text), example) for example in made)


@pytest.mark.parametrize(
    ("text", "start", "slash", "covers"),
    [
        (r"^/a/(.*)$", "/a/", True, "/a/"),
        (r"^/a/(.+)$", "/a/", True, ""),
        (r"\.php$", "", False, ""),
        (r"^/a", "/a", True, "/a"),
        (r"/b/?$", "", True, ""),
        (r"^/x\.(png|jpg)$", "/x.", False, ""),
        (r"^/[ab]", "/", True, ""),
    ],
)
def test_what_is_known_of_a_pattern(text: str, start: str, slash: bool, covers: str) -> None:
    assert literal_start(Pattern(text)) == start
    assert may_end_in_slash(Pattern(text)) is slash
    assert covered_prefix(Pattern(text)) == covers


@pytest.mark.parametrize(("template", "out"), [("$1-${2}", "a-b"), ("$$", "$"), ("$1x", ""), ("$9", "")])
def test_go_replacement(template: str, out: str) -> None:
    assert compiled(Pattern("(a)(b)", "re2")).sub(go_replacement(template), "ab") == out


@pytest.mark.parametrize(
    ("name", "host", "one_label", "fits"),
    [
        ("a.example", "a.example", True, True),
        ("*.example", "a.example", True, True),
        ("*.example", "b.a.example", True, False),
        ("*.example", "b.a.example", False, True),
        ("*.example", ".example", False, False),
        ("a.*", "a.example", False, True),
        ("a.*", "a.", False, False),
        ("*", "x", True, True),
    ],
)
def test_host_names(name: str, host: str, one_label: bool, fits: bool) -> None:
    assert host_matches(name, host, one_label) is fits


def test_templates_join() -> None:
    assert join("a", "b", (Var(Variable.HOST),), "", "c") == ("ab", Var(Variable.HOST), "c")
    assert literal(("a", Placeholder("${X}"))) == "a${X}"
    assert literal((Var(Variable.HOST),)) is None


def test_a_plan_moves_what_it_is_asked_for(tmp_path) -> None:  # type: ignore[no-untyped-def]
    ports = iter(range(20000, 20010))
    plan = Plan(tmp_path, lambda: next(ports), files=(("/srv/a/", tmp_path),), fills={"PORT": "81"})
    assert plan.port("80") == plan.port("80") == 20000
    assert plan.origin("192.0.2.1:80") == "127.0.0.1:20001"
    assert plan.path("/srv/a/x") == f"{tmp_path}/x"
    assert plan.path("/srv/ab") == "/srv/ab"
    assert plan.fill("${PORT} {{ PORT }} {$PORT} {env.PORT} ${OTHER}") == "81 81 81 81 ${OTHER}"
    assert canonical("${A}:{$B}:{{ host | default('x') }}") == "_a_:_b_:_host_default_x_"
    assert placeholder_names(["${PORT} ${host} {{ app }}"]) == {"PORT", "app"}
