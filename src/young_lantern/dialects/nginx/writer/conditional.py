"""Ages of answers that only some plain paths get -> locations within the location, since `expires` has no condition.

Rule:     such a condition becomes a place of its own, with all that its surroundings say and the age; at a whole path it is
          decided beforehand. Other fields are no reason for a location: fields.py gives their value by a table.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ....fitting import Branch, Chain, Leaf, leaves
from ....fitting.places import NEVER, atoms_of
from ....fitting.static import Known, bare, narrowed, truth
from ....model import ALWAYS, AllOf, AnyOf, Condition, Field, HttpDate, PathMatches

# Beyond these a location for each combination would be no configuration that a person reads. Chosen among 2, 4 and 8.
_MOST = 2


def conditions_in(chain: Chain) -> list[Condition]:
    """The conditions on paths that ages in the chain have, each once."""
    found: dict[object, Condition] = {}
    for leaf in leaves(chain):
        for field in leaf.settings.fields:
            if field.when is not None and any(isinstance(part, HttpDate) for part in field.value) and (atoms := list(atoms_of(field.when))):
                if any(isinstance(atom, PathMatches) for atom in atoms):
                    continue  # a location by pattern would take paths from those around it: a table says it
                found.setdefault(bare(field.when), field.when)
    return list(found.values()) if len(found) <= _MOST else []


def holding(chain: Chain, atom: Condition) -> Chain:
    """The chain where a condition on the path holds: of what fields ask, the rest is left."""
    known = narrowed(Known(), atom)

    def assumed(field: Field) -> Field | None:
        rest = None if field.when is None else _rest(field.when, bare(atom), known)
        return None if rest is NEVER else replace(field, when=None if rest is ALWAYS else rest)

    return _changed(chain, assumed)


def _rest(condition: Condition, atom: object, known: Known) -> Condition:
    """What is left to ask of a condition."""
    if bare(condition) == atom:
        return ALWAYS
    match condition:
        case AllOf(parts):
            left = [part for item in parts if (part := _rest(item, atom, known)) is not ALWAYS]
            return NEVER if NEVER in left else AllOf(tuple(left), condition.span) if len(left) > 1 else left[0] if left else ALWAYS
        case AnyOf(parts):
            left = [part for item in parts if (part := _rest(item, atom, known)) is not NEVER]
            return ALWAYS if ALWAYS in left else AnyOf(tuple(left), condition.span) if len(left) > 1 else left[0] if left else NEVER
    value = truth(condition, known)
    return condition if value is None else ALWAYS if value else NEVER


def not_holding(chain: Chain, conditions: list[Condition]) -> Chain:
    """The chain where none of the conditions holds: without the fields that have one."""
    said = {bare(item) for item in conditions}
    return _changed(chain, lambda field: None if field.when is not None and bare(field.when) in said else field)


def at_whole_path(chain: Chain, path: str) -> Chain:
    """The chain with the conditions of its fields decided, as far as the path decides them."""

    def decided(field: Field) -> Field | None:
        value = None if field.when is None else truth(field.when, Known(path=path, prefix=path, suffix=path))
        return field if value is None else replace(field, when=None) if value else None

    return _changed(chain, decided)


def _changed(chain: Chain, change: Callable[[Field], Field | None]) -> Chain:
    items: list = []
    for item in chain.items:
        if isinstance(item, Leaf):
            made = tuple(field for held in item.settings.fields if (field := change(held)) is not None)
            item = Leaf(item.answer, replace(item.settings, fields=made), item.through)
        elif isinstance(item, Branch):
            item = Branch([replace(fork, chain=_changed(fork.chain, change)) for fork in item.forks], item.span)
        items.append(item)
    return Chain(items, chain.shared)
