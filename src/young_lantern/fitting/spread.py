"""Changes of the path that let the chain go on -> each with its own end, as far as the path is known well enough to say which.

Rule:     what follows such a change is written once more for it, without what cannot happen to the new path; a small end only, since it stands
          there twice.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import ALWAYS, FileExists, Rewrite, SetPath
from .places import specialised
from .static import Known
from .tree import Branch, Chain, Fork, Leaf, leaves

# Answers that may be written twice; chosen among 10, 40 and 100.
_SMALL = 40


def spread(chain: Chain, passing: set[int] | None = None) -> Chain:
    """The chain in which forks that change the path do not go on. passing: the ids of those changes, what follows which is what follows for other
    requests of such a path."""
    passing = set() if passing is None else passing
    items = list(chain.items)
    for number, item in enumerate(items):
        if isinstance(item, Branch):
            items[number] = item = Branch([replace(fork, chain=spread(fork.chain)) for fork in item.forks], item.span)
            rest = Chain(items[number + 1:])
            if _finds(item) and [type(follows) for follows in rest.items] == [Leaf]:
                # What was found as it stands is served by the end of the chain, what was found otherwise by one of its own.
                forks = [replace(fork, chain=Chain([*fork.chain.items, *rest.items], fork.chain.shared)) if fork.chain.falls and fork.chain.items else fork for fork in item.forks]
                items[number] = Branch(forks, item.span)
                continue
            if _changes(item) and rest.items and sum(1 for _ in leaves(rest)) <= _SMALL:
                return Chain([*items[:number], _joined(item, spread(rest, passing), passing)], chain.shared)
    return Chain(items, chain.shared)


def _changes(branch: Branch) -> bool:
    falling = [fork for fork in branch.forks if fork.chain.falls]
    return bool(falling) and all(fork.chain.items and isinstance(fork.chain.items[-1], Rewrite) for fork in falling)


def _finds(branch: Branch) -> bool:
    """Whether files are looked for by the path as it stands, and by another."""
    falling = [fork for fork in branch.forks if fork.chain.falls]
    idle = [fork for fork in falling if not fork.chain.items]
    others = [fork for fork in falling if fork.chain.items]
    return bool(idle and others) and all(isinstance(fork.condition, FileExists) for fork in falling) and all(
        len(fork.chain.items) == 1 and isinstance(fork.chain.items[0], Rewrite) for fork in others)


def _joined(branch: Branch, rest: Chain, passing: set[int]) -> Branch:
    forks = []
    for fork in branch.forks:
        if fork.chain.falls:
            last = fork.chain.items[-1]
            assert isinstance(last, Rewrite)
            passing.add(id(last))
            known = Known(prefix="", internal=True)
            known = known.with_path(last.edit.template) if isinstance(last.edit, SetPath) else known
            fork = replace(fork, chain=Chain([*fork.chain.items, *specialised(rest, known, frozenset()).items], fork.chain.shared))
        forks.append(fork)
    if forks[-1].condition is not ALWAYS:
        forks += rest.items[0].forks if len(rest.items) == 1 and isinstance(rest.items[0], Branch) else [Fork(ALWAYS, rest)]
    return Branch(forks, branch.span)
