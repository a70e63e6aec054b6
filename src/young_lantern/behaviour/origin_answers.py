"""What an origin is asked to answer: a request may say so, in fields that the stand-in origin of a live check obeys.

Rule:     `Lantern-Answer: STATUS [LOCATION]`, where LOCATION may be `self`: the very URL that the origin was asked for; `Lantern-Field: NAME: VALUE` is one more
          field of its answer; with STATUS `refused` there is no origin that could be reached; `Lantern-After: SECONDS` says how long it takes to answer.
          Without them it answers 200, at once.
Source:   RFC 6265 section 4.1 (Set-Cookie), section 5.2 (names of attributes have no case, their order says nothing).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from ..model import CONTENT, CookieFlags, CookieMapping, ErrorPages, Field, Forward, Gateway, Lookup, Operation, Pattern, Side, Site, TextIs, TextMatches, Var, Variable, literal
from ..model.walk import all_within
from ..patterns import examples
from .client_certificates import CERTIFICATE, in_words
from .request import MOST_FIELDS, Request, shortened

ANSWER, FIELD, AFTER, VERDICT = "Lantern-Answer", "Lantern-Field", "Lantern-After", "Lantern-Verdict"
SELF, REFUSED = "self", "refused"
# The Content-Type of an origin that is asked for nothing else.
USUAL_TYPE = "application/json"
# Answers that servers treat otherwise than 200: one without a page as a rule, one that pages are usually for, one that sends the client elsewhere.
_USUAL = ("404", "500", f"302 {SELF}", "301 /x", REFUSED)
# Where servers answer errors of origins themselves: some for which there is no page, as a rule.
_WITHOUT_PAGE = ("403", "418")
_MOST_STATUSES, _MOST_FIELDS = 8, 16
# Nobody is asked to wait for longer than an hour, nor for more than so many times.
_MOST_SECONDS, _MOST_TIMES = 3600, 4
_OF_TYPE = Var(Variable.ANSWER_TYPE)
# Where answers are kept: what they say of it, and requests whose answers are nobody else's (RFC 9111 sections 3, 3.5, 5.2.1).
_OF_CACHES = (
    "Cache-Control: max-age=60", "Cache-Control: private", "Cache-Control: public", "Expires: Thu, 01 Jan 1970 00:00:00 GMT", "Expires: Fri, 01 Jan 2100 00:00:00 GMT", "Set-Cookie: sid=1", "Vary: *",
    "Last-Modified: Fri, 01 Jan 2016 00:00:00 GMT", "Pragma: no-cache", "X-Accel-Expires: 60", "X-Accel-Expires: 0",
)
# An error of which something is said: httpd keeps it then, whatever that is (2.4.71, probed).
KEPT_ERROR = ((ANSWER, "404"), (FIELD, "Cache-Control: public"))
_WANTS_NOTHING_KEPT = (("Authorization", "Basic eDp5"), ("Cache-Control", "no-cache"), ("Pragma", "no-cache"))
# Field names that say what the connection or the content is: a proxy makes them itself.
_OWN = frozenset({"content-length", "content-type", "content-encoding", "transfer-encoding", "connection", "date", "server", "location", "vary", "etag", "last-modified"})


@dataclass(frozen=True, slots=True)
class OriginAnswer:
    """location: as the origin writes it; `self` for the URL that it was asked for; "" for none. refused: the connection to it is. after: seconds that it takes."""

    status: int = 200
    location: str = ""
    fields: tuple[tuple[str, str], ...] = ()
    refused: bool = False
    after: float = 0.0


def wanted(request: Request) -> OriginAnswer:
    """The answer that a request asks of an origin."""
    return parsed(request.field(ANSWER) or "", request.field(FIELD) or "", request.field(AFTER) or "")


def parsed(answer: str, field: str, after: str = "") -> OriginAnswer:
    """The same from the values of the fields, "" for one that is not there."""
    status, _, location = answer.partition(" ")
    name, _, value = field.partition(":")
    fields = ((name.strip().lower(), value.strip()),) if name.strip() else ()
    return OriginAnswer(int(status) if status.isdigit() else 200, location, fields, status == REFUSED, float(after) if after.replace(".", "", 1).isdigit() else 0.0)


def at_once(request: Request) -> Request:
    """The request to an origin that answers at once."""
    return replace(request, fields=tuple(pair for pair in request.fields if pair[0] != AFTER))


def asks_origin(request: Request) -> bool:
    """Whether the request is one for a stand-in only: no true origin knows these fields."""
    return any(request.field(name) is not None for name in (ANSWER, FIELD, AFTER, VERDICT))


def fields_in_words(request: Request) -> list[str]:
    """The fields of a request as reports show them; what is asked of a stand-in is said of the origin."""
    shown = [_in_words(name, value) for name, value in request.fields]
    return shown if len(shown) <= MOST_FIELDS else [*shown[:2], f"(and {len(shown) - 2:,} fields more)"]


# What a field that the stand-ins obey says.
_SAID = {ANSWER: "the origin answers {}", FIELD: "the origin sends {}", AFTER: "the origin takes {} seconds", VERDICT: "who is asked first answers {}"}


def _in_words(name: str, value: str) -> str:
    if (name, value) == (ANSWER, REFUSED):
        return "(the origin cannot be reached)"
    if name in _SAID:
        return f"({_SAID[name].format(value.replace(SELF, 'to the same URL') if name == ANSWER else value)})"
    return in_words(value) if name == CERTIFICATE else f"{name}: {shortened(value)}"


def answers_to_ask(sites: list[Site], waits: Iterable[float | None] = ()) -> Iterator[tuple[str, str]]:
    """(field, value) of a request for each answer of an origin's that these sites may treat in a way of their own.

    waits: seconds that their servers wait where nothing says it
    """
    statuses = dict.fromkeys(_USUAL)
    fields: dict[str, None] = {}
    items = [item for site in sites for item in all_within(site.program)]
    if any(isinstance(item, Forward | Gateway) and item.intercepts_errors for item in items):
        listed = sorted({status for item in items if isinstance(item, ErrorPages) for page in item.pages for status in page.statuses or ()})
        statuses |= dict.fromkeys([*map(str, listed[:_MOST_STATUSES]), *_WITHOUT_PAGE])
    for item in items:
        if isinstance(item, Field) and item.name == CONTENT:
            fields |= {f"Content-Type: {text}": None for text in item.types if text != "*"}
        elif isinstance(item, Field) and item.side is Side.RESPONSE and item.name.lower() not in _OWN and (item.operation is not Operation.ADD or item.name.lower() == "set-cookie"):
            fields |= dict.fromkeys(_cookies("/", "", "/x") if item.name.lower() == "set-cookie" else [f"{item.name}: of the origin"])
        elif isinstance(item, Var) and item.variable is Variable.ORIGIN_FIELD and item.name.lower() not in _OWN:
            fields |= {f"{item.name.title()}: of the origin": None}
        elif isinstance(item, TextIs | TextMatches | Lookup) and _OF_TYPE in (item.subject if isinstance(item, Lookup) else item.template):
            fields |= {f"Content-Type: {text}": None for text in _types(item)}
        elif isinstance(item, CookieMapping):
            texts = list(examples(item.before, starts_with_slash=item.attribute == "path"))[:3] if isinstance(item.before, Pattern) else [literal(item.before) or "/"]
            for text in texts:
                domain = text.lstrip(".") if item.attribute == "domain" else ""
                fields |= dict.fromkeys(_cookies(text if text.startswith("/") else "/", domain, "/other"))
        elif isinstance(item, CookieFlags):
            names = list(examples(item.names, starts_with_slash=False))[:2] if isinstance(item.names, Pattern) else [item.names or "sid"]
            fields |= dict.fromkeys(f"Set-Cookie: {name}=1; Path=/; Secure; SameSite=None" for name in names)
    keeps = [item.cache for item in items if isinstance(item, Forward | Gateway) and item.cache is not None]
    if keeps:
        statuses |= dict.fromkeys(str(status) for status in sorted({status for cache in keeps for row in cache.lifetimes for status in row.statuses or ()})[:_MOST_STATUSES])
    times = {seconds for seconds in (*waits, *(item.read_seconds for item in items if isinstance(item, Forward | Gateway))) if seconds is not None and seconds <= _MOST_SECONDS}
    yield from ((ANSWER, status) for status in statuses)
    yield from ((AFTER, f"{seconds + 1:g}") for seconds in sorted(times)[:_MOST_TIMES])
    yield from ((FIELD, text) for text in (*list(fields)[:_MOST_FIELDS], *(_OF_CACHES if keeps else ())))
    yield from _WANTS_NOTHING_KEPT if keeps else ()


def _types(item: TextIs | TextMatches | Lookup) -> list[str]:
    """Types that a condition, or the rows of a table, tell from others."""
    asked = item.values if isinstance(item, TextIs) else [row.value for row in item.rows] if isinstance(item, Lookup) else [item.pattern]
    return [text for value in asked for text in ([value] if isinstance(value, str) else list(examples(value, starts_with_slash=False))[:1]) if text]


def _cookies(path: str, domain: str, other: str) -> list[str]:
    """Set-Cookie lines at the boundaries of a mapping."""
    if domain:
        return [f"Set-Cookie: sid=1; Domain={domain}; Path=/", f"Set-Cookie: sid=1; Domain=.{domain}; Path=/", f"Set-Cookie: sid=1; Domain=x.{domain}"]
    return [f"Set-Cookie: sid=1; Path={path}", f"Set-Cookie: sid=1; Path={path.rstrip('/')}/x; HttpOnly", f"Set-Cookie: sid=1; Path={other}", "Set-Cookie: sid=1"]


def cookie_attributes(line: str) -> tuple[str, ...]:
    """A Set-Cookie line as what a client makes of it: the pair, then the attributes in order of their names, of several of one name the last."""
    pair, *attributes = line.split(";")
    held: dict[str, str] = {}
    for text in attributes:
        name, equals, value = text.strip().partition("=")
        if name:
            value = value.strip()
            held[name.lower()] = f"{name.lower()}={value.lower() if name.lower() in ('samesite', 'domain') else value}" if equals else name.lower()
    if "domain" in held:
        held["domain"] = held["domain"].replace("=.", "=", 1)
    return (pair.strip(), *(held[name] for name in sorted(held)))
