"""Whether an origin's answer is kept for later requests, and for how long; and what tells requests apart that get the same kept answer.

Source:   RFC 9111; ngx_http_upstream_process_cache_control and its like; mod_cache.c, cache_save_filter, cache_util.c (nginx 1.22.1, httpd 2.4.71, probed).
Rule:     a decision is on the first request for something: what is kept by then is nothing, and what would be given to the next is foretold.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timezone
from email.utils import parsedate_to_datetime

from ..model import Cache, Operation
from .evaluate import holds, text
from .origin_answers import OriginAnswer
from .outcome import Kept
from .state import State

MISS, BYPASS = "MISS", "BYPASS"
_YEAR = 31_536_000.0
# RFC 9110 section 15.1: statuses whose answers may be kept though nothing says for how long, as mod_cache has them.
_KEPT_BY_THEMSELVES = (200, 203, 300, 301)


def used(cache: Cache | None, state: State) -> Cache | None:
    """The cache in which an answer is looked for, if any is."""
    while cache is not None and cache.when is not None and not holds(cache.when, state):
        cache = cache.otherwise
    return cache if cache is not None and state.method in cache.methods else None


def status(cache: Cache, state: State) -> str:
    """What is said of the first request for something."""
    return BYPASS if cache.bypasses is not None and holds(cache.bypasses, state) else MISS


def asked_by(cache: Cache | None, state: State) -> str:
    """The method by which an origin is asked (ngx_http_upstream_cache, convert_head; 1.22.1, probed)."""
    found = used(cache, state) if state.method == "HEAD" else None
    return "GET" if found is not None and found.asks_whole else state.method


def meet(cache: Cache | None, answer: OriginAnswer, state: State) -> None:
    """An origin's answer comes to a cache."""
    if (cache := used(cache, state)) is not None:
        state.cache_status = status(cache, state)
        state.keeping = None if answer.refused else (cache, answer)
        state.note("may be kept", cache.span)


def settle(fields: tuple[tuple[str, str], ...], state: State) -> None:
    """What becomes of the answer, once its fields are known.

    mod_cache.c: the filter that keeps answers comes after those that change their fields (2.4.71, probed); nginx goes by what the origin sent.
    """
    if state.keeping is not None:
        cache, answer = state.keeping
        changed = {name for name, _ in fields} if state.dialect == "apache" else set()
        seen = replace(answer, fields=(*(pair for pair in answer.fields if pair[0] not in changed), *(pair for pair in fields if pair[0] in changed)))
        state.kept = kept(cache, seen, answer.status, state)


def kept(cache: Cache, answer: OriginAnswer, code: int, state: State) -> Kept:
    """What becomes of an answer. code: its status, as the origin sent it."""
    state.sent = answer.fields  # what is kept may hang on what was answered
    skipped = cache.skips is not None and holds(cache.skips, state)
    fields = [(name, value) for name, value in answer.fields if name not in cache.ignores]
    seconds = None if skipped else _RULES[state.dialect](cache, fields, code, state)
    refused = cache.heeds_clients and _refuses(cache, state)
    if cache.before_all and state.request.field("Authorization"):
        seconds, refused = None, True  # mod_cache.c, cache_quick_handler (2.4.71, probed): who says who he is gets nothing that was kept
    return Kept(seconds, not refused and status(cache, state) != BYPASS, cache.told_apart())


def worded(state: State) -> None:
    """The server answers an origin's error itself.

    ngx_http_upstream.c, ngx_http_upstream_intercept_errors (1.22.1, probed): it notes the error beside its keys for as long as it would be kept, and
    `proxy_no_cache` does not count. httpd keeps none (2.4.71, probed).
    """
    if state.keeping is not None:
        cache, answer = state.keeping
        state.keeping = (replace(cache, skips=None), answer) if state.dialect == "nginx" else None


def _refuses(cache: Cache, state: State) -> bool:
    """Whether the request says that it wants nothing that was kept; rules may say so for it, unless they come too late."""
    names = ("Cache-Control", "Pragma")
    for name in names:
        state.looked_at("field", name)
    said = ",".join(state.request.field(name) or "" for name in names)
    for item in state.request_fields if not cache.before_all else ():
        if item.name.title() in names and item.operation is not Operation.REMOVE and (item.when is None or holds(item.when, state)):
            said += "," + text(item.value, state)
    return bool(re.search(r"\bno-cache\b|\bno-store\b|\bmax-age=0\b", said, re.IGNORECASE))


def _of_nginx(cache: Cache, fields: list[tuple[str, str]], code: int, state: State) -> float | None:
    """The fields one by one, as they come: each may forbid it; the first that gives a time counts, X-Accel-Expires before all."""
    given: float | None = None
    for name, value in fields:
        if name == "x-accel-expires":
            given = float(value) if value.isdigit() else given
            if given == 0:
                return None
        elif name == "set-cookie" or name == "vary" and value.strip() == "*":
            return None
        elif name == "cache-control":
            if re.search(r"no-cache|no-store|private", value, re.IGNORECASE):
                return None
            age = re.search(r"s-maxage=(\d+)", value, re.IGNORECASE) or re.search(r"max-age=(\d+)", value, re.IGNORECASE)
            if age is not None:
                if int(age[1]) == 0:
                    return None
                given = float(age[1]) if given is None else given
        elif name == "expires" and given is None:
            until = _from_now(value)
            if until is None or until <= 0:
                return None
            given = until
    if given is not None:
        return given
    return next((row.seconds or None for row in cache.lifetimes if row.statuses is None or code in row.statuses), None)


def _of_httpd(cache: Cache, fields: list[tuple[str, str]], code: int, state: State) -> float | None:
    # cache_util.c, cache_merge_headers_out: of several lines the first counts, which is one of the table `always` (2.4.71, probed).
    held = {name: value.lower() for name, value in reversed(fields)}
    control = held.get("cache-control", "")
    if re.search(r"no-cache|no-store|private", control) or "no-cache" in held.get("pragma", "") or held.get("vary", "").strip() == "*" or code == 206:
        return None
    state.looked_at("field", "Authorization")
    if state.request.field("Authorization") and not re.search(r"s-maxage|must-revalidate|proxy-revalidate|public", control):
        return None
    age = re.search(r"s-maxage=(\d+)", control) or re.search(r"max-age=(\d+)", control)
    if age is not None:
        return float(age[1]) or None
    if "expires" in held:
        until = _from_now(held["expires"])
        return until if until is not None and until > 0 else None
    if code not in _KEPT_BY_THEMSELVES and not control:
        return None  # mod_cache.c, cache_save_filter (2.4.71, probed): with any Cache-Control an error is kept, for the default time
    if not cache.queried and state.query is not None:
        return None
    if code == 200 and not cache.plain and not {"last-modified", "etag"} & set(held):
        return None
    since = _from_now(held.get("last-modified", ""))
    if since is not None and since < 0 and cache.guess is not None:
        return min(max(-since * cache.guess.part, cache.guess.least), cache.guess.most) or None
    return next((row.seconds or None for row in cache.lifetimes), None)


def _from_now(date: str) -> float | None:
    """Seconds until a date (RFC 9110 section 5.6.7); None: it is none. How far off it is nobody foretells, so that all that are to come are a year away, and all others as long ago."""
    try:
        found = parsedate_to_datetime(date)
    except (TypeError, ValueError):
        return None
    return _YEAR if found.replace(tzinfo=found.tzinfo or timezone.utc) > datetime.now(timezone.utc) else -_YEAR


_RULES: dict[str, Callable[[Cache, list[tuple[str, str]], int, State], float | None]] = {"nginx": _of_nginx, "apache": _of_httpd}
