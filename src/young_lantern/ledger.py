"""Claims of the reader and notes of the writer -> the ledger: one entry or more for every source directive.

Rule:     what nobody accounts for is `not-written`, never dropped. A directive has `kept` only if it left lines in the
          target, or what it stands in did.
"""

from __future__ import annotations

from .codes import NO_COUNTERPART, NOT_WRITTEN
from .dialects.dialect import Claim, Reading, WriterNote, Writing
from .model import Disposition, Entry, Finding, Span, finding

# Of several words on one directive the first here is its disposition; the others stay as further entries.
_ORDER = [Disposition.UNSUPPORTED, Disposition.CHANGED, Disposition.MANUAL, Disposition.KEPT, Disposition.IMPLIED]


def make_ledger(reading: Reading, writing: Writing, target: str) -> tuple[Entry, ...]:
    """The entries in source order; those of one directive follow each other."""
    notes: dict[Span, list[WriterNote]] = {}
    for note in writing.notes:
        if note.span is not None:
            notes.setdefault(note.span, []).append(note)
    claims = {claim.span: claim for claim in reading.claims}
    order = {name: number for number, name in enumerate(reading.texts)}
    spans = sorted(claims, key=lambda span: (order.get(span.file, 0), span.line, span.column))
    made: list[Entry] = []
    for span in spans:
        made += _entries(claims[span], claims, notes, writing, target)
    return tuple(made)


def _entries(claim: Claim, claims: dict[Span, Claim], notes: dict[Span, list[WriterNote]], writing: Writing, target: str) -> list[Entry]:
    span = claim.span
    targets = tuple(writing.targets.get(span, ()))
    if claim.disposition is not None:
        reason = claim.why or (claim.finding.message if claim.finding else "")
        told = claim.finding
        if claim.disposition is Disposition.UNSUPPORTED and told is None:
            told = finding(NO_COUNTERPART, span, directive=claim.name, target=target, reason=claim.why,
                           advice=f"see what {target} offers for this, by itself or with a module, before the move")
        return [Entry(span, claim.disposition, reason, told, targets)]
    own = notes.get(span, [])
    entries = [Entry(span, note.disposition, note.reason or (note.finding.message if note.finding else ""), note.finding,
                     () if note.disposition is Disposition.UNSUPPORTED else targets) for note in own]
    entries.sort(key=lambda entry: _ORDER.index(entry.disposition))
    strongest = entries[0].disposition if entries else None
    if targets and strongest in (None, Disposition.KEPT, Disposition.IMPLIED):
        entries = [Entry(span, Disposition.KEPT, "", None, targets), *(entry for entry in entries if entry.finding)]
    if entries:
        return _distinct(entries)
    askers = sorted(claim.asked_by, key=lambda asker: asker not in writing.reached)
    for other, why in [*((asker, "as the line that asks it") for asker in askers), (claim.follows, "as the block it stands in")]:
        if other is not None and other in claims:
            above = _entries(claims[other], claims, notes, writing, target)[0]
            return [Entry(span, above.disposition, above.reason or why, None, above.targets)]
    if span not in writing.reached:
        return [Entry(span, Disposition.IMPLIED, "no answer depends on it: it is not reached, or its effect lies in how the lines around it are written")]
    return [Entry(span, Disposition.UNSUPPORTED, "", finding(NOT_WRITTEN, span, directive=claim.name))]


def _distinct(entries: list[Entry]) -> list[Entry]:
    seen: list[Entry] = []
    for entry in entries:
        if not any(other.disposition is entry.disposition and other.reason == entry.reason for other in seen):
            seen.append(entry)
    return seen


def counted(entries: tuple[Entry, ...]) -> dict[str, int]:
    """How many directives have each disposition; each directive counts once, by its first entry."""
    first: dict[Span, Disposition] = {}
    for entry in entries:
        first.setdefault(entry.span, entry.disposition)
    return {disposition.value: sum(1 for held in first.values() if held is disposition) for disposition in Disposition}


def findings_of(entries: tuple[Entry, ...], writing: Writing) -> list[Finding]:
    """The findings of a ledger, and those of the writer that belong to no single directive, or to a line within one."""
    made = [entry.finding for entry in entries if entry.finding]
    listed = {entry.span for entry in entries}
    made += [note.finding for note in writing.notes if note.span not in listed and note.finding]
    return list(dict.fromkeys(made))
