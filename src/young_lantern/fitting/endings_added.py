"""A file that is looked for by the path with an ending behind it, `about` -> `about.html`, where a translation need not be strict.

Rule:     httpd walks to the file first, so that a slash at the end, or more behind a name that is not there, does not count. A rule that takes the slash off with
          its own group says what it means: `^(.+?)/?$` with `$1.html`; other paths are asked for as they are. The comparison shows what else comes of that.
          And nobody means the same ending twice: `about.html.html`.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ..model import AllOf, Capture, Condition, Estate, FileExists, PathMatches, Var, Variable, join
from ..model.walk import transform
from .static import Known

_GROUP_AND_SLASH = re.compile(r"\^((?:\\.|[^\\()|\[\]?*+$^])*)\((?:\.\+\?|\.\*\?|\[[^\]]*\][+*]\??)\)/\?\$")


def with_plain_names(estate: Estate) -> Estate:
    """The sites in which such files are looked for by what a pattern took, or by the path as it is."""
    return replace(estate, sites=tuple(replace(site, program=transform(site.program, _in_route)) for site in estate.sites))


def _in_route(value: object) -> object:
    if isinstance(value, AllOf):
        taken = next((found for item in value.conditions if isinstance(item, PathMatches) and item.pattern.label and (found := _taken(item))), None)
        if taken is not None:
            return replace(value, conditions=tuple(replace(item, path=join(*taken, *item.path[1:]), walks=False) if _looks_behind(item) else item for item in value.conditions))
    return value


def _looks_behind(item: Condition) -> bool:
    return isinstance(item, FileExists) and item.walks and not item.strip and len(item.path) > 1 and item.path[0] == Var(Variable.PATH)


def _taken(item: PathMatches) -> tuple[str | Capture, ...] | None:
    """What the pattern takes of a path, but for a slash at its end."""
    found = _GROUP_AND_SLASH.fullmatch(item.pattern.text)
    return None if found is None else (re.sub(r"\\(.)", r"\1", found[1]), Capture(1, item.pattern.label))


def adds_again(condition: Condition, known: Known) -> bool:
    """Whether a file must be there whose name has an ending twice: once by the path, which a rule has made, and once more."""
    for item in condition.conditions if isinstance(condition, AllOf) else (condition,):
        if isinstance(item, FileExists) and len(item.path) > 1 and isinstance(ending := item.path[-1], str) and isinstance(item.path[-2], Var | Capture):
            if re.fullmatch(r"\.\w+", ending) and known.internal and known.suffix.endswith(ending):
                return True
    return False
