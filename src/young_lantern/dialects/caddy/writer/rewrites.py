"""Rewrite, SetVariable -> Caddy `rewrite`, `uri`, `vars`. Mirror: reader/rewrites.py.

Rule:     Caddy keeps the query unless a question mark is written; that is what a Rewrite without an edit of the query means.
"""

from __future__ import annotations

from ....model import QueryEdit, Rewrite, SetPath, SetVariable, StripPrefix, StripSuffix, Var, Variable, join
from ..values import Unwritable, quote, scalar
from .context import Context
from .output import Node


def write_rewrite(step: Rewrite, context: Context) -> list[Node] | Unwritable:
    spans = (step.span,) if step.span else ()
    match step.edit:
        case StripPrefix(prefix):
            return [Node(["uri", "strip_prefix", quote(prefix)], None, spans, step.comments)]
        case StripSuffix(suffix):
            return [Node(["uri", "strip_suffix", quote(suffix)], None, spans, step.comments)]
    path = context.template(step.edit.template, step.span) if isinstance(step.edit, SetPath) else ""
    if isinstance(path, Unwritable):
        return path
    query = _query(step.query, context)
    if isinstance(query, Unwritable):
        return query
    start = step.edit.template[0] if isinstance(step.edit, SetPath) and step.edit.template else ""
    leads_to = (start if isinstance(start, str) else "") if path else None
    return [Node(["rewrite", "*", quote(path + query)], None, spans, step.comments, leads_to=leads_to)]


def _query(edit: QueryEdit | None, context: Context) -> str | Unwritable:
    if edit is None:
        return ""
    template = edit.template
    if edit.appends_query and template:
        template = join(template, "&", Var(Variable.QUERY))
    elif edit.appends_query:
        return ""
    text = context.shown(template, None, Variable.COOKIE, Variable.VARIABLE)
    return text if isinstance(text, Unwritable) else f"?{text}"


def write_variable(step: SetVariable, context: Context) -> list[Node] | Unwritable:
    value = context.template(step.value, step.span)
    if isinstance(value, Unwritable):
        return value
    # In quotes, since a number equals no text, and has no pattern in it (2.6.2, probed).
    return [Node(["vars", step.name, quote(value) if scalar(value) is None else f'"{value}"'], None, (step.span,) if step.span else ())]
