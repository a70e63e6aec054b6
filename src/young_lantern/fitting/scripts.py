"""Scripts looked for the Caddy way -> the nginx way: places for scripts and for all else, each with what is fallen back to.

Rule:     that way the slash is added to a folder's path, then the path, the folder's index script and the root's are looked for, and what ends in
          .php is passed on; all before any place is chosen. Servers that choose the place first have two places instead.
          Where the two ways differ (a folder without index script, a script's name in capitals), the comparison shows it.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import (
    ALWAYS, AllOf, Block, Choose, FileExists, FileKind, Gateway, PathGlob, PathMatches, Pattern, QueryEdit, Redirect, Restart, Rewrite, Route, ServeFiles, SetPath, Site, Step,
    Template, Var, Variable, literal,
)
from ..model.walk import transform

_PATH: Template = (Var(Variable.PATH),)
_SPLIT = Pattern(r"^(.+?\.php)(/.*)$")
_PLACE = Pattern(r"\.php(?:/|$)")


def by_places(site: Site) -> Site:
    """The site with each search for scripts that ends in a file server as two places."""
    count = [0]

    def changed(steps: tuple[Step, ...]) -> tuple[Step, ...]:
        for number in range(len(steps) - 3):
            made = _places(steps[number:number + 4], f"scripts {count[0]}")
            if made is not None:
                count[0] += 1
                return (*steps[:number], made, *steps[number + 4:])
        return steps

    def change(value: object) -> object:
        return replace(value, steps=changed(value.steps)) if isinstance(value, Route | Block) else value

    return replace(site, program=changed(transform(site.program, change)))


def _places(steps: tuple[object, ...], label: str) -> Step | None:
    match steps:
        case (
            Choose((Route(AllOf((FileExists(root, (Var(Variable.PATH), str(name))), *_)), (Redirect(308),)),)),
            Choose((Route(FileExists(path=path)), Route(FileExists(path=(Var(Variable.PATH), str(again)))), Route(FileExists(path=(str(front),))))),
            Choose((Route(PathGlob("*.php"), (Gateway() as gateway,)) as route,)),
            ServeFiles() as served,
        ) if path == _PATH and name == again == f"/{front.lstrip('/')}" and literal(root) is not None and served.root == root == gateway.root:
            pass
        case _:
            return None
    span = gateway.span
    index = (front.lstrip("/"),)
    fallen = (Rewrite(SetPath(("/" + front.lstrip("/"),)), QueryEdit((Var(Variable.QUERY),)), span=span), Restart(label, span))
    script = FileExists(root, (Var(Variable.SCRIPT_NAME, _SPLIT.text),), FileKind.FILE, span=span)
    run = replace(gateway, split=_SPLIT)
    files = replace(served, folders=replace(served.folders, canonical=False, index=(index, *(item for item in served.folders.index if item != index)), restarts=label,
                                            added_slash=301, no_index_status=403), methods=("GET", "HEAD"), methods_after_lookup=("POST",))
    there = (Route(FileExists(root, _PATH, FileKind.FILE, span=span), (), span), Route(FileExists(root, _PATH, FileKind.FOLDER, span=span), (), span), Route(ALWAYS, fallen, span))
    return Block(label, (Choose((
        Route(PathMatches(_PLACE, span=span), (Choose((Route(script, (Rewrite(SetPath(script.path), internal=False, span=span),), span), Route(ALWAYS, fallen, span)), span), run), route.span, route.comments),
        Route(ALWAYS, (Choose(there, span), files), span),
    ), span),), span=span)
