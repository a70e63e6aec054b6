"""Results -> JSON values. Each document names its schema, which ships beside this file in `schemas/`.

Rule:     stable: members may be added, not renamed. Places are {"file", "line", "directive"}.
"""

from __future__ import annotations

import json
from importlib.resources import files
from typing import Any

from ..behaviour.compare import Cause, Comparison, Pair, findings_of
from ..behaviour.differences import Difference
from ..behaviour.outcome import Outcome
from ..behaviour.request import Request
from ..behaviour.traffic import Traffic
from ..dialects.dialect import Claim, Reading
from ..ledger import counted
from ..behaviour.handshakes import Handshake
from ..behaviour.request import HTTP2
from ..lab.handshakes import HandshakeRow
from ..lab.keeping import KeptRow
from ..lab.limits import LimitRow
from ..lab.live import LiveCheck, Row
from ..lab.live import findings_of as live_findings
from ..model import AnswerPlainly, Entry, Finding, Listener, Placeholder, Refuse, Severity, Span
from ..support import Support
from ..translate import Translation
from ..unread import Unread

VERSION = 1


def schema(name: str) -> dict[str, Any]:
    """The JSON Schema of a document: survey, translation, comparison, expectation, trace, support."""
    return json.loads((files(__package__) / "schemas" / f"{name}.schema.json").read_text("utf-8"))  # type: ignore[no-any-return]


def place(span: Span | None) -> dict[str, Any] | None:
    return {"file": span.file, "line": span.line, "directive": span.directive} if span else None


def finding_document(item: Finding) -> dict[str, Any]:
    return {
        "code": item.code.name, "family": item.code.family.value, "severity": item.code.severity.value, "at": place(item.span),
        "message": item.message, "why": item.why, "do": item.advice, "facts": dict(item.facts), "shows": item.shows,
    }


def entry_document(entry: Entry) -> dict[str, Any]:
    return {
        "at": place(entry.span), "disposition": entry.disposition.value, "reason": entry.reason,
        "code": entry.finding.code.name if entry.finding else None,
        "targets": [{"file": file, "first": first, "last": last} for file, first, last in entry.targets],
    }


def request_document(request: Request) -> dict[str, Any]:
    return {"method": request.method, "url": request.url, "fields": dict(request.fields), "client": request.client, **({"protocol": request.protocol} if request.protocol == HTTP2 else {})}


def _difference(item: Difference) -> dict[str, Any]:
    return {"what": item.what, "before": item.before, "after": item.after, "severity": item.severity.value}


def cause_document(cause: Cause) -> dict[str, Any]:
    return {
        "severity": cause.severity.value, "reason": cause.reason.value, "differences": [_difference(item) for item in cause.differences],
        "places": [{"before": place(one), "after": place(other)} for one, other in cause.places],
        "example": request_document(cause.example), "files": cause.facts, "before": outcome_document(cause.before), "after": outcome_document(cause.after),
        "requests": cause.requests, "methods": list(cause.methods), "hosts": list(cause.hosts), "paths": list(cause.paths), "where": cause.where,
    }


def outcome_document(outcome: Outcome) -> dict[str, Any]:
    return {**outcome.as_json(), "decided_by": place(outcome.decided_by), "undecided": outcome.gave_up}


def comparison_document(comparison: Comparison, pairs: list[Pair] | None = None, live: LiveCheck | None = None, traffic: Traffic | None = None,
                        hosts: LiveCheck | None = None, unread: Unread | None = None) -> dict[str, Any]:
    return {
        "document": "comparison", "version": VERSION, "requests": comparison.requests, "same": comparison.same,
        "breaking": len(comparison.of(Severity.BREAKING)), "minor": len(comparison.of(Severity.MINOR)),
        "causes": [cause_document(cause) for cause in comparison.causes], "undecided": comparison.undecided, "unreached": list(comparison.unreached),
        "classes": comparison.classes, "sampled": list(comparison.sampled),
        "findings": [finding_document(item) for item in [*findings_of(comparison), *(live_findings(live) if live else [])]],
        "pairs": None if pairs is None else [_pair(pair) for pair in pairs],
        "live": None if live is None else live_document(live),
        "traffic": None if traffic is None else traffic_document(traffic),
        "hosts": None if hosts is None else live_document(hosts),
        "unread": None if unread is None else {"before": _unread(unread.before), "after": _unread(unread.after), "both": unread.both},
    }


def _unread(claims: tuple[Claim, ...]) -> list[dict[str, Any]]:
    """Lines that one of the two has, and nobody reads."""
    return [{"at": place(claim.span), "directive": claim.name, "why": claim.finding.why if claim.finding else claim.why} for claim in claims]


def _pair(pair: Pair) -> dict[str, Any]:
    return {"request": request_document(pair.request), "before": outcome_document(pair.before), "after": outcome_document(pair.after),
            "differences": [_difference(item) for item in pair.differences]}


def traffic_document(traffic: Traffic) -> dict[str, Any]:
    """Requests of a log, counted as often as they occurred; `differing` has those that get another answer, the most frequent first."""
    log = traffic.log
    return {
        "lines": log.lines, "requests": log.requests, "distinct": len(log.rows), "unread": log.unread, "beyond": log.beyond, "same": traffic.same,
        "undecided": traffic.undecided, "differing": [{"count": count, **_pair(pair)} for pair, count in traffic.differing],
    }


def expectation_document(pairs: list[Pair]) -> dict[str, Any]:
    """What was saved of some requests against what comes of them now; `before` is what was saved."""
    differing = [pair for pair in pairs if pair.differences]
    undecided = sum(1 for pair in pairs if pair.after.gave_up and not pair.differences)
    return {
        "document": "expectation", "version": VERSION, "requests": len(pairs), "same": len(pairs) - len(differing) - undecided, "undecided": undecided,
        "differing": [_pair(pair) for pair in differing],
    }


def live_document(live: LiveCheck) -> dict[str, Any]:
    return {
        "servers": list(live.servers), "asked": len(live.rows), "of": live.sampled, "same": live.same, "foretold": live.foretold, "asked_again": live.asked_again,
        "empty_roots": list(live.empty_roots), "by_http2": live.by_http2,
        "handshakes": [_handshake_row(row) for row in live.handshakes],
        "surprises": [_row(row) for row in live.surprises if isinstance(row, Row)],
        "limits": [_limit_row(row) for row in live.limits],
        "kept": {"asked_twice": len(live.kept), "surprises": [_kept_row(row) for row in live.kept if row.defects]},
    }


def _limit_row(row: LimitRow) -> dict[str, Any]:
    return {"request": request_document(row.request), "sent": row.sent, "refused": list(row.refused), "defects": [{"server": server, "what": item.what, "foretold": item.first, "answered": item.second} for server, item in row.defects]}


def _kept_row(row: KeptRow) -> dict[str, Any]:
    return {"request": request_document(row.request), "asked": list(row.asked), "defects": [{"server": server, "what": item.what, "foretold": item.first, "answered": item.second} for server, item in row.defects]}


def _handshake_row(row: HandshakeRow) -> dict[str, Any]:
    return {
        "host": row.request.authority, "foretold": [_handshake(item) for item in row.foretold], "met": [_handshake(item) for item in row.met],
        "defects": [{"server": server, "what": item.what, "foretold": item.first, "answered": item.second} for server, item in row.defects],
    }


def _handshake(made: Handshake) -> dict[str, Any]:
    return {"certificates": list(made.certificates), "versions": list(made.versions), "http2": made.http2}


def _row(row: Row) -> dict[str, Any]:
    return {
        "request": request_document(row.request), "statuses": [answer.status for answer in row.answers], "foretold": row.foretold,
        "between": [{"what": item.what, "before": item.first, "after": item.second} for item in row.between],
        "defects": [{"server": server, "what": item.what, "foretold": item.first, "answered": item.second} for server, item in row.defects],
    }


def translation_document(translation: Translation, live: LiveCheck | None = None) -> dict[str, Any]:
    return {
        "document": "translation", "version": VERSION, "from": translation.reading.dialect, "to": translation.target,
        "files": sorted(translation.writing.files), "counts": counted(translation.ledger),
        "ledger": [entry_document(entry) for entry in translation.ledger],
        "findings": [finding_document(item) for item in translation.findings],
        "comparison": comparison_document(translation.comparison, live=live),
    }


def survey_document(reading: Reading, health: list[Finding]) -> dict[str, Any]:
    estate = reading.estate
    return {
        "document": "survey", "version": VERSION, "dialect": reading.dialect, "main": reading.main.name, "files": sorted(reading.texts),
        "inactive": list(reading.inactive),
        "listeners": [_listener(listener) for listener in estate.listeners],
        "sites": [{
            "key": site.key, "names": [name.text for name in site.names], "at": place(site.span),
            "listeners": [f"{listener.address or '*'}:{_port(listener)}" for listener in estate.listeners_of(site.key)],
            "certificates": [{"chain": item.chain_file, "key": item.key_file} for item in site.tls.certificates] if site.tls else [],
        } for site in estate.sites],
        "pools": [{"name": pool.name, "policy": pool.policy, "members": [
            {"address": member.address, "weight": member.weight, "backup": member.backup, "down": member.down} for member in pool.members
        ], "at": place(pool.span)} for pool in estate.pools],
        "findings": [finding_document(item) for item in [*reading.findings, *health]],
    }


def _port(listener: Listener) -> int | str:
    return listener.port.spelling if isinstance(listener.port, Placeholder) else listener.port


def _listener(listener: Listener) -> dict[str, Any]:
    fallback = listener.fallback
    other = "refused" if isinstance(fallback, Refuse) else f"status {fallback.status}" if isinstance(fallback, AnswerPlainly) else fallback
    return {"address": listener.address or "*", "port": _port(listener), "tls": listener.secure,
            "hosts": [{"host": row.host.text, "site": row.site} for row in listener.rows], "other_hosts": other, "at": place(listener.span)}


def trace_document(request: Request, outcome: Outcome) -> dict[str, Any]:
    return {"document": "trace", "version": VERSION, "request": request_document(request), "outcome": outcome_document(outcome)}


def support_document(rows: list[Support]) -> list[dict[str, Any]]:
    """One object for each directive and block."""
    return [
        {"dialect": row.dialect, "directive": row.directive, "context": row.context, "to": {name: held.value for name, held in row.to.items()}, "why": row.why}
        for row in rows
    ]
