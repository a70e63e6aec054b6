"""What counts as a difference; and that planted faults in the translated sample are found."""

from __future__ import annotations

import random
from dataclasses import replace
from pathlib import Path

import pytest

from tests.support.faults import faulty, some_request, words_of
from tests.support.reading import Reads, nginx
from tests.test_media_types import PAGES
from young_lantern.behaviour import Facts, OriginRequest, Outcome, Request, decide, real_files, request_for
from young_lantern.behaviour.balancing import Choice
from young_lantern.behaviour.compare import Reason, compare_estates, compare_requests
from young_lantern.behaviour.deployment import as_deployed
from young_lantern.behaviour.differences import differences, resolved
from young_lantern.behaviour.request import BESIDES, Assumed, assumed
from young_lantern.behaviour.request_files import read_requests
from young_lantern.behaviour.witnesses import assumptions, find_witnesses
from young_lantern.demo import unpack
from young_lantern.dialects import named
from young_lantern.errors import LanternError
from young_lantern.lab.live import check_live
from young_lantern.model import Estate, FileKind, Refuse, Severity
from young_lantern.translate import Translation, save, translate
from young_lantern.translate import read as read_estate

GET = request_for("http://www.fernhollow.example/a?b")


def origin(**changes: object) -> OriginRequest:
    return OriginRequest(
        **{
            "addresses": ("192.0.2.1:80",),
            "secure": False,
            "method": "GET",
            "target": "/a",
            "fields": (("host", "a"),),
            **changes,
        }
    )  # type: ignore[arg-type]


ROWS = [
    (Outcome(200), Outcome(200), []),
    (Outcome(200), Outcome(404), ["breaking status"]),
    (Outcome(301, "/x"), Outcome(308, "/x"), ["minor status"]),
    (Outcome(403), Outcome(404), ["minor status"]),
    (Outcome(301, "/x"), Outcome(301, "http://www.fernhollow.example/x"), []),
    (Outcome(301, "/x"), Outcome(301, "/y"), ["breaking location"]),
    (Outcome(None), Outcome(200), ["breaking status"]),
    (Outcome(200, file="/a"), Outcome(200, file="/a"), []),
    (Outcome(200, file="/a"), Outcome(200, file="/b"), ["breaking file"]),
    (Outcome(200, body="a"), Outcome(200, body="b"), ["breaking content"]),
    (Outcome(200, origin=origin()), Outcome(200, origin=origin()), []),
    (Outcome(200, origin=origin()), Outcome(200, file="/a"), ["breaking answered by"]),
    (Outcome(200, origin=origin()), Outcome(200, origin=origin(target="/b")), ["breaking target at the origin"]),
    (Outcome(200, origin=origin()), Outcome(200, origin=origin(addresses=("192.0.2.2:80",))), ["breaking origin"]),
    (
        Outcome(200, origin=origin()),
        Outcome(200, origin=origin(fields=(("host", "b"),))),
        ["breaking field host to the origin"],
    ),
    (
        Outcome(200, origin=origin()),
        Outcome(200, origin=origin(fields=(("host", "a"), ("x-forwarded-proto", "http")))),
        ["minor field x-forwarded-proto to the origin"],
    ),
    (Outcome(200, origin=origin(fields=(("connection", "close"), ("host", "a")))), Outcome(200, origin=origin()), []),
    (
        Outcome(200, origin=origin(choice=Choice("round robin"))),
        Outcome(200, origin=origin(choice=Choice("random"))),
        ["minor choice of the origin"],
    ),
    (
        Outcome(200, origin=origin(mapped_back="/a")),
        Outcome(200, origin=origin(mapped_back="http://app/a")),
        ["breaking redirects of the origin"],
    ),
    (Outcome(200, fields=(("x-a", "1"),)), Outcome(200), ["breaking field x-a"]),
    (Outcome(200), Outcome(200, fields=(("x-a", "1"),)), ["minor field x-a"]),
    (
        Outcome(200, fields=(("cache-control", "a"), ("cache-control", "b"))),
        Outcome(200, fields=(("cache-control", "a, b"),)),
        [],
    ),
    (
        Outcome(200, fields=(("expires", "x"),)),
        Outcome(200, fields=(("cache-control", "max-age=1"),)),
        ["minor field cache-control", "minor field expires"],
    ),
    (Outcome(200, coding="gzip"), Outcome(200), ["minor content coding"]),
    (Outcome(200, file="/a", listing=True), Outcome(200, file="/a"), ["breaking listing"]),
]


@pytest.mark.parametrize(("before", "after", "found"), ROWS)
def test_differences(before: Outcome, after: Outcome, found: list[str]) -> None:
    assert [f"{item.severity.value} {item.what}" for item in differences(before, after, GET)] == found


@pytest.mark.parametrize(
    ("location", "absolute"),
    [
        ("/x", "http://www.fernhollow.example/x"),
        ("x", "http://www.fernhollow.example/x"),
        ("?q", "http://www.fernhollow.example/a?q"),
        ("HTTP://WWW.Fernhollow.Example:80/x", "http://www.fernhollow.example/x"),
        ("https://a.example:443", "https://a.example"),
        ("//a.example/x", "http://a.example/x"),
        ("/x y", "http://www.fernhollow.example/x%20y"),
        ("/é/", "http://www.fernhollow.example/%C3%A9/"),
        (None, None),
    ],
)
def test_locations_are_resolved(location: str | None, absolute: str | None) -> None:
    assert resolved(location, GET) == absolute


def test_assumptions_do_not_contradict_themselves() -> None:
    """What is a file is no folder with a slash behind it; a root is a folder in every world."""
    for what in Assumed:
        facts = assumed(what, frozenset({"index.html"}), frozenset({"/srv"}))
        assert facts.lookup("/srv/") is facts.lookup("/srv") is FileKind.FOLDER
        for path in ("/srv/x", "/srv/x.html", "/srv/x/index.html"):
            if facts.lookup(path) is FileKind.FILE:
                assert facts.lookup(path + "/") is None
    assert assumed(Assumed.NOTHING, frozenset()).lookup("/x") is None


def test_witnesses_stand_at_every_boundary(reads: Reads) -> None:
    server = "location = /exact { return 204; } location /pre/ { return 204; } location ~ \\.pdf$ { return 204; } rewrite ^/old/(.*)$ /new/$1; if ($http_x_probe = yes) { return 403; } location /s { deny 198.51.100.0/24; }"
    estate = reads.read("nginx", nginx(server, name="server_name www.fernhollow.example *.fernhollow.example;")).estate
    rows = find_witnesses(estate, estate).rows
    targets = {row.request.target for row in rows}
    assert {
        "/exact",
        "/exactx",
        "/exact/",
        "/EXACT",
        "/pre/",
        "/pre",
        "/prex",
        "/pre/x",
        "/.pdf",
        "/.pdfx",
        "/pre/.pdf",
        "/old/",
        "/",
        "/exact?q=1",
        "/x%2Fy",
        "//x",
    } <= targets
    assert {"www.fernhollow.example", "a.fernhollow.example", "b.a.fernhollow.example", "other-name.example"} <= {
        row.request.host for row in rows
    }
    assert {"GET", "HEAD", "POST", "DELETE"} == {row.request.method for row in rows}
    assert (("X-Probe", "yes"),) in {row.request.fields for row in rows}
    assert {"192.0.2.10", "198.51.100.9"} == {row.request.client for row in rows}
    assert {what.value for what in Assumed if what not in (*BESIDES, Assumed.PACKED)} <= {row.facts.name for row in rows}


def test_an_estate_is_like_itself(reads: Reads, sample: tuple[Path, Path]) -> None:
    estate = named("nginx").read(sample[0] / "nginx.conf").estate
    comparison = compare_estates(estate, estate)
    assert comparison.requests == comparison.same > 3000
    assert not comparison.causes and not comparison.undecided


# A fault in the translated sample: (file, text, in its place, what must be among the differences)
FAULTS = [
    ("www", "redir https://www.fernhollow.example{uri} 301", "redir https://www.fernhollow.example{uri} 302", "status"),
    ("www", "redir https://www.fernhollow.example{uri} 301", "redir https://www.fernhollow.example 301", "location"),
    ("www", "try_files {path} /catalogue/index.html", "try_files {path} /index.html", "file"),
    ("www", "max-age=2592000", "max-age=3600", "field cache-control"),
    ("www", "handle /catalogue/*", "handle /catalogue*", "status"),
    ("www", "handle /health", "handle /healthz", "status"),
    ("www", "rewrite @tool /catalogue/tools/{re.tool.1}", "rewrite @tool /catalogue/tool/{re.tool.1}", None),
    ("www", 'respond "ok" 200', 'respond "OK" 200', "content"),
    ("www", "(?i)\\.(css|js|svg|woff2)$", "\\.(css|js|svg)$", "field cache-control"),
    ("www", "rewrite * /not-found.html", "rewrite * /index.html", "file"),
    ("loans", "handle_path /api/v1/*", "handle /api/v1/*", "target at the origin"),
    ("loans", "rewrite /interface{uri}", "rewrite /interfaces{uri}", "target at the origin"),
    ("loans", "not remote_ip 192.0.2.0/24 2001:db8:17::/48", "not remote_ip 192.0.0.0/16", "status"),
    ("loans", "header_up X-Real-IP {remote_host}", "header_up X-Real {remote_host}", "field x-real-ip to the origin"),
    ("loans", "header +Strict-Transport-Security max-age=31536000", "", "field strict-transport-security"),
    ("loans", "lb_policy round_robin", "lb_policy random", "choice of the origin"), ("loans", "lb_retries 1", "", "choice of another origin"),
    ("loans", "192.0.2.22:8080", "192.0.2.24:8080", "origin"),
    ("media", "file_server browse", "file_server", "status"),
    ("media", "rewrite * /robots-media.txt", "rewrite * /robots.txt", "file"),
    ("media", "error 404", "respond 410", "status"),
    ("media", "try_files {path} /photos/none.svg", "try_files {path}", "status"),
    ("workshops", "handle @php", "handle @phpx", None),
    ("workshops", "(?i)feedfetcher", "feedfetcherx", "status"),
    ("fernhollow-tools", "/catalogue/{re.tools.1}", "/catalog/{re.tools.1}", "location"),
]


@pytest.fixture(scope="module")
def sound(sample: tuple[Path, Path]) -> Translation:
    return translate(sample[0], "caddy")


def only(estate: Estate, name: str) -> Estate:
    """The part of an estate that answers hosts whose name begins so."""
    return replace(
        estate,
        listeners=tuple(
            replace(
                listener,
                rows=tuple(row for row in listener.rows if row.host.text.startswith((name, f"*.{name}"))),
                fallback=Refuse(),
            )
            for listener in estate.listeners
        ),
    )


@pytest.mark.parametrize(
    ("file", "text", "instead", "what"), FAULTS, ids=[f"{row[0]}: {row[1][:30]}" for row in FAULTS]
)
def test_planted_faults_are_found(
    sound: Translation, tmp_path: Path, file: str, text: str, instead: str, what: str | None
) -> None:
    """A fault shows as a cause that the sound translation does not have."""
    files = dict(sound.writing.files)
    name = next(name for name in files if name.startswith(f"sites/{file}"))
    assert text in files[name], files[name]
    files[name] = files[name].replace(text, instead)
    if "@php" in text:
        files[name] = files[name].replace("handle @phpx", "handle /nothing")
    save(files, tmp_path)
    before = only(sound.reading.estate, file)
    causes = [
        compare_estates(before, only(after, file)).causes
        for after in (sound.read_back.estate, named("caddy").read(tmp_path / "Caddyfile").estate)
    ]
    known, seen = (
        {(item.what, item.before, item.after, cause.reason) for cause in found for item in cause.differences}
        for found in causes
    )
    assert seen - known
    if what is not None:
        assert what in {item[0] for item in seen - known}


@pytest.mark.parametrize("target", ["caddy", "apache", "nginx"])
def test_faults_that_many_requests_see_are_found(target: str, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    """Random single faults in the translated sample: whatever 4,000 random requests see, the comparison finds. `--conformance N`: faults."""
    root, _ = unpack(tmp_path / "sample", "caddy" if target == "nginx" else "nginx")
    translation = translate(root, target)
    sites = sorted(name for name in translation.writing.files if name.startswith("sites/"))
    sound = as_deployed(translation.read_back.estate)
    words = words_of([translation.writing.files[name] for name in sites])
    chosen = random.Random(7)
    asked = [(some_request(words, chosen), number % 4) for number in range(4000)]
    read = seen = found = 0
    missed = []
    for seed in range(request.config.getoption("--conformance") or 4):
        source = random.Random(seed)
        name = source.choice(sites)
        text = faulty(translation.writing.files[name], source)
        folder = tmp_path / str(seed)
        save({**translation.writing.files, name: text}, folder)
        try:
            wrong = as_deployed(read_estate(folder, target).estate)
        except LanternError:
            continue  # the server would not start with it
        facts = list(assumptions(sound, wrong).values())
        by_many = next((str(row) for row, fact in asked if unlike(sound, wrong, row, facts[fact])), None)
        by_classes = any(unlike(sound, wrong, row.request, row.facts) for row in find_witnesses(sound, wrong).rows)
        read, seen, found = read + 1, seen + (by_many is not None), found + by_classes
        if by_many and not by_classes:
            missed.append((seed, name, by_many))
    print(f"\n{target}: {read} faults read, {seen} seen by 4,000 random requests, {found} found by the comparison")
    assert read and not missed, missed


def unlike(one: Estate, other: Estate, row: Request, facts: Facts) -> bool:
    return bool(differences(decide(one, row, facts), decide(other, row, facts), row))


def test_a_switch_that_is_a_file_hides_nothing(reads: Reads) -> None:
    """With the file there both are closed; without it, as on every day, they differ, and that breaks."""
    lines = "root ROOT; if (-f ROOT/closed.html) { return 503; } location /shop/ { proxy_pass http://192.0.2.%s:81; }"
    causes = compare_estates(*(reads.read("nginx", nginx(lines % number)).estate for number in (1, 2))).causes
    assert {cause.severity for cause in causes if cause.differences[0].what == "origin"} == {Severity.BREAKING}


def test_reasons(reads: Reads) -> None:
    """One cause for each feature of a request that makes the difference, not one for each request."""
    comparison = reads.translate(nginx("root ROOT; location /Files/ { expires 1h; }", PAGES)).comparison
    reasons = {cause.reason for cause in comparison.causes}
    assert {Reason.CASE, Reason.METHOD} <= reasons
    assert all(cause.severity is Severity.MINOR for cause in comparison.causes)
    assert len(comparison.causes) < 13


LEFT = "location /a/ { return 204; } location /b/ { return 410; } location /c/ { return 503; } location /d/ { deny all; } location / { return 200 x; }"
LEADS = "if ($cookie_mark) { return 302 /signed-in/; }"


@pytest.mark.parametrize(("behind", "entries"), [(LEFT, 1), ("location / { return 200 x; }", 2)])
def test_a_line_that_is_lost_is_one_difference_whatever_comes_instead(reads: Reads, behind: str, entries: int) -> None:
    """Of few ways each stays for itself."""
    before, after = (reads.read("nginx", nginx(lines)).estate for lines in (f"{LEADS} {behind}", behind))
    found = [cause for cause in compare_estates(before, after).of(Severity.BREAKING) if cause.before.status == 302]
    assert len(found) == entries
    instead = {number for cause in found for number in cause.summary.partition("302 becomes ")[2].replace(" or ", ", ").split(", ")}
    assert instead == ({"200", "204", "403", "410", "413", "503"} if entries == 1 else {"200", "413"})
    assert sum(cause.requests for cause in found) > 10 and {place[0].line for cause in found for place in cause.places} == {7}


def test_what_a_look_for_files_comes_to_stays_apart(reads: Reads) -> None:
    """The root's line decides them all: a page that is missing, a folder without its slash, one that shows nothing. Each that is lost is a matter of its own."""
    lines = ("root /srv/none;", f"root /srv/none; {LEFT}".replace("/ { return 200 x; }", "/ { autoindex on; try_files $uri @else; } location @else { return 302 /x; }"))
    causes = compare_estates(*(reads.read("nginx", nginx(text)).estate for text in lines)).causes
    of_files = [cause.summary.partition(";")[0] for cause in causes if cause.before.decided_by is not None and cause.before.decided_by.line == 7 and cause.before.status in (301, 403, 404)]
    assert len(of_files) > 6 and not [summary for summary in of_files if " or " in summary]


def test_requests_of_your_own(reads: Reads, tmp_path: Path) -> None:
    """A JSON Lines file is compared in its order; a wrong line is an error with its number."""
    path = tmp_path / "requests.jsonl"
    path.write_text(
        '{"url": "http://www.fernhollow.example/b", "method": "post", "fields": {"X-A": "1"}}\n\n{"url": "http://www.fernhollow.example/a"}\n'
    )
    requests = read_requests(path)
    assert [(request.method, request.target, request.fields) for request in requests] == [
        ("POST", "/b", (("X-A", "1"),)),
        ("GET", "/a", ()),
    ]
    one, other = (
        reads.read("nginx", nginx(f"location /a {{ return 20{n} x; }} location / {{ return 404; }}")).estate
        for n in (1, 2)
    )
    pairs = compare_requests(one, other, requests, assumed(Assumed.NOTHING, frozenset()))
    assert [[f"{item.what} {item.before} {item.after}" for item in pair.differences] for pair in pairs] == [
        [],
        ["status 201 202"],
    ]
    for line, words in [
        ("{", "not JSON"),
        ("[]", "no object with a url"),
        ('{"url": "ftp://x/"}', "http or https"),
        ('{"url": "http://a/", "x": 1}', "unknown member 'x'"),
        ('{"url": "http://a/", "fields": {"a": 1}}', "fields"),
        ('{"url": "http://a/", "method": "G T"}', "method"),
        ("[" * 100000, "nested"),
    ]:
        path.write_text('{"url": "http://a.example/"}\n' + line + "\n")
        with pytest.raises(LanternError, match=r"requests.jsonl:2: ") as caught:
            read_requests(path)
        assert words in str(caught.value) or words == "nested"
    with pytest.raises(LanternError, match="there is no such file"):
        read_requests(tmp_path / "none")


def test_a_program_that_is_asked_no_longer_breaks(reads: Reads) -> None:
    """Its forms are sent by other methods than GET, which a proxy that changed leaves alone."""
    one, other = (reads.read("nginx", nginx(f"location / {{ {limit} proxy_pass http://192.0.2.1:81; }}")).estate for limit in ("", "limit_except GET { deny all; }"))
    assert [cause for cause in compare_estates(one, other).causes if cause.reason is Reason.METHOD and cause.severity is Severity.BREAKING]


def test_a_folder_is_no_file_with_a_slash(reads: Reads) -> None:
    """Without an index file one answers with the page of a fallback, the other refuses: that breaks, however a file's path with a slash fares."""
    one = reads.read("nginx", nginx("root ROOT; location / { try_files $uri $uri/index.html /index.html; }")).estate
    other = reads.read("nginx", nginx("root ROOT; location / { try_files $uri $uri/ /index.html; }")).estate
    found = [cause for cause in compare_estates(one, other).causes if cause.summary.startswith("status: 200 becomes 403")]
    assert [(cause.severity, cause.reason) for cause in found] == [(Severity.BREAKING, Reason.OTHER)]


@pytest.mark.parametrize(("before", "after", "severity"), [("q=$uri", "q=%2Fx", Severity.MINOR), ("q=$uri&", "q=%2Fx", Severity.MINOR), ("q=1", "q=2", Severity.BREAKING), ("$uri", "%2Fx", Severity.BREAKING)])
def test_queries_by_their_arguments(reads: Reads, before: str, after: str, severity: Severity) -> None:
    """What a program reads out of its query counts, not how it is percent-encoded; an origin gets a target as it is written, which links may be signed for."""
    site = "location = /x {{ {}; }} location / {{ return 404; }}"
    for line, what, wanted in (("proxy_pass http://192.0.2.1:81/p?{}", "target at the origin", Severity.BREAKING), ("fastcgi_param QUERY_STRING {}; fastcgi_pass 192.0.2.1:9000", "parameter QUERY_STRING", severity)):
        one, other = (reads.read("nginx", nginx(site.format(line.format(query)))).estate for query in (before, after))
        found = [item for pair in compare_requests(one, other, [request_for("http://www.fernhollow.example/x")], real_files()) for item in pair.differences]
        assert [(item.what, item.severity) for item in found if item.what == what] == [(what, wanted)]


def test_what_goes_out_again_is_asked_in_all_spellings(reads: Reads) -> None:
    """A mark that a group brings in cuts Caddy's redirect, and httpd decodes what a folder's rule makes: each way is asked, where no condition speaks of it."""
    made = translate(reads.write("nginx", nginx("location /a/ { rewrite ^/a/(.*)$ /b/$1 permanent; } location /o/ { proxy_pass http://192.0.2.1:81/v1/; }")), "caddy")
    asked = {row.request.target for row in find_witnesses(made.reading.estate, made.read_back.estate).rows}
    for place in ("/a/", "/o/"):
        assert {f"{place}{spelt}" for spelt in ("%20y", "%25", "%2579", "%3Fy", "%23y", "%C3%A9", "%26y", "%2By", "+y", ";y")} <= asked
    cut = [cause for cause in made.comparison.causes if cause.reason is Reason.ENCODED_MARK]
    assert [(cause.severity, cause.example.target) for cause in cut] == [(Severity.BREAKING, "/a/%3Fy")]
    assert not check_live(made.reading, made.read_back, most=600).surprises


@pytest.mark.parametrize(("one", "other", "severity"), [("/b/%26x", "/b/&x", Severity.MINOR), ("/b/%2bx", "/b/%2Bx", None), ("/b/%2Bx", "/b/+x", Severity.MINOR), ("/b/%2Cx", "/b/,x", Severity.BREAKING), ("/b/%3Bx", "/b/;x", Severity.BREAKING), ("/b?x=%26", "/b?x=&", Severity.BREAKING), ('/b/"x', "/b/%22x", None)])
def test_another_spelling_of_the_same_path_is_minor(one: str, other: str, severity: Severity | None) -> None:
    """`&` for `%26`, but not what programs part things by, nor anything in a query."""
    request = request_for("http://www.fernhollow.example/")
    found = differences(Outcome(302, location=one), Outcome(302, location=other), request)
    assert [item.severity for item in found] == ([severity] if severity else [])
