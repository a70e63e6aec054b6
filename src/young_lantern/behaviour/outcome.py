"""What happens to a request, and the trace that led there."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from ..model import CONNECTIONS, SPEED, MediaTypes, Pattern, Span
from ..patterns.plain import plain_text
from .balancing import Choice


# The content of an answer that the server makes up by itself, word by word of no concern.
OWN_WORDS = "(words of the server's own)"


@dataclass(frozen=True, slots=True)
class TraceEntry:
    """One step met: the rule in words, its place, the value it saw, and whether it held (None: not a question)."""

    rule: str
    span: Span | None
    saw: str = ""
    held: bool | None = None


@dataclass(frozen=True, slots=True)
class OriginRequest:
    """What reaches the origin.

    protocol:    `http`, `h2c` (HTTP/2, over TLS too), `fastcgi`, `uwsgi` or `scgi`; but for the first two, fields are parameters, and by FastCGI target is the script's file
    fields:      names in lower case, in order; only those that a rule sets, adds or removes
    certificate: what of the origin's certificate is checked
    choice:      who is asked, of several, and who when one fails
    mapped_back: the Location that a client gets when the origin redirects to just this target under the host it saw
    """

    addresses: tuple[str, ...]
    secure: bool
    method: str
    target: str
    fields: tuple[tuple[str, str], ...]
    choice: Choice = Choice()
    mapped_back: str = ""
    protocol: str = "http"
    certificate: str = ""


@dataclass(frozen=True, slots=True)
class Edit:
    """A text that is found, and what takes its place. once: only in the first place; together: with the others in one go, rather than in what those made (nginx)."""

    find: Pattern
    value: str
    once: bool = False
    together: bool = False

    def __str__(self) -> str:
        return f"{plain_text(self.find) or self.find.text} becomes {self.value or 'nothing'}{', in either case' if self.find.ignores_case and self.find.text.lower() != self.find.text.upper() else ''}{', in the first place' if self.once else ''}"


@dataclass(frozen=True, slots=True)
class Limited:
    """A limit that holds for a request, with what it is counted by. Members as in model.Limit."""

    kind: str
    most: float
    key: str = ""
    burst: int = 0
    at_once: int | None = 0
    status: int = 503

    def __str__(self) -> str:
        if self.kind == SPEED:
            return f"{self.most:g} octets a second{f' after {self.burst}' if self.burst else ''}"
        counted = f" for {self.key!r}, else {self.status}"
        if self.kind == CONNECTIONS:
            return f"{self.most:g} at a time{counted}"
        rate = f"{self.most:g} a second" if self.most >= 1 else f"{self.most * 60:g} a minute"
        waits = "" if not self.burst else f" and {self.burst} more" + (" at once" if self.at_once is None else ", which wait" if not self.at_once else f", of which {self.at_once} do not wait")
        return rate + waits + counted


@dataclass(frozen=True, slots=True)
class Kept:
    """What a cache makes of an answer.

    seconds: for which it is kept; None: it is not
    given:   whether the request may get what is kept, rather than ask anew
    by:      what must be alike in requests that get it: parts of the URL, and others
    """

    seconds: float | None
    given: bool = True
    by: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Outcome:
    """status None: the connection is closed without an answer. fields: the response fields that rules decide.

    media_types: the Content-Type lines, of which there may be none or, by mistake, several; None: not foretold
    handshake:   the TLS handshake failed, for want of a certificate of the client's that holds
    asked_first: what the origin got that was asked whether the request may go on
    trusts:      whose certificates the client's was verified by
    edits:       what is changed in the content on its way
    limits:      how often such requests are answered, and how fast
    kept:        what becomes of an origin's answer in a cache; None: there is none
    by_name:     what says the type of a file by its name, where a file is the answer; no part of what is compared
    packed:      the file that is sent in the place of `file`, compressed beforehand; no part of what is compared either, since the coding tells it
    """

    status: int | None
    location: str | None = None
    origin: OriginRequest | None = None
    file: str | None = None
    body: str | None = None
    fields: tuple[tuple[str, str], ...] = ()
    coding: str | None = None
    listing: bool = False
    missing: bool = False  # an error of the file server's: nothing there, or nothing that it shows
    site: str | None = None
    decided_by: Span | None = None
    gave_up: str = ""
    trace: tuple[TraceEntry, ...] = ()
    media_types: tuple[str, ...] | None = None
    handshake: bool = False
    trusts: str = ""
    asked_first: OriginRequest | None = None
    edits: tuple[Edit, ...] = ()
    limits: tuple[Limited, ...] = ()
    kept: Kept | None = None
    by_name: MediaTypes | None = field(default=None, compare=False, repr=False)
    packed: str = field(default="", compare=False)

    def as_json(self) -> dict[str, Any]:
        """The outcome as DESIGN's JSON: status, location, origin, file, fields, site, trace."""
        return {
            "status": self.status, "location": self.location, "origin": _json_origin(self.origin), "asked_first": _json_origin(self.asked_first), "file": self.file, "body": self.body,
            "fields": _json_fields(self.fields) | ({} if self.media_types is None else {"content-type": list(self.media_types)}), "coding": self.coding, "listing": self.listing, "missing": self.missing, "handshake": self.handshake, "trusts": self.trusts,
            "site": self.site, "edits": [str(edit) for edit in self.edits], "limits": [asdict(limit) for limit in self.limits],
            "kept": None if self.kept is None else asdict(self.kept) | {"by": list(self.kept.by)},
            "trace": [
                {"rule": entry.rule, "file": entry.span.file if entry.span else None,
                 "line": entry.span.line if entry.span else None, "saw": entry.saw, "held": entry.held}
                for entry in self.trace
            ],
        }


def outcome_of(made: dict[str, Any]) -> Outcome:
    """What `as_json` made, as far as it is there: members that a text does not have are as if nothing was said of them. Raises KeyError, TypeError, ValueError."""
    fields = made.get("fields", {})
    return Outcome(
        made["status"] if made["status"] is None else int(made["status"]), made.get("location"),
        _origin_of(made.get("origin")),
        made.get("file"), made.get("body"), _pairs({name: values for name, values in fields.items() if name != "content-type"}), made.get("coding"), bool(made.get("listing")),
        bool(made.get("missing")), made.get("site"), media_types=tuple(value for _, value in _pairs({"": fields["content-type"]})) if "content-type" in fields else None,
        handshake=bool(made.get("handshake")), trusts=str(made.get("trusts", "")), asked_first=_origin_of(made.get("asked_first")),
        limits=tuple(Limited(**limit) for limit in made.get("limits", ())),
        kept=Kept(made["kept"]["seconds"], bool(made["kept"]["given"]), tuple(made["kept"]["by"])) if made.get("kept") else None,
    )


def _json_origin(origin: OriginRequest | None) -> dict[str, Any] | None:
    return None if origin is None else {
        "address": list(origin.addresses), "protocol": origin.protocol, "secure": origin.secure, "certificate": origin.certificate, "method": origin.method,
        "target": origin.target, "fields": _json_fields(origin.fields), "mapped_back": origin.mapped_back, "policy": origin.choice.policy,
        "keeps": origin.choice.keeps, "spares": list(origin.choice.spares), "retried": list(origin.choice.retried or ()), "rest": origin.choice.rest,
    }


def _origin_of(made: dict[str, Any] | None) -> OriginRequest | None:
    return OriginRequest(
        tuple(made["address"]), bool(made.get("secure")), str(made["method"]), str(made["target"]), _pairs(made.get("fields", {})),
        Choice(made.get("policy", ""), made.get("keeps"), tuple(made.get("spares", ())), tuple(made["retried"]) if "retried" in made else None, made.get("rest")),
        made.get("mapped_back", ""), made.get("protocol", "http"), made.get("certificate", "")) if made else None


def _pairs(fields: dict[str, list[str]]) -> tuple[tuple[str, str], ...]:
    return tuple((name, str(value)) for name, values in sorted(fields.items()) for value in (values if isinstance(values, list) else [values]))


def _json_fields(fields: tuple[tuple[str, str], ...]) -> dict[str, list[str]]:
    out: dict[str, list[str]] = {}
    for name, value in fields:
        out.setdefault(name, []).append(value)
    return out
