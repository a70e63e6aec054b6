"""Field operations -> `Header`, `Expires…`. Mirror: reader/fields.py.

Source:   Apache HTTP Server manual, mod_headers, mod_expires.
Rule:     what goes with every answer, or beside what an origin sent, belongs to the table `always`; what changes the origin's, or a file's, to the
          other one. A field that goes with some statuses only asks for the status when the answer goes out.
"""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import groupby

from ....codes import EXPIRES_DATE_LOST
from ....fitting import answer_types
from ....model import CONTENT, Condition, Disposition, Field, HttpDate, Not, Operation, literal, Var, Variable
from ...noting import EARLY, Unwritable
from ..values import quote
from . import content
from .context import Context
from .output import Node

_VERBS = {Operation.SET: "set", Operation.ADD: "add", Operation.APPEND: "append", Operation.MERGE: "merge", Operation.DEFAULT: "setifempty", Operation.REMOVE: "unset"}
# Statuses that a handler's answer has, and that mod_expires speaks of.
_SUCCESS = frozenset(range(200, 400))


def write_fields(fields: tuple[Field, ...], forwards: bool, by_rule: bool, context: Context, own_type: str = "") -> list[tuple[Node, Field]]:
    """Response fields in force -> lines, each with what it came from. forwards: the answer is an origin's; by_rule: one of the server's own, which
    only lines of the table `always` go with; own_type: its type."""
    made: list[tuple[Node, Field]] = []
    left = list(fields)
    expiry = _expiry(left, context)
    made += expiry
    set_names: set[str] = set()
    context.filled = {field.name.lower() for field in left if field.operation is Operation.DEFAULT and not field.apart} if not by_rule else set()
    for field in left:
        asked, others = answer_types.divided(field.when)
        held = answer_types.holds_for(asked, own_type) if asked is not None and by_rule else None
        if held is not None:
            # The type of words of the server's own is known beforehand.
            if not held:
                continue
            field, asked = replace(field, when=others), None
        lines = _lines(field, forwards, by_rule, set_names, context)
        # A line that asks for the type does so itself.
        made += [(line, field if asked is None else replace(field, when=others)) for line in lines]
        set_names.add(field.name.lower())
    # The filter's line stands once for all texts.
    return [pair for number, pair in enumerate(made) if not (pair[0].words[1:2] == ["SUBSTITUTE"] and any(other[0].words == pair[0].words for other in made[:number]))]


def _lines(field: Field, forwards: bool, by_rule: bool, before: set[str], context: Context) -> list[Node]:
    spans, name = (field.span,), field.name
    if name == CONTENT:
        return content.write_edit(field, context)
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
    asked, others = answer_types.divided(field.when)
    if asked is not None:
        return _by_type(field, asked, text, by_rule, context)
    asks = _asks(field)
    if (filled := _only_if_filled(field, context)) is not None:
        return [context.line("Header", "always", "set", name, quote(text), quote(asks.replace("expr=", f"expr=reqenv('{filled}') != '' && ", 1)) if asks else f"env={filled}", spans=spans, comments=field.comments)]
    words = [name, quote(text), *([quote(asks)] if asks else [])]
    if field.operation in (Operation.DEFAULT, Operation.MERGE, Operation.APPEND) and not field.apart and not by_rule:
        return [context.line("Header", _VERBS[field.operation], *words, spans=spans, comments=field.comments)]
    verb = "add" if field.operation is Operation.ADD and name.lower() in before else "set" if field.operation is Operation.ADD else _VERBS[field.operation]
    if name.lower() in context.filled and not asks and field.operation in (Operation.SET, Operation.ADD):
        # The table without `always` is the one that is filled where it is empty: what handlers answer has its value there.
        made = [context.line("Header", "set", *words, spans=spans, comments=field.comments)]
        return made if forwards else [*made, context.line("Header", "always", "set", name, quote(text), quote("expr=%{REQUEST_STATUS} -ge 400"), spans=spans)]
    replaces = field.operation is Operation.SET and field.deferred and not field.apart and forwards
    own = [context.line("Header", "unset", name, spans=spans)] if replaces else []
    made = [*own, context.line("Header", "always", verb, *words, spans=spans, comments=field.comments)]
    if forwards and asks == _NO_ERROR and field.when is None:
        # What is kept from errors of the server's own goes with those of an origin: the table without `always` is for what handlers made.
        made.append(context.line("Header", verb, name, quote(text), quote("expr=%{REQUEST_STATUS} -ge 400"), spans=spans))
    return made


def _only_if_filled(field: Field, context: Context) -> str | None:
    """The variable that is the whole value of a field, and may be empty, so that nothing is sent then."""
    match field.value:
        case (Var(Variable.VARIABLE, name),) if name in context.empty_at_times and field.operation in (Operation.ADD, Operation.SET):
            return name
    return None


def _by_type(field: Field, asked: Condition, text: str, by_rule: bool, context: Context) -> list[Node]:
    """A line that asks for the type of the answer when it goes out."""
    found = answer_types.types_where(asked)
    if found is None or by_rule:
        context.lost(field.span, field.name, "it goes by the type of an answer that no handler makes" if by_rule else "it goes by more than the type of the answer")
        return []
    sign, left_out = "=~", found
    if found.others:
        sign, left_out = "!~", answer_types.types_where(Not(asked)) or found
    pattern = "|".join(re.escape(name[:-1]) if name.endswith("/*") else f"{re.escape(name)}(?:;|$)" for name in left_out.names).replace("\\-", "-").replace("\\/", "/")
    verb = "set" if field.operation is Operation.ADD else _VERBS[field.operation]
    asks = f"expr=%{{CONTENT_TYPE}} {sign} m#^(?:{pattern})#"
    return [context.line("Header", verb, field.name, quote(text), quote(asks), spans=(field.span,), comments=field.comments)]


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


def _expiry(left: list[Field], context: Context) -> list[tuple[Node, Field]]:
    """Cache-Control and Expires of one age -> ExpiresDefault, ExpiresByType where it goes by the type; both are taken out of `left`."""
    made: list[tuple[Node, Field]] = []
    for dated in list(left):
        if dated.name.lower() != "expires" or len(dated.value) != 1 or not isinstance(dated.value[0], HttpDate):
            continue
        seconds = dated.value[0].seconds_ahead
        asked, others = answer_types.divided(dated.when)
        found = answer_types.types_where(asked) if asked is not None else answer_types.Types((), True)
        age = next((field for field in left if field.name.lower() == "cache-control" and field.value == (f"max-age={seconds}",) and field.when == dated.when), None)
        if age is None or seconds < 0 or found is None or others is not None and not (found.names or asked is None):
            continue
        if asked is None and dated.when is not None:
            continue
        left.remove(dated)
        left.remove(age)
        spans, text = (dated.span, age.span), quote(f"access plus {_age(seconds)}")
        lines = [context.line("ExpiresByType", name, text, spans=spans, comments=dated.comments) for name in (() if found.others else found.names)]
        if found.others:
            lines.append(context.line("ExpiresDefault", text, spans=spans, comments=dated.comments))
        plain = replace(dated, when=others)
        if not made:
            made.append((context.line("ExpiresActive", "On", spans=spans), replace(dated, when=None)))
        made += [(line, plain) for line in lines]
    return made


def _age(seconds: int) -> str:
    for name, size in (("year", 31536000), ("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds and seconds % size == 0:
            count = seconds // size
            return f"{count} {name}{'' if count == 1 else 's'}"
    return f"{seconds} second{'' if seconds == 1 else 's'}"
