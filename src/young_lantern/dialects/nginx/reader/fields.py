"""nginx `add_header`, `expires` -> Field steps. Mirror: ../writer/fields.py.

Source:   nginx manual, headers module; ngx_http_headers_filter_module: expires comes before the added fields.
Unknown:  a time that is none is `value-unread`.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import (
    SUCCESS_STATUSES, AllOf, Condition, Field, HttpDate, Lookup, LookupRow, Not, Operation, PathMatches, Pattern, Side, Span, Template, TextIs, TextMatches, Var, Variable, literal,
)
from .. import values
from ..syntax import Directive
from .context import Context, Scope


def read_fields(scope: Scope, context: Context) -> tuple[Field, ...]:
    """The response fields in force at a scope. One `add_header` at a level hides all of the levels above."""
    return (*_read_expires(scope, context), *(
        read_added(context.use(directive), context) for directive in scope.inherited("add_header")
    ))


def read_added(directive: Directive, context: Context) -> Field:
    """`add_header NAME VALUE [always];` -> Field; without `always` on SUCCESS_STATUSES only."""
    name, value, *rest = directive.args
    return Field(
        Side.RESPONSE, Operation.ADD, name, context.template(value, directive),
        statuses=None if rest == ["always"] else SUCCESS_STATUSES, span=directive.span, comments=directive.comments,
    )


_FIXED = {  # value -> (Expires, Cache-Control)
    "epoch": ("Thu, 01 Jan 1970 00:00:01 GMT", "no-cache"),
    "max": ("Thu, 31 Dec 2037 23:55:55 GMT", "max-age=315360000"),
}


def _read_expires(scope: Scope, context: Context) -> tuple[Field, ...]:
    directive = context.used(scope, "expires")
    if directive is None or directive.args == ["off"]:
        return ()
    value = directive.args[-1]
    table = context.template(value, directive) if value.startswith("$") else ()
    made = None if directive.args[0] == "modified" else _by_table(table, directive.span) if table else _of_time(value, directive.span)
    if made is None:
        context.unread(directive, value, "a time such as 30d, -1, epoch, max or off was expected, or a map of such (not relative to the file's date)")
    return made or ()


def _of_time(value: str, span: Span) -> tuple[Field, ...] | None:
    if value in ("off", ""):
        return ()
    if value in _FIXED:
        date, control = _FIXED[value]
        return _pair((date,), control, span)
    negative = value.startswith("-")
    seconds = values.read_time(value.lstrip("-"))
    if seconds is None:
        return None
    whole = -int(seconds) if negative else int(seconds)
    return _pair((HttpDate(whole),), "no-cache" if negative else f"max-age={whole}", span)


def _by_table(found: Template, span: Span) -> tuple[Field, ...] | None:
    """`expires $variable` (1.7.9): what a map gives is read like the word itself, when the answer goes out; it may be what another map gives."""
    match found:
        case (Lookup(networks=False) as table,):
            earlier: list[Condition] = []
            made: list[Field] = []
            for row in (*table.rows, None):
                wanted = () if row is None else (asked(table, row),)
                result = table.fallback if row is None else row.result
                fields = _of_time(literal(result) or "", span) if literal(result) is not None else _by_table(result, span)
                if fields is None:
                    return None
                held = (*earlier, *wanted)
                made += [replace(field, when=_all((*held, *((field.when,) if field.when is not None else ()))), asked_last=True) for field in fields]
                earlier += [Not(item) for item in wanted]
            return tuple(made)
    return None


def _all(conditions: tuple[Condition, ...]) -> Condition:
    flat = tuple(part for item in conditions for part in (item.conditions if isinstance(item, AllOf) else (item,)))
    return flat[0] if len(flat) == 1 else AllOf(flat)


def asked(table: Lookup, row: LookupRow) -> Condition:
    if isinstance(row.value, Pattern):
        return PathMatches(row.value, span=table.span) if table.subject == (Var(Variable.PATH),) else TextMatches(table.subject, row.value, span=table.span)
    return TextIs(table.subject, (row.value,), table.ignores_case, span=table.span)


def _pair(date: Template, control: str, span: Span) -> tuple[Field, ...]:
    return (
        Field(Side.RESPONSE, Operation.SET, "Expires", date, SUCCESS_STATUSES, span=span),
        Field(Side.RESPONSE, Operation.SET, "Cache-Control", (control,), SUCCESS_STATUSES, span=span),
    )
