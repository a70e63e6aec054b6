"""Settings that all leaves of a chain share, pulled up to it, so that the output reads as a person would write it.

Rule:     the fields of one name go up together or not at all, since their order decides. A connection that is closed has
          no answer, so it shares anything; compression matters to files and origins only, a limit on request content to
          origins only.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import Abort, Compress, Field, Forward, Gateway, ServeFiles, Span
from .tree import Branch, Chain, Leaf, Settings, leaves


def hoist(chain: Chain) -> Chain:
    """The chain with `shared` settings at every level; changes it in place."""
    below = list(leaves(chain))
    if len(below) > 1:
        _share(chain, below)
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                hoist(fork.chain)
    return chain


def _share(chain: Chain, below: list[Leaf]) -> None:
    answering = [leaf for leaf in below if not isinstance(leaf.answer, Abort)]
    sending = [leaf for leaf in below if isinstance(leaf.answer, ServeFiles | Forward | Gateway)]
    forwarding = [leaf for leaf in below if isinstance(leaf.answer, Forward | Gateway)]
    first = answering[0].settings.fields if answering else ()
    fields = tuple(field for field in first if all(_of(leaf, field.name) == _of(answering[0], field.name) for leaf in answering))
    names = {field.name.lower() for field in fields}
    compress = _common([leaf.settings.compress for leaf in sending])
    limit = _common([leaf.settings.limit for leaf in forwarding])
    also: list[Span] = [
        field.span for leaf in answering for field in leaf.settings.fields if field.name.lower() in names and field.span
    ]
    also += [span for leaf in sending if compress for span in _spans(leaf.settings.compress)]
    chain.shared = Settings(fields, (), None, compress, limit, None, tuple(dict.fromkeys(also)))
    for leaf in below:
        own = leaf.settings
        leaf.settings = replace(
            own, fields=tuple(field for field in own.fields if field.name.lower() not in names),
            compress=None if compress else own.compress, limit=None if limit else own.limit,
        )


def _common(values: list) -> object:  # type: ignore[type-arg]
    """The value that all have, their places in the source aside; None if they differ."""
    if not values or any(value is None for value in values):
        return None
    return values[0] if all(_meaning(value) == _meaning(values[0]) for value in values) else None


def _meaning(value: Field | Compress) -> object:
    made = {"span": None}
    for name in ("also", "comments"):
        if hasattr(value, name):
            made[name] = ()  # type: ignore[assignment]
    return replace(value, **made)


def _of(leaf: Leaf, name: str) -> list[object]:
    return [_meaning(field) for field in leaf.settings.fields if field.name.lower() == name.lower()]


def _spans(value: Compress | None) -> tuple[Span, ...]:
    return () if value is None else tuple(span for span in (value.span, *value.also) if span)
