"""For those who decide by the thousand: of a site's hundreds of routes, those that a path can come to by its first segment.

Rule:     a route for one path, or for what begins with a whole first segment, is met by no path with another first segment. All others are always tried, and the
          order stays as it is.
"""

from __future__ import annotations

from ..model import Choose, Condition, PathForm, PathIs, PathMatches, PathStartsWith, Route
from ..patterns import literal_start

# With fewer routes it is quicker to try them all.
_FROM_ROUTES = 12


class RouteIndex:
    """Knows the steps of a pair of estates; keeps them alive, so that their numbers stay theirs."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Choose, dict[str, tuple[Route, ...]]]] = {}

    def routes(self, step: Choose, path: str) -> tuple[Route, ...]:
        """The routes of a step that a path may meet, in their order."""
        if len(step.routes) < _FROM_ROUTES:
            return step.routes
        known = self._known.get(id(step))
        if known is None:
            known = self._known[id(step)] = step, {}
        segment = path[1:].partition("/")[0]
        found = known[1].get(segment)
        if found is None:
            found = known[1][segment] = tuple(route for route in step.routes if _segment(route.condition) in (None, segment))
        return found


def _segment(condition: Condition) -> str | None:
    """The first segment of all paths that meet a condition; None when it is not known."""
    match condition:
        case PathIs(path, False, PathForm.CURRENT) if path.startswith("/"):
            return path[1:].partition("/")[0]
        case PathMatches(pattern, PathForm.CURRENT, miss_forgets=False) if "/" in (start := literal_start(pattern))[1:] and start.startswith("/"):
            return start[1:].partition("/")[0]
        case PathStartsWith(prefix, False, PathForm.CURRENT) if prefix.startswith("/") and "/" in prefix[1:]:
            return prefix[1:].partition("/")[0]
    return None
