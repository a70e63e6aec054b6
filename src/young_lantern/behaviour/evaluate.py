"""Templates and conditions -> text and truth, for one request in its present state.

Unknown:  an Unread variable makes the outcome `gave_up`, so that no answer is foretold from a guess; but the value of a field hangs on nothing, so that it
          is said in words there (own_values.py), and all else is decided.
"""

from __future__ import annotations

import base64
import re
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import unquote_plus

import regex

from ..model import (
    AS_DECODED, AllOf, Always, AnsweredInside, AnyOf, Capture, Remade, ClientIn, Condition, FileExists, FileKind, FileNameMatches, FolderMatches, HostIs, OF_TLS, ONE_SLASH, Hashed, HttpDate, LetInBefore, LookedUpInside, Lookup, LookupRow, MethodIn, Not, Operation, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern, PeerIn, Pinned,
    Placeholder, Rewritten, SchemeIs, Template, TextIs, TextMatches, Unknowable, Unread, Var, Variable, is_drawn, literal, shares_of, status_words,
)
from ..model.walk import walk
from ..patterns import host_matches, search
from . import client_certificates, paths
from .folder_walks import walked, walked_first
from .networks import in_network
from .own_values import OWN_VALUES, drawn_value, is_own, own_value, unread_value
from .path_conditions import is_like, path_in
from .request import Request
from .shares import in_digits
from .state import State

# --- templates --------------------------------------------------------------------------------------------------------

def text(template: Template, state: State) -> str:
    """The template completed. Missing values are empty."""
    if state.looks_once and len(template) > 1:
        # ngx_http_complex_value (1.22.1, probed): all lengths come first, and with them all tables, whose patterns take the groups of others away.
        for part in template:
            if isinstance(part, Lookup) and part.name not in state.looked_up:
                state.looked_up[part.name] = _looked_up(part, state)
    return "".join(part if isinstance(part, str) else _part(part, state) for part in template)


def known(template: Template, state: State) -> str:
    """The same of a field's value that something hangs on after all."""
    made = text(template, state)
    return made if state.says else _known(made, state)


def _known(made: str, state: State) -> str:
    if is_own(made):
        state.gave_up = f"{made.strip('()')} is not known"
    return made


def said(template: Template, state: State) -> str:
    """A field's value: what nobody foretells stands in it in words."""
    before, state.says = state.says, True
    made = text(template, state)
    state.says = before
    return made


def with_placeholders(template: Template, state: State, says: bool = False) -> str:
    """A text as Caddy's `header`, `header_up` and `respond` complete it: a placeholder without a value stays what it is (2.6.2, probed); elsewhere it is nothing."""
    before = state.keeps, state.says
    state.keeps, state.says = state.dialect == "caddy", says or state.says
    made = text(template, state)
    state.keeps, state.says = before
    return made


def _remade(made: str, how: str, state: State) -> str:
    if how == "encoded":
        # util.c, c2x (2.4.71, probed): digits of httpd's are small.
        return re.sub("%[0-9A-F]{2}", lambda found: found[0].lower(), paths.escaped(made, state.site.reading.escapes))
    if how == "decoded":
        # util.c, unescape_url (2.4.71, probed): what is no code stays, and behind a zero byte nothing is left.
        return paths.decoded(made).partition("\0")[0]
    return "".join((letter.upper() if how == "large" else letter.lower()) if letter.isascii() else letter for letter in made)


def _part(part: Var | Capture | Remade | Hashed | HttpDate | Placeholder | Unread | Lookup, state: State) -> str:
    match part:
        case Capture(group, label, is_escaped, encoding):
            value = _capture(group, label, state)
            if encoding is not None:
                value = encoding.applied(value)
            reading = state.site.reading
            plain = reading.spares_plain_captures and not regex.search("[%+]", (state.received or state.request).target.partition("?")[0])
            escapes = reading.escapes.replace("%", "") if reading.encoded_captures else reading.escapes
            return paths.escaped(value, escapes + reading.escapes_in_captures) if is_escaped and not plain else value
        case Lookup():
            # nginx map module: once for a request; Caddy's map looks anew each time (2.6.2, probed), and so does what httpd asks.
            if not state.looks_once:
                return _looked_up(part, state)
            if part.name not in state.looked_up:
                state.looked_up[part.name] = _looked_up(part, state)
            return known((state.looked_up[part.name],), state)
        case Remade(template, how, is_escaped):
            made = _remade(text(template, state), how, state)
            return paths.escaped(made, state.site.reading.escapes + state.site.reading.escapes_in_captures) if is_escaped else made
        case Hashed(template):
            return in_digits(text(template, state))
        case HttpDate(seconds):
            return f"(now {seconds:+d} s)"
        case Placeholder(spelling):
            return spelling
        case Unread(spelling):
            if not state.says:
                state.gave_up = f"the value of {spelling} is not known"
            return unread_value(spelling)
        case Var(variable, name):
            return _variable(variable, name, state)


def _looked_up(table: Lookup, state: State) -> str:
    if is_drawn(table):
        # Nothing, where that is among what is drawn, may leave out a field, or a whole line.
        said = state.says and all(literal(result) for _, result in shares_of(table))
        state.gave_up = state.gave_up if said else "what is drawn anew for each request is not known"
        return drawn_value(table)
    before, state.keeps = state.keeps, False
    row = _row_of(table, state)
    made = text(table.fallback if row is None else row.result, state)
    state.keeps = before
    return made


def _row_of(table: Lookup, state: State) -> LookupRow | None:
    before, state.says = state.says, False
    subject = text(table.subject, state)
    state.says = before
    for row in table.rows:
        if isinstance(row.value, Pattern):
            # nginx: the groups of a table's pattern are those in sight from then on, as after any other.
            if matches(row.value, subject, state, False):
                return row
        elif in_network(subject, row.value) if table.networks else _same(subject, row.value, table.ignores_case):
            return row
    return None


def _capture(group: int | str, label: str, state: State) -> str:
    if isinstance(group, str):
        return state.named.get(f"{label}.{group}" if label else group, "")
    if state.keeps and label and label not in state.labelled:
        return f"{{http.regexp.{label}.{group}}}"
    values = state.labelled.get(label, ()) if label else state.numbered
    return values[group] if group < len(values) else ""


def peer(state: State) -> str:
    """The address of the connection's other end, whatever a field says of the client's."""
    return (state.received or state.request).client


def host_now(state: State) -> str:
    """The host of the request, as rules have left it by now in Caddy, whose matchers and placeholders ask for that (2.6.2, probed)."""
    if state.host_set is None or state.dialect != "caddy":
        return state.request.host
    return re.sub(r":\d*$", "", state.host_set)


# What stands for itself in a text of Caddy's where it has no value (2.6.2, probed), by its long name.
_ITSELF = {
    Variable.STATUS: "{http.error.status_code}", Variable.STATUS_WORDS: "{http.error.status_text}", Variable.MEMBER: "{http.reverse_proxy.upstream.hostport}",
    Variable.FOUND: "{http.matchers.file.relative}",
}


_OF_CERTIFICATE = frozenset({Variable.CERTIFICATE_SUBJECT, Variable.CERTIFICATE_ISSUER, Variable.CERTIFICATE_FINGERPRINT})


def _valueless(state: State, itself: str) -> str:
    """What stands where there is no value: in Caddy the placeholder itself, but in texts alone (2.6.2, probed)."""
    return itself if state.keeps or state.dialect != "caddy" else ""


def _variable(variable: Variable, name: str, state: State) -> str:
    made = _value(variable, name, state)
    return _valueless(state, _ITSELF[variable]) if not made and state.dialect == "caddy" and _lacks(variable, state) else made


def _lacks(variable: Variable, state: State) -> bool:
    """Whether one that has no value at times has none now: there are no words for some errors, which is another thing."""
    return variable in _ITSELF and (state.error_status is None or variable is not Variable.STATUS_WORDS)


def _value(variable: Variable, name: str, state: State) -> str:
    request = state.request
    match variable:
        case Variable.SCHEME:
            return request.scheme
        case Variable.HOST:
            state.looked_at("host")
            host = host_now(state)
            return host.lower().rstrip(".") if state.drops_final_dot else host.lower()
        case Variable.HOST_SENT:
            state.looked_at("host")
            return host_now(state)
        case Variable.ANSWER_TYPE:
            return state.answer_type
        case Variable.ORIGIN_FIELD:
            # mod_headers.c: what a rule has set stands there as well (httpd, CO; 2.4.71, probed).
            rules = (known(item.value, state) for item in state.standing if item.stays and item.name.lower() == name.lower())
            return next((value for held, value in state.sent if held == name.lower()), "") or next(rules, "")
        case Variable.AUTHORITY:
            state.looked_at("host")
            return request.authority if state.host_set is None else state.host_set
        case Variable.PORT:
            return str(request.port)
        case Variable.SITE_NAME:
            return state.site.names[0].text if state.site.names else ""
        case Variable.METHOD_SENT:
            state.looked_at("method")
            return request.method
        case Variable.METHOD:
            state.looked_at("method")
            return state.method
        case Variable.TARGET:
            state.looked_at("query")
            return request.target
        case Variable.URL_PATH:
            return state.path if state.url is None else state.url
        case Variable.PATH:
            return state.path
        case Variable.PATH_ESCAPED:
            if name == AS_DECODED:
                came_so = request.target.startswith("//")
                return paths.escaped("/" + state.path.lstrip("/") if came_so else state.path, state.site.reading.escapes)
            return "/" + state.escaped_path.lstrip("/") if name == ONE_SLASH else state.escaped_path
        case Variable.TARGET_NOW:
            state.looked_at("query")
            return (state.escaped_path or "/") + state.query_part
        case Variable.ORIGINAL_PATH:
            return paths.decoded(paths.split_target(request.target)[0])
        case Variable.QUERY:
            state.looked_at("query")
            return name + state.query if state.query else ""
        case Variable.QUERY_MARK:
            state.looked_at("query")
            return "?" if state.query else ""
        case Variable.CLIENT | Variable.PEER:
            state.looked_at("client")
            return request.client if variable is Variable.CLIENT else peer(state)
        case Variable.CLIENT_CHAIN:
            state.looked_at("client")
            sent = _field("X-Forwarded-For", state)
            return f"{sent}, {request.client}" if sent else request.client
        case Variable.POOL:
            return state.pool_label
        case Variable.MEMBER:
            return state.member_label
        case Variable.STATUS:
            return str(state.error_status or "")
        case Variable.STATUS_WORDS:
            return status_words(state.error_status) if state.error_status else ""
        case Variable.CACHE_STATUS:
            return state.cache_status
        case Variable.SENT_STATUS:
            # ngx_http_variable_status (1.22.1, probed): err_status, which is set on the way to a page, before that of the answer.
            return f"{state.forced_status or state.sending or 0:03d}"
        case Variable.ROOT:
            return state.root
        case Variable.FOUND:
            return state.found
        case Variable.SCRIPT_NAME:
            return script_parts(Pattern(name), state.path)[0] if name else state.script_name or state.path
        case Variable.PATH_INFO:
            return script_parts(Pattern(name), state.path)[1] if name else state.path_info
        case Variable.ARGUMENT:
            state.looked_at("argument", name)
            return next(_arguments(name, state), "")
        case Variable.ARGUMENTS:
            state.looked_at("argument", name)
            return ",".join(_arguments(name, state))
        case Variable.FIELD:
            if name.lower() == "host":
                state.looked_at("host")
                # headers.go, ApplyToRequest (2.6.2, probed): the field is taken out of the others then, and kept apart.
                return "" if state.host_set is not None and state.dialect == "caddy" else request.authority
            return _field(name, state)
        case Variable.COOKIE:
            state.looked_at("cookie", name)
            found = _cookie(name, request, state.site.reading.cookies_mind_case)
            return found if found is not None else f"{{http.request.cookie.{name}}}" if state.keeps else ""
        case Variable.VARIABLE:
            return known((state.variables.get(name, ""),), state)
        case Variable.PROTOCOL:
            return state.request.protocol
        case Variable.USER:
            # ngx_http_variable_remote_user: of the field alone, whoever checks it; the others once he was let in (2.4.71, 2.6.2, probed).
            state.looked_at("field", "Authorization")
            return user_of(request.field("Authorization") or "") if state.dialect == "nginx" else state.user if state.user is not None else _valueless(state, name)
        case Variable.TLS_NAME if request.scheme == "https":
            state.looked_at("host")
            return "" if _is_address(request.host) else request.host.lower()
        case Variable.ORIGIN_ADDRESS if state.answered_by is None and state.dialect == "caddy" and state.asked_first is not None and len(state.asked_first.addresses) == 1:
            return state.asked_first.addresses[0]  # of the one that was asked whether the request may go on (2.6.2, probed)
        case Variable.ORIGIN_ADDRESS if state.answered_by is None:
            return _valueless(state, name)
        case Variable.ORIGIN_ADDRESS if not state.answered_by.startswith("one of ") and (state.dialect != "nginx" or _is_address(state.answered_by.rpartition(":")[0])):
            return state.answered_by
        case _ if variable in OF_TLS and request.scheme != "https":
            return _valueless(state, name)
        case Variable.CLIENT_PORT if state.client_port is not None:
            return state.client_port
        case _ if variable in OWN_VALUES:
            made = own_value(variable, state.dialect)
            return made if state.says else _known(made, state)
        case Variable.VERDICT_FIELD:
            found = state.verdict.field(name) if state.verdict is not None else None
            return found if found is not None else "" if state.drops_empty else f"{{http.reverse_proxy.header.{name}}}"  # 1.22.1, 2.6.2, probed
        case Variable.CERTIFICATE | Variable.CERTIFICATE_SUBJECT | Variable.CERTIFICATE_ISSUER | Variable.CERTIFICATE_FINGERPRINT:
            state.looked_at("field", client_certificates.CERTIFICATE)
            return client_certificates.value_of(variable, _valueless(state, name), state.site, request, state.let_in)


def script_parts(split: Pattern | None, path: str) -> tuple[str, str]:
    """The script's name and the path information behind it, by a pattern with a group for each."""
    found = search(split, path) if split is not None else None
    groups = (*(value or "" for value in found.groups()), "") if found is not None else ()
    return (groups[0], groups[1]) if groups else (path, "")


def _is_address(host: str) -> bool:
    """RFC 6066 section 3: an address is no name, and is not sent as one."""
    return ":" in host or regex.fullmatch(r"[\d.]+", host) is not None


_NAMED = regex.compile(r'username="((?:[^"\\]|\\.)*)"')


def user_of(field: str, digest: bool = False) -> str:
    """The user's name in basic credentials (RFC 7617 section 2), or in those by digest (RFC 7616 section 3.4); "" for all else."""
    scheme, _, coded = field.partition(" ")
    if digest:
        found = _NAMED.search(coded) if scheme.lower() == "digest" else None
        return found[1] if found is not None else ""
    try:
        return base64.b64decode(coded.strip(), validate=True).decode("utf-8").partition(":")[0] if scheme.lower() == "basic" else ""
    except ValueError:
        return ""


_BAD_ESCAPE = regex.compile("%(?![0-9A-Fa-f]{2})")


def _field(name: str, state: State) -> str:
    """A request field as it stands: what the client sent, changed by operations that apply at once."""
    state.looked_at("field", name)
    value = state.request.field(name) or ""
    operations = state.request_fields
    for number, item in enumerate(operations):
        if not item.at_once or item.name.lower() != name.lower():
            continue
        # What a line itself asks of the field, and puts into it, is what the lines before have left.
        state.request_fields = operations[:number]
        held = item.when is None or holds(item.when, state)
        added = known(item.value, state) if held else ""
        state.request_fields = operations
        if held:
            # replacer.go (2.6.2, probed): a placeholder has the values of a field with a comma between, without a blank.
            both = f"{value},{added}".strip(",") if state.dialect == "caddy" else f"{value}, {added}".strip(", ")
            value = {Operation.SET: added, Operation.REMOVE: "", Operation.DEFAULT: value or added}.get(item.operation, both)
    return value


def _arguments(name: str, state: State) -> Iterator[str]:
    # nginx manual, core module, $arg_name: the raw value of the first argument of that name, whatever its case.
    for piece in (state.query or "").split("&"):
        found, _, value = piece.partition("=")
        if state.site.reading.decodes_arguments:
            # Go, url.ParseQuery (Caddy 2.6.2, probed): what cannot be decoded, or has a semicolon, is passed over.
            if ";" not in piece and not _BAD_ESCAPE.search(piece) and unquote_plus(found) == name:
                yield unquote_plus(value)
            continue
        if found.lower() == name.lower():
            yield value


def _cookie(name: str, request: Request, minds_case: bool) -> str | None:
    for piece in (request.field("Cookie") or "").split(";"):
        found, _, value = piece.strip().partition("=")
        if found == name or not minds_case and found.lower() == name.lower():
            return value
    return None


def is_missing(template: Template, state: State) -> bool:
    """Whether nothing is there, which is another thing than an empty text in Caddy's comparisons (2.6.2, probed): no cookie, variable, or match of a pattern."""
    if state.dialect != "caddy" or len(template) != 1:
        return False
    match template[0]:
        case Var(Variable.COOKIE, name):
            state.looked_at("cookie", name)
            return _cookie(name, state.request, state.site.reading.cookies_mind_case) is None
        case Var(Variable.VARIABLE, name):
            return name not in state.variables
        case Capture(int(), label):
            return bool(label) and label not in state.labelled
        case Lookup(nothing=True) as table:
            return _row_of(table, state) is None
        case Var(Variable.USER):
            return state.user is None
        case Var(variable) if variable in _ITSELF:
            return not _value(variable, "", state) and _lacks(variable, state)
        case Var(variable) if variable in OF_TLS:
            return state.request.scheme != "https"
        case Var(Variable.ROOT):
            return not state.root
        case Var(variable) if variable in _OF_CERTIFICATE:
            return not _value(variable, "", state)
    return False


# --- conditions -------------------------------------------------------------------------------------------------------

def holds(condition: Condition, state: State) -> bool:
    """Whether the condition holds now. A pattern that matches sets the captures."""
    usual = _USUAL.get(type(condition))
    if usual is not None:
        return usual(condition, state)
    match condition:
        case PathGlob(glob, ignores_case, form):
            seen = path_in(form, state, glob)
            return is_like(glob.lower() if ignores_case else glob, seen.lower() if ignores_case else seen)
        case HostIs(names, one_label):
            state.looked_at("host")
            return any(host_matches(name, host_now(state).lower(), one_label) for name in names)
        case SchemeIs(scheme):
            return state.request.scheme == scheme
        case MethodIn(methods):
            state.looked_at("method")
            return state.method in methods
        case ClientIn(networks) | PeerIn(networks):
            state.looked_at("client")
            address = state.request.client if isinstance(condition, ClientIn) else peer(state)
            return any(in_network(address, network) for network in networks)
        case TextIs(template, values, ignores_case):
            if is_missing(template, state):
                return not values
            seen = text(template, state)
            return any(_same(seen, value, ignores_case) for value in values)
        case TextMatches(template, needs_value=True) if is_missing(template, state):
            state.gave_up = "an expression asks for a value that is not there, which is an error"
            return False
        case TextMatches(template, pattern, miss_forgets):
            return matches(pattern, text(template, state), state, miss_forgets)
        case FileExists(root, path, kind, strip, True):
            tested = paths.clean(text(path, state)).rstrip("/")
            tested, rest = script_parts(condition.split, tested) if condition.split is not None else (tested, "")
            if (seen := state.facts.lookup(text(root, state).rstrip("/") + (tested or "/"))) is None or kind not in (seen, FileKind.ANY):
                return False
            state.found = tested + "/" if kind is FileKind.FOLDER or not tested else tested
            state.found_rest = rest
            return True
        case FileExists(root, path, kind, strip, walks=True):
            asked = text(path[:1], state).removeprefix(strip)
            here, there, _ = walked(text(root, state), asked, state.facts)
            if len(path) > 1:
                here += ("/" if there is FileKind.FOLDER and asked.endswith("/") else "") + text(path[1:], state)
                there = state.facts.lookup(here)
            return there is not None and (state.facts.holds(here + ("/" if kind.besides and asked.endswith("/") and len(path) == 1 else ""), kind) if kind.besides else kind in (there, FileKind.ANY))
        case FileExists(root, path, kind, strip):
            tested = text(path, state)
            return state.facts.holds(text(root, state) + tested.removeprefix(strip) if strip else text(root, state) + tested, kind)
        case FileNameMatches(root, pattern, strip):
            return search(pattern, walked(root, state.path.removeprefix(strip), state.facts)[0].rpartition("/")[2]) is not None
        case FolderMatches(root, pattern, strip, there, files=files):
            (here, kind, left), for_index = walked_first(root, state.path.removeprefix(strip), state)
            if there and (kind is None or kind is FileKind.FILE and (left or for_index or not files)):
                here = here.rpartition("/")[0] + "/"
            return search(pattern, here) is not None
        case Pinned():
            return state.pinned
        case LookedUpInside():
            return state.depth > 0
        case AnsweredInside(path, as_file):
            return state.allows is not None and state.allows(text(path, state), as_file)
        case LetInBefore(folder, strip, sections):
            here, kind, left = walked(folder, state.path.removeprefix(strip), state.facts)
            walked_first(folder, state.path.removeprefix(strip), state)  # whoever is refused here was walked for all the same
            # request.c, ap_directory_walk: a request for what is there has the very settings of the one that it follows on where both walked to one
            # folder, and no section was merged into either (2.4.71, probed).
            folder_alone = kind is FileKind.FOLDER and not state.path.endswith("/")
            now: str | None = here.rstrip("/") + "/" if kind is FileKind.FOLDER else here.rpartition("/")[0] + "/"
            if held := [item for item in sections if holds(item, state)]:
                # ap_file_walk: what sections of files say is kept for the same file (2.4.71, probed); of others it is not.
                by_file = kind is FileKind.FILE and all(any(isinstance(part, FileNameMatches) for part in walk(item)) for item in held)
                # ap_location_walk: nor is anything merged anew for the very path that was asked for.
                now = f"{here} {'' if by_file else state.path if state.url is None else state.url} {[str(getattr(item, 'span', None)) for item in held]}"
            now = None if folder_alone else now
            before, state.walked_to = state.walked_to, now
            return state.in_error and now is not None and before == now and kind is not None and not left
        case Rewritten(label):
            return state.internal if not label else state.rewrites > state.entered.get(label, 0)
        case Unknowable(spelling):
            state.gave_up = f"the condition {spelling} is not known"
            return False


def _path_is(condition: PathIs, state: State) -> bool:
    return _same(path_in(condition.form, state, condition.path), condition.path, condition.ignores_case)


def _path_starts(condition: PathStartsWith, state: State) -> bool:
    seen, prefix = path_in(condition.form, state, condition.prefix), condition.prefix
    return seen.lower().startswith(prefix.lower()) if condition.ignores_case else seen.startswith(prefix)


def _path_matches(condition: PathMatches, state: State) -> bool:
    return matches(condition.pattern, path_in(condition.form, state, ""), state, condition.miss_forgets)


# The conditions that a request meets by the hundred, found without trying the others.
_USUAL: dict[type, Callable[[Any, State], bool]] = {
    Always: lambda condition, state: True,
    PathIs: _path_is, PathStartsWith: _path_starts, PathMatches: _path_matches,
    AllOf: lambda condition, state: all(holds(item, state) for item in condition.conditions),
    AnyOf: lambda condition, state: any(holds(item, state) for item in condition.conditions),
    Not: lambda condition, state: not holds(condition.condition, state),
}


def _same(seen: str, wanted: str, ignores_case: bool) -> bool:
    return seen.lower() == wanted.lower() if ignores_case else seen == wanted


def matches(pattern: Pattern, seen: str, state: State, miss_forgets: bool) -> bool:
    """Whether a pattern is in a text; its groups are then those in sight."""
    found = search(pattern, seen)
    if found is None:
        if miss_forgets:
            state.numbered = ()
        return False
    groups = tuple(value or "" for value in (found.group(0), *found.groups()))
    if pattern.label:
        state.labelled[pattern.label] = groups
        state.named.update({f"{pattern.label}.{name}": value or "" for name, value in found.groupdict().items()})
    else:
        state.numbered = groups
        state.named.update({name: value or "" for name, value in found.groupdict().items()})
    return True
