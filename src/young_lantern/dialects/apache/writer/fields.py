"""Field operations -> `Header`, `Expires…`. Mirror: reader/fields.py.

Source:   Apache HTTP Server manual, mod_headers, mod_expires.
Rule:     what goes with every answer, or beside what an origin sent, belongs to the table `always`; what changes the origin's, or a file's, to the
          other one. A field that goes with some statuses only asks for the status when the answer goes out.
"""

from __future__ import annotations

import re
from itertools import groupby

from ....codes import EXPIRES_DATE_LOST
from ....model import Disposition, Field, HttpDate, Operation, literal
from ...noting import EARLY, Unwritable
from ..values import quote
from .context import Context
from .output import Node

_VERBS = {Operation.SET: "set", Operation.ADD: "add", Operation.APPEND: "append", Operation.MERGE: "merge", Operation.DEFAULT: "setifempty", Operation.REMOVE: "unset"}
# Statuses that a handler's answer has, and that mod_expires speaks of.
_SUCCESS = frozenset(range(200, 400))


def write_fields(fields: tuple[Field, ...], forwards: bool, by_rule: bool, context: Context) -> list[tuple[Node, Field]]:
    """Response fields in force -> lines, each with what it came from. forwards: the answer is an origin's; by_rule: one of the server's own, which
    only lines of the table `always` go with."""
    made: list[tuple[Node, Field]] = []
    left = list(fields)
    expiry = _expiry(left, context)
    if expiry is not None:
        made += expiry
    set_names: set[str] = set()
    for field in left:
        made += [(line, field) for line in _lines(field, forwards, by_rule, set_names, context)]
        set_names.add(field.name.lower())
    return made


def _lines(field: Field, forwards: bool, by_rule: bool, before: set[str], context: Context) -> list[Node]:
    spans, name = (field.span,), field.name
    if by_rule and field.operation in (Operation.REMOVE, Operation.EDIT) and name.lower() not in before:
        context.idle.setdefault(field.span, "an answer of the server's own has no such field")
        return []
    if field.operation is Operation.REMOVE:
        own = [context.line("Header", "always", "unset", name, spans=spans)] if name.lower() in before else []
        return [context.line("Header", "unset", name, spans=spans, comments=field.comments), *own]
    if context.acts_early(field):
        context.implied(field.span, EARLY)
        return []
    if field.operation is Operation.EDIT:
        return _edit(field, by_rule, context)
    if any(isinstance(part, HttpDate) for part in field.value):
        context.note(field.span, Disposition.CHANGED, EXPIRES_DATE_LOST)
        return []
    text = context.in_field(field.value, field.span, context.moved and not field.at_once)
    if isinstance(text, Unwritable):
        context.lost(field.span, name, f"its value needs {text.what}")
        return []
    asks = _asks(field)
    words = [name, quote(text), *([quote(asks)] if asks else [])]
    if field.operation in (Operation.DEFAULT, Operation.MERGE, Operation.APPEND) and not field.apart and not by_rule:
        return [context.line("Header", _VERBS[field.operation], *words, spans=spans, comments=field.comments)]
    verb = "add" if field.operation is Operation.ADD and name.lower() in before else "set" if field.operation is Operation.ADD else _VERBS[field.operation]
    replaces = field.operation is Operation.SET and field.deferred and not field.apart and forwards
    own = [context.line("Header", "unset", name, spans=spans)] if replaces else []
    made = [*own, context.line("Header", "always", verb, *words, spans=spans, comments=field.comments)]
    if forwards and asks == _NO_ERROR and field.when is None:
        # What is kept from errors of the server's own goes with those of an origin: the table without `always` is for what handlers made.
        made.append(context.line("Header", verb, name, quote(text), quote("expr=%{REQUEST_STATUS} -ge 400"), spans=spans))
    return made


_NO_ERROR = "expr=%{REQUEST_STATUS} -lt 400"


def _asks(field: Field) -> str:
    """The condition on a line: the statuses it goes with."""
    if field.statuses is None and field.survives_errors:
        return ""
    statuses = field.statuses
    if statuses is None or _SUCCESS <= statuses and not statuses - _SUCCESS:
        return _NO_ERROR
    tens = [f"{key}{''.join(str(number % 10) for number in group)}" for key, group in ((key, list(numbers)) for key, numbers in groupby(sorted(statuses), lambda number: number // 10))]
    pieces = [f"{piece[:2]}[{piece[2:]}]" if len(piece) > 3 else piece for piece in tens]
    return f"expr=%{{REQUEST_STATUS}} =~ /^(?:{'|'.join(pieces)})$/"


def _edit(field: Field, by_rule: bool, context: Context) -> list[Node]:
    value = literal(field.value)
    if field.find is None or value is None:
        context.lost(field.span, field.name, "the change of its value cannot be said")
        return []
    flag = "(?i)" if field.find.ignores_case else ""
    replaced = re.sub(r"\$\{(\d)\}", r"$\1", value).replace("%", "%%")
    return [context.line("Header", *(["always"] if by_rule else []), _verb(field.find.text), field.name, quote(flag + field.find.text), quote(replaced), spans=(field.span,), comments=field.comments)]


def _verb(pattern: str) -> str:
    """`edit*` changes every place that the pattern fits; one that fits but once must not be tried again: `^(.*)$` would never end (2.4.62, probed)."""
    return "edit" if re.match(r"(\(\?i\))?(\^|\(;\\s\*)", pattern) else "edit*"


def _expiry(left: list[Field], context: Context) -> list[tuple[Node, Field]] | None:
    """Cache-Control and Expires of one age -> ExpiresDefault; both are taken out of `left`."""
    for dated in left:
        if dated.name.lower() != "expires" or len(dated.value) != 1 or not isinstance(dated.value[0], HttpDate) or dated.when is not None:
            continue
        seconds = dated.value[0].seconds_ahead
        age = next((field for field in left if field.name.lower() == "cache-control" and field.value == (f"max-age={seconds}",) and field.when is None), None)
        if age is None or seconds < 0:
            continue
        left.remove(dated)
        left.remove(age)
        spans = (dated.span, age.span)
        return [(context.line("ExpiresActive", "On", spans=spans), dated), (context.line("ExpiresDefault", quote(f"access plus {_age(seconds)}"), spans=spans, comments=dated.comments), dated)]
    return None


def _age(seconds: int) -> str:
    for name, size in (("year", 31536000), ("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds and seconds % size == 0:
            count = seconds // size
            return f"{count} {name}{'' if count == 1 else 's'}"
    return f"{seconds} second{'' if seconds == 1 else 's'}"
