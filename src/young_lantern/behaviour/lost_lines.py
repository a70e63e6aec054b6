"""Groups of differences that are one matter: a line whose answer is lost, whatever comes in its place.

Rule:     a redirect or a refusal that is not carried lets requests through to all that stands behind it, and differs from each of those in its own
          way. From `_MANY` ways on that is the line's one difference; fewer stay apart, since each may have a reason of its own. So does what a look
          for files comes to: the line that names the root stands for all of it.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from typing import Protocol, TypeVar

from ..model import Severity, Span
from .differences import Difference
from .outcome import Outcome

_MANY = 4


class Differs(Protocol):
    """One request that differs, as compare.py has it."""

    @property
    def before(self) -> Outcome: ...
    @property
    def after(self) -> Outcome: ...
    @property
    def part(self) -> tuple[Difference, ...]: ...
    @property
    def severity(self) -> Severity: ...


D = TypeVar("D", bound=Differs)


def joined(groups: dict[tuple[Hashable, ...], list[D]], has_reason: set[tuple[Hashable, ...]]) -> Iterator[list[D]]:
    """The groups, those of one such line as one. has_reason: keys of groups that a feature of the request explains, which stay apart."""
    by_line: dict[tuple[Span, int | None, str], list[tuple[Hashable, ...]]] = {}
    for key, rows in groups.items():
        first = rows[0]
        if key not in has_reason and first.severity is Severity.BREAKING and first.part[0].what == "status" and first.before.decided_by is not None and _is_final(first.before):
            by_line.setdefault((first.before.decided_by, first.before.status, first.before.site), []).append(key)
    lost = {key: keys for keys in by_line.values() if len(keys) >= _MANY for key in keys}
    for key, rows in groups.items():
        if key not in lost:
            yield rows
        elif key == lost[key][0]:
            yield [row for other in lost[key] for row in groups[other]]


def _is_final(outcome: Outcome) -> bool:
    """Whether a line answered by itself: with a redirect, or a refusal. What a look for files came to, the slash of a folder among it, is no line's answer."""
    looked = outcome.missing or outcome.status == 404 or any(entry.rule == "file" and entry.span == outcome.decided_by for entry in outcome.trace)
    return not looked and outcome.origin is None and outcome.file is None and (bool(outcome.location) or (outcome.status or 200) >= 400)


def shown(rows: list[D]) -> tuple[Difference, ...]:
    """What is said of a group: the first request's difference; of a line that is lost, all statuses that come in its place."""
    first = rows[0]
    instead = sorted({row.part[0].after for row in rows if row.part[0].what == "status"})
    if first.part[0].what != "status" or len(instead) < 2:
        return first.part
    return (Difference("status", first.part[0].before, f"{', '.join(instead[:-1])} or {instead[-1]}", first.part[0].severity),)
