"""Content-Type as a field operation, or as a setting of its own, whichever the target's handlers go by.

Rule:     nginx adds a second line where another server sets the field, so that the setting must say it; Caddy has no setting, but lets a field that
          is there beforehand stand.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..model import Field, MediaTypes, Operation, Respond, ServeFiles, Side, TypeTable, literal
from ..model.registered_types import usual_name
from .tree import Chain, leaves


_NOTHING_SAID = MediaTypes(table=TypeTable(), otherwise="", charset="", charset_types=())


def defaults_as_settings(chain: Chain) -> None:
    """Fields that give a Content-Type to files without one become the type of names that say nothing; changes the leaves in place."""
    for leaf in leaves(chain):
        found = [item for item in leaf.settings.fields if _sets(item, Operation.DEFAULT)]
        if not found or not isinstance(leaf.answer, ServeFiles):
            continue
        types = leaf.settings.types or _NOTHING_SAID
        also = (*types.also, *(item.span for item in found[1:] if item.span))
        if not types.otherwise:
            types = replace(types, otherwise=literal(found[0].value), otherwise_span=found[0].span)
        leaf.settings = replace(leaf.settings, fields=tuple(item for item in leaf.settings.fields if item not in found), types=replace(types, also=also))


def as_settings(chain: Chain) -> None:
    """Fields that set the Content-Type of files and texts become the type that these have; changes the leaves in place."""
    defaults_as_settings(chain)
    for leaf in leaves(chain):
        found = [item for item in leaf.settings.fields if _sets(item, Operation.SET)]
        if not found or not isinstance(leaf.answer, ServeFiles | Respond) or isinstance(leaf.answer, Respond) and (leaf.answer.raises or not leaf.answer.body):
            continue
        value = literal(found[-1].value) or ""
        spans = tuple(item.span for item in found if item.span)
        fields = tuple(item for item in leaf.settings.fields if item not in found)
        types = leaf.settings.types or _NOTHING_SAID
        leaf.settings = replace(leaf.settings, fields=fields, types=replace(types, forced=value, charset="", charset_on_origins=False, also=(*types.also, *spans)))
        if isinstance(leaf.answer, Respond):
            leaf.answer = replace(leaf.answer, media_type=value)


def _sets(item: Field, by: Operation) -> bool:
    return item.name.lower() == "content-type" and item.operation is by and item.when is None and literal(item.value) is not None and item.side is Side.RESPONSE


def as_fields(chain: Chain, by_itself: Callable[[str], str]) -> None:
    """Types that the target does not give by itself become fields; changes the leaves in place. by_itself: a text -> the type that it gets."""
    for leaf in leaves(chain):
        types = leaf.settings.types
        if any(item.name.lower() == "content-type" for item in leaf.settings.fields):
            continue
        wanted, operation = "", Operation.SET
        if isinstance(leaf.answer, Respond) and leaf.answer.body and not leaf.answer.raises:
            wanted = leaf.answer.media_type
            own = by_itself(literal(leaf.answer.body) or "")
            if usual_name(wanted) == usual_name(own) and ("charset" not in wanted or wanted == own):
                continue
        elif isinstance(leaf.answer, ServeFiles) and types is not None:
            wanted = types.forced or types.otherwise or ""
            if not types.forced and (types.registered or types.table and types.table.rows):
                operation = Operation.DEFAULT
        if wanted:
            span = None
            if isinstance(leaf.answer, ServeFiles) and types is not None:
                span = types.otherwise_span if operation is Operation.DEFAULT else next(iter(types.spans), None)
            made = Field(Side.RESPONSE, operation, "Content-Type", (wanted,), deferred=operation is Operation.DEFAULT, span=span)
            leaf.settings = replace(leaf.settings, fields=(*leaf.settings.fields, made))
