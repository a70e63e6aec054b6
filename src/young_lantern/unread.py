"""Lines of two configurations that nobody reads, and that a comparison therefore says nothing about.

Rule:     a line that stands in one of them only may make any difference; one that both have alike most likely makes none.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from .dialects.dialect import Claim, Reading
from .model import Disposition


@dataclass(frozen=True, slots=True)
class Unread:
    """before, after: those that stand in one of the two only, in source order; both: how many stand in either alike."""

    before: tuple[Claim, ...]
    after: tuple[Claim, ...]
    both: int

    def __bool__(self) -> bool:
        return bool(self.before or self.after)


def unread_lines(before: Reading, after: Reading) -> Unread:
    """What is not read in the two. Lines are alike where the dialect and all their words are."""
    one, other = _of(before), _of(after)
    left = Counter(map(_said, one)) & Counter(map(_said, other)) if before.dialect == after.dialect else Counter()
    return Unread(_without(one, left), _without(other, left), sum(left.values()))


def _of(reading: Reading) -> list[Claim]:
    return [claim for claim in reading.claims if claim.disposition is Disposition.UNSUPPORTED]


def _said(claim: Claim) -> str:
    return " ".join(claim.span.directive.split())


def _without(claims: list[Claim], shared: Counter[str]) -> tuple[Claim, ...]:
    left, alone = shared.copy(), []
    for claim in claims:
        if left[_said(claim)]:
            left[_said(claim)] -= 1
        else:
            alone.append(claim)
    return tuple(alone)
