"""Catalogues and abilities -> which directive of which dialect is carried how, to which dialect.

Rule:     a row with a disposition of its own is that everywhere; one that is read is kept, unless the target's abilities.py says
          otherwise of its topic or name. What becomes of a single line depends on its words: the ledger says that.
"""

from __future__ import annotations

from dataclasses import dataclass

from .dialects import dialects
from .dialects.dialect import Dialect, Row
from .model import Disposition


@dataclass(frozen=True, slots=True)
class Support:
    """A directive in one block. `to`: target -> what becomes of it there; `why`: target -> the reason, if it is not simply kept."""

    dialect: str
    directive: str
    context: str
    to: dict[str, Disposition]
    why: dict[str, str]


def support(dialect: str | None = None, directive: str | None = None) -> list[Support]:
    """Every directive of every dialect, or of one; in all blocks where it may stand."""
    made = []
    for source in dialects().values():
        if dialect not in (None, source.name):
            continue
        targets = [target for target in dialects().values() if target.write is not None and target is not source]
        for row in source.catalogue():
            if directive is not None and row.name.lower() != directive.lower():
                continue
            answers = {target.name: becomes(row, target) for target in targets}
            for context in sorted(row.within):
                made.append(Support(source.name, row.name, context, {name: answer[0] for name, answer in answers.items()},
                                    {name: answer[1] for name, answer in answers.items() if answer[1]}))
    return made


def becomes(row: Row, target: Dialect) -> tuple[Disposition, str]:
    """What becomes of a directive in a target, and why."""
    if row.disposition is not None:
        return row.disposition, row.why
    return target.abilities.get(row.name) or target.abilities.get(row.topic) or (Disposition.KEPT, "")
