"""Targets at origins, as every dialect can say them.

Rule:     the target as received is just that where nothing changed the path or the query before; what a rewrite of the forward's own makes of
          the target is made before it, where a server has no such thing.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import AfterRewrite, AsReceived, Forward, Rewrite, Var, Variable, Written
from .tree import Branch, Chain, Leaf

_RECEIVED = Written((Var(Variable.TARGET),))


def plain_targets(chain: Chain, rewrites_inside: bool) -> None:
    """Changes the leaves in place. rewrites_inside: the dialect has a rewrite that the forward alone sees."""
    _plain(chain, False, rewrites_inside)


def _plain(chain: Chain, changed: bool, rewrites_inside: bool) -> bool:
    """changed: whether the target may be another one by then. Gives the same for what comes after the chain."""
    for item in list(chain.items):
        if isinstance(item, Rewrite):
            changed = True
        elif isinstance(item, Branch):
            changed = any([_plain(fork.chain, changed, rewrites_inside) and fork.chain.falls for fork in item.forks]) or changed
        elif isinstance(item, Leaf) and isinstance(item.answer, Forward):
            target = item.answer.target
            if target == _RECEIVED and not changed:
                item.answer = replace(item.answer, target=AsReceived())
            elif isinstance(target, AfterRewrite) and not rewrites_inside:
                item.answer = replace(item.answer, target=AsReceived())
                chain.items.insert(chain.items.index(item), target.rewrite)
    return changed
