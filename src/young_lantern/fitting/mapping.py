"""Changes of the origin's Location -> mappings of its redirects, for dialects that have a line for those."""

from __future__ import annotations

import re

from ..model import Field, LocationMapping, Operation, literal


def location_mapping(field: Field) -> LocationMapping | None:
    """An edit of Location whose pattern is a plain beginning -> the mapping that it comes to."""
    if field.name.lower() != "location" or field.operation is not Operation.EDIT or field.find is None:
        return None
    text = field.find.text
    plain = re.sub(r"\\([.\-/:?+])", r"\1", text.removeprefix("^"))
    if not text.startswith("^") or re.search(r"[\\()\[\]{}*+?|$^]", plain.replace("?", "") if "\\?" in text else plain):
        return None
    value = literal(field.value)
    return LocationMapping((plain,), (value.replace("$$", "$"),), field.span) if value is not None else None
