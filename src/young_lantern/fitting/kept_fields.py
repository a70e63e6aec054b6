"""A field whose table says what the origin says of it where no row holds -> a field with a condition, which leaves the origin's alone elsewhere.

For:      nginx, where a field of an origin is hidden, and said anew by a table whose default is `$upstream_http_…`.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import AllOf, Condition, Field, Forward, Lookup, Not, Operation, Var, Variable
from .tables import row_condition
from .tree import Chain, Leaf, leaves


def as_conditions(chain: Chain) -> None:
    """The answers of a chain with such fields by condition, in place."""
    for leaf in leaves(chain):
        if any(map(_is_kept, leaf.settings.fields)):
            _rewrite(leaf)


def _is_kept(field: Field) -> bool:
    return field.operation in (Operation.SET, Operation.ADD) and len(field.value) == 1 and isinstance(table := field.value[0], Lookup) and table.fallback == (Var(Variable.ORIGIN_FIELD, field.name.lower()),)


def _hides(leaf: Leaf, name: str) -> bool:
    return not isinstance(leaf.answer, Forward) or any(field.operation is Operation.REMOVE and field.name.lower() == name.lower() and field.when is None for field in leaf.answer.response_fields)


def _rewrite(leaf: Leaf) -> None:
    made: list[Field] = []
    names: set[str] = set()
    for field in leaf.settings.fields:
        if not _is_kept(field) or not _hides(leaf, field.name):
            made.append(field)
            continue
        names.add(field.name.lower())
        table, before = field.value[0], []
        assert isinstance(table, Lookup)
        for row in table.rows:
            held = row_condition(row, table)
            parts: list[Condition] = [*([field.when] if field.when is not None else []), *(Not(other) for other in before), held]
            made.append(replace(field, operation=Operation.SET, deferred=True, value=row.result, when=AllOf(tuple(parts), field.span) if len(parts) > 1 else held))
            before.append(held)
    leaf.settings = replace(leaf.settings, fields=tuple(made))
    if isinstance(leaf.answer, Forward):
        leaf.answer = replace(leaf.answer, response_fields=tuple(field for field in leaf.answer.response_fields if not (field.operation is Operation.REMOVE and field.name.lower() in names)))
