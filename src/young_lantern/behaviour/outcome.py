"""What happens to a request, and the trace that led there."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ..model import MediaTypes, Span


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

    protocol:    `http` or `fastcgi`; by the latter, target is the script's file, and fields are parameters
    fields:      names in lower case, in order; only those that a rule sets, adds or removes
    certificate: what of the origin's certificate is checked
    mapped_back: the Location that a client gets when the origin redirects to just this target under the host it saw
    """

    addresses: tuple[str, ...]
    secure: bool
    method: str
    target: str
    fields: tuple[tuple[str, str], ...]
    policy: str = ""
    mapped_back: str = ""
    protocol: str = "http"
    certificate: str = ""


@dataclass(frozen=True, slots=True)
class Outcome:
    """status None: the connection is closed without an answer. fields: the response fields that rules decide.

    media_types: the Content-Type lines, of which there may be none or, by mistake, several; None: not foretold
    handshake:   the TLS handshake failed, for want of a certificate of the client's that holds
    trusts:      whose certificates the client's was verified by
    by_name:     what says the type of a file by its name, where a file is the answer; no part of what is compared
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
    by_name: MediaTypes | None = field(default=None, compare=False, repr=False)

    def as_json(self) -> dict[str, Any]:
        """The outcome as DESIGN's JSON: status, location, origin, file, fields, site, trace."""
        origin = None
        if self.origin:
            origin = {
                "address": list(self.origin.addresses), "protocol": self.origin.protocol, "secure": self.origin.secure, "certificate": self.origin.certificate, "method": self.origin.method,
                "target": self.origin.target, "fields": _json_fields(self.origin.fields), "mapped_back": self.origin.mapped_back, "policy": self.origin.policy,
            }
        return {
            "status": self.status, "location": self.location, "origin": origin, "file": self.file, "body": self.body,
            "fields": _json_fields(self.fields) | ({} if self.media_types is None else {"content-type": list(self.media_types)}), "coding": self.coding, "listing": self.listing, "missing": self.missing, "handshake": self.handshake, "trusts": self.trusts,
            "site": self.site,
            "trace": [
                {"rule": entry.rule, "file": entry.span.file if entry.span else None,
                 "line": entry.span.line if entry.span else None, "saw": entry.saw, "held": entry.held}
                for entry in self.trace
            ],
        }


def outcome_of(made: dict[str, Any]) -> Outcome:
    """What `as_json` made, as far as it is there: members that a text does not have are as if nothing was said of them. Raises KeyError, TypeError, ValueError."""
    origin, fields = made.get("origin"), made.get("fields", {})
    return Outcome(
        made["status"] if made["status"] is None else int(made["status"]), made.get("location"),
        OriginRequest(
            tuple(origin["address"]), bool(origin.get("secure")), str(origin["method"]), str(origin["target"]), _pairs(origin.get("fields", {})), origin.get("policy", ""),
            origin.get("mapped_back", ""), origin.get("protocol", "http"), origin.get("certificate", "")) if origin else None,
        made.get("file"), made.get("body"), _pairs({name: values for name, values in fields.items() if name != "content-type"}), made.get("coding"), bool(made.get("listing")),
        bool(made.get("missing")), made.get("site"), media_types=tuple(value for _, value in _pairs({"": fields["content-type"]})) if "content-type" in fields else None,
        handshake=bool(made.get("handshake")), trusts=str(made.get("trusts", "")),
    )


def _pairs(fields: dict[str, list[str]]) -> tuple[tuple[str, str], ...]:
    return tuple((name, str(value)) for name, values in sorted(fields.items()) for value in (values if isinstance(values, list) else [values]))


def _json_fields(fields: tuple[tuple[str, str], ...]) -> dict[str, list[str]]:
    out: dict[str, list[str]] = {}
    for name, value in fields:
        out.setdefault(name, []).append(value)
    return out
