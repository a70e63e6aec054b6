"""Languages hold what engines find, walks meet every combination, and the comparison finds whatever brute force finds."""

from __future__ import annotations

import itertools
import random
from dataclasses import replace

import pytest

from tests.support.generate_nginx import NginxSource
from tests.support.reading import Reads, nginx
from tests.support.small_pairs import REQUESTS, planted, small
from young_lantern.behaviour import Request, decide, real_files, route_index
from young_lantern.behaviour.aspects import aspects
from young_lantern.behaviour.compare import Reason, compare_estates
from young_lantern.behaviour.differences import Difference, differences
from young_lantern.behaviour.path_classes import path_classes
from young_lantern.behaviour.request import Assumed, placed, placed_again
from young_lantern.behaviour.witnesses import assumptions, find_witnesses
from young_lantern.behaviour.wording import paths_in_words
from young_lantern.model import FileKind, PathMatches, PathStartsWith, Pattern
from young_lantern.patterns import search
from young_lantern.patterns.languages import Languages
from young_lantern.patterns.path_languages import exclude_each_other, follows
from young_lantern.patterns.reach import emptied, reach
from young_lantern.patterns.regular import Reading

TEXTS = ["".join(text) for length in range(6) for text in itertools.product("/aB.", repeat=length)]
PATTERNS = [
    "", "a", "^a", "a$", "^$", "^a$|^/$", r"\.", "^/(a|B)+/", "[^a]", "^[^/]*$", "a{2}", "a{2,}/", "^(/a){1,2}$", "(?!a)", "^/(?!a)", "^(?!.*a)", "(?=.*B)a",
    "(?i)b", "(?i:b)a", "a(?i:b)", "^.?$", "^(a|^B)", "(a|B$).?$", r"\Aa", r"a\z", "(a*)*B", "^(.*)/(.*)$", "a|", r"\w\W",
]  # fmt: skip


@pytest.mark.parametrize("ignores_case", [False, True])
@pytest.mark.parametrize("text", PATTERNS)
def test_a_language_holds_what_the_engine_finds(text: str, ignores_case: bool) -> None:
    pattern = Pattern(text, ignores_case=ignores_case)
    languages = Languages()
    found = Reading(languages).found_in(pattern)
    assert found.exact
    wrong = [seen for seen in TEXTS if languages.after(found.language, seen).nullable != (search(pattern, seen) is not None)]
    assert wrong == []


@pytest.mark.parametrize("text", [r"(a)\1", "(?<=a)B", r"a\b", "(?>a)", "a++", "a(?i)b", "a{100}", "^/(?:a(?!B))*$"])
def test_what_is_not_regular_is_said_and_missed_by_no_text(text: str) -> None:
    languages = Languages()
    found = Reading(languages).found_in(Pattern(text))
    assert not found.exact
    assert [seen for seen in TEXTS if search(Pattern(text), seen) and not languages.after(found.language, seen).nullable] == []


@pytest.mark.parametrize("text", [r"[\r\n]", r"^/a[\x00-\x1f]", r"/\x7f", "[\u0100-\u0200]", r"/a\t"])
def test_what_no_readable_text_holds_is_never_taken_for_impossible(reads: Reads, text: str) -> None:
    """A guard against line ends stays, though no request of the comparison can meet it; and the comparison says so."""
    assert follows(Pattern(text), "/", "", ()) is None
    assert not exclude_each_other(PathMatches(Pattern(text)), PathStartsWith("/a"))
    lines = f'location ~ {text} {{ return 400; }} location / {{ return 204; }}'
    translation = reads.translate(nginx(lines))
    # nginx itself reads `\\n` in a word as a line end.
    assert [what.startswith("the pattern ") for what in translation.comparison.sampled] == [True]
    assert "400" in next(text for name, text in translation.writing.files.items() if name.startswith("sites/"))


CHALLENGES = Pattern(r"^/\.well-known/acme-challenge/")


@pytest.mark.parametrize(("stem", "said"), [(None, None), (((), ()), None), (((), (CHALLENGES,)), False), (((CHALLENGES,), ()), True), (((Pattern("^/loans/$"),), ()), False)])
def test_what_a_file_of_a_folder_is_called(stem: tuple[tuple[Pattern, ...], tuple[Pattern, ...]] | None, said: bool | None) -> None:
    """Of a path that ends in /index.html some texts are none of the challenges' and others are, unless more is known of its folder."""
    assert follows(CHALLENGES, "/", "/index.html", (), stem) is said


def made_pattern(source: random.Random, depth: int = 3) -> str:
    pick = source.randrange(9 if depth else 4)
    inner = [made_pattern(source, depth - 1) for _ in range(2)] if pick >= 4 else ["", ""]
    return ["a", "/", "[^a]", ".", "".join(inner), f"({inner[0]}|{inner[1]})", f"({inner[0]})*", f"^{inner[0]}", f"({inner[0]}){{1,2}}$"][pick]


@pytest.mark.parametrize("seed", range(40))
def test_every_combination_that_a_short_text_has_is_met(seed: int) -> None:
    """Four patterns at once: whatever brute force meets is met, by a text that is no longer and has just these properties."""
    source = random.Random(seed)
    patterns = [Pattern(made_pattern(source)) for _ in range(4)]
    languages = Languages()
    reading = Reading(languages)
    reached = reach(languages, [reading.found_in(pattern).language for pattern in patterns], languages.any, 5000)
    assert reached.complete

    def held(text: str) -> frozenset[int]:
        return frozenset(number for number, pattern in enumerate(patterns) if search(pattern, text))

    brute: dict[frozenset[int], str] = {}
    for text in TEXTS:
        brute.setdefault(held(text), text)
    assert {key: text for key, text in brute.items() if key not in reached.texts or len(reached.texts[key]) > len(text)} == {}
    assert {key: held(text) for key, text in reached.texts.items()} == {key: key for key in reached.texts}


def test_a_walk_that_was_ended_says_so() -> None:
    languages = Languages()
    reading = Reading(languages)
    wanted = [reading.found_in(Pattern(f"{letter}.*{letter}")).language for letter in "abcdefgh"]
    assert not reach(languages, wanted, languages.any, 500).complete
    assert emptied(languages, languages.both(*wanted), 100) is None
    assert emptied(languages, languages.both(languages.word("a"), languages.word("b")), 100) is True


def test_paths_behind_rewrites_are_traced_back(reads: Reads) -> None:
    lines = r"rewrite ^/old/(.*)$ /new/$1 last; rewrite ^/(\w+)/shop$ /new/$1.html last; location = /new/saw { return 201; } location ~ ^/new/\d+\.html$ { return 202; }"
    site = reads.read("nginx", nginx(lines)).estate.sites[0]
    found = path_classes([site])
    assert found.complete and not found.loose
    assert "/old/saw" in found.held and "/0/shop" in found.held
    caddy = reads.read("caddy", "{\n\tauto_https off\n}\nhttp:// {\n\thandle_path /shop/* {\n\t\trespond /saw 1\n\t\terror 404\n\t}\n}\n")
    assert "/shop/saw" in path_classes([caddy.estate.sites[0]]).held


def test_what_is_asked_besides_the_path(reads: Reads) -> None:
    lines = """if ($http_x_shop = a) { return 201; } if ($http_x_shop ~ ^a) { return 202; } set $who $cookie_Who; if ($who = staff) { return 203; }
        if ($arg_page ~ ^\\d+$) { return 204; } if ($args ~ "^debug") { return 205; } if ($host = "old.fernhollow.example") { return 206; }
        location /in/ { deny 192.0.2.0/24; } client_max_body_size 1k; if ($request_method = PURGE) { return 207; }"""
    site = reads.read("nginx", nginx(lines)).estate.sites[0]
    found = aspects([site], ["www.fernhollow.example", "old.fernhollow.example", "a.example"])
    assert not found.loose
    assert found.values == {
        ("field", "x-shop"): [None, "a", "ax"],
        ("cookie", "Who"): [None, "staff"],
        ("argument", "page"): [None, "0"],
        ("query", ""): [None, "debug"],
        ("host", ""): ["www.fernhollow.example", "old.fernhollow.example"],
        ("client", ""): ["192.0.2.10", "192.0.3.9"],
        ("length", ""): [None, "1025"],
        ("method", ""): ["GET", "POST", "PURGE"],
    }


def test_conditions_on_several_parts_meet_together(reads: Reads) -> None:
    """A field, an argument and a cookie that only count together; and two files of which one hides the other."""
    one = "location /x { if ($http_a$arg_b ~ ^yz) { return 201; } return 404; }"
    nested = "set $f ''; if ($http_a = y) { set $f a; } if ($arg_b = z) { set $f ${f}b; } if ($f = ab) { return 20%s; } root ROOT; try_files $uri $uri.html %s =404;"
    estates = [reads.read("nginx", nginx(nested % words)).estate for words in [("1", "/y.txt"), ("2", "/y.txt"), ("1", "/z.txt")]]
    before, other_status, other_file = estates
    causes = compare_estates(before, other_status).causes
    assert {item.what for cause in causes for item in cause.differences} == {"status"}
    assert causes[0].example.field("A") == "y" and causes[0].example.target.endswith("?b=z")
    files = {cause.facts for cause in compare_estates(before, other_file).causes}
    assert {f"there: {reads.root}/{name}.txt" for name in "yz"} <= files
    together = [reads.read("nginx", nginx(words)).estate for words in (one, one.replace("201", "202"))]
    causes = compare_estates(*together).causes
    assert [(cause.example.target, cause.where) for cause in causes] == [("/x?b=yz", "GET, a path that begins with /x")]
    assert ("y", "/x?b=z") in {(row.request.field("A"), row.request.target) for row in find_witnesses(*together).rows}
    mixed = "if ($host$uri = www.fernhollow.example/deep) { return 20%s; } location / { return 404; }"
    causes = compare_estates(*(reads.read("nginx", nginx(mixed % number)).estate for number in (1, 2))).causes
    assert [cause.example.target for cause in causes] == ["/deep"]


def test_facts_that_are_placed() -> None:
    facts = placed({"/srv/a.html": FileKind.FILE, "/srv/b,c": FileKind.FOLDER, "/srv/d": None}, frozenset({"/srv"}))
    again = placed_again(facts.name, frozenset({"/srv"}))
    assert facts.name == "there: /srv/a.html, /srv/b%2Cc/" and again is not None
    for known in (facts, again):
        seen = {path: known.lookup(path) for path in ("/srv", "/srv/a.html", "/srv/A.html", "/srv/a.html/", "/srv/b,c/", "/srv/d", "/srv/e")}
        assert list(seen.values()) == [FileKind.FOLDER, FileKind.FILE, FileKind.FILE, None, FileKind.FOLDER, None, None]
    assert placed_again("a file", frozenset()) is None
    assert placed({}, frozenset()).name == Assumed.NOTHING.value


def test_whatever_brute_force_finds_the_comparison_finds(reads: Reads, request: pytest.FixtureRequest) -> None:
    """Small configurations and the same with a fault planted: all short requests, with all kinds of files, in both. `--conformance N`: pairs."""
    pairs = differing = 0
    missed: dict[int, object] = {}
    for seed in range(request.config.getoption("--conformance") or 24):
        source = random.Random(seed)
        text = small(source)
        wrong = planted(text, source)
        before, after = (reads.read("nginx", words).estate for words in (text, wrong))
        brute: dict[str, str] = {}
        for asked in REQUESTS:
            for known in assumptions(before, after).values():
                for item in differences(decide(before, asked, known), decide(after, asked, known), asked):
                    example = f"{asked} {asked.fields} {known.name}: {item.before} becomes {item.after}"
                    brute.setdefault(shown(item), example)
        found = set()
        for row in find_witnesses(before, after).rows:
            outcomes = row.outcomes or tuple(decide(estate, row.request, row.facts) for estate in (before, after))
            found |= {shown(item) for item in differences(*outcomes, row.request)}
        pairs, differing = pairs + 1, differing + bool(brute)
        if more := {what: example for what, example in brute.items() if what not in found}:
            missed[seed] = (more, text, wrong)
    print(f"\n{pairs} pairs, {differing} differ, in {len(missed)} a kind of difference was missed")
    assert differing > pairs / 2
    # docs/comparison.md has the share over a long run.
    assert len(missed) <= pairs // 100, missed


def shown(item: Difference) -> str:
    """A kind of difference: of statuses each change is one."""
    return f"status {item.before} {item.after}" if item.what == "status" else item.what


def test_classes_are_counted(reads: Reads) -> None:
    """Below /a or not, and at the end b, a slash or neither: each of these paths once, and the root."""
    lines = "client_max_body_size 0; location /a { return 201; } location ~ b$ { return 202; } location / { return 204; }"
    estate = reads.read("nginx", nginx(lines)).estate
    found = find_witnesses(estate, estate)
    assert [row.request.target for row in found.rows if row.outcomes] == ["/", "/x", "/a", "/b", "/x/", "/ab", "/a/"]
    assert found.classes == 7 and not found.sampled


@pytest.mark.parametrize(
    ("lines", "changed", "words"),
    [
        ("location /loans/ { return 201; }", "location /loans/ { return 202; }", "any method, a path that begins with /loans/"),
        (r"location ~ \.pdf$ { return 201; } location /a/ { return 201; }", r"location /a/ { return 201; }", r"any method, a path that matches \.pdf$, but not one that begins with /a/"),
        ("location = /a { return 201; } location = /b { return 201; }", "location = /a { return 202; } location = /b { return 202; }", ""),
        ("if ($request_method = POST) { return 201; }", "", "POST, any path"),
        ("if ($http_x_shop = a) { return 201; } location /x { return 201; }", "location /x { return 201; }", "GET, any path, but not one that begins with /x"),
    ],
)  # fmt: skip
def test_differences_say_which_requests_they_are(reads: Reads, lines: str, changed: str, words: str) -> None:
    one, other = (reads.read("nginx", nginx(f"client_max_body_size 0; {text} location / {{ return 404; }}")).estate for text in (lines, changed))
    if r"\.pdf" in lines:
        one = reads.read("nginx", nginx(f"client_max_body_size 0; {lines.replace('location /a/', 'location ^~ /a/')} location / {{ return 404; }}")).estate
    found = [cause.where for cause in compare_estates(one, other).causes if cause.reason is Reason.OTHER or words.startswith("POST")]
    assert found == [words]


@pytest.mark.parametrize("seed", range(12))
def test_an_index_changes_no_outcome(reads: Reads, monkeypatch: pytest.MonkeyPatch, seed: int) -> None:
    monkeypatch.setattr(route_index, "_FROM_ROUTES", 1)
    source = NginxSource(seed, str(reads.root))
    estate = reads.read("nginx", source.text).estate
    index = route_index.RouteIndex()
    for method, host, target, fields in source.requests(150):
        request = Request(method, "http", host, 80, target, tuple(fields.items()))
        full, short = decide(estate, request, real_files()), decide(estate, request, real_files(), index=index)
        assert replace(full, trace=()) == replace(short, trace=())
        assert [entry for entry in full.trace if entry.held is not False] == [entry for entry in short.trace if entry.held is not False]


def test_two_conditions_of_one_text_are_told_apart_in_words(reads: Reads) -> None:
    """What takes letters of either case says so beside what does not."""
    one = reads.read("caddy", "http://www.fernhollow.example {\nhandle /x/* {\nrespond 201\n}\nrespond 202\n}\n").estate
    other = reads.read("nginx", nginx("location /x/ { return 201; } location / { return 202; }")).estate
    classes = path_classes([one.sites[0], other.sites[0]])
    assert paths_in_words(classes, {path for path in classes.held if path.lower().startswith("/x/") and not path.startswith("/x/")}) == "a path that begins with /x/ in any case, but not one that begins with /x/ (dots at its end aside)"
