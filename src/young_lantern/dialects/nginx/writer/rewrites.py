"""Rewrite, SetVariable -> nginx `rewrite`, `set`. Mirror: reader/rewrites.py.

Rule:     nginx appends the client's query unless the replacement ends in a question mark; captures are those of the rewrite's
          own pattern, which therefore is the pattern of the condition wherever there is one.
"""

from __future__ import annotations

import re

from ....model import Capture, PathMatches, Rewrite, SetPath, SetVariable, StripPrefix, StripSuffix, Var, Variable
from ....model.walk import walk
from ...noting import Unwritable
from ..values import quote, variable_name
from .context import Context
from .output import Node

# Names of variables that keep what was asked before the path is changed.
AT_FIRST = "_at_first"


def write_rewrite(step: Rewrite, context: Context, condition: PathMatches | None = None, flag: str = "") -> Node | Unwritable:
    """One `rewrite`. condition: the pattern that the path must meet; its captures are in the target."""
    spans = tuple(dict.fromkeys(span for span in (condition.span if condition else None, step.span) if span))
    pattern = "^"
    if condition is not None:
        context.matched(condition.pattern)
        pattern = ("(?i)" if condition.pattern.ignores_case else "") + context.pattern_text(condition.pattern)
    elif any(isinstance(item, Capture) and item.pattern == context.pattern and isinstance(item.group, int) for item in walk(step)):
        # A pattern that has no groups would take away those of the location; what another text than the path was asked for keeps its groups by name.
        if context.pattern in context.of_paths:
            pattern = context.texts.get(context.pattern, pattern)
        else:
            context.by_name.add(context.pattern)
    match step.edit:
        case StripPrefix(prefix):
            return Node(["rewrite", quote(f"^{re.escape(prefix)}/?(.*)$"), "/$1", *([flag] if flag else [])], None, spans, step.comments)
        case StripSuffix(suffix):
            return Node(["rewrite", quote(f"^(.*){re.escape(suffix)}$"), "$1", *([flag] if flag else [])], None, spans, step.comments)
        case SetPath((Var(Variable.PATH), str() as end)) if end.startswith("/") and pattern == "^" and step.edit.cuts_at_mark:
            # Slashes are not merged in what a rewrite makes: the one at the path's end is left out.
            pattern, path = "^(.*?)/?$", context.template((end,), step.span)
            path = path if isinstance(path, Unwritable) else f"$1{path}"
        case SetPath(template):
            path = context.template(template, step.span)
        case _:
            path = context.template((), step.span) if step.query is None else "$uri"
    if isinstance(path, Unwritable):
        return path
    text = path
    if step.query is not None:
        query = context.template(step.query.template, step.span)
        if isinstance(query, Unwritable):
            return query
        if not (step.query.appends_query and not query):
            text = f"{path}?{query}" + ("" if step.query.appends_query else "?" if query else "")
    return Node(["rewrite", quote(pattern), quote(text), *([flag] if flag else [])], None, spans, step.comments)


def write_variable(step: SetVariable, context: Context) -> Node | Unwritable:
    value = context.template(step.value, step.span)
    if isinstance(value, Unwritable):
        return value
    why = ("Looked up here, before rules change the path.",) if step.name.endswith(AT_FIRST) else ()
    return Node(["set", f"${variable_name(step.name)}", quote(value)], None, (step.span,) if step.span else (), why)
