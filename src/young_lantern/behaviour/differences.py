"""Two outcomes of one request -> what differs, and how much it matters.

Order:    of no consequence; the worst of several differences is the severity of the whole.
Rule:     breaking is what a user, a client program or an origin would notice: another status class, location, origin,
          target, content, a lost field or protection. Minor is what RFC 9110 lets a client take for the same.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from math import inf
from urllib.parse import parse_qsl, unquote, urljoin

from ..model import CONNECTIONS, REQUESTS, SPEED, Severity
from ..model.registered_types import usual_name
from ..model.placeholders import canonical
from .answering import EMPTY
from .balancing import by_one_of, choices
from .caching import BYPASS, MISS
from .content_types import ORIGINS
from .contents import come_to_the_same
from .origin_answers import SELF, asks_origin, cookie_attributes, wanted
from .outcome import Kept, Limited, OriginRequest, Outcome
from .own_values import alike_but_for_form
from .request import Request

# Fields that a proxy adds about the client: another value is worth knowing, an application rarely breaks on it.
_CLIENT_FIELDS = frozenset({"x-forwarded-for", "x-forwarded-host", "x-forwarded-proto", "x-forwarded-method", "x-forwarded-uri"})
# RFC 9110 section 7.6.1: fields of one connection.
_HOP_BY_HOP = frozenset({"connection", "keep-alive", "te", "upgrade", "expect"})


@dataclass(frozen=True, slots=True)
class Difference:
    what: str
    before: str
    after: str
    severity: Severity


def is_of_slash(location: str, request: Request) -> bool:
    """Whether a redirect only adds the slash of a folder to the path, or takes it off that of a file."""
    return (resolved(location, request) or "").partition("?")[0].rstrip("/") == (resolved(request.url, request) or "").partition("?")[0].rstrip("/")


def resolved(location: str | None, request: Request) -> str | None:
    """The absolute form of a Location: host in lower case (RFC 3986 section 3.2.2), no default port (RFC 9110 section 10.2.2)."""
    if location is None:
        return None
    # A client sends a space in a Location percent-encoded (RFC 3986 section 2.4), and other signs that no URL has (URL standard, path percent-encode set).
    location = re.sub(r'[ "<>`{}]', lambda found: f"%{ord(found[0]):02X}", location)
    try:
        joined = urljoin(request.url, location)
    except ValueError:
        joined = location  # brackets in the name of a host: that is no URL (RFC 3986 section 3.2.2), and leads nowhere
    # And letters beyond ASCII by the bytes of their UTF-8 (RFC 3987 section 3.1).
    joined = re.sub(r"[^\x00-\x7f]", lambda found: "".join(f"%{byte:02X}" for byte in found[0].encode("utf-8", "surrogateescape")), joined)
    absolute = re.sub(r"^\w+://[^/?#]*", lambda found: found[0].lower(), joined)
    # RFC 3986 section 6.2.2.1: the letters of a percent-encoding may be of either case (httpd writes small ones).
    absolute = re.sub(r"%[0-9a-fA-F]{2}", lambda found: found[0].upper(), absolute)
    return re.sub(r"^(http)://([^/:]*):80(?=/|$)|^(https)://([^/:]*):443(?=/|$)",
                  lambda found: f"{found[1] or found[3]}://{found[2] or found[4]}", absolute)


def differences(before: Outcome, after: Outcome, request: Request) -> list[Difference]:
    """What differs between two outcomes of a request; empty: nothing that the model knows of."""
    found: list[Difference] = []

    def differ(what: str, one: object, other: object, severity: Severity) -> None:
        if one != other:
            found.append(Difference(what, _shown(one), _shown(other), severity))

    if before.asked_first is not None and after.asked_first is not None:
        found += [Difference(f"asked first, {item.what}", item.before, item.after, item.severity) for item in _origin(before.asked_first, after.asked_first, request)
                  if item.what != "redirects of the origin"]
    if before.status != after.status:
        differ("status", before.status, after.status, _status_severity(before, after, request))
        if (before.status or 0) // 100 != (after.status or 0) // 100 or before.origin is None or after.origin is None:
            return _with_target(found, before, after, request)
    if not (before.origin and after.origin and wanted(request).location == SELF):  # that is told as where the origin's redirects lead
        one, other = resolved(before.location, request), resolved(after.location, request)
        # Behind the last argument of a query a sign for another one says nothing.
        bare = one is not None and other is not None and "?" in one and one.removesuffix("&") == other.removesuffix("&")
        differ("location", one, other, Severity.MINOR if bare or _same_spelt(one, other) else Severity.BREAKING)
    if (before.origin is None) != (after.origin is None):
        # That a script is missing may be said by the server, or by what runs scripts.
        missing = before.status == after.status == 404 and (before.origin or after.origin).protocol == "fastcgi"  # type: ignore[union-attr]
        # An error that the server worded, and whose origin is heard now, is the same error; the words of an origin that are lost may be what a program reads.
        same_error = before.status == after.status and (before.status or 0) >= 400 and asks_origin(request) and before.origin is None
        differ("answered by", _answerer(before), _answerer(after), Severity.MINOR if missing or same_error else Severity.BREAKING)
        return found
    if (edits := [[replace(edit, together=False) for edit in outcome.edits] for outcome in (before, after)]) and edits[0] != edits[1] or not come_to_the_same(before.edits, after.edits):
        # Where only the first place is meant, there mostly is but one.
        alike = come_to_the_same(before.edits, after.edits)
        differ("changes of the content", "; ".join(map(str, before.edits)) or "none", "; ".join(map(str, after.edits)) or "none", Severity.MINOR if alike else Severity.BREAKING)
    if before.origin and after.origin:
        found += _origin(before.origin, after.origin, request)
    elif before.status == after.status:
        if before.listing != after.listing:
            differ("listing", before.listing, after.listing, Severity.BREAKING)
        differ("file", _path(before.file), _path(after.file), Severity.BREAKING if (before.status or 0) < 400 else Severity.MINOR)
        if before.body is not None and after.body is not None and request.method != "HEAD":
            differ("content", before.body, after.body, Severity.BREAKING)
    found += _kept(before.kept, after.kept, before.status)
    for kind in (REQUESTS, CONNECTIONS, SPEED):
        one, other = (tuple(limit for limit in outcome.limits if limit.kind == kind) for outcome in (before, after))  # type: ignore[assignment]
        differ(f"limit on {kind}", _limits(one), _limits(other), _limit_severity(one, other))
    differ("whose certificates of clients are trusted", before.trusts, after.trusts, Severity.BREAKING)
    found += _fields(before, after)
    found += media_types(before, after)
    differ("content coding", before.coding, after.coding, Severity.MINOR)
    return found


def _shown(value: object) -> str:
    return "none" if value is None else "nothing" if value == "" else "yes" if value is True else "no" if value is False else str(value)


def _kept(before: Kept | None, after: Kept | None, status: int | None) -> list[Difference]:
    """What caches make of an answer. That an origin is asked more often than it was costs time; that it is asked less may show what is old, or another client's."""
    found = []
    one, other = (None if kept is None else kept.seconds for kept in (before, after))
    if one != other:
        # RFC 9110 section 15.1: answers with some statuses may be kept by anybody on the way, and browsers keep them.
        by_anybody = status in (203, 300, 301)
        found.append(Difference("kept for later requests", _span_of(one), _span_of(other), Severity.BREAKING if (other or 0) > (one or 0) and not (one is None and by_anybody) else Severity.MINOR))
    if before is None or after is None:
        return found
    if before.given != after.given:
        found.append(Difference("gets what is kept", _shown(before.given), _shown(after.given), Severity.BREAKING if after.given else Severity.MINOR))
    if before.seconds is None and after.seconds is None:
        return found
    # Hosts tell sites apart as well; and a port more, where there is but one, says nothing.
    lost = set(before.by) - set(after.by) - ({"site"} if "host" in after.by else set())
    if lost or set(after.by) - set(before.by) - {"port"}:
        found.append(Difference("what is kept is told apart by", ", ".join(before.by) or EMPTY, ", ".join(after.by) or EMPTY, Severity.BREAKING if lost else Severity.MINOR))
    return found


def _span_of(seconds: float | None) -> str:
    return "no" if seconds is None else f"{seconds:g} seconds"


def _limit_severity(before: tuple[Limited, ...], after: tuple[Limited, ...]) -> Severity:
    """A limit that is lost, or wider, or counts others together, protects nobody as it did; a narrower one refuses clients that were answered."""
    if any(limit.kind == SPEED for limit in (*before, *after)):
        # That answers go out faster costs nobody what he has; much slower ones are given up.
        one, other = (min((limit.most for limit in limits), default=inf) for limits in (before, after))
        return Severity.BREAKING if other < 0.9 * one else Severity.MINOR
    one, other = ([(limit.most, limit.key, limit.burst) for limit in limits] for limits in (before, after))  # type: ignore[assignment]
    return Severity.MINOR if one == other else Severity.BREAKING


def _limits(limits: object) -> str:
    return "; ".join(map(str, limits)) or "none"  # type: ignore[call-overload]


def _path(file: str | None) -> str | None:
    return re.sub("/{2,}", "/", file).rstrip("/") if file else file


def _answerer(outcome: Outcome) -> str:
    return f"the origin {', '.join(outcome.origin.addresses)}" if outcome.origin else f"the file {outcome.file}" if outcome.file else "the server itself"


def _with_target(found: list[Difference], before: Outcome, after: Outcome, request: Request) -> list[Difference]:
    """Another status of the same redirect, or error, is the only difference; of anything else, the rest would be noise."""
    one, other = resolved(before.location, request), resolved(after.location, request)
    if before.location and after.location and one != other:
        only_query = one is not None and other is not None and one.partition("?")[0] == other.partition("?")[0]
        # The added slash: one server keeps the query, the other does not.
        slash = only_query and {before.status, after.status} == {301, 308} and (one or "").partition("?")[0].endswith("/") and (one or "").count("?") + (other or "").count("?") == 1
        found.append(Difference("location", _shown(one), _shown(other), Severity.MINOR if slash else Severity.BREAKING))
    return found


_NO_METHODS = (301, 302, 307, 308, 404, 405)


def _status_severity(before: Outcome, after: Outcome, request: Request) -> Severity:
    one, other = before.status or 0, after.status or 0
    if any(refused.handshake and 400 <= (said.status or 0) < 500 and said.origin is None for refused, said in ((before, after), (after, before))):
        return Severity.MINOR  # the client is refused by one before it is heard, by the other with an answer
    if one // 100 == other // 100:
        return Severity.MINOR
    if one == 405 and other == 200 and after.file and request.method not in ("GET", "HEAD"):
        # A file is sent to a method that it is not for: no origin is asked, nothing can change.
        return Severity.MINOR
    if request.method == "OPTIONS" and one in _NO_METHODS and (other // 100 == 2 or other in _NO_METHODS) and after.origin is None:
        # It asks what may be asked, and was not told; a page that needs to know was refused before.
        return Severity.MINOR
    if one >= 400 and other >= 400 and before.file is None and before.origin is None and after.origin is None:
        return Severity.MINOR
    return Severity.BREAKING


def _origin(before: OriginRequest, after: OriginRequest, request: Request) -> list[Difference]:
    found: list[Difference] = []

    def differ(what: str, one: object, other: object, severity: Severity) -> None:
        if one != other:
            found.append(Difference(what, _shown(one), _shown(other), severity))

    differ("origin", ", ".join(sorted(map(canonical, before.addresses))), ", ".join(sorted(map(canonical, after.addresses))), Severity.BREAKING)
    differ("protocol to the origin", before.protocol, after.protocol, Severity.BREAKING)
    if before.protocol != after.protocol:
        return found
    if before.protocol not in ("http", "h2c"):
        return [*found, *_parameters(before, after, request)]
    differ("TLS to the origin", before.secure, after.secure, Severity.BREAKING)
    if before.secure and after.secure:
        # A name that nobody vouches for is as good as none.
        weak = all(not item.certificate.startswith("all") for item in (before, after))
        differ("what is checked of the origin's certificate", before.certificate, after.certificate, Severity.MINOR if weak else Severity.BREAKING)
    differ("method to the origin", before.method, after.method, _method_weight(before.method, after.method, request))
    differ("target at the origin", before.target, after.target, Severity.MINOR if _same_spelt(before.target, after.target) else Severity.BREAKING)
    found += _choices(before, after)
    one = {name: canonical(value) for name, value in before.fields}
    other = {name: canonical(value) for name, value in after.fields}
    for name in sorted({*one, *other} - _HOP_BY_HOP):
        # What no rule speaks of passes as the client sent it.
        seen = one.get(name, request.field(name)) or None, other.get(name, request.field(name)) or None
        # A field without a value says as little as none, and no-cache to an origin nothing that it must heed (RFC 9111 section 5.2.1.4).
        slight = name in _CLIENT_FIELDS or name == "cache-control" and seen == (None, "no-cache") or by_one_of(*seen, before.addresses) or alike_but_for_form(*seen) or _but_for_unfilled(*seen) or set(seen) <= {EMPTY, None} or all(value in (EMPTY, None) or NO_CERTIFICATE.fullmatch(value) for value in seen)
        differ(f"field {name} to the origin", *seen, Severity.MINOR if slight else Severity.BREAKING)
    backs = [resolved(canonical(item.mapped_back), request) or "" for item in (before, after)]
    differ("redirects of the origin", *backs, Severity.MINOR if _same_spelt(*backs) or by_one_of(before.mapped_back, after.mapped_back, before.addresses) else Severity.BREAKING)
    return found


# Signs that a path may hold as they are, and that part nothing in it (RFC 3986 section 3.3), but for those by which some programs part parameters in it;
# and the last ones, which it may not, but which browsers send as they are (URL standard, path percent-encode set).
_PLAIN_IN_PATHS = frozenset("!$&'()*+:@-._~" "[]^|")


def _same_spelt(one: str | None, other: str | None) -> bool:
    """Whether two URLs are the same but for what stands percent-encoded in their paths without need: letters of an escape in either case, `&` for `%26`."""
    return one is not None and other is not None and _plainly(one) == _plainly(other)


def _plainly(url: str) -> str:
    path, mark, query = url.partition("?")

    def plain(found: re.Match[str]) -> str:
        character = chr(int(found[1], 16))
        return character if character in _PLAIN_IN_PATHS or character.isascii() and character.isalnum() else found[0].upper()

    return re.sub("%([0-9a-fA-F]{2})", plain, path) + mark + re.sub("%[0-9a-fA-F]{2}", lambda found: found[0].upper(), query)


def _same_arguments(one: str, other: str) -> bool:
    """Whether programs read the same arguments out of two queries (URL standard, application/x-www-form-urlencoded parsing): `q=/x&` and `q=%2Fx`."""
    return "=" in one and parse_qsl(one, keep_blank_values=True) == parse_qsl(other, keep_blank_values=True)


def _method_weight(before: str, after: str, request: Request) -> Severity:
    """Both are answered with the same fields (RFC 9110 section 9.3.2), and the client that asks by HEAD gets no content either way."""
    return Severity.MINOR if request.method == "HEAD" and {before, after} == {"GET", "HEAD"} else Severity.BREAKING


# What stands in a text in the place of what is known of a certificate that is not there (httpd, Caddy), or of a field that who was asked first did not send.
NO_CERTIFICATE = re.compile(r"\(null\)|\{http\.(?:request\.tls|auth\.user|reverse_proxy\.header)\.[\w.-]+\}")
# What Caddy leaves in a text in the place of a cookie that was not sent, or a group of a pattern that was not tried: nobody means that.
_UNFILLED = re.compile(r"\{http\.(?:request\.cookie|regexp)\.[\w.-]+\}")


def _but_for_unfilled(one: str | None, other: str | None) -> bool:
    one, other = (_UNFILLED.sub("", "" if value in (None, EMPTY) else value) for value in (one, other))  # type: ignore[arg-type]
    return one == other


# Parameters that most applications never look at, or find out by themselves.
_SELDOM = frozenset({"SERVER_NAME", "DOCUMENT_URI", "REQUEST_SCHEME", "HTTP_X_FORWARDED_FOR", "HTTP_X_FORWARDED_HOST", "HTTP_X_FORWARDED_PROTO"})


# What an application that goes by no file is told without having asked for it does no harm.
_BESIDES = frozenset({"DOCUMENT_ROOT", "REMOTE_ADDR", "SERVER_PORT", "REQUEST_URI"})


def _parameters(before: OriginRequest, after: OriginRequest, request: Request) -> list[Difference]:
    found = []
    if before.method != after.method:
        found.append(Difference("method to the origin", before.method, after.method, _method_weight(before.method, after.method, request)))
    if _path(before.target) != _path(after.target):
        # The name of a file that is percent-encoded names no file that is there: such a script was not found before.
        slight = unquote(_path(before.target) or "") == unquote(_path(after.target) or "")
        found.append(Difference("script", before.target, after.target, Severity.MINOR if slight else Severity.BREAKING))
    one, other = dict(before.fields), dict(after.fields)
    for name in sorted({*one, *other}):
        if name.islower():
            continue  # what rules mark requests by, in small letters; applications are told things in capitals
        seen = one.get(name), other.get(name)
        if name.startswith("HTTP_"):
            sent = request.authority if name == "HTTP_HOST" else request.field(name.removeprefix("HTTP_").replace("_", "-"))
            seen = one.get(name, sent) or None, other.get(name, sent) or None
        if seen[0] != seen[1]:
            # httpd tells no program what a client says of himself, so that those behind it do not ask for it.
            # Both are the same place to what is mounted there: httpd leaves the slash in the name where nothing follows it.
            mounted = name == "SCRIPT_NAME" and before.protocol != "fastcgi" and (seen[0] or "").rstrip("/") == (seen[1] or "").rstrip("/")
            more = seen[0] is None and name in _BESIDES and before.protocol != "fastcgi"
            slight = mounted or more or name in _SELDOM or name == "QUERY_STRING" and _same_arguments(*(str(value or "") for value in seen)) or alike_but_for_form(*seen) or name == "HTTP_AUTHORIZATION" and seen[0] is None
            found.append(Difference(f"parameter {name}", _shown(seen[0]), _shown(seen[1]), Severity.MINOR if slight else Severity.BREAKING))
    return [*found, *_choices(before, after)]


def _choices(before: OriginRequest, after: OriginRequest) -> list[Difference]:
    """Which member is asked, and which when it fails."""
    same = sorted(map(canonical, before.addresses)) == sorted(map(canonical, after.addresses))
    return [Difference(what, _shown(one), _shown(other), Severity.BREAKING if breaks else Severity.MINOR) for what, one, other, breaks in choices(before.choice, after.choice, same)]


# What a server says of a file whose name tells it nothing; and what a browser runs.
_TELLS_NOTHING = frozenset({"application/octet-stream", "text/plain"})
_RUN = frozenset({"text/html", "application/xhtml+xml", "image/svg+xml", "application/xml"})
_OF_ORIGIN = "the origin's"
_CHARSET = re.compile(r"charset=([^;,)]+)")


def media_types(before: Outcome, after: Outcome) -> list[Difference]:
    """The Content-Type, where both are foretold."""
    one, other = _lines(before), _lines(after)
    if (one is None) is not (other is None) and _own_words(before if one is None else after):
        return [Difference("field content-type", *("that of the server's own words" if lines is None else ", ".join(lines) or "none" for lines in (one, other)), Severity.MINOR)]
    if one is None or other is None or [same_type(item) for item in one] == [same_type(item) for item in other]:
        return []
    # A name that is nothing but an ending is a file's of no site.
    minor = served_alike(one, other) or (before.file or "").rpartition("/")[2].startswith(".")
    return [Difference("field content-type", ", ".join(one) or "none", ", ".join(other) or "none", Severity.MINOR if minor else Severity.BREAKING)]


def _lines(outcome: Outcome) -> tuple[str, ...] | None:
    """The Content-Type lines; where the handler's own is not foretold, those that a rule puts there instead; None: nobody knows."""
    said = tuple(value for name, value in outcome.fields if name == "content-type")
    return outcome.media_types if outcome.media_types is not None else said or None


def _own_words(outcome: Outcome) -> bool:
    """Whether a server answers with a text that it made up, whose type it knows best: a redirect or an error of its own."""
    return outcome.status is not None and outcome.status >= 300 and outcome.status != 304 and outcome.file is None and outcome.origin is None


def served_alike(one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Whether a client takes a content with these lines alike: of several it goes by the last (Fetch standard, "extract a MIME type")."""
    if not one or not other:
        return not one  # without a type a client looks at the content itself (RFC 9110 section 8.3)
    names = [_OF_ORIGIN if item.startswith(ORIGINS) else usual_name(item) for item in (one[-1], other[-1])]
    if names[0] == names[1]:
        charsets = [found.group(1) for item in (one[-1], other[-1]) if (found := _CHARSET.search(same_type(item)))]
        return len({*charsets}) < 2
    # What was saved may be shown; what was shown is not to be saved, and what was neither must not run.
    return names[0] in _TELLS_NOTHING and names[1] not in _RUN | {_OF_ORIGIN} and names[1] != "application/octet-stream"


def same_type(value: str) -> str:
    """A Content-Type in one spelling: its name and parameters in small letters, without blanks (RFC 9110 section 8.3.1)."""
    return "".join(value.lower().split()).replace('"', "")


def _fields(before: Outcome, after: Outcome) -> list[Difference]:
    found = []
    one, other = _by_name(before), _by_name(after)
    for name in sorted({*one, *other}):
        if one.get(name) == other.get(name) or name == "content-type":
            continue
        added = name not in one
        # RFC 9111 section 5.3: Expires does not count where Cache-Control has max-age; nor does it where nothing may be kept, or used unasked.
        superseded = name == "expires" and any(word in other.get("cache-control", "") for word in ("max-age", "no-cache", "no-store"))
        # What a cache says of itself is for those who watch it.
        # A client unpacks what is said to be packed (RFC 9110 section 8.4), and has nothing left of what is not.
        packs = added and name == "content-encoding" and (after.file is not None or after.origin is not None)
        severity = Severity.BREAKING if packs else Severity.MINOR if added or superseded or _age_for_date(name, one[name], other.get(name, "")) or name == "cache-control" and (after.status or 0) >= 300 and _for_one_client(one[name], other.get(name, "")) or one[name] in (MISS, BYPASS) or alike_but_for_form(one[name], other.get(name)) or _but_for_unfilled(one[name], other.get(name)) or (after.status or 0) >= 500 else Severity.BREAKING
        found.append(Difference(f"field {name}", *("none" if name not in found_in else found_in[name] or EMPTY for found_in in (one, other)), severity))
    return found


_DATED = re.compile(r"(?:expires=\(now ([+-]\d+) s\)|max-age=(\d+))")


def _age_for_date(name: str, one: str, other: str) -> bool:
    """Whether cookies say how long they last where they said until when (RFC 6265 section 5.3: clients go by the former)."""
    if name != "set-cookie":
        return False
    said = ["; ".join(sorted(_DATED.sub(lambda found: f"lasts {max(int(found[1] or found[2]), 0)}", value).split("; "))) for value in (one, other)]
    return said[0] == said[1]


def _for_one_client(one: str, other: str) -> bool:
    """Whether nothing is said but that a shared cache keeps it no more (RFC 9111 section 5.2.2.7)."""
    return set(other.split(", ")) == {*one.split(", "), "private"}


def _by_name(outcome: Outcome) -> dict[str, str]:
    """Field values by name; several lines of one name are one list (RFC 9110 section 5.3)."""
    out: dict[str, str] = {}
    for name, value in sorted(outcome.fields):
        value = "; ".join(cookie_attributes(value)) if name == "set-cookie" else value
        out[name] = f"{out[name]}, {value}" if name in out else value
    if "cache-control" in out and '"' not in out["cache-control"]:
        # RFC 9111 section 5.2: directives, whose order says nothing.
        out["cache-control"] = ", ".join(sorted(piece.strip() for piece in out["cache-control"].split(",")))
    return out
