"""Rules that httpd skips where it looks for an index file by itself, for a server that asks for such a file as for a path of its own.

Rule:     ngx_http_index_module redirects inside, so that a rule that leads `/index.html` to `/` would hold for the folder as well, and come to no
          end. There the client's own target still ends in the folder's slash.
"""

from __future__ import annotations

from ..model import AllOf, Condition, LookedUpInside, Not, PathForm, PathMatches, Pattern, ServeFiles, Step, TextMatches, Var, Variable, literal
from ..model.walk import transform, walk
from ..patterns.path_languages import follows

FOR_A_FOLDER = Pattern(r"^[^?]*/(?:\?|$)")
_SLASH = Pattern("/$")


def told_by_target(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program with such rules asking what the client asked for, where their patterns match the path of an index file."""
    names = {text for step in walk(program) if isinstance(step, ServeFiles) for name in step.folders.index if (text := literal(name)) is not None}

    def change(value: object) -> object:
        if not isinstance(value, AllOf) or not any(isinstance(item, Not) and isinstance(item.condition, LookedUpInside) for item in value.conditions):
            return value
        wanted = [item.pattern for item in value.conditions if isinstance(item, PathMatches) and item.form is PathForm.CURRENT]
        refused = [item.condition.pattern for item in value.conditions if isinstance(item, Not) and isinstance(item.condition, PathMatches) and item.condition.form is PathForm.CURRENT]
        if not any(_reaches_file_alone(wanted, refused, f"/{name.lstrip('/')}") for name in names):
            return value
        asked: Condition = TextMatches((Var(Variable.TARGET),), FOR_A_FOLDER, span=value.span)
        if all(follows(pattern, "/", "/", ()) is not False for pattern in wanted):
            asked = AllOf((asked, Not(PathMatches(_SLASH, span=value.span))), value.span)
        return AllOf(tuple(Not(asked, value.span) if isinstance(item, Not) and isinstance(item.condition, LookedUpInside) else item for item in value.conditions), value.span)

    return tuple(transform(step, change) for step in program)


def _reaches_file_alone(wanted: list[Pattern], refused: list[Pattern], end: str) -> bool:
    """Whether a rule may hold for the path of a file in a folder, and not for the folder's own, which would have led away before."""
    if any(follows(pattern, "/", end, ()) is False for pattern in wanted):
        return False
    if not wanted and not refused:
        return False
    alone = any(follows(pattern, "/", end, (), ((), (pattern,))) is not False for pattern in wanted)
    return alone or any(follows(pattern, "/", "/", ()) is not False and follows(pattern, "/", end, (), ((pattern,), ())) is not True for pattern in refused)
