"""A request's head against what a listener and a site take of it.

Source:   RFC 9112 sections 3 and 5, RFC 6585 section 5; the limits themselves are where each dialect is read.
Rule:     the request line comes before any field: without TLS the name of the host is not known yet (nginx 1.22.1, httpd 2.4.71, probed).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace

from ..model import Block, Estate, Listener, RequestHeads, Site, Span
from ..patterns import search
from . import paths
from .client_certificates import CERTIFICATE
from .outcome import Outcome, TraceEntry
from .request import Facts, Request
from .state import State

LINE_TOO_LONG = 414
# Beyond the smaller of two limits by so much: what a server counts besides (the end of the line, a space) is less.
_BEYOND = 64
# Fields that the client adds: Host and Connection.
_ADDED = 2
# No longer requests are made up; the limit of a server that takes more is not asked.
_MOST = 256 * 1024
LONG, MANY, LARGE = "x-fern-long", "x-fern-many", "x-fern-large"
ODD_FIELDS = (("X_Fern", "1"), ("X.Fern", "1"))
_ODD = re.compile(r"[^A-Za-z0-9-]")


def in_force(listener: Listener, site: object) -> RequestHeads:
    """What counts once the host is known."""
    return site.heads if isinstance(site, Site) and site.heads is not None else listener.heads


def over(listener: Listener, site: object, request: Request) -> tuple[int, bool, Span | None] | None:
    """(status, whether the site is known by then, the line that says so) for a request that is more than is taken; None: it is taken."""
    own = in_force(listener, site)
    known = own is not listener.heads  # where sites say nothing themselves, all is read before one is chosen
    early = own if request.scheme == "https" else listener.heads
    line = len(request.method) + len(_wire(request.target)) + len("  HTTP/1.1")
    if early.line is not None and line > early.line:
        return LINE_TOO_LONG, known and early is own, early.span
    lengths = [len(name) + len(_wire(value)) + 2 for name, value in request.fields if name.lower() != CERTIFICATE.lower()]
    if (own.field is not None and lengths and max(lengths) > own.field or own.fields is not None and len(lengths) + _ADDED > own.fields
            or own.total is not None and line + 2 + sum(length + 2 for length in lengths) > own.total):
        return own.status, known, own.span
    return None


def refuses_host(heads: RequestHeads, host: str) -> bool:
    """Whether a host's name is refused before a site is chosen by it."""
    return heads.hosts is not None and not host.startswith("[") and search(heads.hosts, host) is not None


def answer(estate: Estate, listener: Listener, site: object, request: Request, facts: Facts, over: tuple[int, bool, Span | None], run: Callable[[State], Outcome],
           named: dict[str, str] | None = None, numbered: tuple[str, ...] = (), entry: TraceEntry | None = None) -> Outcome:
    """The error that such a request gets, with the pages of the site as far as it is known by then (Caddy: net/http answers by itself).

    named, numbered: the groups of the pattern of names by which the site was chosen; entry: what is said of it
    """
    status, known, span = over
    unread = entry is not None
    entry = entry or (TraceEntry("the name of the host is refused", span or listener.span, request.host) if refuses_host(in_force(listener, site), request.host)
             else TraceEntry("the head of the request is more than is taken", span or listener.span, f"{len(request.target)} octets of target, {len(request.fields)} fields"))
    if not known:
        named, numbered = None, ()
        site = estate.site(listener.fallback) if isinstance(listener.fallback, str) else None
    if isinstance(site, Site) and estate.dialect == "tomcat" and any(isinstance(step, Block) for step in site.program):
        # CoyoteAdapter, StandardHostValve (10.1.60, probed): valves of a host act on it with an empty path, and may say something else.
        return Outcome(None, site=site.key, decided_by=site.span, gave_up="what valves make of a request that is refused is not known", trace=(entry,))
    if not isinstance(site, Site) or estate.dialect == "caddy":
        return Outcome(status, decided_by=span or listener.span, trace=(entry,))
    raw, query, seen = "/", "", request
    if estate.dialect == "nginx" and (status == LINE_TOO_LONG or unread):
        # ngx_http_process_request_line (1.22.1, probed): nothing of the request is known by then, whatever a variable is asked for.
        name = next((row.host.text for row in listener.rows if row.site == site.key and row.host.pattern is None), "")
        raw, seen = "", replace(request, target="", method=request.method if unread else "", fields=(), host=name if unread else request.host)
    elif estate.dialect == "nginx" or unread:
        raw, query = paths.split_target(request.target)
    path = paths.left_of(raw, site.reading) if unread and raw else paths.read_path(raw, site.reading) if raw else ""
    state = State(seen, site, facts, path or "/" if raw else "", raw, query, seen.method, raw_last=raw, received=request, dialect=estate.dialect, drops_empty=estate.dialect == "nginx", refused=status, named=dict(named or {}), numbered=numbered)
    state.trace.append(entry)
    state.unread = estate.dialect == "nginx" or not unread  # mod_setenvif asks of a target that is refused later
    state.unparsed = status == LINE_TOO_LONG or unread
    return run(state)


def is_none(estate: Estate, listener: Listener, request: Request) -> bool:
    """Whether a target is refused as none though no site has the host's name: a percent sign before no code (net/http, Caddy 2.6.2), or all that Tomcat refuses (10.1.60, probed)."""
    if estate.dialect != "tomcat" or not listener.rows:
        return paths.is_none(request.target)
    raw, query = paths.split_target(request.target)
    return paths.read_path(raw, estate.site(listener.rows[0].site).reading) is None or query is not None and paths.is_no_query(query)


def malformed(estate: Estate, listener: Listener, site: Site, request: Request, facts: Facts, run: Callable[[State], Outcome], named: dict[str, str], numbered: tuple[str, ...]) -> Outcome:
    """The error that a target gets which is none: an escape of no octet, a zero octet, or dots that lead above the root.

    ngx_http_process_request_uri (1.22.1): the host is not known by then, but for the name that TLS told; request.c, ap_process_request_internal (httpd 2.4.71): it is, and a zero octet is
    404; net/http (Caddy 2.6.2) answers by itself; all probed
    """
    parsed = estate.dialect != "tomcat" or not paths.is_no_query(request.target)
    # Http11InputBuffer, parseRequestLine (Tomcat 10.1.60, probed): where the request line is none the host is not known by then.
    status = 404 if estate.dialect == "apache" and paths.has_zero(request.target.partition("?")[0]) else 400
    return answer(estate, listener, site, request, facts, (status, parsed and estate.dialect != "nginx" or request.scheme == "https", None), run, named, numbered, TraceEntry("the target is refused", site.span, request.target))


def without_dropped(heads: RequestHeads, request: Request) -> Request:
    """The request without the fields that are dropped for their names."""
    if heads.names is None:
        return request
    kept = tuple(pair for pair in request.fields if not drops(heads, pair[0]))
    return request if kept == request.fields else replace(request, fields=kept)


def drops(heads: RequestHeads, name: str) -> bool:
    return heads.names is not None and any(letter not in heads.names for letter in _ODD.findall(name))


def requests_beyond(heads: list[RequestHeads], plain: Request) -> Iterator[Request]:
    """One request beyond the smallest of each limit, a little: whoever takes more answers it."""
    for make, name in ((_long_line, "line"), (_long_field, "field"), (_many_fields, "fields"), (_large, "total")):
        limits = [limit for item in heads if (limit := getattr(item, name)) is not None]
        if limits and min(limits) <= _MOST:
            yield make(plain, min(limits))


def shortened(request: Request) -> Request:
    """The request without what makes its head long."""
    fields = tuple(pair for pair in request.fields if not pair[0].lower().startswith((LONG, MANY, LARGE)))
    return replace(request, target=re.sub(r"[?&]fern=f*$", "", request.target), fields=fields)


def is_crowded(request: Request) -> bool:
    """Whether it has so many fields, none of which is long by itself."""
    return any(name.lower().startswith((MANY, LARGE)) for name, _ in request.fields)


def _long_line(plain: Request, limit: int) -> Request:
    return replace(plain, target=f"{plain.target}?fern=" + "f" * (limit + _BEYOND - len(plain.target)))


def _long_field(plain: Request, limit: int) -> Request:
    return replace(plain, fields=(*plain.fields, (LONG, "f" * (limit + _BEYOND))))


def _many_fields(plain: Request, limit: int) -> Request:
    return replace(plain, fields=(*plain.fields, *((f"{MANY}-{number}", "1") for number in range(limit))))


def _large(plain: Request, limit: int) -> Request:
    """Fields none of which is long by itself."""
    return replace(plain, fields=(*plain.fields, *((f"{LARGE}-{number}", "f" * 4000) for number in range(limit // 4000 + 2))))


def _wire(text: str) -> bytes:
    return text.encode("utf-8", "surrogateescape")
