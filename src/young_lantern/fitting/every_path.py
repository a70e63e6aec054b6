"""Routes for patterns that every path meets (`^/?(.*)$`) -> routes that do not ask for the path, and Locations, targets at origins and new paths with the whole path in them.

Rule:     so that what else the route asks is known to have been asked, wherever the path leads afterwards. A capture that is used for something
          else keeps its pattern.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Any

from ..model import (
    ALWAYS, AllOf, Capture, Condition, FileExists, FileKind, Forward, Mapped, Not, PathMatches, Redirect, Rewrite, Route, SetPath, Step, Template, TextMatches, Var, Variable, Written, join,
)
from ..model.walk import transform, walk

# Patterns that every path meets -> what stands before their first group; None where they have none.
EVERY_PATH: dict[str, str | None] = {
    **dict.fromkeys(("^", "^/", "/", ".", ".*", "^.*", "^.*$", ".*$", "^.", "^.+", "^.+$", ".+", "^/.*", "^/.*$", "^/?", "^/?.*", "^/?.*$")),
    **dict.fromkeys(("^(.*)$", "(.*)", "^(.*)", "(.*)$", "^(/.*)$", "^(/.*)", "^(.+)$", "^(.+)", "(.+)", "(.+)$"), ""),
    **dict.fromkeys(("^/(.*)$", "^/(.*)", "/(.*)", "/(.*)$", "^/?(.*)$", "^/?(.*)"), "/"),
}

# Those that every path but the root's meets.
_BELOW_ROOT = frozenset({"^/.", "^/.+", "^/.+$", "/.", "/.+", "/.+$"})


def without_every_path(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program in which such routes ask for what else they ask only."""
    used = _uses(program)

    def change(value: object) -> object:
        if not isinstance(value, Route):
            return value
        parts = value.condition.conditions if isinstance(value.condition, AllOf) else (value.condition,)
        every = next((part for part in parts if isinstance(part, PathMatches) and part.pattern.label and (
            part.pattern.text in EVERY_PATH or part.pattern.text in _BELOW_ROOT and any(map(_is_no_folder, parts)))), None)
        if every is None:
            return value
        label = every.pattern.label
        steps = whole_path_in(value.steps, every)
        if used[label] > _uses(value.steps)[label] or _uses(steps)[label] or _uses(parts)[label]:
            return value
        left = tuple(part for part in parts if part is not every)
        condition: Condition = ALWAYS if not left else left[0] if len(left) == 1 else AllOf(left, every.span)
        return replace(value, condition=condition, steps=steps)

    return transform(program, change)


def _is_no_folder(part: Condition) -> bool:
    """Whether a condition fails for the root itself, which always is a folder."""
    match part:
        case Not(FileExists(path=(Var(Variable.PATH),), kind=FileKind.FOLDER | FileKind.ANY, strip="")):
            return True
    return False


def _uses(items: object) -> Counter[str]:
    return Counter(item.pattern for item in walk(items) if isinstance(item, Capture) and item.pattern)


def whole_path_in(steps: Any, every: PathMatches) -> Any:
    """Steps whose redirects and forwards have the whole path where they had the capture that stands for it, and ask it for a question mark."""
    label, lead = every.pattern.label, EVERY_PATH.get(every.pattern.text)
    if lead is None:
        return steps
    match steps:
        case (Rewrite(edit=SetPath(template)) as first, *rest):
            # Nothing has changed the path by then; what comes behind sees another one.
            steps = (replace(first, edit=replace(first.edit, template=_whole(template, label, lead, Variable.PATH))), *rest)

    def change(value: object) -> object:
        match value:
            case Redirect():
                return replace(value, location=_whole(value.location, label, lead))
            case Forward(target=Written(template, adds_query=True, plain=False)):
                # mod_proxy_http.c, proxy_http_canon (2.4.71, probed): what is made of a group goes out escaped, as the path behind a ProxyPass does.
                *front, last = _whole(template, label, lead) or ("",)
                if last == Var(Variable.PATH_ESCAPED) and all(isinstance(part, str) for part in front):
                    return replace(value, target=Mapped("", tuple(front)))
            case TextMatches((Capture(1, held),), pattern) if held == label and pattern.text == "\\?":
                return PathMatches(pattern, span=value.span)
        return value

    return transform(steps, change)


def _whole(location: Template, label: str, lead: str, path: Variable = Variable.PATH_ESCAPED) -> Template:
    """A Location, or another path, with the whole path where it has the capture that stands for it."""
    out: list = []
    for part in location:
        if isinstance(part, Capture) and part.pattern == label and part.group == 1:
            if lead and not (out and isinstance(out[-1], str) and out[-1].endswith(lead)):
                return location
            if lead:
                out[-1] = out[-1][:-len(lead)]
            out.append(Var(path))
        else:
            out.append(part)
    return join(*out)
