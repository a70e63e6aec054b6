"""Branches over files, brought into the one form that a search for files has: found ones first, then what else."""

from __future__ import annotations

from dataclasses import replace

from ..model import ALWAYS, AllOf, FileExists, Not, Var, Variable
from .tree import Branch, Chain, Fork


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
