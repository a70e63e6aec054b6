"""Answers behind credentials: what the target would give before it asks for them, and clients that need none.

Rule:     nginx and httpd answer what rules answer before anybody is asked who he is. nginx asks before it looks for files, so that a search that finds none
          and leads to the answer is behind the question. In httpd what was guarded stays closed. A redirect that says no more than the request did, to
          another host, or to HTTPS, where the question is asked, goes out unasked in both; the comparison shows that.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import ALWAYS, Abort, AskFirst, ClientIn, MethodIn, Not, Redirect, Respond, Span, Unserved
from ..model.walk import walk
from .static import bare
from .tree import Branch, Chain, Leaf, leaves


def is_behind(leaf: Leaf) -> bool:
    """Whether an answer of the server's own comes after somebody was asked, by whom it must not be given before."""
    answer = leaf.answer
    return bool((leaf.settings.guard is not None or leaf.settings.asks) and isinstance(answer, Redirect | Respond) and (answer.status < 400 or leaf.settings.asks))


def open_elsewhere(chain: Chain) -> Chain:
    """The chain in which nobody is asked before a redirect that gives nothing away; changes it in place."""
    for leaf in leaves(chain):
        if is_behind(leaf) and isinstance(leaf.answer, Redirect) and _leads_elsewhere(leaf.answer):
            leaf.settings = replace(leaf.settings, guard=None, asks=())
    return chain


def close_unguarded(chain: Chain) -> Chain:
    """The chain with such answers taken out; changes it in place."""
    for leaf in leaves(open_elsewhere(chain)):
        if is_behind(leaf):
            leaf.answer = Unserved("an answer of its own behind credentials", leaf.answer.span)
    return chain


def _leads_elsewhere(redirect: Redirect) -> bool:
    """Whether a redirect is to a host with what the request has of a path, and no path of its own."""
    written = "".join(part if isinstance(part, str) else "\0" for part in redirect.location)
    return re.fullmatch(r"https?://[^/]+(?:/?\0)*/?", written) is not None


def close_asked(chain: Chain, lost: Callable[[AskFirst, Leaf], None]) -> Chain:
    """The chain with what is asked of an origin first taken out, for dialects that ask nobody; changes it in place. What was guarded so stays closed."""
    for leaf in leaves(chain):
        for step in leaf.settings.asks:
            lost(step, leaf)
        if leaf.settings.asks and not isinstance(leaf.answer, Abort | Unserved):
            leaf.answer = Unserved("what is let in by an origin that is asked first", leaf.settings.asks[0].span)
    return chain


def exempt_clients(chain: Chain, methods: bool = False) -> Chain:
    """The chain in which answers that some addresses get without credentials, or some methods, are the same for all, for dialects that can say so."""
    items: list = []
    for number, item in enumerate(chain.items):
        if isinstance(item, Branch):
            if (made := _as_one(item, chain.items[number + 1:], methods)) is not None:
                return Chain([*items, *made], chain.shared)
            item = Branch([replace(fork, chain=exempt_clients(fork.chain, methods)) for fork in item.forks], item.span)
        items.append(item)
    return Chain(items, chain.shared)


def _as_one(branch: Branch, rest: list, methods: bool) -> list | None:  # type: ignore[type-arg]
    """Some addresses or methods, and all others, who must say who they are: what both get."""
    inside = branch.forks[0].condition
    if isinstance(inside, Not) and (methods and isinstance(inside.condition, MethodIn) or isinstance(inside.condition, ClientIn)) and not branch.forks[0].chain.falls and len(branch.forks) == 1:
        # The guarded ones come first, and what follows is for the others.
        inside, ways = inside.condition, [rest, branch.forks[0].chain.items]
    elif len(branch.forks) == 2 and isinstance(inside, ClientIn) and branch.forks[1].condition is ALWAYS:
        ways = [[*fork.chain.items, *(rest if fork.chain.falls else [])] for fork in branch.forks]
    else:
        return None
    spans = tuple(span for span in walk(([(fork.condition, fork.span, fork.also) for fork in branch.forks], branch.span)) if isinstance(span, Span))
    made = _merged(*ways, inside, spans)
    return made if made is not None and any(leaf.settings.exempt is inside for leaf in leaves(Chain(made))) else None


def _merged(free: list, guarded: list, exempt: ClientIn | MethodIn, spans: tuple[Span, ...]) -> list | None:  # type: ignore[type-arg]
    """What two ways come to that differ in nothing but who is asked who he is; None where they differ in more."""
    free, guarded = _plainly(free), _plainly(guarded)
    if len(free) != len(guarded):
        return None
    made: list = []
    for one, other in zip(free, guarded, strict=True):
        if isinstance(one, Branch) and isinstance(other, Branch):
            if [bare(fork.condition) for fork in one.forks] != [bare(fork.condition) for fork in other.forks]:
                return None
            chains = [_merged(first.chain.items, second.chain.items, exempt, spans) for first, second in zip(one.forks, other.forks, strict=True)]
            if any(items is None for items in chains):
                return None
            made.append(Branch([replace(fork, chain=Chain(items, fork.chain.shared)) for fork, items in zip(other.forks, chains, strict=True) if items is not None], other.span))
        elif isinstance(one, Leaf) and isinstance(other, Leaf):
            leaf = _one_leaf(one, other, exempt, spans)
            if leaf is None:
                return None
            made.append(leaf)
        elif bare(one) == bare(other):
            made.append(other)
        else:
            return None
    return made


def _one_leaf(free: Leaf, guarded: Leaf, exempt: ClientIn | MethodIn, spans: tuple[Span, ...]) -> Leaf | None:
    settings, guard = free.settings, guarded.settings.guard
    if settings.guard is not None or bare(free.answer) != bare(guarded.answer):
        return None
    if bare(replace(settings, also=())) != bare(replace(guarded.settings, guard=None, also=())):
        return None
    if guard is None:
        return guarded
    guard = replace(guard, also=tuple(dict.fromkeys((*guard.also, *spans))))
    return replace(guarded, settings=replace(guarded.settings, guard=guard, exempt=exempt))


def _plainly(items: list) -> list:  # type: ignore[type-arg]
    """The items up to an answer, those of a way that all take in the place of its branch."""
    while items and isinstance(items[0], Branch) and items[0].forks[0].condition is ALWAYS:
        items = [*items[0].forks[0].chain.items, *items[1:]]
    return items[:next((number for number, item in enumerate(items, 1) if isinstance(item, Leaf)), len(items))]
