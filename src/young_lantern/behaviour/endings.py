"""Two tables of media types -> the endings of file names that they tell apart.

Rule:     one ending for each pair of types that the two give one name, those first that matter most. An ending that only some system's own table
          may know is none of them: what it says is not foretold.
"""

from __future__ import annotations

from functools import lru_cache

from ..model import MediaTypes
from ..model.media_types import of_name
from ..model.registered_types import REGISTERED
from .differences import same_type, served_alike

# Chosen among 12, 30 and 120: the packaged tables of two servers differ in a dozen ways, a forced type differs from each other in one.
MOST_ENDINGS = 30


@lru_cache(maxsize=256)
def endings_apart(one: MediaTypes, other: MediaTypes) -> tuple[str, ...]:
    """Endings without their dot; "" for a name without one. There may be more than MOST_ENDINGS of them."""
    if one == other:
        return ()
    stated = [name for item in (one, other) for name in (*(item.table.by_extension if item.table else {}), *item.charsets.by_extension)]
    apart: dict[tuple[str, str], str] = {}
    for ending in dict.fromkeys(["", *stated, *REGISTERED]):
        made = [of_name(item, f"x.{ending}" if ending else "x") for item in (one, other)]
        if made[0] is not None and made[1] is not None and same_type(made[0]) != same_type(made[1]):
            apart.setdefault((made[0], made[1]), ending)
    lines = {types: tuple((made,) if made else () for made in types) for types in apart}
    return tuple(apart[types] for types in sorted(apart, key=lambda types: served_alike(*lines[types])))
