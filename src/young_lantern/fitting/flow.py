"""How a request leaves steps: by an answer, at their end, or out of a block that they stand in."""

from __future__ import annotations

from dataclasses import replace

from ..model import ALWAYS, Abort, Block, Choose, Forward, Gateway, Leave, Redirect, Respond, Restart, Route, ServeFiles, Step, Unserved
from ..model.walk import walk


def falls_through(steps: list[Step]) -> bool:
    """Whether a request may come out at the end of the steps."""
    for step in steps:
        match step:
            case Redirect() | Respond() | Abort() | Forward() | Gateway() | ServeFiles() | Unserved() | Restart() | Leave():
                return False
            case Choose(routes):
                if routes and routes[-1].condition is ALWAYS and not any(falls_through(list(route.steps)) for route in routes):
                    return False
            case Block(label, inner):
                if not falls_through(list(inner)) and not any(isinstance(item, Leave) and item.label == label for item in walk(inner)):
                    return False
    return True


def without_leaves(steps: list[Step], label: str) -> list[Step]:
    """The steps of a block in which nothing needs to leave it: what follows a leaving route becomes the other route."""
    for number, step in enumerate(steps):
        rest = steps[number + 1:]
        if isinstance(step, Leave) and step.label == label:
            return steps[:number]
        if not isinstance(step, Choose) or not any(isinstance(item, Leave) and item.label == label for item in walk(step)):
            continue
        tail = without_leaves(rest, label)
        routes = []
        for route in step.routes:
            body = without_leaves(list(route.steps), label)
            if len(body) == len(route.steps) and falls_through(list(route.steps)):
                body = [*body, *tail]
            routes.append(replace(route, steps=tuple(body)))
        if tail and (not routes or routes[-1].condition is not ALWAYS):
            if len(tail) == 1 and isinstance(tail[0], Choose):
                routes += tail[0].routes
            else:
                routes.append(Route(ALWAYS, tuple(tail)))
        return [*steps[:number], replace(step, routes=tuple(routes))]
    return steps
