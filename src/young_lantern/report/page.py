"""A translation -> one HTML page that an engineer can hand to a reviewer: no script, nothing from outside, fit to print.

Layout:   what came of it; the sites; what needs a person; the differences with both outcomes; then every source file line
          by line beside the target lines made from it; last the new files whole, which those lines link to.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from importlib.metadata import version
from typing import Any

from ..behaviour.compare import Cause, Reason
from ..behaviour.origin_answers import fields_in_words
from ..behaviour.outcome import Outcome
from ..lab.live import LiveCheck
from ..ledger import counted
from ..model import Disposition, Entry, Placeholder, Severity, Span
from ..source.passwords import without_hashes, without_users
from ..translate import Translation
from .text import kept_in_words

_WORDS = {"kept": "kept", "changed": "changed", "implied": "implied", "manual": "by hand", "unsupported": "not carried"}
_MEANING = {
    "kept": "same meaning in the target", "changed": "near; the difference is stated", "implied": "the target does it anyway",
    "manual": "needs a step outside the configuration", "unsupported": "no equivalent",
}


@dataclass(frozen=True)
class Line:
    """A source line with what became of the directive that begins on it."""

    number: int
    text: str
    disposition: str
    reasons: tuple[str, ...]
    targets: tuple[tuple[str, int, int, str], ...]
    more: int


def page(translation: Translation, live: LiveCheck | None = None) -> str:
    """The page as text."""
    from jinja2 import Environment, PackageLoader

    environment = Environment(loader=PackageLoader("young_lantern.report"), autoescape=True, trim_blocks=True, lstrip_blocks=True)
    environment.filters["anchor"] = _anchor
    environment.filters["count"] = lambda number: f"{number:,}"
    counts = counted(translation.ledger)
    return environment.get_template("report.html.j2").render(
        translation=translation, live=live, counts=[(key, _WORDS[key], _MEANING[key], counts[key]) for key in _WORDS],
        directives=sum(counts.values()), sites=_sites(translation), by_hand=_by_hand(translation),
        breaking=[_cause(cause) for cause in translation.comparison.of(Severity.BREAKING)],
        minor=[_cause(cause) for cause in translation.comparison.of(Severity.MINOR)],
        sources=[(name, _lines(name, text, translation)) for name, text in translation.reading.texts.items()],
        targets=[(name, without_users(name, text).splitlines()) for name, text in translation.writing.files.items()],
        version=version("young-lantern"),
    ).encode("utf-8", "replace").decode("utf-8")


def _anchor(name: str) -> str:
    return re.sub(r"[^\w-]", "-", name)


def _sites(translation: Translation) -> list[dict[str, Any]]:
    estate = translation.reading.estate
    made = []
    for site in estate.sites:
        listeners = [
            f"{'TLS' if listener.secure else 'plain'} {listener.port.spelling if isinstance(listener.port, Placeholder) else listener.port}"
            for listener in estate.listeners_of(site.key)
        ]
        targets = translation.writing.targets.get(site.span, []) if site.span else []
        made.append({
            "names": ", ".join(name.text for name in site.names if name.text not in ("", "_")) or "any other name", "listeners": ", ".join(dict.fromkeys(listeners)) or "handshake refused",
            "at": site.span, "targets": targets[:1],
        })
    return made


def _by_hand(translation: Translation) -> list[dict[str, Any]]:
    wanted = [entry for entry in translation.ledger if entry.disposition in (Disposition.UNSUPPORTED, Disposition.MANUAL)]
    return [{
        "at": entry.span, "directive": entry.span.directive, "word": _WORDS[entry.disposition.value], "disposition": entry.disposition.value,
        "why": entry.finding.why if entry.finding else entry.reason, "do": entry.finding.advice if entry.finding else "",
    } for entry in wanted]


def _lines(name: str, text: str, translation: Translation) -> list[Line]:
    entries: dict[int, list[Entry]] = {}
    for entry in translation.ledger:
        if entry.span.file == name:
            entries.setdefault(entry.span.line, []).append(entry)
    files = {file: without_users(file, content).splitlines() for file, content in translation.writing.files.items()}
    return [_line(number, line, entries.get(number, []), files) for number, line in enumerate(without_hashes(text).splitlines(), 1)]


def _line(number: int, text: str, entries: list[Entry], files: dict[str, list[str]]) -> Line:
    order = [Disposition.UNSUPPORTED, Disposition.CHANGED, Disposition.MANUAL, Disposition.KEPT, Disposition.IMPLIED]
    worst = min((entry.disposition for entry in entries), key=order.index, default=None)
    reasons = []
    for entry in entries:
        if entry.finding:
            reasons.append(f"{entry.finding.message}: {entry.finding.advice}")
        elif entry.reason:
            reasons.append(entry.reason)
    targets = dict.fromkeys(target for entry in entries for target in entry.targets)
    shown = [(file, first, last, files[file][first - 1].strip()) for file, first, last in targets if file in files and first <= len(files[file])]
    return Line(number, text, worst.value if worst else "", tuple(dict.fromkeys(reasons)), tuple(shown[:2]), max(0, len(shown) - 2))


def _cause(cause: Cause) -> dict[str, Any]:
    fields = fields_in_words(cause.example)
    return {
        "title": cause.reason.value if cause.reason is not Reason.OTHER else cause.summary,
        "detail": cause.summary if cause.reason is not Reason.OTHER else "", "example": str(cause.example), "fields": fields, "facts": cause.facts, "where": cause.where,
        "requests": cause.requests, "hosts": cause.hosts[:4], "paths": cause.paths, "methods": cause.methods,
        "before": _outcome(cause.before), "after": _outcome(cause.after), "places": cause.places[:3], "more": max(0, len(cause.places) - 3),
        "before_trace": _trace(cause.before), "after_trace": _trace(cause.after),
    }


def _outcome(outcome: Outcome) -> list[str]:
    lines = ["the TLS handshake fails" if outcome.handshake else "connection closed" if outcome.status is None else f"status {outcome.status}"]
    if outcome.origin:
        lines = [f"forwarded to {', '.join(outcome.origin.addresses)}", f"{outcome.origin.method} {outcome.origin.target}"]
    if outcome.asked_first and outcome.asked_first != outcome.origin:
        lines.append(f"asked first: {', '.join(outcome.asked_first.addresses)}, {outcome.asked_first.method} {outcome.asked_first.target}")
    lines += [f"limit on {limit.kind}: {limit}" for limit in outcome.limits]
    if outcome.kept is not None:
        lines.append(kept_in_words(outcome.kept))
    lines += [f"{name}: {value}" for name, value in (("Location", outcome.location), ("file", outcome.file)) if value]
    lines += [f"{name}: {value}" for name, value in outcome.fields[:4]]
    return lines


def _trace(outcome: Outcome) -> list[tuple[Span | None, str]]:
    met = [entry for entry in outcome.trace if entry.held is not False]
    return [(entry.span, f"{entry.rule}{': ' + entry.saw if entry.saw else ''}") for entry in met][-4:]
