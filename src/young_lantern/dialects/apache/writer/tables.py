"""Lookups in values -> variables that rules set beforehand. Mirror: none, since httpd's tables of text lie in files of their own.

Rule:     the fallback is set first and the rows after it, the last one first, so that the first row that holds has the last word.
Source:   Apache HTTP Server manual, mod_rewrite, flag E.
"""

from __future__ import annotations

import dataclasses
import re
from typing import Any

from ....fitting.tables import row_condition
from ....model import Capture, Choose, Condition, Gateway, Lookup, Route, SetVariable, Step, Var, Variable
from ....model.walk import walk

# Rows of a table that become rules; longer ones stay lookups, which cannot be written.
_LIMIT_ROWS = 60


def tables_as_variables(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program with its tables looked up at the start."""
    tables: dict[str, Lookup] = {}
    taken = _told(program)

    def change(value: Any) -> Any:
        if isinstance(value, tuple) and any(_writable(part) for part in value):
            tables.update({part.name: part for part in value if _writable(part)})
            return tuple(Var(Variable.VARIABLE, _name(part.name, taken)) if _writable(part) else part for part in value)
        return value

    changed = _in_tuples(program, change)
    steps: list[Step] = []
    for table in tables.values():
        steps.append(SetVariable(_name(table.name, taken), table.fallback, table.span))
        for row in reversed(table.rows):
            held: Condition = row_condition(row, table)
            steps.append(Choose((Route(held, (SetVariable(_name(table.name, taken), row.result, table.span),), table.span),), table.span))
    return (*steps, *changed)


def empty_at_times(program: object) -> set[str]:
    """The variables for tables that may come to nothing."""
    taken = _told(program)
    return {_name(table.name, taken) for table in walk(program) if isinstance(table, Lookup) and _writable(table) and () in (*(row.result for row in table.rows), table.fallback)}


# What is known once there is an answer, which is after all rules.
_LATE = frozenset({Variable.SENT_STATUS, Variable.ORIGIN_FIELD, Variable.ORIGIN_ADDRESS})


_LASTING = frozenset({Variable.FIELD, Variable.SCHEME, Variable.HOST, Variable.AUTHORITY, Variable.METHOD, Variable.CLIENT, Variable.PORT, Variable.PROTOCOL})


def _writable(part: object) -> bool:
    if not isinstance(part, Lookup) or len(part.rows) > _LIMIT_ROWS or any(isinstance(inner, Lookup) for inner in walk(part.subject)):
        return False
    if any(isinstance(inner, Var) and inner.variable in _LATE for inner in part.subject):
        return False
    if part.rows and len(part.rows) == 1 and part.rows[0].value == "" and part.fallback[:1] == part.subject:
        return False  # it says what becomes of a field that is there: the field's own line says it
    texts = [piece for result in (*(row.result for row in part.rows), part.fallback) for piece in result]
    # A result may hold the groups of its own row's pattern, and what is the same for a whole request: `[E=…]` fills both in when the rule is met.
    return all(isinstance(piece, Capture) or isinstance(piece, Var) and piece.variable in _LASTING or isinstance(piece, str) and not re.search(r"[\s,\"\]]", piece) for piece in texts)


def _name(name: str, taken: frozenset[str]) -> str:
    """A variable's name; its case does not count (apr_tables.c), so that none is called like what an application is told."""
    made = re.sub(r"\W", "_", name)
    return f"{made}_found" if made.lower() in taken else made


def _told(program: object) -> frozenset[str]:
    """The names of parameters of applications, in small letters."""
    return frozenset(name.lower() for item in walk(program) if isinstance(item, Gateway) for name, _ in item.parameters)


def _in_tuples(value: Any, change: Any) -> Any:
    if isinstance(value, tuple):
        return change(tuple(_in_tuples(item, change) for item in value))
    if isinstance(value, Lookup):
        return value
    return _in_fields(value, change)


def _in_fields(value: Any, change: Any) -> Any:
    if not dataclasses.is_dataclass(value) or isinstance(value, type):
        return value
    made = {}
    for field in dataclasses.fields(value):
        before = getattr(value, field.name)
        after = _in_tuples(before, change)
        if after != before:
            made[field.name] = after
    return dataclasses.replace(value, **made) if made else value
