"""Caddy `rewrite`, `uri` -> Rewrite. Mirror: writer/rewrites.py.

Source:   Caddy documentation, those directives; rewrite.go (2.6.2, probed): a path keeps the query unless a question
          mark is written; a question mark out of a capture ends the path; stripping cleans the path first.
"""

from __future__ import annotations

from ....model import QueryEdit, Rewrite, SetPath, SetVariable, Step, StripPrefix, StripSuffix, Template, Var, Variable
from ..syntax import Directive
from .context import Context, Level, Read


def read_rewrite(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`rewrite [matcher] TO`."""
    if len(words) != 1:
        context.unread(directive, " ".join(words), "one target was expected")
        return ()
    path, mark, query = words[0].partition("?")
    edit = QueryEdit(context.template(query, directive), encodes=True) if mark else None
    target = tuple(Var(Variable.PATH) if part == Var(Variable.TARGET_NOW) else part for part in context.template(path, directive))
    template: Template = target
    return (Rewrite(SetPath(template, True) if path else None, edit, span=directive.span, comments=directive.comments),)


def strip_prefix(prefix: str, directive: Directive) -> Rewrite:
    return Rewrite(StripPrefix(prefix, cleans=True), span=directive.span, comments=directive.comments)


def read_uri(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`uri [matcher] strip_prefix | strip_suffix TEXT`."""
    if len(words) == 2 and words[0] == "strip_prefix":
        return (strip_prefix("/" + words[1].lstrip("/"), directive),)
    if len(words) == 2 and words[0] == "strip_suffix":
        return (Rewrite(StripSuffix(words[1], cleans=True), span=directive.span),)
    context.unread(directive, " ".join(words), "strip_prefix or strip_suffix was expected; replacing is not read yet")
    return ()


def read_vars(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`vars [matcher] NAME VALUE`, or a block of such lines."""
    lines = [words] if words else [[word.text for word in inner.words] for inner in directive.block or []]
    if not all(len(line) == 2 for line in lines):
        context.unread(directive, " ".join(words), "a name and a value were expected")
        return ()
    return tuple(SetVariable(name, context.template(value, directive), directive.span) for name, value in lines)


READS: dict[str, Read] = {"rewrite": read_rewrite, "uri": read_uri, "vars": read_vars}
