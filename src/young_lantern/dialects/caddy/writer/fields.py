"""Field operations -> Caddy `header`. Mirror: reader/fields.py.

Rule:     a field that shall not go with errors of this server's own is deferred, for Caddy then drops it there; one that
          replaces what an origin sends must be deferred too, to come after it.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....codes import EXPIRES_DATE_LOST, FIELD_ON_ERRORS
from ....fitting.static import bare
from ....model import CONTENT, AllOf, Condition, Disposition, Field, HttpDate, Lookup, Not, Operation, PathGlob, PathIs, PathMatches, PathStartsWith, Side, TextIs, TextMatches, Var, Variable, join, literal
from ....model.walk import walk
from ..values import Unwritable, quote
from .context import TARGET, Context
from .matchers import write_matcher
from .output import Node

_ADDS = (Operation.ADD, Operation.APPEND, Operation.MERGE)
_SIGNS = {Operation.SET: "", **dict.fromkeys(_ADDS, "+"), Operation.DEFAULT: "?", Operation.REMOVE: "-", Operation.EDIT: ""}


def write_fields(fields: tuple[Field, ...], forwards: bool, context: Context) -> list[Node]:
    """Response fields in force -> `header` nodes, two for each condition. forwards: an origin's answer may be among those that get them."""
    nodes: list[Node] = []
    for edit in (field for field in fields if field.name == CONTENT):
        context.lost(edit.span, "the change of the content", "Caddy has no line that changes what answers hold", "change it in the application, or build Caddy with a module for it")
    fields = tuple(field for field in fields if field.name != CONTENT)
    fields = tuple(_unless_empty(field, context) for field in fields)
    for when in dict.fromkeys(field.when for field in fields):
        own = tuple(replace(field, when=None) for field in fields if field.when == when)
        made = _write(own, forwards, context)
        nodes += made if when is None else matched(when, own, made, context)
    return nodes


def _unless_empty(field: Field, context: Context) -> Field:
    """The field, asked for where it has a value: Caddy sends one whose value comes out empty, nginx (headers module) does not."""
    if context.estate.dialect != "nginx" or len(field.value) != 1 or field.operation in (Operation.REMOVE, Operation.EDIT) or not _may_be_empty(field.value[0]):
        return field
    there = Not(TextIs(field.value, ("",)))
    return replace(field, when=there if field.when is None else AllOf((field.when, there)))


def _may_be_empty(part: object) -> bool:
    match part:
        case Lookup(rows=rows, fallback=fallback):
            return any(literal(result) == "" for result in (fallback, *(row.result for row in rows)))
        case Var(variable=variable):
            return variable in (Variable.ARGUMENT, Variable.ARGUMENTS, Variable.COOKIE, Variable.FIELD, Variable.QUERY)
    return False


def matched(when: Condition, fields: tuple[Field, ...], nodes: list[Node], context: Context) -> list[Node]:
    """The nodes behind a matcher, which stands at the top of the site, once for all places that ask it; behind one of their own in error pages."""
    spans = tuple(field.span for field in fields if field.span)
    key = str(bare(when))
    matcher = context.shared.get(key) if not context.in_errors else None
    if matcher is None:
        made = write_matcher(when, _wish(when), context, fields[0].span)
        if isinstance(made, Unwritable):
            for field in fields:
                context.lost(field.span, field.name, f"{TARGET} has no matcher for {made.what}")
            return []
        matcher = made
        if isinstance(matcher.definition, Node):
            matcher.definition.setting = True
            if not context.in_errors:
                context.shared[key] = matcher
    for node in nodes:
        node.words.insert(1, matcher.word)
        node.condition = when
    if not isinstance(matcher.definition, Node):
        return nodes
    matcher.definition.spans = tuple(dict.fromkeys((*matcher.definition.spans, *spans)))
    return [matcher.definition, *nodes] if context.in_errors else nodes


def _wish(when: Condition) -> str:
    """What the name of the matcher should remind of."""
    for item in walk(when):
        if isinstance(item, PathGlob):
            return item.glob
        if isinstance(item, PathMatches):
            return re.sub(r"\\[a-zA-Z]|\(\?[a-zA-Z:<>P]*", " ", item.pattern.text)
        if isinstance(item, PathIs | PathStartsWith):
            return item.path if isinstance(item, PathIs) else item.prefix
        if isinstance(item, TextMatches) and item.template and isinstance(item.template[0], Var):
            return f"{item.template[0].name or item.template[0].variable.value} {item.pattern.text}"
    return "some"


def _write(fields: tuple[Field, ...], forwards: bool, context: Context) -> list[Node]:
    fields = _joined(fields)
    at_once: list[Node] = []
    deferred: list[Node] = []
    names = [field.name.lower() for field in fields]
    for field in fields:
        if not field.name:
            # Joined to the one above: its line goes where that one went.
            target = deferred if field.statuses is not None or forwards else at_once
            if field.span and target:
                target[-1].spans = (*target[-1].spans, field.span)
            continue
        if any(isinstance(part, HttpDate) for part in field.value):
            context.note(field.span, Disposition.CHANGED, EXPIRES_DATE_LOST)
            continue
        if field.apart and field.operation in (Operation.REMOVE, Operation.EDIT):
            # It sees only what its own table holds; Caddy would take it from an origin's answer, too.
            if any(other.apart and other.operation not in (Operation.REMOVE, Operation.EDIT) and other.name.lower() == field.name.lower() for other in fields):
                context.lost(field.span, field.name, f"{TARGET} has no operation that leaves alone what an origin sends")
            else:
                context.implied(field.span, "it does nothing: its table has no field of this name, and it leaves alone what an origin sends")
            continue
        words = write_operation(field, context.forwards or names.count(field.name.lower()) > 1, context)
        if isinstance(words, Unwritable):
            context.lost(field.span, field.name, f"{context.estate.dialect} completes it with {words.what}, for which there is no placeholder")
            continue
        # Who answers is known when he has.
        later = field.deferred or Var(Variable.ORIGIN_ADDRESS) in field.value or field.statuses is not None or (forwards and field.operation not in _ADDS and not field.apart)
        if field.statuses is not None and forwards:
            context.note(field.span, Disposition.CHANGED, FIELD_ON_ERRORS, field=field.name)
        (deferred if later else at_once).append(Node(words, spans=(field.span,) if field.span else (), comments=field.comments))
    return [*_header(at_once, False), *_header(deferred, True)]


def _joined(fields: tuple[Field, ...]) -> tuple[Field, ...]:
    """A value added to one that was set becomes one list (RFC 9110 section 5.3): a Caddy block adds before it sets."""
    out: list[Field] = []
    for field in fields:
        earlier = next((number for number, other in enumerate(out) if other.name.lower() == field.name.lower()), None)
        again = next((other for other in out if field.operation is Operation.SET and replace(other, span=None, comments=()) == replace(field, span=None, comments=())), None)
        if again is not None:
            out.append(replace(field, name=""))
            continue
        if earlier is None or field.operation not in _ADDS or out[earlier].operation is not Operation.SET or not _goes_with(out[earlier], field):
            out.append(field)
            continue
        out[earlier] = replace(out[earlier], value=join(out[earlier].value, ", ", field.value), comments=(*out[earlier].comments, *field.comments))
        out.append(replace(field, name=""))
    return tuple(out)


def _goes_with(field: Field, added: Field) -> bool:
    """Whether what is added goes where the field goes. A deferred line knows no statuses, so that pages and files decide, not redirects."""
    return field.statuses == added.statuses or field.statuses is not None and added.statuses is not None and 200 in field.statuses & added.statuses


def write_operation(field: Field, adds: bool, context: Context) -> list[str] | Unwritable:
    """Field -> the words of one operation. adds: ADD may not be written as a plain set."""
    sign = _SIGNS[field.operation] if field.operation not in _ADDS or adds else ""
    if field.operation is Operation.REMOVE:
        return [f"-{field.name}"]
    guarded = field.side is Side.RESPONSE and context.estate.dialect == "nginx" and len(field.value) == 1  # _unless_empty
    value = (context.template if guarded else context.shown)(field.value, field.span)
    if isinstance(value, Unwritable):
        return value
    if field.operation is Operation.EDIT and field.find is not None:
        # A replacement writes a group before a letter or digit as `${1}`, whose braces are no placeholder.
        return [field.name, quote(("(?i)" if field.find.ignores_case else "") + field.find.text), quote(re.sub(r"\$\\\{(\d)\}", r"${\1}", value))]
    return [sign + field.name, quote(value)]


def _header(lines: list[Node], later: bool) -> list[Node]:
    if not lines:
        return []
    spans = tuple(span for line in lines for span in line.spans)
    # headers/caddyfile.go: what gives a value to answers without one, or takes one away, is deferred by itself.
    later = later and not all(line.words[0][0] in "?-" for line in lines)
    if len(lines) == 1 and not later:
        return [Node(["header", *lines[0].words], None, spans, lines[0].comments, setting=True)]
    return [Node(["header"], [*lines, *([Node(["defer"])] if later else [])], (), (), setting=True)]
