"""Whether two conditions can hold for one request, as far as paths alone tell."""

from __future__ import annotations

from dataclasses import replace

from ..model import AllOf, AnyOf, Condition, PathGlob, PathIs, PathMatches, PathStartsWith, Rewrite
from ..model.walk import walk
from ..patterns.path_languages import exclude_each_other
from .tree import Branch, Chain


def disjoint(one: Condition, other: Condition) -> bool:
    """Whether no request can meet both, as far as paths alone tell; letters of either case count as the same."""
    if len({item.form for item in walk((one, other)) if isinstance(item, PathIs | PathStartsWith | PathGlob | PathMatches)}) > 1:
        return False  # they look at different paths
    if any(isinstance(item, PathMatches | PathGlob) for item in walk((one, other))):
        return exclude_each_other(one, other)
    ones, others = _claims(one), _claims(other)
    return ones is not None and others is not None and not any(_overlap(a, b) for a in ones for b in others)


def _claims(condition: Condition) -> list[tuple[str, bool]] | None:
    """(text, whole) of the paths a condition is limited to, in lower case; None when it is not limited by paths."""
    match condition:
        case PathIs(path):
            return [(path.lower(), True)]
        case PathStartsWith(prefix):
            return [(prefix.lower(), False)]
        case AnyOf(conditions):
            found = [_claims(item) for item in conditions]
            return None if None in found else [claim for claims in found if claims for claim in claims]
        case AllOf(conditions):
            return next((claims for item in conditions if (claims := _claims(item)) is not None), None)
    return None


def _overlap(one: tuple[str, bool], other: tuple[str, bool]) -> bool:
    (a, a_whole), (b, b_whole) = one, other
    if a_whole and b_whole:
        return a == b
    if a_whole:
        return a.startswith(b)
    return b.startswith(a) if b_whole else a.startswith(b) or b.startswith(a)


def without_impossible(chain: Chain, above: tuple[Condition, ...] = ()) -> Chain:
    """The chain without forks that no path comes to: their condition and one above exclude each other."""
    items = []
    for item in chain.items:
        if isinstance(item, Branch):
            forks = [fork for fork in item.forks if not any(disjoint(condition, fork.condition) for condition in above)]
            item = Branch([replace(fork, chain=without_impossible(fork.chain, (*above, fork.condition))) for fork in forks], item.span)
            if not forks:
                continue
        elif isinstance(item, Rewrite) and item.edit is not None:
            above = ()  # what was asked before was asked of another path
        items.append(item)
    return Chain(items, chain.shared)
