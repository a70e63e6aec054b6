"""Clients that are kept out by their address -> `allow`, `deny`. Mirror: ../reader/access.py.

Source:   nginx manual, access module: its lines count after those of the rewriting phase, whatever is written first.
"""

from __future__ import annotations

from ....fitting import Fork, Leaf, leaves
from ....model import ALWAYS, ClientIn, Condition, Forward, Gateway, Not, Respond, ServeFiles, Span
from ....model.walk import walk
from .output import Node


def denies(fork: Fork) -> bool:
    """Whether all that a fork does is to keep some clients out."""
    asked = fork.condition.condition if isinstance(fork.condition, Not) else fork.condition
    match fork.chain.items:
        case [Leaf(answer=Respond(status=403, raises=True))]:
            return isinstance(asked, ClientIn) or asked is ALWAYS
    return False


def content_follows(forks: list[Fork], rest: list) -> bool:  # type: ignore[type-arg]
    """Whether what follows is content, and no line of the rewriting phase, which would come before the address rules."""
    if any(fork.condition is not ALWAYS for fork in forks):
        return False
    following = [*(item for fork in forks for item in fork.chain.items), *rest]
    return all(isinstance(item, Leaf) and isinstance(item.answer, ServeFiles | Forward | Gateway) for item in following) and bool(following)


def deny(fork: Fork) -> list[Node]:
    """The lines of a fork that keeps clients out by their address."""
    answer = next(iter(leaves(fork.chain))).answer
    spans = tuple(dict.fromkeys(span for span in (fork.span, *fork.also, *_spans_in(fork.condition), answer.span) if span))
    if isinstance(fork.condition, Not):
        assert isinstance(fork.condition.condition, ClientIn)
        lines = [*(["allow", network] for network in fork.condition.condition.networks), ["deny", "all"]]
    else:
        assert isinstance(fork.condition, ClientIn)
        lines = [["deny", network] for network in fork.condition.networks]
    nodes = [Node(line, None, spans) for line in lines]
    nodes[0].comments = fork.comments
    return nodes


def _spans_in(condition: Condition) -> tuple[Span, ...]:
    return tuple(item for item in walk(condition) if isinstance(item, Span))
