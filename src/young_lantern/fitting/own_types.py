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


def as_settings(chain: Chain) -> None:
    """Fields that set the Content-Type of files and texts become the type that these have; changes the leaves in place."""
    for leaf in leaves(chain):
        found = [item for item in leaf.settings.fields if _sets(item)]
        if not found or not isinstance(leaf.answer, ServeFiles | Respond) or isinstance(leaf.answer, Respond) and (leaf.answer.raises or not leaf.answer.body):
            continue
        value = literal(found[-1].value) or ""
        spans = tuple(item.span for item in found if item.span)
        fields = tuple(item for item in leaf.settings.fields if item not in found)
        types = leaf.settings.types or MediaTypes(table=TypeTable(), otherwise="", charset="", charset_types=())
        leaf.settings = replace(leaf.settings, fields=fields, types=replace(types, forced=value, charset="", charset_on_origins=False, also=(*types.also, *spans)))
        if isinstance(leaf.answer, Respond):
            leaf.answer = replace(leaf.answer, media_type=value)


def _sets(item: Field) -> bool:
    return item.name.lower() == "content-type" and item.operation is Operation.SET and item.when is None and literal(item.value) is not None and item.side is Side.RESPONSE


def as_fields(chain: Chain, by_itself: Callable[[str], str]) -> None:
    """Types that the target does not give by itself become fields; changes the leaves in place. by_itself: a text -> the type that it gets."""
    for leaf in leaves(chain):
        types = leaf.settings.types
        if any(item.name.lower() == "content-type" for item in leaf.settings.fields):
            continue
        wanted = ""
        if isinstance(leaf.answer, Respond) and leaf.answer.body and not leaf.answer.raises:
            wanted = leaf.answer.media_type
            own = by_itself(literal(leaf.answer.body) or "")
            if usual_name(wanted) == usual_name(own) and ("charset" not in wanted or wanted == own):
                continue
        elif isinstance(leaf.answer, ServeFiles) and types is not None:
            wanted = types.forced or ("" if types.registered or types.table and types.table.rows else types.otherwise) or ""
        if wanted:
            made = Field(Side.RESPONSE, Operation.SET, "Content-Type", (wanted,), span=types.spans[0] if types is not None and types.spans and isinstance(leaf.answer, ServeFiles) else None)
            leaf.settings = replace(leaf.settings, fields=(*leaf.settings.fields, made))
