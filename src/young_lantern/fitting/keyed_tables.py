"""Tables asked for a part of the path -> tables asked for the path, for dialects that ask a table before any pattern (nginx `map`).

Rule:     `^/(.+?)/?$` and the key `old/saw` are the paths `/old/saw` and `/old/saw/`. A route that only goes on where the table has a row needs its
          pattern no more: a path that does not match is in none.
Unknown:  where a key is made of more than one group, or more stands around it than texts and a slash that may be there, the table stays as it is.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import AllOf, Capture, Condition, Lookup, LookupRow, Not, PathForm, PathMatches, Pattern, Route, Step, TextIs, Var, Variable, fixed
from ..model.walk import transform, walk
from ..patterns import search
from ..patterns.groups import with_group

_PATH = (Var(Variable.PATH),)


def with_tables_of_paths(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program with such tables asked for the whole path."""
    names: dict[tuple[str, str], str] = {}

    def name_of(name: str, label: str) -> str:
        """A table is one for each pattern that it is asked through."""
        number = sum(known == name for known, _ in names) + 1
        return names.setdefault((name, label), f"{name}_by_path{f'_{number}' if number > 1 else ''}")

    def change(value: object) -> object:
        if not isinstance(value, Route) or not isinstance(value.condition, AllOf):
            return value
        parts = value.condition.conditions
        for whole in (part for part in parts if isinstance(part, PathMatches) and part.form is PathForm.CURRENT and part.pattern.label):
            made = transform((parts, value.steps), lambda item, whole=whole: _of_path(item, whole, name_of))
            if made == (parts, value.steps):
                continue
            conditions, steps = made
            needed = any(isinstance(item, Capture) and item.pattern == whole.pattern.label for item in walk((tuple(part for part in conditions if part is not whole), steps)))
            if not needed and any(_needs_row(part, set(names.values())) for part in conditions):
                conditions = tuple(part for part in conditions if part != whole)
            return replace(value, condition=conditions[0] if len(conditions) == 1 else replace(value.condition, conditions=conditions), steps=steps)
        return value

    return transform(program, change)


def _of_path(value: object, whole: PathMatches, name_of: Callable[[str, str], str]) -> object:
    match value:
        case Lookup(subject=(Capture(int() as group, label),), rows=rows, networks=False, ignores_case=False) if label == whole.pattern.label and not whole.pattern.ignores_case:
            made = [_rows(row, whole.pattern, group) for row in rows]
            if None in made:
                return value
            return replace(value, name=name_of(value.name, label), subject=_PATH, rows=tuple(row for held in made for row in held or ()))
    return value


def _rows(row: LookupRow, pattern: Pattern, group: int) -> list[LookupRow] | None:
    """The rows for the paths in which the group takes this row's key; None where those are not one or two."""
    text = with_group(pattern.text, group, "\0")
    plain = re.fullmatch(r"\^([\w/-]*)\(\0\)(/\?)?\$", text or "")
    if plain is None or not isinstance(row.value, str):
        return None
    paths = [plain[1] + row.value, *([f"{plain[1]}{row.value}/"] if plain[2] else [])]
    # A greedy group takes the slash as well, and has another key then.
    return [LookupRow(path, row.result) for path in paths if (found := search(pattern, path)) is not None and found[group] == row.value]


def _needs_row(part: Condition, names: set[str]) -> bool:
    """Whether a condition holds only where such a table has a row."""
    asked = part.condition if isinstance(part, Not) else part
    match asked:
        case TextIs((Lookup(name=name, subject=subject, fallback=fallback),), values, ignores_case) if subject == _PATH and name in names and fixed(fallback) is not None:
            met = (fixed(fallback) or "") in values
            return not ignores_case and met is isinstance(part, Not)
    return False
