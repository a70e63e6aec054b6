"""Findings and the ledger: what the engineer must know, and the account of every source directive.

Every code is a row of CODES in findings_table.py; terminal text, JSON and docs/findings.md are made from the one record.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

from .span import Span


class Family(Enum):
    READING = "reading"
    HEALTH = "source health"
    TRANSLATION = "translation"
    BEHAVIOUR = "behaviour"
    TLS = "TLS"
    LIVE = "live"


class Severity(Enum):
    BREAKING = "breaking"
    MINOR = "minor"
    NOTE = "note"


class Disposition(Enum):
    KEPT = "kept"
    CHANGED = "changed"
    IMPLIED = "implied"
    MANUAL = "manual"
    UNSUPPORTED = "unsupported"


@dataclass(frozen=True, slots=True)
class Code:
    """A kind of finding. `says`, `why` and `do` are completed with the finding's facts."""

    name: str
    family: Family
    severity: Severity
    says: str
    why: str
    do: str


@dataclass(frozen=True, slots=True)
class Finding:
    code: Code
    span: Span | None
    facts: tuple[tuple[str, str], ...] = ()
    shows: str = ""  # an example request, "GET https://host/path"

    def _complete(self, text: str) -> str:
        return text.format_map(dict(self.facts))

    @property
    def message(self) -> str:
        return self._complete(self.code.says)

    @property
    def why(self) -> str:
        return self._complete(self.code.why)

    @property
    def advice(self) -> str:
        return self._complete(self.code.do)


def finding(code: Code, span: Span | None, *, shows: str = "", **facts: Any) -> Finding:
    return Finding(code, span, tuple((name, str(value)) for name, value in facts.items()), shows)


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of the ledger. `targets` are (file, first line, last line) of the output."""

    span: Span
    disposition: Disposition
    reason: str = ""
    finding: Finding | None = None
    targets: tuple[tuple[str, int, int], ...] = ()
