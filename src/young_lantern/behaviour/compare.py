"""Two estates, requests -> the differences, grouped by cause, each with one example.

Source:   DESIGN: classes are met by their witnesses (witnesses.py); further requests may be given.
Unknown:  a request that one estate cannot be decided for is counted as undecided, with the reason.
"""

from __future__ import annotations

from collections import Counter
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from enum import Enum
from functools import reduce
from itertools import combinations
from urllib.parse import unquote

from ..codes import COMPARISON_SAMPLED, OUTCOME_DIFFERS, OUTCOME_DIFFERS_SLIGHTLY
from ..model import Estate, Finding, PathIs, PathReading, PathStartsWith, Severity, Span, finding
from ..model.walk import walk
from .asking import together
from .aspects import UNKNOWN_METHOD
from .choosing import choose_listener, choose_site
from .decide import CYCLE, decide
from .deployment import as_deployed
from .differences import Difference, is_of_slash, differences, resolved
from .handshakes import handshake_differences, shake
from .heads import ODD_FIELDS, is_crowded, shortened
from .lost_lines import joined, shown
from .origin_answers import at_once
from .outcome import Outcome
from .path_classes import PathClasses
from .paths import decoded, normalised
from .request import PLACED, Assumed, Facts, Request, assumed
from .route_index import RouteIndex
from .witnesses import OTHER_HOST, Witness, find_witnesses
from .wording import methods_in_words, paths_in_words

_RANK = {Severity.BREAKING: 0, Severity.MINOR: 1, Severity.NOTE: 2}
# What paths that are for questions of the server's own are called (dialects/nginx/writer/asking.py).
ASKING = re.compile(r"/ask-first-\d+")


class Reason(Enum):
    """What about a request makes the difference: without it there is none."""

    HEAD = "the request line or the fields are longer, or more, than one of them takes"
    NAMES = "the name of a field has other characters than letters, digits and hyphens, which one of them drops"
    SLOW = "the origin takes longer to answer than one of them waits"
    CONTENT = "the content of the request is over the limit"
    TRACE = "the method is TRACE, by which no page can ask, and which one of them refuses"
    METHOD = "the method is neither GET nor HEAD"
    CASE = "letters of the path are in another case than those of a rule"
    NAMELESS = "no site names the host, and one of them tells such hosts apart"
    LABELS = "the host has more labels than a star stands for in one of the two"
    SPELLING = "the path has dot segments, doubled slashes, or characters percent-encoded that need not be"
    ENCODED_SLASH = "the path has an encoded slash, which one of them refuses"
    DOTS = "the path ends in dots or blanks, which one of them takes off before it compares paths"
    FILE_SLASH = "the path of a file is asked for with a slash at its end"
    ARGUMENTS = "an argument of the query is there more than once, and not both of them take the first"
    FALLBACK = "the page that a fallback leads to is itself missing, and looking for it never ended"
    SLASH = "a folder without an index file: the redirect that adds the slash leads to an error"
    PARAMETERS = "the path has something behind a semicolon, which is none of it for one of them"
    ENCODED_MARK = "the path has an encoded question mark, which not both pass on as it came"
    SIGNS = "the path has an encoded percent sign or #, which not both pass on as it came"
    RAW_SIGNS = "the path has a sign that none may hold, such as [, which not both pass on as it came"
    ENCODED_QUERY = "the query has characters percent-encoded, which one of them encodes once more in a redirect"
    PAGE = "one of them asks for what it keeps, or for the page of an error, by GET, whatever the client asked by"
    INSIDE = "the path is one by which the new configuration asks an origin first; nothing is answered to clients there"
    UNASKED = "the redirect goes out before anybody is asked who he is"
    HANDSHAKE = "it is settled before any request is sent"
    OTHER = ""


@dataclass(frozen=True)
class Cause:
    """Requests that differ alike for one reason, or because of the same two lines.

    example, facts: the shortest request, and what was assumed of files
    places:         the (line before, line after) that decided, the example's first
    paths:          a few of the targets, shortest first
    where:          which requests these are, in words; "" where no few words say it
    """

    severity: Severity
    reason: Reason
    differences: tuple[Difference, ...]
    places: tuple[tuple[Span | None, Span | None], ...]
    example: Request
    facts: str
    before: Outcome
    after: Outcome
    requests: int
    methods: tuple[str, ...]
    hosts: tuple[str, ...]
    paths: tuple[str, ...]
    where: str = ""

    @property
    def summary(self) -> str:
        return "; ".join(f"{item.what}: {item.before} becomes {item.after}" for item in self.differences)


@dataclass(frozen=True)
class Comparison:
    """What came of the requests that were decided in both.

    undecided: reason -> how many
    unreached: patterns without an example
    classes:   how many of the requests stand for a class that the two can tell apart
    sampled:   what is asked of requests that classes could not be made of: there the comparison goes by examples
    """

    requests: int
    same: int
    causes: tuple[Cause, ...]
    undecided: dict[str, int] = field(default_factory=dict)
    unreached: tuple[str, ...] = ()
    classes: int = 0
    sampled: tuple[str, ...] = ()

    def of(self, severity: Severity) -> tuple[Cause, ...]:
        return tuple(cause for cause in self.causes if cause.severity is severity)


@dataclass(frozen=True)
class Pair:
    """One request with both outcomes, in the order given."""

    request: Request
    before: Outcome
    after: Outcome
    differences: tuple[Difference, ...]


def compare_estates(before: Estate, after: Estate, requests: Iterable[Request] = ()) -> Comparison:
    """Both estates over all witnesses, and over the requests given (with files assumed to be there)."""
    before, after = as_deployed(before), as_deployed(after)
    together(before, after)
    found = find_witnesses(before, after)
    there = assumed(Assumed.FILES, frozenset({"index.html"}))
    rows = [*found.rows, *(Witness(request, there) for request in requests)]
    decider = _Decider(before, after)
    groups: dict[tuple[object, ...], list[_Row]] = {}
    undecided: Counter[str] = Counter()
    same = decided = 0
    for row in rows:
        if row.outcomes is not None:
            decider.known[row.request, row.facts.name] = row.outcomes
        one, other = decider.both(row.request, row.facts)
        if one.gave_up or other.gave_up:
            undecided[one.gave_up or other.gave_up] += 1
            continue
        decided += 1
        differing = decider.differing(row.request, row.facts)
        if not differing:
            same += 1
            continue
        row, one, other, differing = _plainer(decider, row, one, other, differing)
        for part in _parts(differing):
            reason = _reason(decider, row, one, other, part)
            if reason is Reason.OTHER and row.request.method in ("TRACE", UNKNOWN_METHOD):
                continue  # it differs for GET as well, which says it
            made = _Row(row, one, other, part, reason)
            groups.setdefault(_key(made), []).append(made)
    explained = {key for key, rows_of in groups.items() if rows_of[0].reason is not Reason.OTHER}
    made_of = [*(_cause(rows_of, found.groups, decider) for rows_of in joined(groups, explained)), *_of_handshakes(rows, decider)]
    causes = sorted(made_of, key=lambda cause: (_RANK[cause.severity], cause.reason.value, _place(cause.places[0][0]), cause.summary))
    return Comparison(decided, same, tuple(causes), dict(undecided), tuple(sorted(found.unreached)), found.classes, tuple(sorted(found.sampled)))


def _of_handshakes(rows: list[Witness], decider: _Decider) -> Iterator[Cause]:
    """What differs before any request is sent, for each host that is asked for by TLS."""
    hosts: dict[tuple[str, int], Witness] = {}
    for row in rows:
        if row.request.scheme == "https":
            hosts.setdefault((row.request.host, row.request.port), row)
    groups: dict[tuple[Difference, Span | None], list[tuple[Witness, Span | None]]] = {}
    for row in hosts.values():
        one, other = (shake(estate, row.request) for estate in decider.estates)
        if one is not None and other is not None:
            for item in handshake_differences(one, other):
                groups.setdefault((item, one.span(item.what)), []).append((row, other.span(item.what)))
    for (item, before), found in groups.items():
        first = found[0][0]
        example = replace(first.request, method="GET", target="/", fields=())
        yield Cause(
            item.severity, Reason.HANDSHAKE, (item,), tuple(dict.fromkeys((before, after) for _, after in found)), example, first.facts.name, *decider.in_full(example, first.facts), len(found),
            ("GET",), tuple(dict.fromkeys(row.request.host for row, _ in found)), ("/",),
        )


class _Decider:
    """Both estates, asked once for each request and assumption."""

    def __init__(self, before: Estate, after: Estate) -> None:
        self.estates, self.index = (before, after), RouteIndex()
        self.known: dict[tuple[Request, str], tuple[Outcome, Outcome]] = {}
        self.found: dict[tuple[Request, str], tuple[Difference, ...]] = {}
        self.changed: dict[Request, dict[Reason, Request]] = {}
        self.cuts = any(site.reading.cuts_parameters for estate in self.estates for site in estate.sites)
        asked = {item.path if isinstance(item, PathIs) else item.prefix for estate in self.estates for site in estate.sites for item in walk(site.program) if isinstance(item, PathIs | PathStartsWith)}
        # Paths that rules ask for in capital letters, the longest first.
        self.capitals = sorted((text for text in asked if text != text.lower()), key=len, reverse=True)

    def both(self, request: Request, facts: Facts) -> tuple[Outcome, Outcome]:
        key = request, facts.name
        if key not in self.known:
            self.known[key] = decide(self.estates[0], request, facts, index=self.index), decide(self.estates[1], request, facts, index=self.index)
        return self.known[key]

    def differing(self, request: Request, facts: Facts) -> tuple[Difference, ...]:
        """In what the two differ."""
        key = request, facts.name
        if key not in self.found:
            self.found[key] = tuple(differences(*self.both(request, facts), request))
        return self.found[key]

    def twins(self, request: Request) -> dict[Reason, Request]:
        """The request without each of its features that differences may come from."""
        if request not in self.changed:
            self.changed[request] = {reason: twin for reason in _TWINS if (twin := self.without(reason, request)) != request}
        return self.changed[request]

    def without(self, reason: Reason, request: Request) -> Request:
        return _in_case(request, self.capitals) if reason is Reason.CASE else _TWINS[reason](request)

    def in_full(self, request: Request, facts: Facts) -> tuple[Outcome, Outcome]:
        """Both outcomes, with all that was tried in their traces."""
        return decide(self.estates[0], request, facts), decide(self.estates[1], request, facts)


@dataclass(frozen=True, slots=True)
class _Row:
    witness: Witness
    before: Outcome
    after: Outcome
    part: tuple[Difference, ...]
    reason: Reason

    @property
    def severity(self) -> Severity:
        worst = min((item.severity for item in self.part), key=lambda item: _RANK[item])
        if self.reason is Reason.OTHER or worst is not Severity.BREAKING:
            return worst
        # A protection that no longer holds for some spelling or method stays what it is: the method that HTTP does not know stands for those of WebDAV, too.
        lost = self.before.status in (401, 403) and not self.before.missing and (self.after.status or 500) < 400
        if self.reason is Reason.TRACE:
            return Severity.BREAKING if lost else Severity.MINOR
        if self.witness.request.method == UNKNOWN_METHOD:
            return Severity.BREAKING if lost or self.after.origin and not self.before.origin else Severity.MINOR
        # So does a program that answers these no longer: its forms are sent by such requests.
        lost = lost or self.before.origin is not None and self.after.origin is None and self.reason in (Reason.METHOD, Reason.CONTENT)
        # An answer that came, if late, does not come any more.
        lost = lost or self.reason is Reason.SLOW and (self.before.status or 500) < 500 <= (self.after.status or 500)
        # A long address, or a long cookie, that was answered and is refused now: users meet that. So many fields, or so large in all, no browser sends.
        lost = lost or self.reason is Reason.HEAD and (self.before.status or 500) < 400 <= (self.after.status or 500) and not is_crowded(self.witness.request)
        # And a browser that asks beforehand whether another origin may send its request (Fetch standard, CORS-preflight fetch).
        lost = lost or self.reason is Reason.METHOD and self.witness.request.method == "OPTIONS" and (self.before.status or 500) < 300 <= (self.after.status or 500) and any(
            name.startswith("access-control-") for name, _ in self.before.fields)
        # And a form that a rule leads elsewhere; the slash of a folder is no rule's.
        led = self.before.origin is None and self.before.location and not is_of_slash(self.before.location, self.witness.request)
        lost = lost or self.reason is Reason.METHOD and self.witness.request.method == "POST" and bool(led)
        return Severity.BREAKING if lost or self.reason in _BREAKS or (self.after.origin and not self.before.origin and self.reason is Reason.METHOD) else Severity.MINOR


# Features that users' requests have: browsers ask for `/[slug].js` as it stands, so that a difference is what it is without the reason.
_BREAKS = frozenset({Reason.LABELS, Reason.ENCODED_SLASH, Reason.ENCODED_MARK, Reason.ENCODED_QUERY, Reason.UNASKED, Reason.RAW_SIGNS, Reason.PARAMETERS})
# What says that two answers are others altogether.
_ALTOGETHER = frozenset({"status", "answered by", "location", "file", "origin"})


def _plainer(decider: _Decider, row: Witness, one: Outcome, other: Outcome, differing: tuple[Difference, ...]) -> tuple[Witness, Outcome, Outcome, tuple[Difference, ...]]:
    """A request with a long head, or for a slow origin, whose twin without that differs altogether as well: it differs for what the twin does."""
    twin = at_once(shortened(row.request))
    if twin == row.request:
        return row, one, other, differing
    seen, found = decider.both(twin, row.facts), decider.differing(twin, row.facts)
    hides = not any(item.severity is Severity.BREAKING for item in found) and any(item.severity is Severity.BREAKING for item in differing)
    return (replace(row, request=twin, outcomes=None), *seen, found) if not hides and any(item.what in _ALTOGETHER for item in found) else (row, one, other, differing)


def _parts(differing: tuple[Difference, ...]) -> list[tuple[Difference, ...]]:
    """Differences that go by themselves: another content coding or field has its own cause."""
    alone = [item for item in differing if item.what.startswith(("asked first, ", "field ", "parameter HTTP_", "parameter SERVER_NAME", "content coding", "choice of", "changes of the content", "limit on ", "kept for", "gets what", "what is kept"))]
    together = tuple(item for item in differing if item not in alone)
    return [*([together] if together else []), *((item,) for item in alone)]


def _key(row: _Row) -> tuple[object, ...]:
    """What belongs to one cause."""
    kinds = tuple((item.what, item.before == "none", item.after == "none") if item.what != "status" else (item.what, item.before, item.after) for item in row.part)
    first = row.part[0].what
    if row.reason is not Reason.OTHER:
        return row.reason, row.severity, row.before.site if row.severity is Severity.BREAKING else ""
    if first.startswith(("asked first, ", "field ", "parameter HTTP_", "parameter SERVER_NAME", "choice of", "content coding", "limit on ", "kept for", "gets what", "what is kept")):
        return row.severity, kinds, row.reason
    if row.severity is Severity.MINOR:
        return row.severity, kinds, row.reason
    if row.after.status == 501 and first == "status":
        # What was not carried is one matter, whatever an origin would have answered.
        kinds = ((first, False, False),)
    return row.severity, kinds, row.before.decided_by, row.after.decided_by, row.reason


def _reason(decider: _Decider, row: Witness, one: Outcome, other: Outcome, part: tuple[Difference, ...]) -> Reason:
    """The first feature of the request without which it would not differ in this; if it takes several, the first of them."""
    request = row.request
    if ASKING.fullmatch(request.target.partition("?")[0]) and other.status == 404:
        return Reason.INSIDE
    whats = {item.what for item in part}
    breaks = any(item.severity is Severity.BREAKING for item in part)
    if whats == {"method to the origin"} and not breaks:
        return Reason.PAGE
    if {one.status, other.status} & {401} and (moved := other if one.status == 401 else one).location and not moved.asked_first:
        return Reason.UNASKED

    def differs(twin: Request) -> bool:
        found = decider.differing(twin, row.facts)
        return any(item.what in whats for item in found if not breaks or item.severity is Severity.BREAKING) and not any(map(_went_round, decider.both(twin, row.facts)))

    if (unknown := replace(request, host=OTHER_HOST)) != request and not _is_named(decider.estates[0], request) and not differs(unknown):
        return Reason.NAMELESS
    if whats == {"location"} and (plain := _plain_query(request)) != request and not differs(plain):
        return Reason.ENCODED_QUERY
    if one.site and (shorter := _one_label(request)) != request:
        sites = [outcome.site for outcome in decider.both(shorter, row.facts)]
        # One of the two has it in the same site with a label less, the other has not.
        if sites[1] != other.site or sites[0] != one.site:
            return Reason.LABELS
    name = request.target.partition("?")[0].rstrip("/").rpartition("/")[2]
    is_file = _has_file(row.facts.name, unquote(name)) if row.facts.name.startswith(PLACED) else row.facts.name == Assumed.FILES.value or "." in name
    files = is_file and not part[0].what.startswith(("field ", "choice of", "limit on ", "kept for", "gets what", "what is kept"))
    if "%2f" in request.target.lower() and any(twin.status != seen.status for twin, seen in zip(decider.both(_plain_slash(request), row.facts), (one, other), strict=True)):
        return Reason.ENCODED_SLASH
    # What an origin gets by a method, and the fields of an answer that is the same but for these, are as much as with GET: forms are sent so.
    alike = bool(one.origin and other.origin) or not any(item.what in _ALTOGETHER for item in decider.differing(request, row.facts))
    left_out = {*(() if files else (Reason.FILE_SLASH,)), *((Reason.METHOD,) if alike else ()), *(() if decider.cuts else (Reason.PARAMETERS,))}
    applying = [reason for reason in decider.twins(request) if reason not in left_out]
    for size in dict.fromkeys((1, 2, len(applying))):
        for first, *more in combinations(applying, size) if size else ():
            if not differs(reduce(lambda twin, reason: decider.without(reason, twin), more, decider.twins(request)[first])):
                return first
    if "status" in whats and (_went_round(one) or _went_round(other)):
        return Reason.FALLBACK
    for number, (moved, refused) in enumerate(((one, other), (other, one))):
        if whats == {"status"} and moved.location and moved.location.partition("?")[0].endswith("/") and (refused.status or 0) >= 400:
            path = re.sub(r"^\w+://[^/?#]*", "", resolved(moved.location, request) or "").partition("?")[0].partition("#")[0]
            landed = decider.both(replace(request, target=path), row.facts)[number]
            if (landed.status or 0) >= 400:
                return Reason.SLASH
    return Reason.OTHER


def _is_named(estate: Estate, request: Request) -> bool:
    listener = choose_listener(estate, request)
    return listener is None or choose_site(estate, listener, request.host)[1] is not None


def _has_file(placed: str, name: str) -> bool:
    """Whether one of the files that were placed has this name, in letters of either case; a folder's ends in a slash."""
    return any(path.rpartition("/")[2].replace("%2C", ",").lower() == name.lower() for path in placed.removeprefix(PLACED).split(", "))


def _went_round(outcome: Outcome) -> bool:
    return outcome.status == 500 and any(entry.rule == CYCLE for entry in outcome.trace)


def _without_content(request: Request) -> Request:
    return replace(request, fields=tuple(pair for pair in request.fields if pair[0] != "Content-Length"))


def _without_trace(request: Request) -> Request:
    """Fetch standard, "forbidden method"."""
    return replace(request, method="GET") if request.method == "TRACE" else request


def _as_get(request: Request) -> Request:
    return request if request.method in ("GET", "HEAD") else _without_content(replace(request, method="GET"))


def _plain_slash(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=re.sub("%2f", "x", path, flags=re.IGNORECASE) + mark + query)


def _plain_mark(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=re.sub("%3f", "x", path, flags=re.IGNORECASE) + mark + query)


def _plain_query(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=path + mark + re.sub("%..", "x", query))


def _lower(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=path.lower() + mark + query)


def _in_case(request: Request, capitals: list[str]) -> Request:
    """The path in the letters of a rule that asks for it in capitals, else in small ones."""
    path, mark, query = request.target.partition("?")
    asked = next((text for text in capitals if path.lower().startswith(text.lower())), "")
    return replace(request, target=asked + path[len(asked):] + mark + query) if asked else _lower(request)


def _one_label(request: Request) -> Request:
    """`b.a.name` -> `a.name`, for the hosts that witnesses.py makes for a star."""
    return replace(request, host=request.host.removeprefix("b.")) if request.host.startswith("b.a.") else request


def _each_once(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    first: dict[str, str] = {}
    for piece in query.split("&"):
        first.setdefault(piece.partition("=")[0].lower(), piece)
    return replace(request, target=path + mark + "&".join(first.values()))


def _normal(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    # RFC 3986 section 6.2.2.2: unreserved characters mean the same in percent-encoding.
    plain = re.sub(r"%([0-9A-Fa-f]{2})", lambda found: character if (character := chr(int(found[1], 16))).isascii() and (character.isalnum() or character in "-._~") else found[0], path)
    return replace(request, target=(normalised(plain, PathReading()) or path) + mark + query)


def _without_parameters(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=re.sub("(?<=.);[^/]*", "", path) + mark + query)


def _without_signs(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=re.sub("%2[35]", "x", path) + mark + query)


def _without_raw_signs(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=re.sub(r"[][^|{}<>`\\\"]", "x", path) + mark + query)


def _without_dots(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=(re.sub(r"(?:\.|%20|%2[eE])+$", "", path) or "/") + mark + query)


def _without_slash(request: Request) -> Request:
    path, mark, query = request.target.partition("?")
    return replace(request, target=(path.rstrip("/") or "/") + mark + query)


def _without_odd_names(request: Request) -> Request:
    return replace(request, fields=tuple(pair for pair in request.fields if pair not in ODD_FIELDS))


# Order: the first that applies names the reason where it takes several.
_TWINS: dict[Reason, Callable[[Request], Request]] = {
    Reason.TRACE: _without_trace, Reason.HEAD: shortened, Reason.NAMES: _without_odd_names, Reason.SLOW: at_once, Reason.CONTENT: _without_content, Reason.METHOD: _as_get, Reason.CASE: _lower,
    Reason.PARAMETERS: _without_parameters, Reason.ENCODED_MARK: _plain_mark, Reason.SIGNS: _without_signs, Reason.RAW_SIGNS: _without_raw_signs, Reason.SPELLING: _normal, Reason.DOTS: _without_dots, Reason.FILE_SLASH: _without_slash, Reason.ARGUMENTS: _each_once,
}


# Reasons that say by themselves how the path is spelt.
_SPELT = frozenset({Reason.CASE, Reason.SPELLING, Reason.DOTS, Reason.ENCODED_SLASH, Reason.PARAMETERS, Reason.ENCODED_MARK, Reason.SIGNS, Reason.RAW_SIGNS, Reason.FILE_SLASH, Reason.SLASH})


def _cause(rows: list[_Row], groups: list[PathClasses], decider: _Decider) -> Cause:
    rows = sorted(rows, key=lambda row: (row.witness.request.method != "GET", len(row.witness.request.fields), len(row.witness.request.target), row.witness.request.target))
    first = rows[0]
    requests = [row.witness.request for row in rows]
    return Cause(
        first.severity, first.reason, shown(rows) if first.reason is Reason.OTHER else first.part, tuple(dict.fromkeys((_line(row.before, row), _line(row.after, row)) for row in rows)),
        first.witness.request, first.witness.facts.name, *decider.in_full(first.witness.request, first.witness.facts), len(rows),
        tuple(dict.fromkeys(request.method for request in requests)), tuple(dict.fromkeys(request.host for request in requests)),
        tuple(dict.fromkeys(request.target for request in requests))[:6], _where(rows, groups),
    )


# What a trace says where the line that a difference is about is not the one that answered.
_SAID_IN_TRACES = {"limit on": "limited", "kept for": "may be kept", "gets what": "may be kept", "what is kept": "may be kept"}


def _line(outcome: Outcome, row: _Row) -> Span | None:
    """The line that an outcome's part in a difference comes of."""
    rule = next((rule for start, rule in _SAID_IN_TRACES.items() if row.part[0].what.startswith(start)), "")
    return next((entry.span for entry in outcome.trace if entry.rule == rule and entry.span is not None), outcome.decided_by)


def _where(rows: list[_Row], groups: list[PathClasses]) -> str:
    """The requests of a cause in words, as far as they stand for classes; of several sites, with other words for each, those of one."""
    numbers = Counter(row.witness.group for row in rows if row.witness.group >= 0)
    if not numbers or rows[0].reason in _SPELT:
        return ""
    said = {}
    for group in numbers:
        here = [row.witness.request for row in rows if row.witness.group == group]
        said[group] = paths_in_words(groups[group], {decoded(request.target.partition("?")[0]) for request in here}), here[0].host
    example = rows[0].witness.request.host
    chosen = next((words for words in said.values() if words[1] == example), said[numbers.most_common(1)[0][0]])
    paths, host = chosen
    at = "" if len({words for words, _ in said.values()}) == 1 else f" at {host}"
    return f"{methods_in_words(row.witness.request for row in rows)}{at}, {paths}" if paths else ""


def _place(span: Span | None) -> tuple[str, int]:
    return (span.file, span.line) if span else ("", 0)


def findings_of(comparison: Comparison) -> list[Finding]:
    """The causes, and the patterns that were not reached, as findings."""
    made = [
        finding(OUTCOME_DIFFERS if cause.severity is Severity.BREAKING else OUTCOME_DIFFERS_SLIGHTLY, cause.places[0][0], shows=str(cause.example),
                what=cause.differences[0].what, before=cause.differences[0].before, after=cause.differences[0].after,
                before_at=cause.places[0][0] or "no line", after_at=cause.places[0][1] or "no line")
        for cause in comparison.causes
    ]
    made += [finding(COMPARISON_SAMPLED, None, pattern=pattern, reason="it looks around, or is beyond what is read") for pattern in comparison.unreached]
    return made


def compare_requests(before: Estate, after: Estate, requests: Iterable[Request], facts: Facts) -> list[Pair]:
    """Both outcomes for each request, in order."""
    before, after = as_deployed(before), as_deployed(after)
    together(before, after)
    decider = _Decider(before, after)
    out = []
    for request in requests:
        one, other = decider.in_full(request, facts)
        found: list[Difference] = []
        for part in _parts(tuple(differences(one, other, request))):
            # What one feature of the request makes differ matters as little here as among the causes.
            witness = Witness(request, facts)
            row = _Row(witness, one, other, part, _reason(decider, witness, one, other, part))
            found += [replace(item, severity=row.severity) if row.reason is not Reason.OTHER else item for item in part]
        out.append(Pair(request, one, other, tuple(found)))
    return out


def pair_of(request: Request, before: Outcome, after: Outcome) -> Pair:
    """Two outcomes of a request that were decided elsewhere."""
    return Pair(request, before, after, tuple(differences(before, after, request)))
