"""A server's answer against what the model foretold, and two servers' answers against each other.

Rule:     ports and addresses of the moved copies are first put back to those of the configuration; a relative Location
          is resolved against the request (RFC 9110 section 10.2.2).
"""

from __future__ import annotations

import json
import re
from collections.abc import Container
from dataclasses import dataclass, replace
from pathlib import Path

from ..behaviour import Outcome, Request
from ..behaviour.answering import EMPTY
from ..behaviour.client_certificates import CERTIFICATE
from ..behaviour.content_types import ORIGINS
from ..behaviour.contents import edited
from ..behaviour.differences import resolved, same_type
from ..behaviour.origin_answers import SELF, cookie_attributes, wanted
from ..behaviour.outcome import OWN_WORDS
from ..behaviour.own_values import fits, is_own
from ..model import SENT_PARAMETERS, Estate
from ..model.registered_types import usual_name
from ..model.placeholders import canonical
from ..source.plan import Plan
from .answers import Answer
from .origin import MARK
from .proofs import without_proof


# Field names of answers that the servers or the connection fill by themselves, the other protocols that a server offers among them.
_OF_SERVERS = frozenset({
    "accept-ranges", "allow", "alt-svc", "authentication-info", "connection", "content-encoding", "content-length", "content-range", "content-type", "date", "etag", "keep-alive",
    "last-modified", "location", "server", "transfer-encoding", "upgrade", "vary",
})


@dataclass(frozen=True, slots=True)
class Difference:
    """What differs, and the two values in words."""

    what: str
    first: str
    second: str


class Back:
    """Puts ports and origin addresses of a moved copy back to the configured ones."""

    def __init__(self, plan: Plan) -> None:
        self.ports = {str(here): configured for configured, here in plan.ports.items()}
        self.placed = {str(here): prefix.rstrip("/") for prefix, here in plan.files}
        self.folders = {str(here): prefix for prefix, here in plan.files if here.is_relative_to(plan.folder)}
        self.origins = {f"127.0.0.1:{here}": configured for configured, here in plan.origins.items()}

    def path(self, value: str) -> str:
        """A path of the copy, as configured."""
        for here, prefix in self.placed.items():
            if value == here or value.startswith(here + "/"):
                return prefix + value[len(here):]
        return self.text(value)

    def folder_in(self, value: str) -> str:
        """A text with the folders that were built again below the copy as they are named: a rule may put the name of a file into a target."""
        for here, prefix in self.folders.items():
            value = value.replace(here, prefix)
        return value

    def text(self, value: str) -> str:
        if value in self.ports:
            return self.ports[value]
        if (named := re.fullmatch(r"([^\s/:]+):(\d+)", value)) and named[2] in self.ports:
            return f"{named[1]}:{self.ports[named[2]]}"
        value = self.folder_in(value)
        for here, configured in self.origins.items():
            value = value.replace(here, configured)
        def port(found: re.Match[str]) -> str:
            configured = self.ports.get(found[2])
            if configured is None:
                return found[0]
            default = (found[1] == "http" and configured == "80") or (found[1] == "https" and configured == "443")
            return found[0].removesuffix(f":{found[2]}") + ("" if default else f":{configured}")
        return re.sub(r"(https?)://[^/:]*:(\d+)", port, value)


def against_model(outcome: Outcome, answer: Answer, request: Request, plan: Plan) -> list[Difference]:
    """Where the server's answer is not what the model foretold: (what, foretold, answered). Empty: they agree."""
    if outcome.gave_up:
        return []
    found: list[Difference] = []

    def compare(what: str, foretold: object, answered: object) -> None:
        if foretold != answered:
            found.append(Difference(what, str(foretold), str(answered)))

    back = Back(plan)
    compare("status", outcome.status, answer.status)
    if found or outcome.status is None:
        return found
    location = answer.field("location")
    own = outcome.origin is not None and wanted(request).location == SELF
    # The stand-in has no TLS, and which of several members is asked nobody knows.
    unnamed = own and _names_socket(_received(answer), back)
    if not unnamed and not (own and outcome.origin is not None and (outcome.origin.secure or "one of " in (outcome.location or ""))):
        sent = resolved(back.text(location) if location else None, request)
        if not (outcome.location is not None and sent is not None and is_own(outcome.location) and (fits([outcome.location], [back.text(location or "")]) or fits([resolved(outcome.location, request) or ""], [sent]))):
            compare("location", resolved(outcome.location, request), sent)
    for name in dict.fromkeys(name for name, _ in outcome.fields):
        foretold = tuple(value for held, value in outcome.fields if held == name)
        answered = tuple(back.text(value) for value in answer.all(name))
        if name == "content-type":
            continue  # beside words of the server's own, whose type is not foretold
        if name == "vary":
            # Servers add what they chose an answer by themselves (RFC 9110 section 12.5.5): more may be listed, not less.
            compare("field vary", True, _members(foretold) <= _members(answered))
        elif name == "set-cookie":
            wanted_ones, got_ones = (["; ".join(cookie_attributes(value)) for value in values] for values in (foretold, answered))
            if not fits(wanted_ones, got_ones):
                compare("field set-cookie", wanted_ones, got_ones)
        elif not fits(foretold, answered):
            compare(f"field {name}", foretold, answered)
    obeyed = outcome.origin is not None and not plan.deciders.issuperset(map(canonical, outcome.origin.addresses))
    for name, _ in wanted(request).fields if obeyed else ():
        # What an origin sent and a rule took away is not among the fields that are foretold.
        # A type that was taken away is one that nobody foretells: Go looks into the content for another.
        if name not in {held for held, _ in outcome.fields} and not (name.lower() == "content-type" and outcome.media_types is None):
            compare(f"field {name}", (), tuple(back.text(value) for value in answer.all(name)))
    for name in dict.fromkeys(name.lower() for name, _ in answer.fields):
        # One that no line was found to say. Caddy passes a program's Status on (2.6.2, probed), which is the status that was compared, but for pages of errors.
        of_program = name == "status" and outcome.origin is not None and outcome.origin.protocol == "fastcgi" and answer.field("status") in (str(answer.status), str(wanted(request).status))
        # Of words of a server's own.
        of_words = plan.tells_language and name == "content-language" and outcome.file is None and outcome.origin is None and outcome.body is None
        if name not in _OF_SERVERS and not of_program and not of_words and not any(held.lower() == name for held, _ in (*outcome.fields, *wanted(request).fields)):
            compare(f"field {name}", (), tuple(back.text(value) for value in answer.all(name)))
    if (outcome.file or outcome.origin) and (coding := answer.field("content-encoding")) and not any(name == "content-encoding" for name, _ in outcome.fields):
        compare("field content-encoding", (outcome.coding or "").partition(" ")[0], coding)
    if outcome.media_types is not None and not any(value.startswith(ORIGINS) for value in outcome.media_types):
        # A line without a value says as little as none.
        compare("field content-type", *(tuple(map(_type, filter(None, values))) for values in (outcome.media_types, answer.all("content-type"))))
    if request.method == "HEAD":
        return found
    received = _received(answer)
    if outcome.origin is None:
        compare("forwarded", False, received is not None)
        if outcome.file and not outcome.listing:
            here = Path(plan.path(outcome.packed or outcome.file))
            content = here.read_bytes() if here.is_file() else None
            if outcome.packed or any(name == "content-encoding" for name, _ in outcome.fields):
                compare("file", content, answer.content)
                return found
            compare("file", edited(content.decode("latin-1"), outcome.edits).encode("latin-1") if content is not None and outcome.edits else content, answer.decoded)
        elif outcome.body not in (None, OWN_WORDS) and outcome.status not in (204, 304):
            compare("body", edited(outcome.body or "", outcome.edits), answer.decoded.decode("utf-8", "surrogateescape"))
        return found
    if received is None:
        return [*found, Difference("forwarded", "to an origin", "not")]
    address = next((configured for configured, here in plan.origins.items() if here == received[MARK]), "?")
    # Where a status has the next origin asked, the spare comes last, and its answer is what is left.
    spares = outcome.origin.choice.spares if f"answers {answer.status}" in (outcome.origin.choice.retried or ()) else ()
    compare("origin", True, address in {canonical(item) for item in (*outcome.origin.addresses, *spares)})
    if outcome.origin.protocol not in ("http", "h2c") or "parameters" in received:
        return [*found, *_parameters(outcome, received, back)]
    compare("protocol to the origin", outcome.origin.protocol, received["protocol"])
    compare("origin method", outcome.origin.method, received["method"])
    compare("origin target", outcome.origin.target, back.folder_in(received["target"]))
    sent = _joined(received, back)
    for name, value in _untouched(request, outcome):
        compare(f"origin field {name}", value, sent.get(name))
    for name, value in outcome.origin.fields:
        if name == "host" and _names_socket(received, back):
            continue
        if value.startswith("one of "):
            compare(f"origin field {name}", True, sent.get(name) in value.removeprefix("one of ").split(", "))
        elif not is_own(value) or not fits([canonical(value)], [sent.get(name, "")]):
            compare(f"origin field {name}", "" if value == EMPTY else _without_port(name, canonical(value)) or None, _without_port(name, sent.get(name)))
    return found


def _names_socket(received: dict | None, back: Back) -> bool:  # type: ignore[type-arg]
    """Whether an origin was called by the port that a copy has for a socket: how the server itself names a socket is not seen there."""
    return received is not None and "fields" in received and _joined(received, back).get("host", "").startswith("unix:")


def _type(value: str) -> str:
    """A Content-Type by the name that all names of its type share: which of them a system's own table has differs from one to the next."""
    return usual_name(value) + same_type(value[len(value.partition(";")[0]):])


# mod_proxy_fcgi sends the script with the proxy's own words before it, which PHP takes off.
_PROXY_WORDS = re.compile(r"^proxy:(?:balancer|fcgi)://[^/]*")


def _sent(received: dict, back: Back) -> dict[str, str]:  # type: ignore[type-arg]
    """The parameters that an application got, paths as configured."""
    return {name: back.path(_one_slash(name, _PROXY_WORDS.sub("", value))) if value.startswith(("/", "proxy:")) else back.text(value) for name, value in received.get("parameters", [])}


def _one_slash(name: str, value: str) -> str:
    """`//srv/x` is the file `/srv/x`: so mod_proxy_fcgi names it behind `fcgi://localhost/` (2.4.71, probed)."""
    return re.sub(r"^/{2,}", "/", value) if name == "SCRIPT_FILENAME" else value


def _parameters(outcome: Outcome, received: dict, back: Back) -> list[Difference]:  # type: ignore[type-arg]
    assert outcome.origin is not None
    protocol = outcome.origin.protocol
    if received.get("protocol", "http") != protocol:
        return [Difference("protocol to the origin", protocol, received.get("protocol", "http"))]
    sent = _sent(received, back)
    wanted = {"SCRIPT_FILENAME": _one_slash("SCRIPT_FILENAME", outcome.origin.target), "REQUEST_METHOD": outcome.origin.method, **dict(outcome.origin.fields)}
    found = []
    for name in dict.fromkeys([*wanted, *SENT_PARAMETERS]):
        # httpd has a file's name for whatever it proxies, which says nothing to an application that goes by none.
        if name in ("DOCUMENT_URI", "REQUEST_SCHEME") or protocol != "fastcgi" and name == "SCRIPT_FILENAME" or name.islower():
            continue
        foretold, answered = wanted.get(name, "").removeprefix(EMPTY), sent.get(name, "")
        if name == "SERVER_PORT":
            answered = back.text(answered)
        if name.startswith("HTTP_"):
            foretold, answered = _without_port("host" if name == "HTTP_HOST" else "x-forwarded-host", foretold) or "", _without_port("host", answered) or ""
        if foretold != answered and not fits([foretold], [answered]):
            found.append(Difference(f"parameter {name}", foretold, answered))
    return found


def _joined(received: dict, back: Back) -> dict[str, str]:  # type: ignore[type-arg]
    """Field values by name; several lines of one name are one list (RFC 9110 section 5.3)."""
    out: dict[str, str] = {}
    for name, value in received["fields"]:
        value = without_proof(back.text(value))
        out[name] = f"{out[name]}, {value}" if name in out else value
    return {name: value.strip(" \t") for name, value in out.items()}


def _members(values: tuple[str, ...]) -> set[str]:
    return {piece.strip().lower() for value in values for piece in value.split(",")}


def _without_port(name: str, value: str | None) -> str | None:
    """Copies write every origin with its port, so that the scheme's own one may be there or not."""
    return value.removesuffix(":80").removesuffix(":443") if name in ("host", "x-forwarded-host") and value else value


# Of one connection (RFC 9110 section 7.6.1), of content, or what a server makes anew; Upgrade is asked about all the same.
_OF_CONNECTION = frozenset({"connection", "keep-alive", "proxy-connection", "te", "trailer", "transfer-encoding", "content-length", "expect", "host"})


def _untouched(request: Request, outcome: Outcome) -> list[tuple[str, str]]:
    """The fields that the client sent and no rule speaks of, which come to the origin as they are."""
    assert outcome.origin is not None
    spoken_of = {name for name, _ in outcome.origin.fields} | _OF_CONNECTION | {CERTIFICATE.lower()}
    if "upgrade" not in (request.field("Connection") or "").lower():
        spoken_of |= {"upgrade"}  # RFC 9110 section 7.8: it is for nobody then
    names = [name.lower() for name, _ in request.fields]
    return [(name.lower(), value.strip()) for name, value in request.fields if name.lower() not in spoken_of and names.count(name.lower()) == 1]


def _received(answer: Answer) -> dict | None:  # type: ignore[type-arg]
    try:
        content = json.loads(answer.decoded)
    except ValueError:
        return None
    return content if isinstance(content, dict) and MARK in content else None


def but_for_keeping(answer: Answer, outcome: Outcome, estate: Estate) -> Answer:
    """The answer without the cookie by which the server keeps a client at an origin: its value nobody foretells."""
    if outcome.origin is not None:
        names = {outcome.origin.choice.own_cookie} - {""}
    else:
        # Where all origins fail the client gets it all the same (Caddy 2.6, probed).
        names = {pool.sticky.cookie for pool in estate.pools if pool.sticky is not None and pool.sticky.own}
    return replace(answer, fields=tuple(pair for pair in answer.fields if not (pair[0].lower() == "set-cookie" and pair[1].partition("=")[0] in names))) if names else answer


def between_servers(first: Answer, second: Answer, request: Request, plans: tuple[Plan, Plan], typed: bool = False, unforetold: Container[str] = ()) -> list[Difference]:
    """Where two servers' answers differ, in what a client or the origin can see.

    typed:      their Content-Type is no matter of their own words
    unforetold: names of fields whose values are the servers' own, so that each has another one
    """
    found: list[Difference] = []
    backs = tuple(Back(plan) for plan in plans)

    def compare(what: str, before: object, after: object) -> None:
        if before != after:
            found.append(Difference(what, str(before), str(after)))

    compare("status", first.status, second.status)
    locations = [resolved(back.text(value), request) if (value := answer.field("location")) else None
                 for back, answer in zip(backs, (first, second), strict=True)]
    received = [_received(answer) for answer in (first, second)]
    if wanted(request).location == SELF and all(got and "fields" in got for got in received):
        # Each by the name of the member that was asked.
        locations = [_without_member(location, got, back) for location, got, back in zip(locations, received, backs, strict=True)]
    if "location" not in unforetold and not any(wanted(request).location == SELF and _names_socket(got, back) for got, back in zip(received, backs, strict=True)):
        compare("location", *locations)
    for name in (name for name, _ in wanted(request).fields if name not in unforetold):
        if name == "content-type" and not any(received):
            continue  # no origin was asked, so that it is a matter of their own words
        if name == "vary" and all("*" in (answer.field("vary") or "") for answer in (first, second)):
            continue  # RFC 9110 section 12.5.5: whatever else is listed beside the star says nothing
        if name == "set-cookie":
            compare(f"field {name}", *(sorted(cookie_attributes(back.text(value)) for value in answer.all(name)) for back, answer in zip(backs, (first, second), strict=True)))
        else:
            # RFC 9110 section 5.3: several lines of one name are one list.
            compare(f"field {name}", *(sorted(", ".join(map(back.text, answer.all(name))).split(", ")) for back, answer in zip(backs, (first, second), strict=True)))
    if typed and first.status == second.status:
        compare("field content-type", *(", ".join(map(_type, answer.all("content-type"))) for answer in (first, second)))
    if received[0] and received[1] and any("parameters" in got for got in received if got):
        compare("protocol to the origin", received[0].get("protocol"), received[1].get("protocol"))
        one, other = (_sent(got, back) for back, got in zip(backs, received, strict=True) if got)
        for name in sorted({name for name in (*one, *other) if name in SENT_PARAMETERS or name.startswith("HTTP_")} - ({"SCRIPT_FILENAME"} if received[0].get("protocol") != "fastcgi" else set()) - {"DOCUMENT_URI", "REQUEST_SCHEME", "HTTP_USER_AGENT", "HTTP_CONNECTION", "HTTP_CONTENT_LENGTH", "HTTP_CONTENT_TYPE"}):
            if name in unforetold:
                continue
            compare(f"parameter {name}", one.get(name, ""), other.get(name, ""))
    elif received[0] and received[1]:
        compare("origin target", received[0]["target"], received[1]["target"])
        compare("origin method", received[0]["method"], received[1]["method"])
        fields = [_joined(got, back) for back, got in zip(backs, received, strict=True) if got]
        for held in fields:
            # RFC 9112 section 6.3: a request without this field has no content, as one that says so.
            if held.get("content-length") == "0":
                del held["content-length"]
        for name in sorted({*fields[0], *fields[1]} - {"connection", "upgrade", "te", "accept-encoding", "user-agent"}):
            if name in unforetold or name == "host" and any(_names_socket(got, back) for got, back in zip(received, backs, strict=True)):
                continue
            compare(f"origin field {name}", _without_port(name, fields[0].get(name)), _without_port(name, fields[1].get(name)))
    else:
        compare("forwarded", received[0] is not None, received[1] is not None)
        if request.method != "HEAD" and first.status == second.status and (first.status or 0) < 300:
            compare("content", _shown(first.decoded), _shown(second.decoded))
    return found


def _without_member(location: str | None, received: dict | None, back: Back) -> str | None:  # type: ignore[type-arg]
    host = back.text(_joined(received or {"fields": []}, back).get("host", ""))
    return location.replace(f"http://{host}/", "http://(the origin)/", 1) if location and host in back.origins.values() else location


def _shown(content: bytes) -> str:
    text = content[:120].decode("utf-8", "replace").split("\n")[0]
    return f"{len(content)} bytes: {text}"
