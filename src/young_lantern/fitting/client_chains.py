"""The chain of clients that an origin is told, where a line has changed the field before its own server adds to it (httpd): one field, for servers that do one or the other."""

from __future__ import annotations

from dataclasses import replace

from ..model import Field, Forward, Operation, Template, Var, Variable, join
from .tree import Chain, leaves

_NAME = "x-forwarded-for"
_CLIENT, _CHAIN = Var(Variable.CLIENT), Var(Variable.CLIENT_CHAIN)


def join_chains(chain: Chain) -> None:
    """Has the field of each origin hold what lines made of it, and the client; changes the chain in place. What depends on a condition is left as it is."""
    for leaf in leaves(chain):
        answer = leaf.answer
        lines = [field for field in leaf.settings.request_fields if field.name.lower() == _NAME]
        own = next((field for field in answer.fields if field.name.lower() == _NAME and field.value == (_CHAIN,)), None) if isinstance(answer, Forward) else None
        if own is None or not lines or not all(field.at_once and field.when is None for field in lines):
            continue
        value = _joined(lines)
        if value is None:
            continue
        assert isinstance(answer, Forward)
        fields = tuple(replace(field, value=value, span=field.span or lines[-1].span) if field is own else field for field in answer.fields)
        also = tuple(dict.fromkeys((*answer.also, *(field.span for field in lines if field.span))))
        leaf.answer = replace(answer, fields=fields, also=also)
        leaf.settings = replace(leaf.settings, request_fields=tuple(field for field in leaf.settings.request_fields if field not in lines))


def _joined(lines: list[Field]) -> Template | None:
    """What the field is with the client put behind it; None where no variable says it."""
    made: Template | None = None  # None: what the client sent
    for field in lines:
        match field.operation:
            case Operation.SET:
                made = field.value
            case Operation.REMOVE:
                made = ()
            case Operation.APPEND | Operation.ADD if made:
                made = join(*made, ", ", *field.value)
            case Operation.APPEND | Operation.ADD if made is None and field.value == (_CLIENT,):
                made = (_CHAIN,)
            case _:
                return None
    return (_CHAIN,) if made is None else join(*made, ", ", _CLIENT) if made else (_CLIENT,)
