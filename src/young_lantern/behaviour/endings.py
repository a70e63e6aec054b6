"""Two tables of media types -> the endings of file names that they tell apart.

Rule:     one ending for each pair of types that the two give one name, those first that matter most; of pairs that clients take alike, one for each
          way in which they do. An ending that only some system's own table may know is none of them: what it says is not foretold.
"""

from __future__ import annotations

from functools import lru_cache

from ..model import MediaTypes
from ..model.media_types import of_name
from ..model.registered_types import REGISTERED, usual_name
from .differences import same_type, served_alike

# Chosen among 12, 30 and 120: the packaged tables of two servers differ in a dozen ways, a forced type differs from each other in one.
MOST_ENDINGS = 30


@lru_cache(maxsize=256)
def endings_apart(one: MediaTypes, other: MediaTypes) -> tuple[str, ...]:
    """Endings without their dot; "" for a name without one. There may be more than MOST_ENDINGS of them."""
    if one == other:
        return ()
    stated = [name for item in (one, other) for name in (*(item.table.by_extension if item.table else {}), *item.charsets.by_extension)]
    apart: dict[tuple[bool, str, str], str] = {}
    for ending in dict.fromkeys(["", *stated, *REGISTERED]):
        made = [of_name(item, f"x.{ending}" if ending else "x") for item in (one, other)]
        if made[0] is not None and made[1] is not None and same_type(made[0]) != same_type(made[1]):
            apart.setdefault(_way(made[0], made[1]), ending)
    return tuple(apart[way] for way in sorted(apart, key=lambda way: way[0]))


def _way(one: str, other: str) -> tuple[bool, str, str]:
    """How two types differ: whether clients take them alike, and in that case by what."""
    if not served_alike(*((made,) if made else () for made in (one, other))):
        return False, one, other
    named, renamed = usual_name(one), usual_name(other)
    # Another name or a charset is one way for all types; a type for what told nothing is one for each that told nothing.
    return True, "" if named == renamed else named, str("charset=" in other) + str("charset=" in one) if named == renamed else ""
