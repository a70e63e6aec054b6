"""httpd `Header`, `RequestHeader`, `Expires…` -> Field steps.

Source:   Apache HTTP Server manual, mod_headers, mod_expires; mod_headers.c, headers_insert_output_filter.
Rule:     two tables: `always` goes with every answer, errors and redirects of the server's own included, and does not touch what an
          origin sent; the other one changes what the handler made, and is not sent with the server's own errors and redirects.
Unknown:  a condition by expression is `value-unread`.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import (
    ALWAYS, Condition, Disposition, Field, HANDLED_STATUSES, HttpDate, Not, Operation, Part, Pattern, Side, Span, Step, Template, TextMatches, Unread, Var, Variable, join,
)
from ....model.walk import walk
from .. import values
from . import environment
from .context import Context, Node
from .expressions import Read, read_expression
from .late_environment import is_unknown, value_of
from .places import NEVER

_OPERATIONS = {
    "set": Operation.SET, "add": Operation.ADD, "append": Operation.APPEND, "merge": Operation.MERGE, "unset": Operation.REMOVE,
    "setifempty": Operation.DEFAULT, "edit": Operation.EDIT, "edit*": Operation.EDIT,
}


def read_response_fields(nodes: list[Node], always: bool, context: Context) -> tuple[Step, ...]:
    """The Header lines of one table, in file order."""
    made: list[Step] = []
    by_default = default_types(nodes)
    for node in nodes:
        if node.name != "header" or (node.args[:1] == ["always"]) is not always or id(node) in by_default or node.span in context.routes_sent:
            continue
        context.use(node)
        words = node.args[1:] if node.args[:1] in (["always"], ["onsuccess"]) else node.args
        made += _field(words, Side.RESPONSE, always, node, context)
    return tuple(made)


def changed_fields(nodes: list[Node]) -> tuple[frozenset[str], frozenset[str]]:
    """The fields of answers that Header lines change otherwise than by edits, in small letters; and those of them that all lines merge one value into."""
    changes: dict[str, set[tuple[str, ...]]] = {}
    for node in nodes:
        words = node.args[node.args[:1] != [] and node.args[0].lower() in ("always", "onsuccess"):]
        if node.name == "header" and len(words) > 1 and not words[0].lower().startswith("edit"):
            changes.setdefault(words[1].removesuffix(":").lower(), set()).add((words[0].lower(), *words[2:3]))
    return frozenset(changes), frozenset(name for name, said in changes.items() if len(said) == 1 and next(iter(said))[0] == "merge")


# expr: CONTENT_TYPE is the answer's, and empty where a file's name says nothing of it (2.4.71, probed).
_NO_TYPE = re.compile(r"""expr=\s*(?:-z\s*%\{CONTENT_TYPE\}|%\{CONTENT_TYPE\}\s*==\s*(?:''|""))\s*(?:&&\s*%\{HANDLER\}\s*!~\s*(?:m#\^proxy#|/\^proxy/)\s*)?""", re.I)


def default_type(node: Node) -> str | None:
    """What a Header line gives to answers that have no Content-Type, if that is what it does."""
    words = node.args[1:] if node.args[:1] == ["onsuccess"] else node.args
    if node.name != "header" or len(words) != 4 or words[0].lower() != "set" or words[1].removesuffix(":").lower() != "content-type" or "%" in words[2]:
        return None
    return words[2] if _NO_TYPE.fullmatch(words[3]) else None


def default_types(nodes: list[Node]) -> dict[int, str]:
    """The lines that do just that, by their places in memory; not those behind one that asks for the type, which sees none then (2.4.71, probed)."""
    found: dict[int, str] = {}
    for node in nodes:
        if (value := default_type(node)) is not None:
            found[id(node)] = value
        elif node.name == "header" and any("content_type" in word.lower() for word in node.args[2:]):
            break
    return found


def read_request_fields(nodes: list[Node], context: Context) -> tuple[Step, ...]:
    """The RequestHeader lines."""
    made: list[Step] = []
    for node in context.take(nodes, "requestheader"):
        for step in _field(node.args, Side.REQUEST, True, node, context):
            last = made[-1] if made else None
            target = values.only_target(last.value) if isinstance(last, Field) and isinstance(step, Field) and last.name == step.name and last.operation is Operation.SET else None
            if target is not None and step.find is not None and step.find.text == values.REQUEST_LINE and step.value == ("${1}",) and last.when == step.when:  # type: ignore[union-attr]
                # Both lines together come to the target as received.
                made[-1] = replace(last, value=target)  # type: ignore[type-var]
            else:
                made.append(step)
    return tuple(made)


def _field(words: list[str], side: Side, always: bool, node: Node, context: Context) -> tuple[Step, ...]:
    if words and words[-1].lower() == "early":
        words = words[:-1]
    wanted: Condition | None = None
    statuses = None if always else HANDLED_STATUSES
    # The redirect that adds a folder's slash is made before any handler is asked; one of an origin's is a handler's.
    of_origins = frozenset() if always else frozenset({301})
    least = 2 if words[:1] and words[0].lower() == "unset" else 3
    if len(words) > least and words[-1].startswith(("env=", "expr=")):
        *words, by = words
        asked = _by_environment(by, always and side is Side.RESPONSE, node, context) if by.startswith("env=") else read_expression(by[5:], node.span, side is Side.RESPONSE)
        if asked is None or asked.statuses is not None and side is Side.REQUEST:
            if by.startswith("expr="):
                context.value(node, by, "a condition that is read was expected")
            return ()
        if changed := next((item.name for item in walk(asked.condition) if isinstance(item, Var) and item.variable is Variable.ORIGIN_FIELD and item.name.lower() in context.answer_fields
                            # A line that merges what the others have merged comes to the same, whether it sees that or not.
                            and not (item.name.lower() == words[1].removesuffix(":").lower() and item.name.lower() in context.merged_alike)), ""):
            context.value(node, by, f"a field that no other line changes was expected, not {changed}")
            return ()
        wanted = None if asked.condition is ALWAYS else asked.condition
        if wanted == NEVER:
            claim = context.claims[node.span]
            claim.disposition, claim.why = Disposition.IMPLIED, "its condition never holds on this host"
            return ()
        if asked.statuses is not None:
            statuses = asked.statuses if statuses is None else statuses & asked.statuses
            of_origins &= asked.statuses
    operation = _OPERATIONS.get(words[0].lower()) if words else None
    if operation is None or len(words) < (2 if operation is Operation.REMOVE else 4 if operation is Operation.EDIT else 3):
        context.value(node, " ".join(words[:1]), "set, append, merge, add, unset, edit or setifempty and a field's name were expected")
        return ()
    name = words[1].removesuffix(":")
    find = context.pattern(words[2], node) if operation is Operation.EDIT else None
    text = "" if operation is Operation.REMOVE else words[3] if find else words[2]
    value = values.read_field_value(text, lambda name: _from_environment(name, always and side is Side.RESPONSE, context), context.has("ssl"))
    if context.modules is not None and "unique_id" in context.modules:
        # mod_unique_id sets it as soon as the request is there.
        value = tuple(Var(Variable.REQUEST_ID) if part == Var(Variable.VARIABLE, values.UNIQUE_ID) else part for part in value)
    if text.startswith("expr=") and _unknown(value, context):
        value = join(*(_of_expression(part, context) for part in value))
    value = context.checked(value, node.span, node.name)
    if find is not None:
        # A group has one digit; a letter behind it is no part of its name.
        value = tuple(re.sub(r"\$(\d)", r"${\1}", part) if isinstance(part, str) else part for part in value)
    if unknown := _unknown((value, wanted), context):
        context.value(node, unknown, _SET_BY_RULES)
        return ()
    made = Field(
        side, operation, name, value, statuses=statuses, also_of_origins=of_origins, at_once=side is Side.REQUEST, survives_errors=always, apart=always and side is Side.RESPONSE, find=find, span=node.span, comments=node.comments,
    )
    # Conditions are asked when the answer goes out: what a rule set on the way counts, wherever the line stands.
    return (replace(made, when=wanted, asked_last=wanted is not None),)


_SET_BY_RULES = "a variable that a rewrite rule, SetEnvIf or one SetEnv sets was expected; what modules set by themselves is not read"


def _unknown(items: object, context: Context) -> str:
    """A variable in an expression whose value nobody here knows; what is set late counts as such there."""
    names = [item.name for item in walk(items) if isinstance(item, Var) and item.variable is Variable.VARIABLE]
    return next((name for name in names if is_unknown(name, context) or name in context.late and name not in context.late_asked), "")


def _of_expression(part: Part, context: Context) -> Template:
    """A part of a value: what SetEnv alone has set by then stands for itself, and of what a module sets nothing is known but that the field is sent."""
    if not isinstance(part, Var) or not _unknown((part,), context):
        return (part,)
    if part.name in context.late and part.name not in context.environment and not is_unknown(part.name, context):
        value = value_of(part.name, context)
        return (value,) if value else ()
    return (Unread(f"%{{ENV:{part.name}}}"),)


def _from_environment(name: str, for_all: bool, context: Context) -> Template:
    """`%{NAME}e`. for_all: the line goes with answers that no handler made, too."""
    if name == values.UNIQUE_ID and context.modules is not None and "unique_id" in context.modules:
        return (Var(Variable.REQUEST_ID),)
    if is_unknown(name, context):
        return (Unread(f"%{{{name}}}e"),)
    if name not in context.late:
        return values.or_null(name, environment.there(name, context))
    value = value_of(name, context) or ""
    if for_all or name in context.environment:
        context.late_asked.add(name)
        return values.or_null(name, environment.there(name, context))
    return (value,) if value else ()


def _by_environment(by: str, for_all: bool, node: Node, context: Context) -> Read | None:
    found = re.fullmatch(r"env=(!?)([\w-]+)", by)
    if not found:
        context.value(node, by, "the name of a variable was expected")
        return None
    name = found[2]
    if is_unknown(name, context):
        context.value(node, by, _SET_BY_RULES)
        return None
    if name in context.late or name not in context.environment:
        is_set = value_of(name, context) is not None
        if not for_all or not is_set:
            return Read(ALWAYS if is_set is not bool(found[1]) else NEVER)
        context.late_asked.add(name)
    empty = environment.is_unset(found[2], node.span, context)
    return Read(empty if found[1] else Not(empty, node.span))


def read_default_expiry(nodes: list[Node], context: Context) -> tuple[Field, ...]:
    """ExpiresDefault of a level, for what no media type says more of, where expiry is on."""
    default = context.last(nodes, "expiresdefault")
    if default is None:
        return ()
    seconds = values.read_expiry(" ".join(default.args))
    if seconds is None:
        context.value(default, " ".join(default.args), "a time such as \"access plus 1 month\" was expected (not relative to the file's date)")
    return _pair(seconds, default.span)


def read_typed_expiry(nodes: list[Node], context: Context) -> tuple[Field, ...]:
    """ExpiresByType of a level: by the type of the answer, whoever said it; redirects of the server's own are text/html (2.4.71, probed).

    mod_expires.c, expires_filter: what stands behind the type does not count, and `image/*` is for all of that kind that have no line of their own.
    """
    typed: dict[str, tuple[int | None, Span]] = {}
    for node in context.take(nodes, "expiresbytype"):
        seconds = values.read_expiry(node.args[1]) if len(node.args) > 1 else None
        if seconds is None:
            context.value(node, " ".join(node.args), "a media type and a time such as \"access plus 1 month\" were expected (not relative to the file's date)")
        if node.args:
            # Its answers do not get what others get by default.
            typed[node.args[0].lower()] = (seconds, node.span)
    made: list[Field] = []
    for media_type, (seconds, span) in sorted(typed.items(), key=lambda pair: not pair[0].endswith("/*")):
        text = f"^{re.escape(media_type[:-1])}" if media_type.endswith("/*") else f"^{re.escape(media_type)}(?:;|$)"
        asked = TextMatches((Var(Variable.ANSWER_TYPE),), Pattern(text.replace("\\-", "-"), "pcre", ignores_case=True), span=span)
        made += [replace(field, when=asked, asked_last=True) for field in _pair(seconds, span)]
    return tuple(made)


def turns_expiry_on(nodes: list[Node], context: Context) -> bool | None:
    """Whether a level turns expiry on, or off; None: it does not speak of it."""
    active = context.last(nodes, "expiresactive")
    return None if active is None else active.args[:1] != [] and active.args[0].lower() == "on"


_BY_DATE: Template = (Unread("the file's date"),)


def _pair(seconds: int | None, span: Span) -> tuple[Field, ...]:
    """None: a time that is not read."""
    # mod_expires: on answers below 400, redirects of the server's own too (2.4.71, probed); what an origin says of it is kept.
    # mod_expires.c, expires_filter: with an Expires of the origin's nothing is set; max-age is put behind a Cache-Control of its (2.4.71, probed).
    common = {"statuses": frozenset(range(200, 400)), "span": span, "unless_sent": "expires"}
    return (
        Field(Side.RESPONSE, Operation.SET, "Cache-Control", (f"max-age={seconds}",) if seconds is not None else _BY_DATE, **common),  # type: ignore[arg-type]
        Field(Side.RESPONSE, Operation.SET, "Expires", (HttpDate(seconds),) if seconds is not None else _BY_DATE, **common),  # type: ignore[arg-type]
    )
