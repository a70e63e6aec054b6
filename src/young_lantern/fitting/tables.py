"""Conditions on tables -> conditions on what the tables look at, for dialects that cannot write the table itself.

Rule:     the first row that holds decides; so a value is met when one of its rows holds and none of the rows before it that
          lead to another value does. Rows of networks come longest first, as the reader puts them.
"""

from __future__ import annotations

from ..model import (
    ALWAYS, AllOf, AnyOf, ClientIn, Condition, Lookup, LookupRow, Not, Step, TextIs, TextMatches, Unknowable, Var, Variable, literal,
)
from ..model.walk import transform
from ..patterns import search


def without_tables(program: tuple[Step, ...], networks_only: bool = False) -> tuple[Step, ...]:
    """The program with each condition on a table's value spelt out, as far as the table's values are known beforehand."""

    def change(value: object) -> object:
        if isinstance(value, TextIs | TextMatches) and len(value.template) == 1 and isinstance(value.template[0], Lookup):
            table = value.template[0]
            if table.networks or not networks_only:
                return _spelt_out(value, table) or value
        return value

    return transform(program, change)


def _spelt_out(asked: TextIs | TextMatches, table: Lookup) -> Condition | None:
    results = [literal(row.result) for row in table.rows] + [literal(table.fallback)]
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
