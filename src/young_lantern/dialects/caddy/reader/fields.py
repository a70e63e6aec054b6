"""Caddy `header`, `request_header` -> Field steps. Mirror: writer/fields.py.

Source:   Caddy documentation, header; headers.go (2.6.2, probed): one block adds, sets, removes, then replaces, in
          whatever order it was written; a removal or `defer` defers all of it; `?` waits for the answer.
Rule:     what is deferred is lost when the answer is an error, for that is written past the wrapped writer.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import UNDERSCORED, Field, Operation, Side, Step, Var, Variable
from .. import values
from ..syntax import Directive
from .context import Context, Level, Read

_PHASE = {Operation.ADD: 0, Operation.SET: 1, Operation.REMOVE: 2, Operation.EDIT: 3, Operation.DEFAULT: 4}


def read_operation(words: list[str], side: Side, directive: Directive, context: Context, sees_host: bool = False) -> Field | None:
    """`[+-?]NAME [VALUE|FIND] [REPLACE]` -> Field."""
    if not words or not words[0]:
        context.unread(directive, "", "a field name was expected")
        return None
    name, *rest = words
    name = name.removesuffix(":")
    if not name:
        context.unread(directive, words[0], "a field name was expected")
        return None
    sign, bare = (name[0], name[1:]) if name[0] in "+-?>" else ("", name)
    if sign == ">":
        # 2.6.2 takes the sign as part of the name; later versions defer the operation.
        context.unread(directive, name, "a field name was expected; > came after Caddy 2.6")
        return None
    common = {"span": directive.span, "comments": directive.comments}
    if sign == "-":
        if "*" in bare and (bare != UNDERSCORED or side is not Side.REQUEST):
            context.unread(directive, name, "a whole field name was expected")
            return None
        return Field(side, Operation.REMOVE, bare, **common)  # type: ignore[arg-type]
    if len(rest) >= 2:
        return Field(side, Operation.EDIT, bare, context.template(rest[1], directive, sees_host), find=context.pattern(rest[0], directive), **common)  # type: ignore[arg-type]
    operation = {"+": Operation.ADD, "?": Operation.DEFAULT, "": Operation.SET}[sign]
    value = context.template(rest[0] if rest else "", directive, sees_host)
    if side is Side.RESPONSE:
        value = tuple(Var(Variable.ORIGIN_ADDRESS, f"{{{values.ORIGIN}}}") if part == Var(Variable.MEMBER) else part for part in value)
    return Field(side, operation, bare, value, **common)  # type: ignore[arg-type]


def read_header(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """A header directive -> its operations in the order Caddy applies them."""
    lines = [words] if words else [[word.text for word in inner.words] for inner in directive.block or []]
    defers = ["defer"] in lines
    made = [field for line in lines if line != ["defer"] if (field := read_operation(line, Side.RESPONSE, directive, context))]
    defers = defers or any(field.operation is Operation.REMOVE for field in made)
    made.sort(key=lambda field: _PHASE[field.operation])
    return tuple(
        Field(field.side, field.operation, field.name, field.value, deferred=later, at_once=not later, survives_errors=not later,
              find=field.find, span=field.span, comments=field.comments)
        for field in made for later in [defers or field.operation is Operation.DEFAULT]
    )


def read_request_header(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    made = read_operation(words, Side.REQUEST, directive, context, sees_host=True)
    return (replace(made, at_once=True),) if made else ()


READS: dict[str, Read] = {"header": read_header, "request_header": read_request_header}
