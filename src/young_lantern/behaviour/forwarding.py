"""What reaches an origin that a request is passed on to, or that is asked first; and where its redirects lead clients.

Source:   each server's way with targets is on the step (model/steps.py, ForwardTarget); probed (nginx 1.22.1, httpd 2.4.71, Caddy 2.6.2).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import AfterRewrite, AsReceived, Capture, Estate, Field, Forward, Mapped, Operation, Pattern, Rewrite, Side, Template, Var, Variable, Written
from ..patterns import compiled, search
from ..patterns.engines import go_replacement
from . import answering, paths, targets
from .balancing import choice_of, one_of
from .evaluate import holds, text, with_placeholders
from .origin_words import certificate
from .outcome import OriginRequest
from .request import HTTP2
from .state import State


def request_of(estate: Estate, step: Forward, state: State, method: str, rewrite: Callable[[Rewrite], object]) -> OriginRequest:
    """The request that the pool of a step gets; the labels of pool and member are set on the way. rewrite: does what a step says, as the program does."""
    pool = estate.pool(step.pool)
    members = tuple(member.address for member in pool.members if not member.down and not member.backup) if pool else (step.pool,)
    state.pool_label = pool.name if pool else step.pool
    # reverseproxy.go (2.6.2, probed): the target is made before one of them is chosen.
    state.member_label = one_of(members) if estate.dialect != "caddy" else ""
    target = target_of(step, state, estate.dialect, rewrite)
    state.member_label = one_of(members)
    fields = _passed_on(step, state, estate.dialect)
    if estate.dialect == "caddy" and state.request.protocol != HTTP2 and (state.request.field("Pragma") or "").strip() == "no-cache" and state.request.field("Cache-Control") is None and "cache-control" not in dict(fields):
        # net/http, fixPragmaCacheControl, as for answers (answering.py); not for requests by HTTP/2 (Caddy 2.6.2, probed).
        fields = tuple(sorted((*fields, ("cache-control", "no-cache"))))
    if step.asks_gzip and ("accept-encoding", "") in fields and method != "HEAD" and not state.request.field("Range"):
        fields = tuple((name, "gzip" if name == "accept-encoding" else value) for name, value in fields)
    back = _mapped_back(step, f"{'https' if step.secure else 'http'}://{dict(fields).get('host', '')}{target}", members, state, estate.dialect)
    return OriginRequest(members, step.secure, method, target, fields, choice_of(step, pool, members, method, state.request), back, step.protocol, certificate(step))


# What a connection is said to be, and fields that servers have lines of their own about.
_OF_CONNECTIONS = frozenset({"close", "keep-alive", "upgrade", "te", "trailer", "host"})


def _passed_on(step: Forward, state: State, dialect: str) -> tuple[tuple[str, str], ...]:
    """What the origin gets. RFC 9110 section 7.6.1: fields that the client names in Connection end here, and so does what rules made of them, but for what is
    said of the very origin (2.4.71, 2.6.2, probed); nginx passes them on (1.22.1, probed)."""
    if dialect != "nginx":
        state.looked_at("field", "Connection")
    named = {token.strip().lower() for name, value in state.request.fields if name.lower() == "connection" for token in value.split(",")} - _OF_CONNECTIONS
    if dialect == "nginx" or not named:
        return answering.request_fields([*state.request_fields, *step.fields], state)
    request, received = state.request, state.received
    ended = [Field(Side.REQUEST, Operation.REMOVE, name) for name in sorted(named) if request.field(name) is not None]
    state.request, state.received = replace(request, fields=tuple(item for item in request.fields if item[0].lower() not in named)), received or request
    made = answering.request_fields([*(item for item in state.request_fields if item.name.lower() not in named), *ended, *step.fields], state)
    state.request, state.received = request, received
    return made


def target_of(step: Forward, state: State, dialect: str, rewrite: Callable[[Rewrite], object]) -> str:
    """The target of the request to the origin."""
    made = _target(step, state, dialect, rewrite)
    if not _is_encoded(step, state):
        return made
    path, mark, query = made.partition("?")
    return re.sub("%25(2[fF])", r"%\1", path) + mark + query


def is_refused(step: Forward, target: str, state: State) -> bool:
    """proxy_util.c, ap_proxy_canonenc_ex (2.4.71, probed): with NoDecode a percent sign that stands before no code is 400."""
    return _is_encoded(step, state) and re.search("%25(?![0-9A-Fa-f]{2})", target.partition("?")[0]) is not None


def _is_encoded(step: Forward, state: State) -> bool:
    """Whether a path goes out percent-encoded but for slashes that came so."""
    as_it_is = isinstance(step.target, Written) and step.target.plain or isinstance(step.target, Mapped) and step.target.keeps_spelling and _spelt_as(step.target.prefix, step.target.spelt_like, state)
    return state.site.reading.keeps_encoded_slashes and not as_it_is


def _target(step: Forward, state: State, dialect: str, rewrite: Callable[[Rewrite], object]) -> str:
    query = state.query_part
    # ngx_http_proxy_create_request (1.22.1, probed): a path that came without escapes goes on as it came.
    as_it_came = state.site.reading.spares_plain_paths and not state.internal and "%" not in paths.split_target(state.request.target)[0]

    def escaped(path: str) -> str:
        return path if as_it_came else paths.escaped(path, state.site.reading.escapes)

    match step.target:
        case AsReceived():
            if (state.raw_path, state.query) == paths.split_target(state.request.target) and state.raw_path == state.escaped_path:
                return state.request.target
            return (state.escaped_path or "/") + query
        case AfterRewrite(change):
            # reverseproxy.go: a copy of the request is rewritten; fields and pages go by the request itself.
            kept = state.path, state.raw_path, state.raw_last, state.query, state.url, state.rewrites, state.internal, state.pinned
            rewrite(change)
            target = (state.escaped_path or "/") + state.query_part
            state.path, state.raw_path, state.raw_last, state.query, state.url, state.rewrites, state.internal, state.pinned = kept
            return target
        case Written(template, adds_query, plain):
            if dialect == "apache" and plain:
                # The bytes of the path as they are (2.4.71, probed).
                made = text(tuple(replace(part, escaped=False) if isinstance(part, Capture) else part for part in _as_asked(template, state)), state)
                template = (made.encode(errors="surrogateescape").decode("latin-1"),)
            elif dialect == "apache":
                # mod_proxy_http.c, proxy_http_canon (2.4.71, probed): what is made goes out escaped, percent signs too.
                template = targets.encoded_path(_as_asked(template, state), state)
            written = text(template, state)
            if dialect == "apache" and "?" in written:
                written = written.removesuffix("&")  # as in a query that a rule rewrites
            written += query if adds_query else ""
            if not written and dialect == "nginx":
                return state.request.target  # ngx_http_proxy_create_request: without a path in the URL the target goes on as it came
            return written if written[:1] not in ("", "?") else f"/{written}"
        case Mapped(prefix, replacement, True):
            rest = state.path[len(prefix):].partition("?")[0]
            return text(replacement, state) + escaped(rest) + query
        case Mapped(prefix, replacement, keeps_spelling=True) if _spelt_as(prefix, step.target.spelt_like, state):
            made = text(replacement, state) + state.request.target[len(prefix):]
            return made if made.startswith("/") or not prefix else "/" + made  # mod_proxy_http.c: an origin is asked for its root at least (2.4.71, probed)
        case Mapped(prefix, replacement, keeps_spelling=keeps):
            if state.pinned:
                return escaped(state.path) + query
            base = text(replacement, state)
            # What does not go on as it was spelt is encoded as a whole, what is written in front of it, too (proxy_util.c, ap_proxy_canonenc; 2.4.71, probed).
            path = (escaped(base) if keeps else base) + escaped(state.path[len(prefix):])
            return (path or "/") + query


def _as_asked(template: Template, state: State) -> Template:
    """The target of a rule, which is completed before RequestHeader puts anything into the Host field (httpd 2.4.71, probed)."""
    kept, state.host_set = state.host_set, None
    made = tuple(text((part,), state) if part == Var(Variable.AUTHORITY) else part for part in template)
    state.host_set = kept
    return made


def _spelt_as(prefix: str, pattern: Pattern | None, state: State) -> bool:
    """Whether the target as received begins with a prefix, so that what follows may go on as it is (proxy_util.c, ap_proxy_trans_match)."""
    target = state.request.target
    after = target[len(prefix):len(prefix) + 1]
    # mod_proxy.c, alias_match, of the target with its query: behind a prefix comes a slash, or nothing.
    more = after == "/" if prefix.endswith("/") else prefix != "" and after not in ("", "/")
    # A path that was changed, and passed through, still goes on as it came (httpd 2.4.71, probed).
    if pattern is not None and search(pattern, paths.split_target(target)[0]) is None:
        return False
    return not state.asked_inside and target.startswith(prefix or "/") and not more


def _mapped_back(step: Forward, location: str, members: tuple[str, ...], state: State, dialect: str) -> str:
    """The Location that a client gets where the origin redirects under its own name: mapped alike, whichever of several it is, or as if by that of none."""
    label = state.member_label
    found = set()
    if len(members) > 1 and label in location:
        for member in members:
            state.member_label = member
            found.add(mapped(step, location.replace(label, member), state, dialect))
        state.member_label = label
    return found.pop() if len(found) == 1 else mapped(step, location, state, dialect)


def mapped(step: Forward, location: str, state: State, dialect: str) -> str:
    """The Location that a client gets for an origin's."""
    for mapping in step.redirects:
        prefix = text(mapping.prefix, state)
        if location.startswith(prefix) and (mapping.when is None or holds(mapping.when, state)):
            location = text(mapping.replacement, state) + location[len(prefix):]
            if dialect == "nginx":  # proxy module, proxy_redirect: the first that matches is the last; elsewhere fields are edited afterwards (2.4.71, probed)
                return location
            break
    # What a host or a place says acts on it, too: in httpd's own table, and in Caddy where it is deferred.
    more = [item for item in state.fields if (item.deferred or dialect == "apache" and not item.apart) and (item.when is None or not item.asked_last or holds(item.when, state))]
    for item in (*step.response_fields, *more):
        if item.operation is Operation.EDIT and item.name.lower() == "location" and item.find is not None:
            location = compiled(item.find).sub(go_replacement(with_placeholders(item.value, state)), location)
    return location
