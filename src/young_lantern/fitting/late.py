"""Variables that a server sets whenever a handler is chosen -> their values, in the fields of all answers.

Rule:     a redirect or refusal before any handler does not have such a field in the source; who writes "if HTTPS" means all answers, and the comparison
          shows which ones get it besides. A translation that is to be strict keeps the variable.
Left out: variables that some requests give another value, or that more is asked of than fields do.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..model import ALWAYS, Block, Choose, Field, Lookup, Not, Route, SetVariable, Step, TextIs, Var, Variable, fixed, join, literal
from ..model.placeholders import is_open
from ..model.walk import transform, walk


def without_late(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program without such variables."""
    late = _late(program)
    if not late:
        return program

    def changed(value: object) -> object:
        if isinstance(value, Field):
            return _of_field(value, late)
        if isinstance(value, Block | Route) and any(_sets(item, late) for item in value.steps):
            return replace(value, steps=_kept(value.steps, late))
        return value

    return _kept(transform(program, changed), late)


def _kept(steps: tuple[Step, ...], late: dict[str, str]) -> tuple[Step, ...]:
    return tuple(item for item in steps if not _sets(item, late))


def _late(program: tuple[Step, ...]) -> dict[str, str]:
    values: dict[str, set[str | None]] = {}
    for item in walk(program):
        if isinstance(item, SetVariable) and item.environment:
            values.setdefault(item.name, set()).add(fixed(item.value) if item.late else None)
    known = {name: next(iter(found)) for name, found in values.items() if len(found) == 1}
    return {name: value for name, value in known.items() if value is not None and not _asked_elsewhere(name, program)}


def _asked_elsewhere(name: str, program: tuple[Step, ...]) -> bool:
    """Whether more asks for it than fields, and what sets it where nothing has."""
    in_all = _mentions(name, program)
    in_fields = sum(_mentions(name, item) for item in walk(program) if isinstance(item, Field))
    in_setting = sum(_mentions(name, item) for item in walk(program) if isinstance(item, Choose) and _sets(item, {name: ""}))
    return in_all != in_fields + in_setting


def _mentions(name: str, item: object) -> int:
    return sum(isinstance(part, Var) and part.variable is Variable.VARIABLE and part.name == name for part in walk(item))


def _sets(item: object, late: dict[str, Any]) -> bool:
    if isinstance(item, Choose) and len(item.routes) == 1 and len(item.routes[0].steps) == 1:
        return _sets(item.routes[0].steps[0], late)
    return isinstance(item, SetVariable) and item.late and item.name in late


def _of_field(field: Field, late: dict[str, str]) -> Field:
    def known(value: object) -> object:
        match value:
            case TextIs((Var(Variable.VARIABLE, name),), values) if name in late and not any(map(is_open, values)):
                return ALWAYS if late[name] in values else Not(ALWAYS)
            case Var(Variable.VARIABLE, name) if name in late:
                return late[name]
            case Lookup() if (text := literal(value.subject)) is not None and any(row.value == "" for row in value.rows):
                # The one table that stands about such a variable says what its being empty reads.
                return join(*(value.fallback if text else value.rows[0].result))
            case Not(Not(condition)):
                return condition
        return value

    if not any(isinstance(item, Var) and item.variable is Variable.VARIABLE and item.name in late for item in walk(field)):
        return field
    made = transform(field, known)
    parts = [piece for part in made.value for piece in (part if isinstance(part, tuple) else (part,))]
    made = replace(made, value=join(*parts))
    return replace(made, when=None) if made.when is ALWAYS else made
