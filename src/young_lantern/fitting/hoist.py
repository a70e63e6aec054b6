"""Settings that all leaves of a chain share, pulled up to it, so that the output reads as a person would write it.

Rule:     the fields of one name go up together or not at all, since their order decides. A connection that is closed has
          no answer, so it shares anything; compression matters to files and origins only, a limit on request content, and
          what is done to request fields, to origins only.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import Abort, Compress, Credentials, Field, Forward, Gateway, Placeholder, Respond, ServeFiles, Span, Var, Variable
from ..model.walk import walk
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
    fields = _fields_of_all(answering)
    names = {field.name.lower() for field in fields}
    sent = _sent_by_all(chain, forwarding, below)
    told = {field.name.lower() for field in sent}
    compress = _common([leaf.settings.compress for leaf in sending])
    limit = _common([leaf.settings.limit for leaf in forwarding])
    also: list[Span] = [
        field.span for leaf in answering for field in leaf.settings.fields if field.name.lower() in names and field.span
    ]
    also += [span for leaf in sending if compress for span in _spans(leaf.settings.compress)]
    also += [field.span for leaf in below for field in leaf.settings.request_fields if field.name.lower() in told and field.span]
    # Who goes through without an answer there is asked for nothing, and what a rule answers comes before anybody is asked.
    guards = not chain.falls and len(sending) == len(answering) and not any(leaf.settings.exempt is not None or leaf.settings.asks for leaf in below)
    guard = _common([leaf.settings.guard for leaf in answering]) if guards else None
    also += [span for leaf in answering if guard for span in _spans(leaf.settings.guard)]
    chain.shared = Settings(fields, sent, None, compress, limit, None, tuple(dict.fromkeys(also)), guard)
    for leaf in below:
        own = leaf.settings
        leaf.settings = replace(
            own, fields=tuple(field for field in own.fields if field.name.lower() not in names),
            request_fields=tuple(field for field in own.request_fields if field.name.lower() not in told),
            compress=None if compress else own.compress, limit=None if limit else own.limit, guard=None if guard else own.guard,
        )


def _fields_of_all(answering: list[Leaf]) -> tuple[Field, ...]:
    """The fields that all answers have; an error has none of those that do not outlive one, whether they are written for it or not."""
    usual = [leaf for leaf in answering if not (isinstance(leaf.answer, Respond) and leaf.answer.raises)] or answering
    first = usual[0].settings.fields if usual else ()

    def is_shared(name: str) -> bool:
        wanted = [field for field in first if field.name.lower() == name.lower()]
        lost = all(field.statuses is not None or field.deferred for field in wanted)
        return all(held == _of(usual[0], name) or not held and lost and leaf not in usual for leaf in answering for held in [_of(leaf, name)])

    return tuple(field for field in first if is_shared(field.name))


# What stands for the same all the way through a site.
_STEADY = frozenset({
    Variable.SCHEME, Variable.HOST, Variable.HOST_SENT, Variable.AUTHORITY, Variable.PORT, Variable.METHOD, Variable.CLIENT, Variable.PEER, Variable.PROTOCOL, Variable.REQUEST_ID, Variable.CLIENT_PORT,
    Variable.TLS_VERSION, Variable.TLS_CIPHER, Variable.TLS_NAME,
})


def _sent_by_all(chain: Chain, forwarding: list[Leaf], below: list[Leaf]) -> tuple[Field, ...]:
    """The operations on request fields that all origins of a chain get alike, of fields that nothing in it asks for; nobody else sees them."""
    if not forwarding or any(leaf.settings.asks for leaf in below):
        return ()
    first = forwarding[0].settings.request_fields
    asked = {item.name.lower() for item in walk(_looked_at(chain)) if isinstance(item, Var) and item.variable is Variable.FIELD}

    def is_shared(field: Field) -> bool:
        name = field.name.lower()
        steady = all(isinstance(part, str | Placeholder) or isinstance(part, Var) and part.variable in _STEADY for part in field.value)
        return steady and field.when is None and name not in asked and all(_of_request(leaf, name) == _of_request(forwarding[0], name) for leaf in forwarding)

    # Those of one name go up together or not at all.
    kept = {field.name.lower() for field in first} - {field.name.lower() for field in first if not is_shared(field)}
    return tuple(field for field in first if field.name.lower() in kept)


def _looked_at(chain: Chain) -> list[object]:
    found: list[object] = []
    for item in chain.items:
        if isinstance(item, Branch):
            found += [part for fork in item.forks for part in (fork.condition, *_looked_at(fork.chain))]
        elif isinstance(item, Leaf):
            found += [item.answer, item.settings.fields, tuple(field.value for field in item.settings.request_fields)]
        else:
            found.append(item)
    return found


def _common(values: list) -> object:  # type: ignore[type-arg]
    """The value that all have, their places in the source aside; None if they differ."""
    if not values or any(value is None for value in values):
        return None
    return values[0] if all(_meaning(value) == _meaning(values[0]) for value in values) else None


def _meaning(value: Field | Compress | Credentials) -> object:
    made = {"span": None}
    for name in ("also", "comments"):
        if hasattr(value, name):
            made[name] = ()  # type: ignore[assignment]
    return replace(value, **made)


def _of(leaf: Leaf, name: str) -> list[object]:
    return [_meaning(field) for field in leaf.settings.fields if field.name.lower() == name.lower()]


def _of_request(leaf: Leaf, name: str) -> list[object]:
    return [_meaning(field) for field in leaf.settings.request_fields if field.name.lower() == name]


def _spans(value: Compress | Credentials | None) -> tuple[Span, ...]:
    return () if value is None else tuple(span for span in (value.span, *value.also) if span)
