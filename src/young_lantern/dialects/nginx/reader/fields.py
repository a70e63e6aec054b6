"""nginx `add_header`, `expires` -> Field steps. Mirror: ../writer/fields.py.

Source:   nginx manual, headers module; ngx_http_headers_filter_module: expires comes before the added fields.
Unknown:  a time that is none is `value-unread`.
"""

from __future__ import annotations

from ....model import SUCCESS_STATUSES, Field, HttpDate, Operation, Side, Span, Template
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
    if value in _FIXED:
        date, control = _FIXED[value]
        return _pair((date,), control, directive.span)
    negative = value.startswith("-")
    seconds = values.read_time(value.lstrip("-"))
    if seconds is None or directive.args[0] == "modified":
        context.unread(directive, value, "a time such as 30d, -1, epoch, max or off was expected (not relative to the file's date)")
        return ()
    whole = -int(seconds) if negative else int(seconds)
    return _pair((HttpDate(whole),), "no-cache" if negative else f"max-age={whole}", directive.span)


def _pair(date: Template, control: str, span: Span) -> tuple[Field, ...]:
    return (
        Field(Side.RESPONSE, Operation.SET, "Expires", date, SUCCESS_STATUSES, span=span),
        Field(Side.RESPONSE, Operation.SET, "Cache-Control", (control,), SUCCESS_STATUSES, span=span),
    )
