"""Files that are sent with the status of an error -> that error, and a page for it, for dialects whose files have no status of their own (nginx, httpd).

Rule:     a route that ends so answers with the status; what led to the file, and the file, are its page: the site's, if nothing else there comes to that
          status. Within pages of errors nothing is done: they have the status of the error.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..model import Block, Choose, ErrorPage, ErrorPages, Estate, Forward, Gateway, Respond, Rewrite, ServeFiles, Step
from ..model.walk import walk, with_steps


def with_status_pages(estate: Estate) -> tuple[Estate, list[ServeFiles]]:
    """The estate with such answers as errors; and what is sent with a status that cannot be said so."""
    made = replace(estate, sites=tuple(replace(site, program=_program(site.program)) for site in estate.sites)) if _has_any(estate.sites) else estate
    return made, [item for site in made.sites for item in walk(site.program) if isinstance(item, ServeFiles) and item.status is not None] if made is not estate else []


def _has_any(value: Any) -> bool:
    return any(isinstance(item, ServeFiles) and item.status is not None for item in walk(value))


def _program(program: tuple[Step, ...]) -> tuple[Step, ...]:
    made = _steps(program)
    before = {page for item in walk(program) if isinstance(item, ErrorPages) for page in item.pages}
    for page in dict.fromkeys(page for item in walk(made) if isinstance(item, ErrorPages) for page in item.pages if page not in before):
        others = [item for item in walk(made) if isinstance(item, Forward | Gateway) or isinstance(item, ErrorPage) and item != page and (item.statuses is None or item.statuses & page.statuses)
                  or isinstance(item, Respond) and item.raises and item.status in page.statuses and item.span != page.span]
        if not others:
            made = (ErrorPages((page,), span=page.span, merges=True), *with_steps(made, lambda step, page=page: [] if isinstance(step, ErrorPages) and step.pages == (page,) else [step]))
    return made


def _steps(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    made = tuple(map(_step, steps))
    last = made[-1] if made else None
    if not isinstance(last, ServeFiles) or last.status is None or last.status < 400:
        return made
    start = len(made) - 1
    while start and isinstance(made[start - 1], Rewrite):
        start -= 1
    page = ErrorPage(frozenset({last.status}), steps=(*made[start:-1], replace(last, status=None)), span=last.span)
    return (*made[:start], ErrorPages((page,), span=last.span, merges=True), Respond(last.status, raises=True, span=last.span))


def _step(step: Step) -> Step:
    match step:
        case Choose(routes):
            return replace(step, routes=tuple(replace(route, steps=_steps(route.steps)) for route in routes))
        case Block(steps=steps):
            return replace(step, steps=_steps(steps))
    return step
