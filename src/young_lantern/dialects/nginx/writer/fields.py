"""Field operations -> nginx `add_header`, `expires`, `proxy_hide_header`. Mirror: reader/fields.py.

Source:   nginx manual, headers module: fields go with success and redirects only unless `always` is written; one line at a
          level drops all of the levels above.
Rule:     what replaces a field of an origin hides the origin's first; what takes away one that nginx itself would not send
          needs nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace

from ....codes import FIELD_ON_ERRORS
from ....model import (
    CONTENT, SUCCESS_STATUSES, AllOf, AnyOf, Capture, Condition, Disposition, Field, HostIs, HttpDate, Lookup, LookupRow, MethodIn, Not, Operation, PathIs, PathMatches,
    PathStartsWith, Pattern, SchemeIs, Span, Template, TextIs, TextMatches, Var, Variable, join,
)
from ....model.walk import walk
from ...noting import EARLY, Unwritable
from ..values import quote, write_time
from . import content
from .context import Context
from .cookies import write_edit
from .output import Node

_ADDS = (Operation.SET, Operation.ADD, Operation.APPEND, Operation.MERGE, Operation.DEFAULT)


def write_fields(fields: tuple[Field, ...], forwards: bool, context: Context, texts: bool = False) -> list[Node]:
    """Response fields in force -> nodes. forwards: an origin's answer may be among those that get them; texts: they go with a text that is no error, whatever its status."""
    nodes: list[Node] = content.write_edits([field for field in fields if field.name == CONTENT], context)
    left = list(joined(tuple(field for field in fields if field.name != CONTENT)))
    expiry = _expires(left, forwards, context)
    if expiry is not None:
        nodes.append(expiry)
    for field in list(left):
        if field not in left:
            continue
        spans = (field.span,) if field.span else ()
        name = field.name
        if field.when is not None:
            table = by_condition(field, _of_origin(field, forwards, context)) or by_condition(field)
            if table is None:
                context.lost(field.span, name, "nginx has no condition on a single field", "move it into a location, or give its value by a map that is empty otherwise")
                continue
            context.structure.update(span for span in walk(field.when) if isinstance(span, Span))
            # headers module: a field whose value comes out empty is not sent.
            others = [held for held in left if held is not field and held.name.lower() == name.lower() and held.when is None and held.operation is Operation.SET]
            defaults = [held for held in left if held is not field and held.name.lower() == name.lower() and held.when is None and held.operation is Operation.DEFAULT]
            if len(defaults) == 1 and field.operation in (Operation.SET, Operation.ADD):
                table = by_condition(field, _unless_sent(defaults[0]) if forwards else defaults[0].value)
                if table is not None:
                    left.remove(defaults[0])
                    spans = tuple(dict.fromkeys((*spans, *((defaults[0].span,) if defaults[0].span else ()))))
                    nodes = [node for node in nodes if node.words[:2] != ["add_header", defaults[0].name]]
            elif field.operation is Operation.SET and len(others) == 1 and left.index(others[0]) < left.index(field):
                table = by_condition(field, others[0].value)
                if table is None:
                    context.lost(field.span, name, "nginx has no table whose other values are dates, or parts of what a pattern found", "give each value in a location of its own")
                    continue
                left.remove(others[0])
                nodes = [node for node in nodes if node.words[:2] != ["add_header", others[0].name]]
            field = replace(field, value=(table,), when=None)
        if field.operation in (Operation.REMOVE, Operation.EDIT):
            nodes += _less(field, forwards, context)
            continue
        if any(isinstance(part, HttpDate) for part in field.value):
            context.lost(field.span, name, "a date reckoned from now goes with a Cache-Control of the same age only")
            continue
        rewritten = context.rewritten
        if rewritten:
            # The rewrite is the last to have matched when the answer goes out: only a name stays (ngx_http_script_regex_start_code).
            context.by_name |= {part.pattern for part in field.value if isinstance(part, Capture) and part.pattern in context.texts}
        context.rewritten = "" if field.at_once else rewritten
        forgotten = set(context.forgotten)
        value = context.template(field.value, field.span)
        context.rewritten = rewritten
        if not field.at_once and not any(isinstance(part, Capture) for other in fields for part in other.value):
            context.forgotten = forgotten  # fields come last, when nothing else asks for groups
        if isinstance(value, Unwritable):
            context.lost(field.span, name, f"its value needs {value.what}")
            continue
        if forwards and _takes_place(field, context):
            nodes += _hides(field, context)
        if forwards and field.operation is Operation.DEFAULT:
            # nginx adds a field whether the origin has sent one or not: it is empty, and so not sent, where the origin has.
            made = context.template(_unless_sent(field), field.span)
            if isinstance(made, Unwritable):
                context.lost(field.span, name, f"its value needs {made.what}")
                continue
            value = made
        nodes.append(Node(["add_header", name, quote(value), *(["always"] if _always(field, forwards or texts, context) else [])], None, spans, field.comments))
    return nodes


# Fields that an origin may send in several lines (RFC 9110 section 5.3), of which a variable has one.
_OF_LINES = frozenset({"set-cookie", "vary", "link", "www-authenticate", "via", "warning", "content-security-policy"})


def _takes_place(field: Field, context: Context) -> bool:
    """Whether it comes in the place of the origin's, which is hidden then."""
    return field.operation is Operation.SET and (field.deferred or context.estate.dialect == "apache")


def _of_origin(field: Field, forwards: bool, context: Context) -> Template:
    """What a field is where its condition does not hold: what the origin says of it, if that is hidden."""
    return (Var(Variable.ORIGIN_FIELD, field.name.lower()),) if forwards and _takes_place(field, context) and field.name.lower() not in _OF_LINES else ()


def _unless_sent(field: Field) -> Template:
    """A value that is empty where the origin has sent one."""
    return (Lookup(f"{_word(field.name)}_unless_sent", (Var(Variable.ORIGIN_FIELD, field.name.lower()),), (LookupRow("", field.value),), (), span=field.span),)


def by_condition(field: Field, otherwise: Template = ()) -> Lookup | None:
    """A field that only some requests get, as a table of its value by what is asked; None where no table can ask it."""
    assert field.when is not None
    if field.operation not in _ADDS or any(isinstance(part, HttpDate | Capture) for part in otherwise) or any(isinstance(part, HttpDate) for part in field.value):
        return None
    if any(isinstance(part, Capture) for part in field.value):
        return _captured(field, otherwise)
    made = _table(field.when, field.value, otherwise, re.sub(r"\W+", "_", field.name.lower()), field)
    return made[0] if made is not None and len(made) == 1 and isinstance(made[0], Lookup) else None


def _captured(field: Field, otherwise: Template) -> Lookup | None:
    """A value with groups of the pattern that a text is asked for: the table asks that pattern, so that its groups are those of its row."""
    match field.when:
        case TextMatches(template, pattern) if all(not isinstance(part, Capture) or part.pattern == pattern.label for part in field.value):
            value = tuple(replace(part, pattern="") if isinstance(part, Capture) else part for part in field.value)
            return Lookup(f"{re.sub(r'[^0-9a-zA-Z]+', '_', field.name.lower())}_by_{_of(template)}", template, (LookupRow(replace(pattern, label=""), value),), otherwise, span=field.span)
    return None


def _table(condition: Condition, yes: Template, no: Template, name: str, field: Field) -> Template | None:
    """A text that is one thing where a condition holds and another elsewhere: a table of what it looks at, or tables within tables."""
    def made(subject: Template, rows: Iterable[str | Pattern], by: str) -> Template:
        return (Lookup(f"{name}_by_{by}", subject, tuple(LookupRow(row, yes) for row in rows), no, span=field.span),)

    match condition:
        case PathIs() | PathStartsWith() | PathMatches():
            return made((Var(Variable.PATH),), [atom_pattern(condition)], "path")
        case AnyOf(parts) if all(isinstance(part, PathIs | PathStartsWith | PathMatches) for part in parts):
            return made((Var(Variable.PATH),), [atom_pattern(part) for part in parts], "path")  # type: ignore[arg-type]
        case TextIs(template, values, ignores_case):
            # map module: texts in the table ignore the case of letters.
            return made(template, [value if not re.search("[A-Za-z]", value) else Pattern(f"^{re.escape(value)}$", "pcre", ignores_case) for value in values or ("",)], _of(template))
        case TextMatches(template, pattern):
            return made(template, [pattern], _of(template))
        case MethodIn(methods):
            return made((Var(Variable.METHOD),), [Pattern(f"^(?:{'|'.join(methods)})$")], "method")
        case SchemeIs(scheme):
            return made((Var(Variable.SCHEME),), [scheme], "scheme")
        case HostIs(names) if not any("*" in host for host in names):
            return made((Var(Variable.HOST),), names, "host")
        case Not(inner):
            return _table(inner, no, yes, name, field)
        case AllOf(parts):
            inner: Template | None = yes
            for part in reversed(parts):
                inner = _table(part, inner, no, name, field) if inner is not None else None
            return inner
        case AnyOf(parts):
            inner = no
            for part in reversed(parts):
                inner = _table(part, yes, inner, name, field) if inner is not None else None
            return inner
    return None


def _of(template: Template) -> str:
    """What a text is, in a word for a variable's name."""
    part = template[0] if len(template) == 1 else ""
    return re.sub(r"\W+", "_", (part.name or part.variable.value) if isinstance(part, Var) else part.name if isinstance(part, Lookup) else "text").lower()


def atom_pattern(atom: PathIs | PathStartsWith | PathMatches) -> Pattern:
    """A condition on the path as a pattern."""
    if isinstance(atom, PathMatches):
        return atom.pattern
    text = "^" + re.escape(atom.path) + "$" if isinstance(atom, PathIs) else "^" + re.escape(atom.prefix)
    return Pattern(text, "pcre", atom.ignores_case)


def own_settings(fields: tuple[Field, ...]) -> bool:
    """Whether anything of these is written as a line that drops those of the levels above."""
    return any(field.operation in _ADDS for field in fields)


def joined(fields: tuple[Field, ...]) -> tuple[Field, ...]:
    """What several operations on one name come to: a later SET replaces, values added to one that was set are one list
    (RFC 9110 section 5.3), REMOVE takes away what was set before."""
    out: list[Field] = []
    for field in fields:
        same = [number for number, other in enumerate(out) if other.name.lower() == field.name.lower() and other.operation in _ADDS and other.when == field.when and other.apart == field.apart]
        if field.operation in (Operation.SET, Operation.REMOVE) and field.when is None:
            out = [other for number, other in enumerate(out) if number not in same or (other.statuses is None and field.statuses is not None)]
        elif field.operation is Operation.DEFAULT and same:
            continue
        elif field.operation in (Operation.APPEND, Operation.MERGE) and same and out[same[-1]].statuses == field.statuses:
            held = out[same[-1]]
            out[same[-1]] = replace(held, value=join(held.value, ", ", field.value))
            continue
        out.append(field)
    return tuple(out)


def _always(field: Field, forwards: bool, context: Context) -> bool:
    if field.statuses is None:
        return field.survives_errors or forwards
    if not field.survives_errors and not forwards:
        return False
    if field.statuses != SUCCESS_STATUSES:
        context.note(field.span, Disposition.CHANGED, FIELD_ON_ERRORS, field=field.name)
        return not field.statuses <= SUCCESS_STATUSES
    return False


def _less(field: Field, forwards: bool, context: Context) -> list[Node]:
    if field.operation is Operation.EDIT and field.name.lower() == "set-cookie" and (field.apart or not forwards):
        context.implied(field.span, "it changes cookies that are set by rules, and there are none" if field.apart else "no origin answers there")
        return []
    if context.acts_early(field):
        context.implied(field.span, EARLY)
        return []
    if (cookies := write_edit(field, context)) is not None:
        return cookies
    if field.operation is Operation.EDIT:
        context.lost(field.span, field.name, "nginx changes no part of a field's value", "write the whole value with a map on $upstream_http_… and add_header")
        return []
    if field.apart and forwards and context.estate.dialect == "apache":
        return _hides(field, context)
    if field.apart or not forwards:
        if field.name.lower() in ("server", "date") and not field.apart:
            context.lost(field.span, field.name, "nginx sends this field with every answer of its own", "server_tokens off takes its version away; a module could take the whole")
        else:
            context.implied(field.span, "nginx does not send this field by itself")
        return []
    return _hides(field, context)


def _hides(field: Field, context: Context) -> list[Node]:
    """What takes an origin's field away; which of the lines act where they stand is seen to when all stands (inherited.py, only_where_they_act).

    For an application by FastCGI or SCGI it is httpd's table of `always` that does (2.4.71, probed), for other origins the other one.
    """
    spans = (field.span,) if field.span else ()
    of_proxies = context.estate.dialect != "apache" or not field.apart
    of_programs = context.estate.dialect != "apache" or field.apart
    kinds = (("proxy", of_proxies), ("grpc", of_proxies), ("uwsgi", of_proxies), ("fastcgi", of_programs), ("scgi", of_programs))
    lines = [f"{kind}_hide_header" for kind, acts in kinds if acts]
    return [Node([line, field.name], None, spans, field.comments if not number else ()) for number, line in enumerate(lines)]


def _word(name: str) -> str:
    return re.sub(r"\W+", "_", name.lower())


def _expires(fields: list[Field], forwards: bool, context: Context) -> Node | None:
    """Expires and Cache-Control of one age -> one `expires`; both are taken out of the list. What some answers get goes by a table; where another
    Cache-Control comes for some, it is off."""
    pairs = [pair for dated in fields if (pair := _pair(dated, fields)) is not None]
    if not pairs:
        return None
    said: Template = ()
    for age, dated, _ in pairs:
        time = ("-" if age.seconds_ahead < 0 else "") + write_time(abs(age.seconds_ahead))
        made = (time,) if dated.when is None else _table(dated.when, (time,), said or ("off",), "expires", dated)
        if made is None:
            context.lost(dated.span, "Expires", "nginx has no table that asks what it goes by", "move it into a location of its own")
            continue
        said = _merged(made)
    for _, *both in pairs:
        for field in both:
            fields.remove(field)
    if not said:
        return None
    spans = tuple(dict.fromkeys(field.span for _, *both in pairs for field in both if field.span))
    plain = pairs[0][1] if len(pairs) == 1 and pairs[0][1].when is None else None
    replaced = [field for field in fields if field.name.lower() == "cache-control" and field.when is not None and field.operation is Operation.SET]
    if plain is not None and len(replaced) == 1 and (table := by_condition(replace(replaced[0], name="expires", value=("off",)), said)) is not None:
        said = (table,)
    if forwards and pairs[0][1].unless_sent and not (plain is not None and isinstance(said[0], Lookup)):
        # nginx would put its own in the place of what the origin says.
        said = (Lookup("expires_unless_sent", (Var(Variable.ORIGIN_FIELD, "cache-control"), Var(Variable.ORIGIN_FIELD, "expires")), (LookupRow("", said),), ("off",), span=pairs[0][1].span),)
    text = context.template(said, pairs[0][1].span)
    if isinstance(text, Unwritable):
        context.lost(pairs[0][1].span, "Expires", f"it goes by {text.what}")
        return None
    context.structure.update(span for _, dated, _ in pairs for span in walk(dated.when) if isinstance(span, Span))
    return Node(["expires", text], None, spans, pairs[0][1].comments)


def _pair(dated: Field, fields: list[Field]) -> tuple[HttpDate, Field, Field] | None:
    """An Expires reckoned from now with the Cache-Control of the same age."""
    if dated.name.lower() != "expires" or len(dated.value) != 1 or not isinstance(dated.value[0], HttpDate):
        return None
    age = dated.value[0]
    wanted = (f"max-age={age.seconds_ahead}",) if age.seconds_ahead >= 0 else ("no-cache",)
    own = next((field for field in fields if field.name.lower() == "cache-control" and field.value == wanted and field.when == dated.when and (field.span == dated.span or dated.when is None)), None)
    return (age, dated, own) if own is not None else None


def _merged(made: Template) -> Template:
    """A table whose last word is another table of the same text: one table."""
    match made:
        case (Lookup(subject=subject, fallback=(Lookup() as inner,)) as table,) if inner.subject == subject and inner.ignores_case == table.ignores_case and not table.networks:
            return (replace(table, rows=(*table.rows, *inner.rows), fallback=inner.fallback),)
    return made
