"""Locations that only origins can lead to, by X-Accel-Redirect.

Source:   nginx manual, core module, internal; proxy module, X-Accel-Redirect.
Rule:     a location is `internal`, and no line of the server names a path in it. What an origin answers is not read here, so that this is all there is to see.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from ....codes import INSIDE_FOR_ORIGINS
from ..catalogue import PASSES
from ..syntax import Directive
from .context import Context, Scope

if TYPE_CHECKING:
    from .locations import Location

# Lines that lead to a path inside.
_LEADS = frozenset({"error_page", "try_files", "rewrite", "index", "auth_request", "mirror", "post_action"})


def tell_of_origins(server: Scope, locations: "Iterable[Location]", context: Context) -> None:
    """Says of each such location that an origin must lead there."""
    lines = [line for scope in _above(server) for line in _lines(scope.directives, context)]
    if not any(line.name in PASSES for line in lines):
        return
    named = [word for line in lines if line.name in _LEADS for word in line.args]
    if any(word.startswith("$") and not word.startswith(("$uri", "$request_uri", "$document_uri")) for word in named):
        return  # what a variable holds may lead anywhere
    for location in _all(locations):
        closed = location.scope.own("internal")
        if closed and location.kind in ("", "^~", "=") and not any(word == location.text or location.kind != "=" and word.startswith(location.text) for word in named):
            context.say(INSIDE_FOR_ORIGINS, closed[0].span, place=location.text)


def _above(scope: Scope) -> Iterator[Scope]:
    found: Scope | None = scope
    while found is not None:
        yield found
        found = found.parent


def _lines(directives: list[Directive], context: Context) -> Iterator[Directive]:
    for directive in directives:
        yield directive
        if directive.block is not None and directive.name in ("location", "if", "limit_except"):
            yield from _lines(context.block(directive), context)


def _all(locations: "Iterable[Location]") -> "Iterator[Location]":
    for location in locations:
        yield location
        yield from _all(location.children)
