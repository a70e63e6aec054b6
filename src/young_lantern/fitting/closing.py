"""What keeps somebody out, and cannot be said in the target: nobody may be let in by its absence.

Rule:     a condition that has no counterpart is no reason to drop a refusal, a question for a password, or a variable that a refusal hangs on: all that may
          be meant, as far as paths say it, is answered with an error instead. What only leads elsewhere is left out and told.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..model import ALWAYS, Abort, AllOf, AnyOf, Condition, Not, PathIs, PathMatches, PathStartsWith, Respond, SetVariable, Unserved, Var, Variable
from ..model.walk import walk
from .tree import Branch, Chain, Fork, leaves


def keeps_out(chain: Chain) -> bool:
    """Whether all that a chain answers is a refusal, or somebody must say there who he is."""
    found = list(leaves(chain))
    refused = [isinstance(leaf.answer, Abort | Unserved) or isinstance(leaf.answer, Respond) and 400 <= leaf.answer.status < 500 for leaf in found]
    return bool(found) and (all(refused) or any(leaf.settings.guard is not None or leaf.settings.asks for leaf in found))


def deciding_variables(chain: Chain) -> frozenset[str]:
    """The variables that are asked for before somebody is kept out."""
    return frozenset(part.name for fork in _forks(chain) if keeps_out(fork.chain) for part in walk(fork.condition) if isinstance(part, Var) and part.variable is Variable.VARIABLE)


def must_close(fork: Fork, deciding: frozenset[str]) -> bool:
    """Whether a fork whose condition cannot be said must not simply be left out."""
    return keeps_out(fork.chain) or any(isinstance(item, SetVariable) and item.name in deciding for item in fork.chain.items)


def by_paths(condition: Condition) -> Condition:
    """What of a condition asks for the path alone: where it may hold, as far as that can be said."""
    parts = tuple(part for part in (condition.conditions if isinstance(condition, AllOf) else (condition,)) if of_paths(part))
    return ALWAYS if not parts else parts[0] if len(parts) == 1 else AllOf(parts)


def _forks(chain: Chain) -> Iterator[Fork]:
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                yield fork
                yield from _forks(fork.chain)


def of_paths(condition: Condition) -> bool:
    """Whether a condition asks for nothing but the path."""
    match condition:
        case PathIs() | PathStartsWith() | PathMatches():
            return True
        case Not(inner):
            return of_paths(inner)
        case AllOf(conditions) | AnyOf(conditions):
            return all(of_paths(item) for item in conditions)
    return condition is ALWAYS
