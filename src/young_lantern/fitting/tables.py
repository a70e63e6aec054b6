"""Conditions on tables -> conditions on what the tables look at, for dialects that cannot write the table itself.

Rule:     the first row that holds decides; so a value is met when one of its rows holds and none of the rows before it that
          lead to another value does. Rows of networks come longest first, as the reader puts them.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ..model import (
    ALWAYS, AllOf, AnyOf, Capture, ClientIn, Condition, Lookup, LookupRow, Not, PathMatches, Step, TextIs, TextMatches, Unknowable, Var, Variable, fixed,
)
from ..model.placeholders import is_open
from ..model.walk import transform
from ..patterns import search
from ..patterns.groups import fits, inside_group, with_group


def without_tables(program: tuple[Step, ...], networks_only: bool = False) -> tuple[Step, ...]:
    """The program with each condition on a table's value spelt out, as far as the table's values are known beforehand."""

    def change(value: object) -> object:
        if isinstance(value, TextIs | TextMatches) and len(value.template) == 1 and isinstance(value.template[0], Lookup):
            table = value.template[0]
            if table.networks or not networks_only:
                return _spelt_out(value, table) or value
        return value

    return transform(program, change)


def with_keys_in_patterns(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program with each question about a table that a group of a pattern beside it is the key of put into a pattern: for Caddy, which asks in no set order."""

    def change(value: object) -> object:
        if not isinstance(value, AllOf):
            return value
        found = {part.pattern.label: part for part in value.conditions if isinstance(part, PathMatches) and part.pattern.label}
        parts = [_in_pattern(part, found) for part in value.conditions]
        for number, part in enumerate(parts):
            if part is not value.conditions[number] and isinstance(part, PathMatches):
                # What holds only for some keys takes the place of the pattern that has the group for any.
                wide = next(held for held in found.values() if replace(held.pattern, text=part.pattern.text, label="") == part.pattern)
                parts[parts.index(wide)] = replace(wide, pattern=replace(part.pattern, label=wide.pattern.label))
                parts[number] = ALWAYS
        parts = [part for part in parts if part is not ALWAYS]
        return replace(value, conditions=tuple(parts)) if parts != list(value.conditions) else value

    return transform(program, change)


def _in_pattern(part: Condition, found: dict[str, PathMatches]) -> Condition:
    if isinstance(part, Not):
        inner = _in_pattern(part.condition, found)
        return part if inner is part.condition else inner.condition if isinstance(inner, Not) else replace(part, condition=inner)
    match part:
        case TextIs((Lookup(subject=(Capture(int() as group, label),)) as table,)) | TextMatches((Lookup(subject=(Capture(int() as group, label),)) as table,)) if label in found and not table.ignores_case:
            met = [_meets(part, fixed(result) or "") if fixed(result) is not None else None for result in (*(row.result for row in table.rows), table.fallback)]
            if None in met or not all(isinstance(row.value, str) for row in table.rows):
                return part
            keys = [str(row.value) for row, holds in zip(table.rows, met, strict=False) if holds is not met[-1]]
            held = found[label]
            # A key that the group itself does not take is never found there.
            taken = inside_group(held.pattern.text, group)
            keys = [key for key in keys if taken is not None and fits(replace(held.pattern, text=taken), key)]
            text = with_group(held.pattern.text, group, "|".join(map(re.escape, keys))) if keys else None
            if text is None:
                return part if keys else ALWAYS if met[-1] else Not(ALWAYS, part.span)
            others = replace(held, pattern=replace(held.pattern, text=text, label=""))
            return Not(others, part.span) if met[-1] else others
    return part


def _spelt_out(asked: TextIs | TextMatches, table: Lookup) -> Condition | None:
    if any(map(is_open, asked.values if isinstance(asked, TextIs) else (asked.pattern.text,))):
        return None
    results = [fixed(row.result) for row in table.rows] + [fixed(table.fallback)]
    if any(result is None for result in results) or len(results) > 40:
        return None
    met = [_meets(asked, str(result)) for result in results]
    parts: list[Condition] = []
    others: list[LookupRow] = []
    for row, holds in zip(table.rows, met, strict=False):
        if holds:
            parts.append(_all(row_condition(row, table), [row_condition(other, table) for other in others if _overlap(row, other, table)]))
        else:
            others.append(row)
    if met[-1]:
        # Whatever no row holds, or a row that leads here: not one of the others, unless a row before it took it.
        wrong = [_all(row_condition(other, table), [row_condition(row, table) for row, holds in zip(table.rows[:table.rows.index(other)], met, strict=False)
                                           if holds and _overlap(other, row, table)]) for other in others]
        return Not(_any(wrong), asked.span) if wrong else ALWAYS
    return _any(parts) if parts else Not(ALWAYS, asked.span)


def _meets(asked: TextIs | TextMatches, result: str) -> bool:
    if isinstance(asked, TextMatches):
        return search(asked.pattern, result) is not None
    return any(result == value or (asked.ignores_case and result.lower() == value.lower()) for value in asked.values)


def row_condition(row: LookupRow, table: Lookup) -> Condition:
    """When a row of a table holds."""
    if not isinstance(row.value, str):
        return TextMatches(table.subject, row.value, span=table.span)
    if not table.networks:
        return TextIs(table.subject, (row.value,), table.ignores_case, table.span)
    if table.subject == (Var(Variable.CLIENT),):
        return ClientIn((row.value,), table.span)
    return Unknowable(f"whether an address that a field names lies in {row.value}", table.span)


def _overlap(one: LookupRow, other: LookupRow, table: Lookup) -> bool:
    return table.networks or not (isinstance(one.value, str) and isinstance(other.value, str))


def _all(first: Condition, excluded: list[Condition]) -> Condition:
    return AllOf((first, *(Not(item) for item in excluded))) if excluded else first


def _any(conditions: list[Condition]) -> Condition:
    if len(conditions) > 1 and all(isinstance(item, ClientIn) for item in conditions):
        return ClientIn(tuple(network for item in conditions for network in item.networks), conditions[0].span)  # type: ignore[union-attr]
    return conditions[0] if len(conditions) == 1 else AnyOf(tuple(conditions))
