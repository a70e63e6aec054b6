"""The order in which Caddy runs the directives of a level. Shared by reader and writer: one sorts by it, one checks against it.

Source:   Caddy documentation, "Directive order"; httpcaddyfile sortRoutes (2.6.2).
Order:    matters: catalogue.ORDER, then the longer single path first, then what has a matcher before what has none.
"""

from __future__ import annotations

from typing import Protocol, TypeVar

from . import catalogue


class Sortable(Protocol):
    """`kind`: the directive's name, handle for handle_path; `paths`: those of its path matcher; `matched`: it has any matcher."""

    kind: str
    paths: tuple[str, ...]
    matched: bool


S = TypeVar("S", bound=Sortable)


def sort_items(items: list[S], *, stem_first: bool = False) -> list[S]:
    """Caddy's order. Its comparison is not transitive, so the sort itself is Go's: by insertion, stable.

    stem_first: `/q` comes before `/q*`, as in versions after 2.6; in 2.6.2 the longer text does (probed), `/q*` first
    """
    out = list(items)
    for i in range(1, len(out)):
        j = i
        while j and _before(out[j], out[j - 1], stem_first):
            out[j], out[j - 1] = out[j - 1], out[j]
            j -= 1
    return out


def _before(one: Sortable, other: Sortable, stem_first: bool) -> bool:
    if one.kind != other.kind:
        return catalogue.POSITION.get(one.kind, 99) < catalogue.POSITION.get(other.kind, 99)
    if one.kind == "vars":
        # Values overwrite each other, so the least specific is set first (sortRoutes).
        return not _more_specific(one, other, stem_first)
    return _more_specific(one, other, stem_first)


def _more_specific(one: Sortable, other: Sortable, stem_first: bool) -> bool:
    if len(one.paths) == 1 and len(other.paths) == 1:
        mine, theirs = one.paths[0], other.paths[0]
        if stem_first and mine.removesuffix("*") == theirs.removesuffix("*"):
            return len(mine) < len(theirs)
        return len(mine) > len(theirs)
    return one.matched and not other.matched
