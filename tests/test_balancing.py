"""Several origins for one place: which is asked, which when one is away, and for how long that is left alone; by the servers themselves, and in translations."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.behaviour.differences import differences
from young_lantern.behaviour.outcome import outcome_of
from young_lantern.dialects import named
from young_lantern.dialects.dialect import Reading
from young_lantern.lab.client import ask
from young_lantern.lab.live import check_live
from young_lantern.lab.origin import MARK, Origins
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running
from young_lantern.model import Severity
from young_lantern.source.plan import Plan
from young_lantern.translate import Translation, read, save, translate

A, B, C = (f"192.0.2.{number}:9000" for number in (30, 31, 32))


def pool(*lines: str, place: str = "", limit: str = "") -> str:
    """An nginx configuration with a pool of these lines."""
    return nginx(f"location / {{ proxy_pass http://app; {place} }}", f"{limit}\nupstream app {{\n" + "\n".join(lines) + "\n}")


def balancer(*lines: str, place: str = "") -> str:
    inside = "\n".join(lines)
    return httpd(f"<Proxy balancer://app>\n{inside}\n</Proxy>\nProxyPass / balancer://app/ {place}")


def origins(*lines: str, members: tuple[str, ...] = (A, B)) -> str:
    return caddy(f"reverse_proxy {' '.join(members)} {{\n" + "\n".join(lines) + "\n}")


class Answers:
    """A copy of a server with some of its origins away. `to`: the statuses of so many requests in turn, and the addresses that were asked."""

    def __init__(self, reading: Reading, folder: Path, away: tuple[str, ...]) -> None:
        self.plan = Plan(folder, free_port, origins_fail=True)
        move = named(reading.dialect).move
        assert move is not None
        self.command = move(reading, self.plan)
        self.there = [port for address, port in self.plan.origins.items() if address not in away]

    def to(self, *asked: tuple[str, int]) -> list[tuple[int, str]]:
        """asked: (method, octets of content), one after the other."""
        found = []
        with Origins(self.there), Running(self.command, self.plan.folder, list(self.plan.ports.values())):
            for method, length in asked:
                request = request_for(f"{SITE}/x", method, {"Content-Length": str(length)} if length else {})
                answer = ask(request, "127.0.0.1", self.plan.port("80"))
                port = json.loads(answer.content or b"{}").get(MARK) if answer.status == 200 else None
                found.append((answer.status, next((address for address, here in self.plan.origins.items() if here == port), "")))
        return found


def told(reads: Reads, dialect: str, text: str, method: str = "GET", length: int = 0) -> tuple[str, ...]:
    fields = {"Content-Length": str(length)} if length else {}
    origin = reads.decide(dialect, text, "/x", method, fields).origin
    assert origin is not None
    return origin.choice.retried


GETS, POSTS, FORMS = (("GET", 0),) * 4, (("POST", 0),) * 4, (("POST", 3),) * 4
WAYS_ON = [
    # Dialect, configuration, what is asked, and whether all of it is answered with the first origin away.
    ("nginx", pool(f"server {A};", f"server {B};"), FORMS, True),
    ("nginx", pool(f"server {A} max_fails=0;", f"server {B} max_fails=0;"), FORMS, True),
    ("nginx", pool(f"server {A} max_fails=0;", f"server {B} max_fails=0;", place="proxy_next_upstream off;"), GETS, False),
    ("nginx", pool(f"server {A} max_fails=0;", f"server {B} max_fails=0;", place="proxy_next_upstream http_502;"), GETS, False),
    ("nginx", pool(f"server {A} max_fails=0;", f"server {B} max_fails=0;", place="proxy_next_upstream_tries 1;"), GETS, False),
    ("nginx", pool(f"server {A};", f"server {B} backup;"), FORMS, True),
    ("apache", balancer(f"BalancerMember http://{A}", f"BalancerMember http://{B}"), FORMS, True),
    ("apache", balancer(f"BalancerMember http://{A} retry=0", f"BalancerMember http://{B} retry=0"), FORMS, True),
    ("apache", balancer(f"BalancerMember http://{A} retry=0", f"BalancerMember http://{B} retry=0", place="maxattempts=0"), GETS, False),
    ("apache", balancer(f"BalancerMember http://{A}", f"BalancerMember http://{B} status=+H"), FORMS, True),
    ("caddy", origins("lb_policy round_robin"), GETS, False),
    ("caddy", origins("lb_policy round_robin", "lb_retries 1"), GETS, True),
    ("caddy", origins("lb_policy round_robin", "lb_retries 1"), POSTS, True),
    ("caddy", origins("lb_policy round_robin", "lb_retries 1"), FORMS, False),
    ("caddy", origins("lb_policy round_robin", "lb_retries 1", "buffer_requests"), FORMS, True),
    ("caddy", origins("lb_policy round_robin", "lb_try_duration 5s"), GETS, True),
    ("caddy", origins("lb_policy first", "lb_retries 1"), GETS, False),
    ("caddy", origins("lb_policy first", "lb_retries 1", "fail_duration 10s"), GETS, True),
    # Of two without anything to do one is chosen by chance: some of so many come to the one that is away twice.
    ("caddy", origins("lb_policy least_conn", "lb_retries 1"), GETS * 8, False),
    ("caddy", origins("lb_policy uri_hash", "lb_retries 1", "fail_duration 10s", "buffer_requests"), FORMS, True),
    ("caddy", origins("lb_policy first", "lb_retries 1", "fail_duration 10s", "max_fails 5"), GETS, False),
    ("caddy", origins("lb_policy first", "lb_retries 3", "fail_duration 10s", "max_fails 2"), GETS, True),
    ("caddy", origins("lb_policy round_robin", "lb_retries 1", members=(A, A, B)), GETS, False),
    ("caddy", origins("lb_policy round_robin", "lb_retries 2", members=(A, A, B)), GETS, True),
]


@pytest.mark.parametrize(("dialect", "text", "asked", "goes_on"), WAYS_ON)
def test_whether_another_origin_is_asked(reads: Reads, tmp_path: Path, dialect: str, text: str, asked: tuple[tuple[str, int], ...], goes_on: bool) -> None:
    """As foretold, and as the server does it with one of two origins away."""
    assert ("cannot be reached" in told(reads, dialect, text, *asked[0])) is goes_on
    # Which of the two comes first is by chance in some: so one is away at a time.
    answered = {Answers(reads.read(dialect, text), tmp_path / away, (away,)).to(*asked) == [(200, B if away == A else A)] * len(asked) for away in (A, B)}
    assert (False not in answered) is goes_on


@pytest.mark.parametrize(
    ("dialect", "text", "method", "words"),
    [
        ("nginx", pool(f"server {A};", f"server {B};"), "GET", ("cannot be reached", "breaks off", "is late")),
        ("nginx", pool(f"server {A};", f"server {B};"), "POST", ("cannot be reached",)),
        ("nginx", pool(f"server {A};", f"server {B};", place="proxy_next_upstream error http_503 non_idempotent;"), "POST", ("cannot be reached", "breaks off", "answers 503")),
        ("nginx", pool(f"server {A};", f"server {B};", f"server {C};", place="proxy_next_upstream_tries 2;"), "POST", ("cannot be reached", "1 more at the most")),
        ("nginx", pool(f"server {A};"), "GET", ()),
        ("nginx", pool(f"server {A};", f"server {B} down;"), "GET", ()),
        ("apache", balancer(f"BalancerMember http://{A}", f"BalancerMember http://{B}"), "GET", ("cannot be reached",)),
        ("caddy", origins("lb_policy round_robin", "lb_retries 1"), "GET", ("cannot be reached", "breaks off", "is late")),
        ("caddy", origins("lb_policy round_robin", "lb_retries 1"), "PUT", ("cannot be reached",)),
    ],
)
def test_for_which_failures(reads: Reads, dialect: str, text: str, method: str, words: tuple[str, ...]) -> None:
    assert told(reads, dialect, text, method) == words


PLAIN = {
    "nginx": pool(f"server {A};", f"server {B};", limit="client_max_body_size 0;"),
    "apache": balancer(f"BalancerMember http://{A}", f"BalancerMember http://{B}"),
    "caddy": origins("lb_policy round_robin", "lb_retries 1", "fail_duration 20s", "buffer_requests"),
}
SPARE = {
    "nginx": pool(f"server {A} fail_timeout=30s;", f"server {B} backup;", limit="client_max_body_size 0;"),
    "apache": balancer(f"BalancerMember http://{A} retry=30", f"BalancerMember http://{B} status=+H"),
    "caddy": origins("lb_policy first", "lb_retries 1", "fail_duration 30s", "buffer_requests"),
}
PAIRS = [(one, other) for one in PLAIN for other in PLAIN if one != other]


def moved(reads: Reads, folder: Path, dialect: str, text: str, target: str) -> tuple[Translation, Reading]:
    made = translate(reads.write(dialect, text), target)
    save(made.writing.files, folder)
    return made, read(folder, target)


@pytest.mark.parametrize("texts", [PLAIN, SPARE], ids=["plain", "spare"])
@pytest.mark.parametrize(("source", "target"), PAIRS)
def test_an_origin_that_is_away_is_made_up_for(reads: Reads, tmp_path: Path, source: str, target: str, texts: dict[str, str]) -> None:
    """In the translation as before, requests with content included; nothing of it is lost, and what is left alone is so for as long."""
    made, after = moved(reads, tmp_path / "new", source, texts[source], target)
    choices = [item for cause in made.comparison.causes for item in cause.differences if item.what.startswith("choice of")]
    assert not [item for item in choices if item.severity is Severity.BREAKING or item.what == "choice of an origin that failed"], choices
    for away, there in ((A, B), (B, A)):
        assert Answers(after, tmp_path / f"away-{away}", (away,)).to(*FORMS, *GETS) == [(200, there)] * 8
    whole = {address for _, address in Answers(after, tmp_path / "whole", ()).to(*GETS)}
    assert whole == ({A, B} if texts is PLAIN else {A})


def test_a_request_over_the_limit_takes_no_origin_out_in_caddy(reads: Reads, tmp_path: Path) -> None:
    """It would with fail_duration (2.6.2), which is not written beside a limit: who takes turns goes on to another origin without it, others do not, and that is told."""
    over = (("POST", 1_100_000),) * 4
    made, after = moved(reads, tmp_path / "new", "nginx", pool(f"server {A};", f"server {B};"), "caddy")
    text = "".join(made.writing.files.values())
    assert "lb_retries 1" in text and "fail_duration" not in text and any(item.code.name == "failures-not-counted" for item in made.findings)
    answered = Answers(after, tmp_path / "well", ()).to(*over, *GETS)
    assert not any(status == 200 for status, _ in answered[:4]) and [status for status, _ in answered[4:]] == [200] * 4
    assert Answers(after, tmp_path / "away", (A,)).to(*FORMS, *GETS) == [(200, B)] * 8
    least, turning = moved(reads, tmp_path / "least", "nginx", pool("least_conn;", f"server {A};", f"server {B};"), "caddy")
    assert any(item.code.name == "turns-instead" for item in least.findings)
    assert Answers(turning, tmp_path / "turning", (A,)).to(*FORMS, *GETS) == [(200, B)] * 8
    spare, _ = moved(reads, tmp_path / "spare", "nginx", pool(f"server {A};", f"server {B} backup;"), "caddy")
    assert "lb_retries" not in "".join(spare.writing.files.values())
    assert [item.severity for cause in spare.comparison.causes for item in cause.differences if item.what == "choice of another origin"][:1] == [Severity.BREAKING]


@pytest.mark.parametrize("more", ["", "buffer_requests"])
def test_why_it_is_not_written_beside_a_limit(reads: Reads, tmp_path: Path, more: str) -> None:
    """What the rule of the writer stands on: Caddy takes an origin for failed that a request over the limit was meant for."""
    text = caddy(f"request_body {{\nmax_size 1KB\n}}\nreverse_proxy {A} {B} {{\nlb_policy round_robin\nfail_duration 10s\n{more}\n}}")
    answered = Answers(reads.read("caddy", text), tmp_path / "copy", ()).to(*(("POST", 5000),) * 2, *GETS)
    assert [status for status, _ in answered[2:]] == [503] * 4


WEIGHED = {
    "nginx": pool(f"server {A} weight=3;", f"server {B};"), "apache": balancer(f"BalancerMember http://{A} loadfactor=3", f"BalancerMember http://{B}"),
    "caddy": origins("lb_policy round_robin", members=(A, A, B, A)),
}


@pytest.mark.parametrize(("source", "target"), PAIRS)
def test_weights_are_carried(reads: Reads, tmp_path: Path, source: str, target: str) -> None:
    made, after = moved(reads, tmp_path / "new", source, WEIGHED[source], target)
    assert not [item for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
    seen = [address for _, address in Answers(after, tmp_path / "copy", ()).to(*GETS, *GETS)]
    assert (seen.count(A), seen.count(B)) == (6, 2)


@pytest.mark.parametrize("limit", ["", "client_max_body_size 0;"])
def test_a_stronger_origin_that_is_away_is_made_up_for(reads: Reads, tmp_path: Path, limit: str) -> None:
    """Caddy has it named three times, so that its next is itself."""
    made, after = moved(reads, tmp_path / "new", "nginx", pool(f"server {A} weight=3 max_fails=2;", f"server {B};", limit=limit), "caddy")
    assert not [item for cause in made.comparison.causes for item in cause.differences if item.what == "choice of another origin" and item.severity is Severity.BREAKING]
    assert [status for status, _ in Answers(after, tmp_path / "copy", (A,)).to(*GETS, *GETS)] == [200] * 8


COOKIES = {
    "caddy": origins("lb_policy cookie lane"),
    "apache": balancer(f"BalancerMember http://{A} route=a", f"BalancerMember http://{B} route=b", "ProxySet stickysession=lane", 'Header add Set-Cookie "lane=.%{BALANCER_WORKER_ROUTE}e; path=/" env=BALANCER_ROUTE_CHANGED'),
}


@pytest.mark.parametrize(("source", "target"), [("caddy", "apache"), ("apache", "caddy")])
def test_clients_are_kept_by_a_cookie(reads: Reads, tmp_path: Path, source: str, target: str) -> None:
    made, after = moved(reads, tmp_path / "new", source, COOKIES[source], target)
    choices = [item.after for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
    assert all("clients kept by the cookie lane" in text for text in choices)
    server = Answers(after, tmp_path / "copy", ())
    with Origins(server.there), Running(server.command, server.plan.folder, list(server.plan.ports.values())):
        first = ask(request_for(f"{SITE}/x"), "127.0.0.1", server.plan.port("80"))
        cookie = next(value.partition(";")[0] for name, value in first.fields if name.lower() == "set-cookie")
        again = [ask(request_for(f"{SITE}/x", "GET", {"Cookie": cookie}), "127.0.0.1", server.plan.port("80")) for _ in range(4)]
    assert cookie.startswith("lane=")
    assert {json.loads(answer.content)[MARK] for answer in again} == {json.loads(first.content)[MARK]}


@pytest.mark.parametrize("source", COOKIES)
def test_nginx_keeps_them_by_their_address_and_that_is_told(reads: Reads, tmp_path: Path, source: str) -> None:
    made, after = moved(reads, tmp_path / "new", source, COOKIES[source], "nginx")
    assert "ip_hash;" in made.writing.files["nginx.conf"]
    assert [item.severity for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"] == [Severity.BREAKING]
    assert any(item.code.name == "clients-kept-otherwise" for item in made.findings)
    assert not [entry.span for entry in made.ledger if entry.disposition.value == "unsupported"]
    assert len({address for _, address in Answers(after, tmp_path / "copy", ()).to(*GETS)}) == 1


def test_a_cookie_of_the_application_is_no_cookie_of_the_server(reads: Reads) -> None:
    """`stickysession` alone goes by the route that the application puts behind its session: no other server knows it."""
    host = balancer(f"BalancerMember http://{A} route=a", f"BalancerMember http://{B} route=b", place="stickysession=JSESSIONID|jsessionid")
    for target, weight, code in (("nginx", Severity.BREAKING, "clients-kept-otherwise"), ("caddy", Severity.MINOR, "pool-policy-differs")):
        made = translate(reads.write("apache", host), target)
        found = [item for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
        assert [(item.severity, "kept by the cookie JSESSIONID of the origin" in item.before) for item in found] == [(weight, True)], target
        assert any(item.code.name == code for item in made.findings)


@pytest.mark.parametrize(
    ("dialect", "text", "said"),
    [
        ("caddy", origins("fail_duration 10s", "unhealthy_status 502"), ["unhealthy_status 502"]),
        ("caddy", origins("lb_retries 1", "lb_retry_match {\nmethod POST\n}"), ["lb_retry_match"]),
        ("caddy", origins("health_uri /up", "health_body ok"), ["health_body ok"]),
        ("apache", balancer(f"BalancerMember http://{A}", f"BalancerMember http://{B}", "ProxySet failonstatus=502,503 failontimeout=On nofailover=Off"), ["failonstatus=502,503", "failontimeout=On"]),
        ("apache", balancer(f"BalancerMember http://{A} hcmethod=TCP", f"BalancerMember http://{B}"), ["hcmethod=TCP"]),
    ],
)
def test_what_is_not_read_is_told_with_its_line(reads: Reads, dialect: str, text: str, said: list[str]) -> None:
    found = [item for item in reads.read(dialect, text).findings if item.code.name == "setting-not-read"]
    assert [dict(item.facts)["setting"] for item in found] == said
    assert all(item.span is not None and item.span.line > 1 for item in found)


@pytest.mark.parametrize(("source", "target"), [("caddy", "apache"), ("apache", "caddy")])
def test_health_checks_are_carried(reads: Reads, tmp_path: Path, source: str, target: str) -> None:
    """An origin that is away is left out before anybody has asked for it; the server says so by itself."""
    texts = {
        "caddy": origins("lb_policy round_robin", "health_uri /up", "health_interval 1s"),
        "apache": balancer(*(f"BalancerMember http://{address} hcmethod=GET hcuri=/up hcinterval=1" for address in (A, B))).replace("LoadModule proxy_module", "LoadModule proxy_hcheck_module /usr/lib/apache2/modules/mod_proxy_hcheck.so\nLoadModule proxy_module"),
    }
    made, after = moved(reads, tmp_path / "new", source, texts[source], target)
    found = [item for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
    assert not [item for item in found if "none that fails /up" not in item.after]
    assert after.estate.pools[0].health is not None and after.estate.pools[0].health.seconds == 1
    to_nginx = translate(reads.write(source, texts[source]), "nginx")
    assert any(item.code.name == "health-not-asked" and dict(item.facts)["uri"] == "/up" for item in to_nginx.findings)


def test_a_pool_that_differs_in_how_it_fails_is_another_one(reads: Reads) -> None:
    """Two places with the same origins and other settings are two pools; compared with itself an estate is the same."""
    text = caddy(f"reverse_proxy /a/* {A} {B} {{\nlb_policy round_robin\nlb_retries 1\nfail_duration 5s\n}}\nreverse_proxy {A} {B} {{\nlb_policy round_robin\n}}")
    estate = reads.read("caddy", text).estate
    assert [pool.members[0].fail_seconds for pool in estate.pools] == [5.0, 0.0]
    assert not compare_estates(estate, estate).causes


def test_an_outcome_that_was_saved_before_says_nothing_of_it(reads: Reads) -> None:
    """`--expect` with a file of an older version: what it does not say does not differ."""
    outcome = reads.decide("nginx", PLAIN["nginx"], "/x")
    saved = outcome.as_json()
    assert not differences(outcome_of(saved), outcome, request_for(f"{SITE}/x"))
    other = {**saved, "origin": {**saved["origin"], "retried": []}}
    assert [item.severity for item in differences(outcome, outcome_of(other), request_for(f"{SITE}/x"))] == [Severity.BREAKING]
    del saved["origin"]["retried"], saved["origin"]["rest"]
    assert not differences(outcome_of(saved), outcome, request_for(f"{SITE}/x"))


@pytest.mark.parametrize(
    ("source", "text", "target", "weight"),
    [
        ("nginx", pool("ip_hash;", f"server {A};", f"server {B};"), "apache", Severity.BREAKING),
        ("nginx", pool("hash $http_x_session;", f"server {A};", f"server {B};"), "apache", Severity.BREAKING),
        ("nginx", pool("hash $request_uri;", f"server {A};", f"server {B};"), "apache", Severity.MINOR),
        ("nginx", pool("least_conn;", f"server {A};", f"server {B};"), "caddy", Severity.MINOR),
        ("caddy", origins("lb_policy ip_hash"), "apache", Severity.BREAKING),
        ("caddy", origins("lb_policy first", members=(A, B, "192.0.2.23:81")), "nginx", Severity.MINOR),
        ("nginx", pool("ip_hash;", f"server {A};", f"server {B};", limit="client_max_body_size 0;"), "caddy", None),
        ("caddy", origins("lb_policy random"), "nginx", None),
        ("nginx", pool(f"server {A};", f"server {B} backup;", "server 192.0.2.23:81 backup;", limit="client_max_body_size 0;"), "caddy", Severity.MINOR),
        ("caddy", origins("lb_policy header X-Session"), "nginx", None),
    ],
)
def test_a_client_that_is_kept_no_longer_is_told_as_breaking(reads: Reads, source: str, text: str, target: str, weight: Severity | None) -> None:
    """What its member knows of it is lost; who is asked by load, or by chance, is of no such concern."""
    made = translate(reads.write(source, text), target)
    found = [item.severity for cause in made.comparison.causes for item in cause.differences if item.what == "choice of the origin"]
    assert set(found) == ({weight} if weight else set())
    assert any(item.code.name == "clients-kept-otherwise" for item in made.findings) is (weight is Severity.BREAKING)


@pytest.mark.parametrize("dialect", COOKIES)
def test_the_live_check_knows_the_cookie_of_the_server(reads: Reads, dialect: str) -> None:
    """Its value is the server's own; any other cookie that nobody foretells is a defect still."""
    reading = reads.read(dialect, COOKIES[dialect])
    live = check_live(reading, reading, most=60)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []
    assert any(name.lower() == "set-cookie" for row in live.rows for name, _ in row.answers[0].fields)


def test_places_that_fail_otherwise_have_a_balancer_each(reads: Reads) -> None:
    """In httpd how many members are asked is a matter of the balancer; nothing of one place is said of another."""
    places = "location /a/ { proxy_pass http://app; } location /b/ { proxy_pass http://app; proxy_next_upstream off; } location /c/ { proxy_pass http://app; proxy_next_upstream error http_404; }"
    made = translate(reads.write("nginx", nginx(places, f"upstream app {{ server {A}; server {B}; }}")), "apache")
    for path, words in (("/a/x", ("cannot be reached",)), ("/b/x", ()), ("/c/x", ("cannot be reached",))):
        origin = decide(made.read_back.estate, request_for(SITE + path), real_files()).origin
        assert origin is not None and origin.choice.retried == words, path
    lost = [entry for entry in made.ledger if entry.disposition.value == "unsupported"]
    assert [entry.span.directive for entry in lost] == ["proxy_next_upstream error http_404"]


C = "192.0.2.23:81"
USED, INSIDE = "ProxyPass / balancer://app/", "ProxyPass balancer://app/"


def held(*members: str, more: str = "") -> str:
    lines = "\n".join(f"BalancerMember http://{member}" for member in members)
    return f"<Proxy balancer://app>\n{lines}\n{more}\n</Proxy>\n"


@pytest.mark.parametrize(
    ("main", "hosts", "asked"),
    [
        ("", (held(A) + USED, held(C) + USED), (200, {A}, 200, {C})),
        ("", (held(A) + USED, USED), (200, {A}, 503, set())),
        (held(A), (USED, USED), (200, {A}, 200, {A})),
        (held(A), (held(C) + USED, f"BalancerMember balancer://app http://{C}\n{USED}"), (200, {A}, 200, {A})),
        (held(f"{B} retry=0", f"{A} retry=0"), (f"{USED} maxattempts=0", f"<Location />\n{INSIDE}\n</Location>"), (503, {A}, 200, {A})),
        (held(f"{B} retry=0", f"{A} retry=0"), (USED, f"<Location />\n{INSIDE} maxattempts=0\n</Location>"), (200, {A}, 503, {A})),
        (held(f"{B} retry=0", f"{A} retry=0", more="ProxySet maxattempts=0"), (USED, f"{held(more='ProxySet maxattempts=1')}{USED}"), (503, {A}, 200, {A})),
        ("", (held(f"{A} lbset=3", f"{C} lbset=4") + USED, held(f"{B} lbset=1", f"{C} lbset=2") + USED), (200, {A}, 200, {C})),
        ("", (held(A, f"{C} status=+R") + USED, held(f"{C} status=+S", A) + USED), (200, {A}, 200, {A})),
        ("", (held(A, f"{C} status=+N") + USED, held(B, f"{C} status=+R") + USED), (200, {A}, 200, {C})),
    ],
)
def test_balancers_are_of_a_virtual_host_or_of_all(reads: Reads, tmp_path: Path, main: str, hosts: tuple[str, str], asked: tuple[int, set[str], int, set[str]]) -> None:
    """Which members each host asks, and whether another one when the origin B is away, is what httpd does."""
    text = httpd(hosts[0], main) + f"<VirtualHost *:80>\nServerName media.fernhollow.example\n{hosts[1]}\n</VirtualHost>\n"
    reading = reads.read("apache", text)
    server = Answers(reading, tmp_path / "copy", (B,))
    with Origins(server.there), Running(server.command, server.plan.folder, list(server.plan.ports.values())):
        for name, status, members in (("www", *asked[:2]), ("media", *asked[2:])):
            request = request_for(f"http://{name}.fernhollow.example/x")
            answers = [ask(request, "127.0.0.1", server.plan.port("80")) for _ in range(4)]
            ports = {json.loads(answer.content)[MARK] for answer in answers if answer.status == 200}
            assert (max(answer.status for answer in answers), ports) == (status, {server.plan.origins[member] for member in members}), name
            origin = decide(reading.estate, request, real_files()).origin
            if origin is None:
                assert not members
                continue
            goes_on = "cannot be reached" in origin.choice.retried
            told = {*origin.addresses, *origin.choice.spares} if goes_on else set(origin.addresses)
            assert (told - {B} if B in told else set(origin.addresses)) == members, name
            assert (status == 200) is (B not in told or goes_on), name


def test_what_a_cookie_that_keeps_clients_says_besides_is_told(reads: Reads) -> None:
    """And the line that sends one which no balancer goes by is a field like others."""
    text = COOKIES["apache"].replace("; path=/", "; path=/; Secure; HttpOnly")
    assert [dict(item.facts)["setting"] for item in reads.read("apache", text).findings if item.code.name == "setting-not-read"] == ["Secure", "HttpOnly"]
    other = COOKIES["apache"].replace("ProxySet stickysession=lane", "")
    assert not [pool.sticky for pool in reads.read("apache", other).estate.pools if pool.sticky]
    made = translate(reads.write("apache", other), "caddy")
    entry = next(entry for entry in made.ledger if "BALANCER_WORKER_ROUTE" in entry.span.directive)
    assert entry.disposition.value != "kept" or "lane" in "".join(made.writing.files.values())


@pytest.mark.parametrize(
    ("source", "text"),
    [
        ("apache", held(A, C) + f"{USED}\nProxyPassReverse / balancer://app/"),
        ("caddy", origins("lb_policy round_robin", "header_up Host {upstream_hostport}", f"header_down Location ^http://{A}/ /", f"header_down Location ^http://{C}/ /", members=(A, C))),
    ],
)
def test_origins_that_got_their_own_names_get_one_in_nginx(reads: Reads, tmp_path: Path, source: str, text: str) -> None:
    """The first one's: a redirect under it is mapped back as before, and no name of a pool goes out."""
    made, after = moved(reads, tmp_path / "new", source, httpd(text) if source == "apache" else text, "nginx")
    assert f"proxy_set_header Host {A};" in "".join(made.writing.files.values())
    found = [item for cause in made.comparison.causes for item in cause.differences if item.what in ("field host to the origin", "redirects of the origin")]
    # Brackets in a path go out in another spelling (test_odd_signs.py).
    assert {(item.what, item.severity) for item in found if "[y]" not in item.after} == {("field host to the origin", Severity.MINOR)}
    live = check_live(made.reading, after, most=300)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []
    assert any(name == "location" and "fernhollow" in value for row in live.rows for name, value in row.answers[1].fields)


@pytest.mark.parametrize(
    ("dialect", "text", "said"),
    [
        ("nginx", pool(f"server {A} weight=${{W}} max_fails={{{{ fails }}}};", f"server {B} fail_timeout=${{REST}};"), ["weight=${W}", "max_fails={{ fails }}"]),
        ("nginx", pool(f"server {A};", f"server {B};", place="proxy_next_upstream_tries ${TRIES};"), ["proxy_next_upstream_tries=${TRIES}"]),
        ("apache", balancer(f"BalancerMember http://{A} loadfactor=${{W}} retry=${{REST}}", f"BalancerMember http://{B}", place="maxattempts=${MORE}"), ["loadfactor=${W}", "maxattempts=${MORE}"]),
    ],
)
def test_what_is_left_to_deployment_is_told_or_kept(reads: Reads, dialect: str, text: str, said: list[str]) -> None:
    """A number nobody knows is told; a time goes on as it is."""
    reading = reads.read(dialect, text)
    assert [dict(item.facts)["setting"] for item in reading.findings if item.code.name == "setting-not-read"] == said
    target = "apache" if dialect == "nginx" else "nginx"
    made = translate(reads.write(dialect, text), target)
    assert ("${REST}" in "".join(made.writing.files.values())) is ("${REST}" in text)


def test_origins_that_got_their_own_names_get_them_from_httpd(reads: Reads, tmp_path: Path) -> None:
    """`ProxyPreserveHost Off` is what gives each member its own address."""
    text = caddy(f"handle /own/* {{\nreverse_proxy {A} {C} {{\nlb_policy round_robin\nheader_up Host {{upstream_hostport}}\n}}\n}}\nhandle {{\nreverse_proxy {B}\n}}")
    made, after = moved(reads, tmp_path / "new", "caddy", text, "apache")
    assert not [entry.span for entry in made.ledger if entry.disposition.value == "unsupported"]
    for path, host in (("/own/x", f"one of {A}, {C}"), ("/x", "www.fernhollow.example")):
        origin = decide(after.estate, request_for(f"{SITE}{path}"), real_files()).origin
        assert origin is not None and dict(origin.fields).get("host", "www.fernhollow.example") == host
    live = check_live(made.reading, after, most=200)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []


@pytest.mark.parametrize("source", ["nginx", "apache"])
def test_applications_of_several_members(reads: Reads, tmp_path: Path, source: str) -> None:
    """In httpd a handler asks a balancer whose members speak FastCGI; one that is away is made up for on both sides."""
    (reads.root / "x.php").write_text("<?php")
    texts = {
        "nginx": nginx("root ROOT; location ~ \\.php$ { fastcgi_pass php; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name; fastcgi_param REQUEST_METHOD $request_method; }", f"upstream php {{ server {A} weight=2; server {B}; }}"),
        "apache": httpd('<FilesMatch "\\.php$">\nSetHandler "proxy:balancer://php"\n</FilesMatch>', f"<Proxy balancer://php>\nBalancerMember fcgi://{A}\nBalancerMember fcgi://{B}\n</Proxy>"),
    }
    target = "apache" if source == "nginx" else "nginx"
    made, after = moved(reads, tmp_path / "new", source, texts[source].replace("ROOT", str(reads.root)), target)
    assert not [entry.span for entry in made.ledger if entry.disposition.value == "unsupported"]
    for number, reading in enumerate((made.reading, after)):
        server = Answers(reading, tmp_path / f"copy-{number}", (A,))
        with Origins(server.there), Running(server.command, server.plan.folder, list(server.plan.ports.values())):
            assert [ask(request_for(f"{SITE}/x.php"), "127.0.0.1", server.plan.port("80")).status for _ in range(4)] == [200] * 4
    live = check_live(made.reading, after, most=200)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []


def test_origins_by_name_are_not_called_by_another_ones_without_a_word(reads: Reads) -> None:
    """An origin that is known by a name may answer to no other: that is no small difference."""
    text = caddy("reverse_proxy one.origins.example:80 two.origins.example:80 {\nlb_policy round_robin\nheader_up Host {upstream_hostport}\n}")
    made = translate(reads.write("caddy", text), "nginx")
    found = {(item.what, item.severity) for cause in made.comparison.causes for item in cause.differences if item.what == "field host to the origin"}
    assert found == {("field host to the origin", Severity.BREAKING)}
    assert {item.code.name for item in made.findings} >= {"named-as-another"}


def test_a_spare_gives_no_name_to_all(reads: Reads) -> None:
    host = held(f"{A} status=+H", B, C) + USED
    made = translate(reads.write("apache", httpd(host)), "nginx")
    assert f"proxy_set_header Host {B};" in "".join(made.writing.files.values())


def test_the_line_that_sends_the_cookie_may_stand_in_the_main_server(reads: Reads) -> None:
    """Balancer, `stickysession` and the cookie's line for all virtual hosts: they keep clients by it."""
    lines = held(f"{A} route=a", f"{B} route=b", more="ProxySet stickysession=lane") + 'Header add Set-Cookie "lane=.%{BALANCER_WORKER_ROUTE}e; path=/" env=BALANCER_ROUTE_CHANGED'
    reading = reads.read("apache", httpd(USED, lines))
    origin = decide(reading.estate, request_for(f"{SITE}/x"), real_files()).origin
    assert origin is not None and origin.choice.own_cookie == "lane"
    live = check_live(reading, reading, most=60)
    assert [f"{row.request} {row.defects} {row.between}" for row in live.surprises] == []
    assert any(value.startswith("lane=") for row in live.rows for name, value in row.answers[0].fields if name.lower() == "set-cookie")


SECTIONS = ["<Proxy *>", "<Proxy balancer://app>", "<ProxyMatch ^balancer>"]


def in_section(reads: Reads, section: str, line: str) -> tuple[str, set[Severity]]:
    """What becomes of a line there, and how grave what is told of it is."""
    made = translate(reads.write("apache", httpd(f"{held(A, C)}\n{section}\n{line}\n</{section[1:].split()[0]}>\n{USED}")), "nginx")
    told = {item.code.severity for item in made.findings if item.span and item.span.directive == line}
    return next(entry.disposition.value for entry in made.ledger if entry.span.directive == line), told


@pytest.mark.parametrize("section", SECTIONS)
@pytest.mark.parametrize("line", ["Header always set X-Pool a", 'ErrorDocument 502 "away"'])
def test_what_a_section_for_what_is_proxied_says_is_told(reads: Reads, section: str, line: str) -> None:
    """It counts for each answer of such an origin."""
    assert in_section(reads, section, line) == ("unsupported", {Severity.BREAKING})


@pytest.mark.parametrize("section", SECTIONS[:2])
def test_that_all_are_let_in_where_something_is_proxied_is_no_matter(reads: Reads, section: str) -> None:
    assert in_section(reads, section, "Require all granted") == ("implied", set())


@pytest.mark.parametrize(
    "lines",
    [
        "ProxyPass /api/ balancer://app/\nProxyPassReverse /api/ balancer://app/", "ProxyPass /api balancer://app\nProxyPassReverse /api balancer://app", "ProxyPass /api/ balancer://app/\nProxyPassReverse /api balancer://app",
        "ProxyPass /api/ balancer://app/v2/\nProxyPassReverse /api/ balancer://app/v2/", "ProxyPass / balancer://app/\nProxyPassReverse / balancer://app/", "ProxyPass / balancer://app/\nProxyPassReverse / balancer://app",
        "<Location /api/>\nProxyPass balancer://app/\nProxyPassReverse balancer://app/\n</Location>",
    ],
)  # fmt: skip
def test_where_slashes_meet_in_redirects_of_members(reads: Reads, lines: str) -> None:
    """ap_proxy_location_reverse_map: `/api/` is put before what begins with a slash, `/` alone is not."""
    reading = reads.read("apache", httpd(held("192.0.2.1:8000", "192.0.2.2:8000") + lines))
    live = check_live(reading, reading, most=150)
    assert [f"{row.request} {row.request.fields} {row.defects}" for row in live.surprises] == []
    assert any("self" in value for row in live.rows for _, value in row.request.fields)
