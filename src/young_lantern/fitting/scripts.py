"""How a server looks for scripts -> how another does.

by_places      Caddy's way -> nginx's: places for scripts and for all else, each with what is fallen back to. That way the slash is added to a
               folder's path, then the path, the folder's index script and the root's are looked for, and what ends in .php is passed on; all before any
               place is chosen. Servers that choose the place first have two places instead.
split_by_test  nginx's way -> Caddy's: the test for the script's file takes the path apart, and its path becomes what was found.
spelt_out      nginx's way -> one without a name for the script's part of a path (httpd): a group of the pattern that takes it apart.
Where two ways differ (a folder without index script, a script's name in capitals), the comparison shows it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..model import (
    ALWAYS, AllOf, Block, Capture, Choose, Condition, FileExists, FileKind, Gateway, Not, PathGlob, PathMatches, Pattern, QueryEdit, Redirect, Restart, Rewrite, Route, ServeFiles, SetPath, Site,
    Step, Template, Var, Variable, literal,
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

    return replace(site, program=_in_lists(site.program, changed))


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


# --- what all but nginx do ----------------------------------------------------------------------------------------------------

def _in_lists(program: tuple[Step, ...], change: Callable[[tuple[Step, ...]], tuple[Step, ...]]) -> tuple[Step, ...]:
    """A change of lists of steps, carried out in all of a program's."""
    def inner(value: object) -> object:
        return replace(value, steps=change(value.steps)) if isinstance(value, Route | Block) else value

    return change(transform(program, inner))


def _script_asked(path: Template) -> str | None:
    """The pattern that takes a path apart, where a template is the script's part of it."""
    match path:
        case (Var(Variable.SCRIPT_NAME, pattern),) if pattern:
            return pattern
    return None


def _asked_by(condition: Condition) -> str | None:
    asked = condition.condition if isinstance(condition, Not) else condition
    return _script_asked(asked.path) if isinstance(asked, FileExists) and not asked.cleans else None


def _missing_first(steps: tuple[Step, ...], cut: Callable[[Route, Gateway | None], tuple[Step, ...]]) -> tuple[Step, ...]:
    """Steps that cut a path down to a script's name where its file is there, and else answer -> the answer first, and then what `cut` makes."""
    for number, step in enumerate(steps):
        match step:
            case Choose((Route(condition=found, steps=(Rewrite(edit=SetPath(template)),)) as route, Route(condition=other, steps=missing) as last)) if (
                    other is ALWAYS and _asked_by(found) and _script_asked(template)):
                gateway = next((item for item in steps[number + 1:] if isinstance(item, Gateway)), None)
                first = replace(step, routes=(replace(last, condition=Not(found, route.span), steps=missing),))
                return (*steps[:number], first, *cut(route, gateway), *_missing_first(steps[number + 1:], cut))
    return steps


# --- by the test that finds it ------------------------------------------------------------------------------------------------

def split_by_test(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """Tests for a script's file as such that take the path apart themselves; what an application is not told then is said to be nothing, since it would be
    told what was left over."""
    untold: list[Gateway] = []

    def cut(route: Route, gateway: Gateway | None) -> tuple[Step, ...]:
        if gateway is not None and not gateway.remainder:
            untold.append(gateway)
        return (Choose((route,), route.span),)

    def change(value: object) -> object:
        if isinstance(value, Gateway) and any(value is item for item in untold):
            return replace(value, parameters=(*(item for item in value.parameters if item[0] != "PATH_INFO"), ("PATH_INFO", ("",))))
        if isinstance(value, FileExists) and not value.cleans and (pattern := _script_asked(value.path)):
            return replace(value, path=_PATH, split=Pattern(pattern), cleans=True)
        if isinstance(value, Rewrite) and isinstance(value.edit, SetPath) and _script_asked(value.edit.template):
            return replace(value, edit=SetPath((Var(Variable.FOUND),)))
        return value

    return transform(_in_lists(program, lambda steps: _missing_first(steps, cut)), change)


# --- by a group of its pattern ------------------------------------------------------------------------------------------------

def spelt_out(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """Routes that ask for a script's file as two each: one for paths that are taken apart, one for those that are the script's name as they are.

    An application whose server finds path information by itself is told it where nothing cuts it off.
    """
    labels: dict[str, str] = {}

    def cut(route: Route, gateway: Gateway | None) -> tuple[Step, ...]:
        if gateway is not None and gateway.remainder:
            return ()
        text = _asked_by(route.condition) or ""
        whole = PathMatches(Pattern(text, label=_label(text, labels)), span=route.span)
        return (Choose((replace(route, condition=whole, steps=tuple(_grouped(step, labels) for step in route.steps)),), route.span),)

    def change(value: object) -> object:
        if isinstance(value, Choose) and any(_asked_by(route.condition) for route in value.routes):
            return replace(value, routes=tuple(made for route in value.routes for made in _two_ways(route, labels)))
        return value

    return transform(_in_lists(program, lambda steps: _missing_first(steps, cut)), change)


def _label(text: str, labels: dict[str, str]) -> str:
    return labels.setdefault(text, f"script{len(labels) + 1}")


def _grouped(value: object, labels: dict[str, str]) -> object:
    """The script's part of a path as a group, wherever it is asked for."""
    def named(item: object) -> object:
        if isinstance(item, FileExists) and (text := _script_asked(item.path)):
            return replace(item, path=(Capture(1, _label(text, labels)),))
        if isinstance(item, SetPath) and (text := _script_asked(item.template)):
            return replace(item, template=(Capture(1, _label(text, labels)),))
        return item

    return transform(value, named)


def _two_ways(route: Route, labels: dict[str, str]) -> tuple[Route, ...]:
    text = _asked_by(route.condition)
    if text is None:
        return (route,)
    uncut = tuple(step for step in route.steps if not (isinstance(step, Rewrite) and isinstance(step.edit, SetPath) and _script_asked(step.edit.template)))
    condition = transform(route.condition, lambda value: replace(value, path=_PATH) if isinstance(value, FileExists) else value)
    return (
        replace(route, condition=AllOf((PathMatches(Pattern(text, label=_label(text, labels)), span=route.span), _grouped(route.condition, labels)), route.span),
                steps=tuple(_grouped(step, labels) for step in route.steps)),
        replace(route, condition=AllOf((Not(PathMatches(Pattern(text), span=route.span), route.span), condition), route.span), steps=uncut),
    )
