"""Branches over files, brought into the one form that a search for files has: found ones first, then what else; and without what comes round again."""

from __future__ import annotations

from dataclasses import replace

from ..model import ALWAYS, AllOf, FileExists, Not, Respond, Rewrite, Var, Variable
from .tree import Branch, Chain, Fork, Leaf


def by_files(branch: Branch) -> Branch:
    """`neither a file nor a folder` -> forks for each of them that do nothing, and the rest for all else; others as they are."""
    if len(branch.forks) != 1:
        return branch
    fork = branch.forks[0]
    asked = fork.condition.conditions if isinstance(fork.condition, AllOf) else (fork.condition,)
    tests = [item.condition for item in asked if isinstance(item, Not) and isinstance(item.condition, FileExists)]
    if len(tests) != len(asked) or any(test.path != (Var(Variable.PATH),) for test in tests):
        return branch
    chain = Chain([by_files(item) if isinstance(item, Branch) else item for item in fork.chain.items])
    found = [Fork(test, Chain([]), test.span) for test in tests]
    return Branch([*found, replace(fork, condition=ALWAYS, chain=chain)], branch.span or fork.span)


def without_loop(items: list) -> list:  # type: ignore[type-arg]
    """A page that is fallen back to, and that meets the same test: that it is missing as well is 500, here and there."""
    items = [by_files(item) if isinstance(item, Branch) else item for item in items]
    match items:
        case [Rewrite() as rewrite, Branch(forks=[Fork(condition=FileExists(path=(Var(Variable.PATH),)), chain=found), *_, Fork(condition=last, chain=looped)]), *rest] if (
                last is ALWAYS and looped.items and isinstance(looped.items[-1], Leaf) and isinstance(looped.items[-1].answer, Respond) and looped.items[-1].answer.status == 500):
            return [rewrite, *(found.items or rest)]
    return items


def without_loops(chain: Chain) -> Chain:
    """The chain with its branches over files in one form, and none that a page which is fallen back to meets again."""
    items: list = []
    left = [_inside(item) if isinstance(item, Branch) else item for item in chain.items]
    while left:
        left = without_loop(left)
        items.append(left.pop(0))
    return Chain(items, chain.shared)


def _inside(branch: Branch) -> Branch:
    made = by_files(branch)
    return Branch([replace(fork, chain=without_loops(fork.chain)) for fork in made.forks], made.span)
