"""Answers behind credentials: what the target would give before it asks for them, and clients that need none.

Rule:     nginx and httpd answer what rules answer before anybody is asked who he is. What was guarded stays closed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..model import ALWAYS, Abort, AskFirst, ClientIn, MethodIn, Not, Redirect, Respond, Span, Unserved
from ..model.walk import walk
from .static import bare
from .tree import Branch, Chain, Leaf, leaves


def close_unguarded(chain: Chain) -> Chain:
    """The chain with such answers taken out; changes it in place."""
    for leaf in leaves(chain):
        answer = leaf.answer
        if (leaf.settings.guard is not None or leaf.settings.asks) and isinstance(answer, Redirect | Respond) and answer.status < 400:
            leaf.answer = Unserved("an answer of its own behind credentials", answer.span)
    return chain


def close_asked(chain: Chain, lost: Callable[[AskFirst, Leaf], None]) -> Chain:
    """The chain with what is asked of an origin first taken out, for dialects that ask nobody; changes it in place. What was guarded so stays closed."""
    for leaf in leaves(chain):
        for step in leaf.settings.asks:
            lost(step, leaf)
        if leaf.settings.asks and not isinstance(leaf.answer, Abort | Unserved):
            leaf.answer = Unserved("what is let in by an origin that is asked first", leaf.settings.asks[0].span)
    return chain


def exempt_clients(chain: Chain, methods: bool = False) -> Chain:
    """The chain in which an answer that some addresses get without credentials, or some methods, is one answer, for dialects that can say so."""
    items: list = []
    for number, item in enumerate(chain.items):
        if isinstance(item, Branch):
            if (leaf := _as_one(item, chain.items[number + 1:], methods)) is not None:
                return Chain([*items, leaf], chain.shared)
            item = Branch([replace(fork, chain=exempt_clients(fork.chain, methods)) for fork in item.forks], item.span)
        items.append(item)
    return Chain(items, chain.shared)


def _as_one(branch: Branch, rest: list, methods: bool) -> Leaf | None:  # type: ignore[type-arg]
    """Some addresses or methods, and all others, who must say who they are: the one answer of both."""
    inside = branch.forks[0].condition
    if methods and isinstance(inside, Not) and isinstance(inside.condition, MethodIn) and not branch.forks[0].chain.falls and len(branch.forks) == 1:
        # The guarded ones come first, and what follows is for the others.
        inside, ways = inside.condition, [rest, branch.forks[0].chain.items]
    elif len(branch.forks) == 2 and isinstance(inside, ClientIn) and branch.forks[1].condition is ALWAYS:
        ways = [[*fork.chain.items, *rest] for fork in branch.forks]
    else:
        return None
    free, guarded = map(_leaf, ways)
    if free is None or guarded is None:
        return None
    settings, guard = free.settings, guarded.settings.guard
    if guard is None or settings.guard is not None or bare(free.answer) != bare(guarded.answer):
        return None
    if bare(replace(settings, also=())) != bare(replace(guarded.settings, guard=None, also=())):
        return None
    spans = (span for span in walk(([(fork.condition, fork.span, fork.also) for fork in branch.forks], branch.span)) if isinstance(span, Span))
    guard = replace(guard, also=tuple(dict.fromkeys((*guard.also, *spans))))
    return replace(guarded, settings=replace(guarded.settings, guard=guard, exempt=inside))


def _leaf(items: list) -> Leaf | None:  # type: ignore[type-arg]
    """The answer that all get; None where they do not."""
    while items and isinstance(items[0], Branch) and items[0].forks[0].condition is ALWAYS:
        items = [*items[0].forks[0].chain.items, *items[1:]]
    return items[0] if items and isinstance(items[0], Leaf) else None
