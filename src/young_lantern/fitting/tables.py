"""Conditions on tables -> conditions on what the tables look at, for dialects that cannot write the table itself.

Rule:     the first row that holds decides; so a value is met when one of its rows holds and none of the rows before it that
          lead to another value does. Rows of networks come longest first, as the reader puts them.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ..model import (
    ALWAYS, AllOf, AnyOf, Capture, Choose, ClientIn, Condition, Lookup, LookupRow, Not, PathIs, PathMatches, Pattern, PeerIn, Redirect, Route, SchemeIs, Step, Template, TextIs, TextMatches, Var,
    Variable, address_in, fixed, join,
)
from ..model.placeholders import is_open
from ..model.walk import transform, walk
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


# A table of so many rows is spelt out at the most: each becomes a redirect of its own.
_MOST_ROWS = 200


def with_redirects_by_row(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program with each redirect to what a table says of the path made one redirect for each row, for dialects in which a value may hold no question mark."""

    def change(value: object) -> object:
        if not isinstance(value, Choose):
            return value
        routes = [made for route in value.routes for made in _by_row(route)]
        return value if routes == list(value.routes) else replace(value, routes=tuple(routes))

    return transform(program, change)


def _by_row(route: Route) -> tuple[Route, ...]:
    last = route.steps[-1] if route.steps else None
    tables = [part for part in last.location if isinstance(part, Lookup)] if isinstance(last, Redirect) else []
    if not isinstance(last, Redirect) or len(tables) != 1:
        return (route,)
    table = tables[0]
    asked = route.condition.conditions if isinstance(route.condition, AllOf) else (route.condition,)
    rest = tuple(part for part in asked if not _says_something(part, table))
    empty = [row for row in table.rows if fixed(row.result) in ("", "0")]
    if table.subject not in ((Var(Variable.PATH),), (Var(Variable.TARGET),)) or table.networks or table.fallback or empty or len(rest) == len(asked) or len(table.rows) > _MOST_ROWS:
        return (route,)
    made = []
    for number, row in enumerate(table.rows):
        label = f"{table.name}_{number}"
        of_path = table.subject == (Var(Variable.PATH),)
        text, mark = (f"^{re.escape(row.value)}$", "pcre") if isinstance(row.value, str) else (row.value.text, row.value.engine)
        ignores = table.ignores_case if isinstance(row.value, str) else row.value.ignores_case
        held: Condition
        if not of_path:
            held = TextMatches(table.subject, Pattern(text, mark, ignores, label=label), span=table.span)
        elif isinstance(row.value, str) and not ignores:
            held = PathIs(row.value, span=table.span)
        else:
            held = PathMatches(Pattern(text, mark, ignores, label=label), span=table.span)
        result = tuple(replace(part, pattern=label) if isinstance(part, Capture) else part for part in row.result)
        location = join(*((result if part is table else (part,)) for part in last.location))
        also = tuple(dict.fromkeys((*route.also, *((table.span,) if table.span else ()))))
        made.append(replace(route, also=also, condition=AllOf((held, *rest), route.span) if rest else held, steps=(*route.steps[:-1], replace(last, location=location))))
    return tuple(made)


def _says_something(part: Condition, table: Lookup) -> bool:
    """Whether a condition asks that a table says anything at all of the path."""
    return isinstance(part, Not) and isinstance(part.condition, TextIs) and part.condition.template == (table,) and set(part.condition.values) <= {"", "0"}


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
    if len(results) > 40:
        return None
    if any(result is None for result in results):
        return _by_results(asked, table) if isinstance(asked, TextIs) and not table.networks else None
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


def _by_results(asked: TextIs, table: Lookup) -> Condition | None:
    """As _spelt_out, for a table some of whose results are variables of the request, which are asked themselves (`default $http_x_forwarded_proto`)."""
    if any(isinstance(item, Capture | Lookup) for item in walk([table.fallback, *(row.result for row in table.rows)])):
        return None
    parts: list[Condition] = []
    before: list[LookupRow] = []
    for row in table.rows:
        if (said := _says(asked, row.result)) != _NEVER:
            held = _all(row_condition(row, table), [row_condition(other, table) for other in before if _overlap(row, other, table)])
            parts.append(held if said is ALWAYS else AllOf((*(held.conditions if isinstance(held, AllOf) else (held,)), said), asked.span))
        before.append(row)
    said = _says(asked, table.fallback)
    if said != _NEVER:
        # The subject itself is none of the rows' texts where it is one that is asked for.
        whole = replace(asked, ignores_case=asked.ignores_case or table.ignores_case)
        apart = table.fallback == table.subject and all(isinstance(row.value, str) and not _meets(whole, row.value) for row in table.rows)
        others = () if apart else tuple(Not(row_condition(row, table), asked.span) for row in table.rows)
        parts.append(said if not others else AllOf((*others, *(() if said is ALWAYS else (said,))), asked.span))
    return _any(parts) if parts else _NEVER


_NEVER: Condition = Not(ALWAYS)


def _says(asked: TextIs, result: Template) -> Condition:
    """Whether a result is one of the texts that are asked for."""
    if (text := fixed(result)) is not None:
        return ALWAYS if _meets(asked, text) else _NEVER
    if result == (Var(Variable.SCHEME),) and len(asked.values) == 1:
        return SchemeIs(asked.values[0], asked.span) if asked.values[0] in ("http", "https") else _NEVER
    return replace(asked, template=result)


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
    return address_in(table.subject, row.value, table.span)


def _overlap(one: LookupRow, other: LookupRow, table: Lookup) -> bool:
    return table.networks or not (isinstance(one.value, str) and isinstance(other.value, str))


def _all(first: Condition, excluded: list[Condition]) -> Condition:
    return AllOf((first, *(Not(item) for item in excluded))) if excluded else first


def _any(conditions: list[Condition]) -> Condition:
    for kind in (ClientIn, PeerIn):
        if len(conditions) > 1 and all(isinstance(item, kind) for item in conditions):
            return kind(tuple(network for item in conditions for network in item.networks), conditions[0].span)  # type: ignore[union-attr]
    return conditions[0] if len(conditions) == 1 else AnyOf(tuple(conditions))
