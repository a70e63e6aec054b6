"""Caddy `rewrite`, `uri` -> Rewrite. Mirror: writer/rewrites.py.

Source:   Caddy documentation, those directives; rewrite.go (2.6.2, probed): a path keeps the query unless a question
          mark is written; a question mark out of a capture ends the path; stripping cleans the path first.
"""

from __future__ import annotations

import re

from ....model import (
    AnyOf, Capture, Choose, PathForm, PathMatches, QueryEdit, Rewrite, Route, SetPath, SetVariable, Step, StripPrefix, StripSuffix, Template, TextMatches, Unserved, Var, Variable, join,
)
from ..syntax import Directive, Word
from ..values import nameless, scalar
from .context import Context, Level, Read


def read_rewrite(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`rewrite [matcher] TO`."""
    if len(words) != 1:
        context.unread(directive, " ".join(words), "one target was expected")
        return ()
    if odd := nameless(words[0]):
        context.unread(directive, odd, "a placeholder, or a backslash before its first brace, was expected")
        return (Unserved(directive.span.directive, directive.span),)
    # rewrite.go (2.6.2, probed): a fragment is taken off before anything is filled in, and goes nowhere.
    path, mark, query = words[0].partition("#")[0].partition("?")
    edit = QueryEdit(context.template(query, directive), encodes=True) if mark else None
    target = tuple(Var(Variable.PATH) if part == Var(Variable.TARGET_NOW) else part for part in context.template(path, directive))
    template: Template = target
    return (Rewrite(SetPath(template, True) if path else None, edit, span=directive.span, comments=directive.comments),)


def strip_prefix(prefix: str, directive: Directive) -> Rewrite:
    return Rewrite(StripPrefix(prefix, cleans=True), span=directive.span, comments=directive.comments)


def read_uri(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`uri [matcher] strip_prefix | strip_suffix TEXT`, `uri [matcher] replace TEXT NEW [LIMIT]`."""
    if len(words) == 2 and words[0] == "strip_prefix":
        return (strip_prefix("/" + words[1].lstrip("/"), directive),)
    if len(words) == 2 and words[0] == "strip_suffix":
        return (Rewrite(StripSuffix(words[1], cleans=True), span=directive.span),)
    if words[:1] == ["replace"] and len(words) in (3, 4) and words[1] and "{" not in words[1] and words[3:] in ([], ["0"], ["1"]):
        return _replaced(words[1], words[2], words[3:] == ["1"], directive, context)
    context.unread(directive, " ".join(words), "strip_prefix, strip_suffix, or replace with a text that is written out was expected")
    return (Unserved(directive.span.directive, directive.span),)


# How many times a text may stand in a path to be replaced: more often is no path that anybody has in mind.
_TIMES = 2


def _replaced(text: str, new: str, once: bool, directive: Directive, context: Context) -> tuple[Step, ...]:
    """A text wherever it stands in the path, and in the query, by another.

    rewrite.go, substrReplacer (2.6.2, probed): dots are resolved and slashes merged before, unless the text itself has two; what was put in is not looked at again.
    """
    span, found = directive.span, re.escape(text)
    form = PathForm.CURRENT if "//" in text else PathForm.CLEAN
    put = context.template(new, directive)

    def holds(times: int, end: str) -> PathMatches:
        return PathMatches(context.pattern(f"^{f'(.*?){found}' * times}{end}", directive, label=context.label("replace")), form, span=span)

    def changed(times: int) -> Route:
        asked = holds(times, "(.*)$")
        made: Template = ()
        for number in range(1, times + 1):
            made = join(made, Capture(number, asked.pattern.label), *put)
        return Route(asked, (Rewrite(SetPath(join(made, Capture(times + 1, asked.pattern.label)), True), span=span, comments=directive.comments),), span)

    unread = (Unserved(span.directive, span),)
    # changePath: it is looked for in the path as it was sent, among the digits of escapes as well.
    escaped = TextMatches((Var(Variable.TARGET),), context.pattern("^[^?]*%", directive), span=span)
    in_query = AnyOf((escaped, TextMatches((Var(Variable.QUERY),), context.pattern(found, directive), span=span)), span)
    beyond = [] if once else [Route(holds(_TIMES + 1, ""), unread, span, accident=True)]
    unclean = PathMatches(context.pattern(r"//|/\.\.?(?:/|$)", directive), span=span)
    cleaned = [] if form is PathForm.CURRENT else [Route(unclean, (Rewrite(StripSuffix("", cleans=True), span=span),), span, accident=True)]
    return (Choose((Route(in_query, unread, span, accident=True), *beyond, *(changed(times) for times in range(1 if once else _TIMES, 0, -1)), *cleaned), span),)


def read_vars(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`vars [matcher] NAME VALUE`, or a block of such lines."""
    lines = [directive.words[-len(words):]] if words else [inner.words for inner in directive.block or []]
    if not all(len(line) == 2 for line in lines):
        context.unread(directive, " ".join(words), "a name and a value were expected")
        return ()
    return tuple(SetVariable(name.text, context.template(unquoted(value) or value.text, directive), directive.span) for name, value in lines)


def unquoted(word: Word) -> str | None:
    """The number or truth value that a word stands for, if it does."""
    return scalar(word.spelt)


def numbers(directives: list[Directive]) -> set[str]:
    """The variables that lines set to numbers or truth values, wherever they stand."""
    found: set[str] = set()
    for directive in directives:
        lines = [directive.words[-2:]] if directive.name == "vars" and not directive.block else [inner.words for inner in directive.block or []] if directive.name == "vars" else []
        found |= {line[0].text for line in lines if len(line) == 2 and unquoted(line[1]) is not None}
        found |= numbers(directive.block or [])
    return found


READS: dict[str, Read] = {"rewrite": read_rewrite, "uri": read_uri, "vars": read_vars}
