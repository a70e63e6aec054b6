"""The order in which Caddy runs the directives of a level. Shared by reader and writer: one sorts by it, one checks against it.

Source:   Caddy documentation, "Directive order"; httpcaddyfile sortRoutes (2.6.2).
Order:    matters: catalogue.ORDER, then the longer single path first, then what has a matcher before what has none.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol, TypeVar

from . import catalogue
from .stable_sort import stable_sort


class Sortable(Protocol):
    """`kind`: the directive's name, handle for handle_path; `paths`: those of its path matcher; `matched`: it has any matcher; `routes`: how many it makes."""

    kind: str
    paths: tuple[str, ...]
    matched: bool

    @property
    def routes(self) -> int: ...


S = TypeVar("S", bound=Sortable)


def routes_of(name: str, words: Iterable[str]) -> int:
    """How many routes a directive makes; words: the names of a header's fields, or the files that are tried.

    headers.parseCaddyfile (2.6.2): fields that are set only where they are missing have a route of their own; parseTryFiles: so has each file with a query, and all between two of them.
    """
    said = list(words)
    if name == "header":
        return len({word.startswith("?") for word in said if word != "defer"}) or 1
    if name == "try_files":
        return sum("?" in word or number == 0 or "?" in said[number - 1] for number, word in enumerate(said)) or 1
    return 1


def positions(order: Iterable[str] = catalogue.ORDER) -> dict[str, int]:
    """Name of a directive -> its place in an order; handle_path counts as handle."""
    made = {name: number for number, name in enumerate(order)}
    return made | {"handle_path": made.get("handle", len(made))}


def ordered_anew(order: list[str], words: list[str]) -> list[str] | None:
    """The order after `order DIRECTIVE first|last|before OTHER|after OTHER`; None where that is none of these (httpcaddyfile parseOptOrder)."""
    if not words or words[0] not in order:
        return None
    rest = [name for name in order if name != words[0]]
    match words[1:]:
        case ["first"]:
            return [words[0], *rest]
        case ["last"]:
            return [*rest, words[0]]
        case ["before" | "after" as side, other] if other in rest:
            at = rest.index(other) + (side == "after")
            return [*rest[:at], words[0], *rest[at:]]
    return None


def sort_items(items: list[S], *, stem_first: bool = False, places: dict[str, int] = catalogue.POSITION) -> list[S]:
    """Caddy's order. Its comparison is not transitive, so that the way it is sorted counts (stable_sort.py), and how many routes a directive makes.

    places:     where the configuration orders directives in its own way
    stem_first: `/q` comes before `/q*`, as in versions after 2.6; in 2.6.2 the longer text does (probed), `/q*` first
    """
    routes = [item for item in items for _ in range(item.routes)]
    return list({id(item): item for item in stable_sort(routes, lambda one, other: _before(one, other, stem_first, places))}.values())


def _before(one: Sortable, other: Sortable, stem_first: bool, places: dict[str, int]) -> bool:
    if one.kind != other.kind:
        return places.get(one.kind, 99) < places.get(other.kind, 99)
    if one.kind == "vars":
        # Values overwrite each other, so the least specific is set first (sortRoutes); equal ones stay as written (probed).
        return _more_specific(other, one, stem_first)
    return _more_specific(one, other, stem_first)


def _more_specific(one: Sortable, other: Sortable, stem_first: bool) -> bool:
    if len(one.paths) == 1 and len(other.paths) == 1:
        mine, theirs = one.paths[0], other.paths[0]
        if stem_first and mine.removesuffix("*") == theirs.removesuffix("*"):
            return len(mine) < len(theirs)
        return len(mine) > len(theirs)
    return one.matched and not other.matched
