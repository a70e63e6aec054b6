"""An estate -> the same without what no one intends, for a translation that is not strict.

Rule:     routes that a reader marks as accidents of its server are left out; the comparison shows what comes of that.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import Choose, Estate
from ..model.walk import transform


def without_accidents(estate: Estate) -> Estate:
    """The sites without routes that are accidents."""
    return replace(estate, sites=tuple(replace(site, program=transform(site.program, _left_out)) for site in estate.sites))


def _left_out(value: object) -> object:
    if isinstance(value, Choose) and any(route.accident for route in value.routes):
        return replace(value, routes=tuple(route for route in value.routes if not route.accident))
    return value
