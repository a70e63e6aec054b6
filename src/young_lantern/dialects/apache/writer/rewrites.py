"""Rewrite, SetVariable -> `RewriteRule`. Mirror: reader/rewrites.py (_effects).

Source:   Apache HTTP Server manual, mod_rewrite, RewriteRule: the client's query stays unless the substitution has a question mark; QSA adds it,
          QSD drops it.
"""

from __future__ import annotations

from ....model import QueryEdit, Rewrite, SetPath, SetVariable, Span, StripPrefix, StripSuffix, Var, Variable
from ....model.walk import walk
from ...noting import Unwritable
from .. import values
from .conditions import Asked
from .context import Context
from .output import Node
from .paths import escaped

_OF_PATH = frozenset({Variable.PATH, Variable.PATH_ESCAPED, Variable.TARGET_NOW})


def needs_path(value: object) -> bool:
    """Whether the path itself is asked for in a template, or what it is changed by."""
    return any(isinstance(item, Var) and item.variable in _OF_PATH or isinstance(item, StripPrefix | StripSuffix) for item in walk(value))


def rule(asked: Asked, substitution: str, flags: list[str], context: Context, spans: tuple[Span | None, ...] = (), comments: tuple[str, ...] = ()) -> list[Node]:
    """Condition lines and the rule; a substitution of `-` changes nothing."""
    flags = [*asked.flags, *flags]
    words = ["RewriteRule", values.quote(asked.pattern), substitution if substitution == "-" else values.quote(substitution)]
    line = context.line(*words, *([f"[{','.join(flags)}]"] if flags else []), spans=spans)
    made = [*asked.conditions, line]
    made[0].comments = comments
    for node in made:
        node.spans = line.spans
    return made


def write_rewrite(item: Rewrite, asked: Asked, flags: list[str], context: Context, front: str = "") -> list[Node] | Unwritable:
    """A change of the path, or of the query alone. front: the folder that the new path lies in, where it is not the document root."""
    made = substitution(item, asked, context, front)
    if isinstance(made, Unwritable):
        return made
    text, more = made
    return rule(asked, text, [*more, *flags], context, (item.span,), item.comments)


def substitution(item: Rewrite, asked: Asked, context: Context, front: str = "") -> tuple[str, list[str]] | Unwritable:
    """The substitution of a rule and its flags; `front` stands before the path."""
    match item.edit:
        case SetPath(template):
            text = context.in_rule(template, item.span, asked)
        case StripPrefix(prefix):
            # What is left begins with a slash, whether the prefix took it or not.
            asked.pattern = _without(asked.pattern, prefix.rstrip("/") + "/")[:-len("(.*)$")].removesuffix("/") + "/?(.*)$"
            text = "/$1"
        case StripSuffix(suffix):
            asked.pattern = asked.pattern.removesuffix("(/.*)$") + f"(/.*?){escaped(suffix)}$"
            text = "$1"
        case None:
            text = asked.whole or "%{REQUEST_URI}"
    if isinstance(text, Unwritable):
        return text
    if "?" in text:
        return Unwritable("a question mark in a path")
    if item.query is None:
        return front + text, []
    return _query(item.query, front + text, item.span, asked, context)


def _without(pattern: str, prefix: str) -> str:
    """A pattern for the whole path whose group is what follows a prefix."""
    return pattern.removesuffix("(/.*)$") + f"{escaped(prefix)}(.*)$"


def _query(edit: QueryEdit, text: str, span: Span | None, asked: Asked, context: Context) -> tuple[str, list[str]] | Unwritable:
    template = edit.template
    appends = edit.appends_query
    if template and template[-1] == Var(Variable.QUERY, "&"):
        template, appends = template[:-1], True
    if template == (Var(Variable.QUERY),):
        return text, []
    written = context.in_rule(template, span, asked)
    if isinstance(written, Unwritable):
        return written
    if not written:
        return (text, []) if appends else (text, ["QSD"])
    return f"{text}?{written}", ["QSA"] if appends else []


def write_variable(item: SetVariable, asked: Asked, context: Context) -> list[Node] | Unwritable:
    """A variable of the request: the flag E."""
    text = context.in_rule(item.value, item.span, asked)
    if isinstance(text, Unwritable):
        return text
    if any(sign in text for sign in ",]\" "):
        return Unwritable("a variable whose value has blanks, commas or brackets")
    return rule(asked, "-", [f"E={item.name}:{text}" if text else f"E=!{item.name}"], context, (item.span,))


