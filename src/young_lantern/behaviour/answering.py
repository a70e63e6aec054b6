"""Field operations -> the fields that a response carries, and those that the origin gets.

Rule:     operations apply in order; deferred ones when the answer comes, the last written directive first (Caddy wraps the
          response writer once for each), those of one directive in order.
"""

from __future__ import annotations

import itertools
from dataclasses import replace

from ..model import UNDERSCORED, Condition, Field, Operation
from ..model.fields import with_field
from ..patterns import compiled
from ..patterns.engines import go_replacement
from .codings import accepted
from .evaluate import holds, text, with_placeholders
from .outcome import OriginRequest
from .state import State


# RFC 9239 section 6: text/javascript is what these are called now; whoever compresses one means the other.
_RENAMED = {"application/javascript": "text/javascript", "application/x-javascript": "text/javascript"}


# RFC 9110 section 5.5: blanks at the ends are no part of a value; whoever writes or reads a field takes them off.
BLANKS = " \t"


# A field of a request that is sent without a value.
EMPTY = "(empty)"


# ngx_http_proxy_hide_headers: what an origin says to nginx itself goes to nobody else (nginx manual, proxy_hide_header; 1.22.1, probed).
_TO_THE_SERVER = frozenset({"x-accel-expires", "x-accel-redirect", "x-accel-limit-rate", "x-accel-buffering", "x-accel-charset"})


def arrived(fields: tuple[tuple[str, str], ...], dialect: str, by_http: bool = True) -> tuple[tuple[str, str], ...]:
    """The fields of an origin's answer as a server has them before any rule. by_http: and not by FastCGI."""
    if dialect == "nginx":
        return tuple(pair for pair in fields if pair[0] not in _TO_THE_SERVER)
    if dialect == "caddy" and by_http and dict(fields).get("pragma", "").strip() == "no-cache" and "cache-control" not in dict(fields):
        # net/http, fixPragmaCacheControl (Caddy 2.6.2, probed): what HTTP/1.0 says is said once more, so that all understand it.
        return (*fields, ("cache-control", "no-cache"))
    return fields


def take(step: Field, state: State) -> None:
    """One more operation on the answer's fields."""
    if not step.stays:
        state.fields = with_field(state.fields, step)
    elif not any(item.stays and _cookie(item) == _cookie(step) for item in state.standing):
        stand(step, state)


def stand(step: Field, state: State) -> None:
    """An operation that no search for a place forgets. A lookup inside has no page for errors, which the program goes on to all the same."""
    if not (state.depth and state.in_error):
        state.standing.append(step)


def _cookie(item: Field) -> str:
    return "".join(part if isinstance(part, str) else "?" for part in item.value).partition("=")[0]


def with_standing(state: State, of_server: bool) -> list[Field]:
    """The operations on the answer's fields: a cookie is there before any line acts, a challenge comes behind all.

    of_server: the server itself words an error or a redirect, and puts all fields of `always` into the other table first, whose lines do not act then
    (http_protocol.c, ap_send_error_response; httpd 2.4.71, probed)
    """
    cookies = [item for item in state.standing if item.stays]
    others = [*state.fields, *(item for item in state.standing if not item.stays)]
    return [*others, *(replace(item, apart=False) for item in cookies)] if of_server else [*cookies, *others]


def request_fields(operations: list[Field], state: State) -> tuple[tuple[str, str], ...]:
    """What the origin gets of the fields that rules speak of; "" for one that the client sent and that is taken away. One whose value comes out empty
    is sent so by Caddy and httpd (2.6.2, 2.4.71, probed), and not by nginx."""
    got: dict[str, str | None] = {"host": state.request.authority}
    for number, item in enumerate(operations):
        if item.asked_last and item.when is not None and not _held_after(operations[:number], item.when, state):
            continue
        name = item.name.lower()
        if name == UNDERSCORED:
            got |= {sent.lower(): None for sent in (*got, *(sent for sent, _ in state.request.fields)) if "_" in sent}
            continue
        value = with_placeholders(item.value, state, says=True)
        held = got[name] if name in got else state.request.field(name)
        adds = item.operation in (Operation.ADD, Operation.APPEND, Operation.MERGE, Operation.DEFAULT)
        if not value and not state.drops_empty and name != "host" and (item.operation is Operation.SET or adds and not held):
            got[name] = EMPTY
        elif item.operation is Operation.REMOVE or (item.operation is Operation.SET and not value):
            got[name] = None
        elif item.operation is Operation.SET:
            got[name] = value
        elif item.operation is Operation.DEFAULT:
            got[name] = held or value
        elif item.operation is Operation.MERGE and held and value in [piece.strip() for piece in held.split(",")]:
            continue
        elif item.operation in (Operation.ADD, Operation.APPEND, Operation.MERGE):
            got[name] = f"{held}, {value}" if held else value
        elif item.operation is Operation.EDIT and item.find is not None and held:
            got[name] = compiled(item.find).sub(go_replacement(value), held)
    state.host_set = None
    received = state.received or state.request
    return tuple((name, value.strip(BLANKS) or EMPTY if value else "") for name, value in sorted(got.items()) if value is not None or received.field(name))


def _held_after(lines: list[Field], condition: Condition, state: State) -> bool:
    """Whether the condition of a line holds, which sees what the lines before it have left, and not itself (mod_headers.c; 2.4.71, probed)."""
    kept, state.request_fields = state.request_fields, lines
    held = holds(condition, state)
    state.request_fields = kept
    return held


def response_fields(operations: list[Field], status: int, is_error: bool, state: State, sent: tuple[tuple[str, str], ...] = (), left_out: str = "", sent_apart: bool = False) -> tuple[tuple[str, str], ...]:
    """The fields that rules put on an answer, in lower case, by name; `sent`: what is asked about of those that an origin sent; left_out: the name of one that is not wanted; sent_apart: those stand in the table of the operations that are apart."""
    made: list[tuple[str, str]] = []
    for apart in (True, False):
        found = taking_place([item for item in operations if item.apart is apart], status, is_error, state)
        made += _applied([item for item in found if item.name.lower() != left_out], state, sent if apart is sent_apart else (), frozenset(name for name, _ in sent))
    return _sorted(made)


def joined_fields(operations: list[Field], of_forward: tuple[Field, ...], status: int, state: State, sent: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    """The same where what comes from an origin joins the fields that rules have set by then, and only what is deferred sees both (Caddy 2.6.2, probed)."""
    first = _applied(taking_place([item for item in operations if not item.deferred], status, False, state), state)
    arrived = _applied(taking_place(list(of_forward), status, False, state), state, sent)
    return _sorted(_applied(taking_place([item for item in operations if item.deferred], status, False, state), state, (*first, *arrived)))


def _sorted(made: list[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    return tuple(sorted(((name, value.strip(BLANKS)) for name, value in made), key=lambda pair: pair[0]))


def taking_place(operations: list[Field], status: int, is_error: bool, state: State) -> list[Field]:
    """The operations that are for this answer, in the order in which they act."""
    # On httpd's way to an error page the status is the error's, unless an origin answers with another one, or a rule redirects (2.4.71, probed).
    status = state.error_status or status if state.in_error and state.keeps_first and state.answered_by is None and not state.redirected else status
    immediate = [item for item in operations if not item.deferred]
    blocks = [list(block) for _, block in itertools.groupby((item for item in operations if item.deferred), lambda item: item.span)]
    found: list[Field] = []
    typed: set[bool] = set()  # the tables of httpd into which a rule has put a Content-Type
    for item in (*immediate, *itertools.chain.from_iterable(reversed(blocks))):
        # mod_expires.c, expires_insert_filter (2.4.71, probed): it looks before the page is answered, so that the error's status counts whoever answers.
        # Where a rule redirects on the way to the page, nothing answers it, and the redirect's counts (probed likewise).
        own = state.error_status or status if item.unless_sent and state.in_error and state.keeps_first and not state.redirected else status
        if item.statuses is not None and own not in item.statuses or is_error and not item.survives_errors:
            continue
        if item.asked_last and item.when is not None and not _held(item, state):
            continue
        found.append(item)
        if item.name.lower() == "content-type" and state.types is not None and state.types.each:
            # mod_headers.c: the type is set at once, so that the lines after it ask for the new one (2.4.71, probed).
            if item.operation is Operation.EDIT and item.find is not None:
                state.answer_type = compiled(item.find).sub(go_replacement(text(item.value, state)), state.answer_type)
            else:
                is_set = item.operation is Operation.SET or item.operation is Operation.DEFAULT and item.apart not in typed and (state.answered_by is None or state.by_script)
                state.answer_type = text(item.value, state) if is_set else "" if item.operation is Operation.REMOVE else state.answer_type
                (typed.discard if item.operation is Operation.REMOVE else typed.add)(item.apart)
    return found


def _held(item: Field, state: State) -> bool:
    if not item.unless_sent:
        return holds(item.when, state)  # type: ignore[arg-type]
    # mod_expires: its filter stands before the one of mod_headers, and sees the handler's type.
    now, state.answer_type = state.answer_type, state.handlers_type
    held = holds(item.when, state)  # type: ignore[arg-type]
    state.answer_type = now
    return held


def _applied(operations: list[Field], state: State, sent: tuple[tuple[str, str], ...] = (), in_any: frozenset[str] = frozenset()) -> list[tuple[str, str]]:
    """in_any: the names that came, in whichever table (mod_expires.c, expires_filter, looks into both; 2.4.71, probed)."""
    fields = list(sent)
    arrived = {name for name, _ in sent}
    # mod_expires: of several ages one counts, that which was found last.
    ages = {item.name.lower(): number for number, item in enumerate(operations) if item.unless_sent}
    for number, item in enumerate(operations):
        name = item.name.lower()
        if item.unless_sent and (item.unless_sent in arrived | in_any or ages[name] != number):
            continue
        if item.unless_sent and name in arrived:
            item = replace(item, operation=Operation.MERGE)
        value = with_placeholders(item.value, state, says=True)
        others = [(found, held) for found, held in fields if found != name]
        if item.operation is Operation.REMOVE:
            fields = others
        elif item.operation is Operation.SET:
            fields = [*others, (name, value)]
        elif item.operation is Operation.DEFAULT:
            if len(others) == len(fields):
                fields.append((name, value))
        elif item.operation is Operation.EDIT and item.find is not None:
            pattern = compiled(item.find)
            fields = [(found, pattern.sub(go_replacement(value), held) if found == name else held) for found, held in fields]
        elif item.operation in (Operation.APPEND, Operation.MERGE) and len(others) < len(fields):
            # apr_table_merge: it is the first line of several that grows, and that is looked into (httpd 2.4.71, probed).
            first, there = next((place, held) for place, (found, held) in enumerate(fields) if found == name)
            if item.operation is Operation.APPEND or value not in [piece.strip() for piece in there.split(",")]:
                fields[first] = (name, f"{there}, {value}")
        elif value or not state.drops_empty:
            fields.append((name, value))
    return fields


def coding(state: State, status: int | None, file: str | None, origin: OriginRequest | None) -> str | None:
    """The content coding offered to this client for a file or an origin's answer: "gzip from 20 bytes for text/html, …"."""
    compress = state.compress
    said = state.request.field("Accept-Encoding")
    if compress is None or not said or status is None or not (file or origin):
        return None
    asked = accepted(said)
    # encode.go, AcceptedEncodings (2.6.2, probed): the client's weights come first; nginx and httpd ask whether it takes the coding at all.
    wanted = sorted(compress.codings, key=lambda name: -asked.get(name, 0)) if state.dialect == "caddy" else compress.codings
    chosen = next((offered for offered in wanted if asked.get(offered, 0) > 0), None)
    if chosen is None:
        return None
    types = sorted({_RENAMED.get(item.removesuffix("*"), item.removesuffix("*")) or "*" for item in compress.media_types})
    return f"{chosen} from {compress.minimum_bytes} bytes for {', '.join(types)}"
