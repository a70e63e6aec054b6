"""nginx `rewrite`, `if`, `set`, `break` -> Rewrite, Choose, SetVariable, Leave.

Source:   nginx manual, rewrite module: the directives run in the order written; `last` at server level, and every
          flagged one, ends the phase; without a flag the next directive follows, and a changed path is looked up again.
Rule:     the replacement gets the client's query appended unless it ends in "?" (probed on 1.22.1).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import takewhile
from typing import Protocol

from ....codes import CONDITION_UNREAD
from ....model import (
    Choose, Condition, FileExists, FileKind, Leave, Not, PathMatches, QueryEdit, Redirect, Restart, Rewrite, Rewritten, Route,
    SetPath, SetVariable, Step, Template, TextIs, TextMatches, Unknowable, Var, Variable, join,
)
from .. import defaults
from ..syntax import Directive
from . import answers, redirect_names
from .context import Context, Scope
from .files import read_root
from .load import broken

NAMES = frozenset({"rewrite", "if", "set", "break", "return"})


@dataclass(frozen=True, slots=True)
class Phase:
    """Where the rewriting stands. `label`: its block; `locate`: the block of the search for a location.

    at_server: `last` and `break` are the same there, since the search follows anyway
    """

    label: str
    locate: str
    at_server: bool


class Answering(Protocol):
    def __call__(self, scope: Scope) -> tuple[Step, ...]: ...


def read_phase(scope: Scope, phase: Phase, context: Context, before_answer: Answering, taken: list[tuple[str, Scope]]) -> tuple[Step, ...]:
    """The rewriting directives of a block, in order.

    before_answer: the settings in force at a scope, put before an answer given in this phase
    taken: filled with (variable, scope) of every `if` that may change the settings of its location
    """
    steps: list[Step] = []
    for directive in scope.directives:
        if directive.name not in NAMES or broken(context, directive):
            continue
        match directive.name:
            case "rewrite":
                steps += _read_rewrite(directive, scope, phase, context, before_answer)
            case "return":
                steps += [*before_answer(scope), *answers.read_return(directive, scope, context)]
            case "set":
                context.use(directive)
                steps.append(SetVariable(directive.args[0].lstrip("$").lower(), context.template(directive.args[1], directive, escapes=True), directive.span))
                if directive.args[0].lower() == "$limit_rate":
                    # ngx_http_variables.c, ngx_http_variable_set_limit_rate: that is the speed itself.
                    context.unread(directive, " ".join(directive.args), "a line limit_rate was expected; a speed that rules set is not read")
            case "break":
                span = context.use(directive).span
                if not phase.at_server or _rewrites_before(directive, scope, context):
                    # ngx_http_script_break_code: once the path was changed, the location's own text counts no more, be that one found before or after (1.22.1, probed).
                    pinned = Rewrite(None, pins=True, internal=False, span=span)
                    steps.append(Choose((Route(Rewritten(phase.label if phase.at_server else phase.locate), (pinned,), span),), span))
                steps.append(Leave(phase.label, span))
            case "if":
                steps.append(_read_if(directive, scope, phase, context, before_answer, taken))
    return tuple(steps)


def _rewrites_before(directive: Directive, scope: Scope, context: Context) -> bool:
    """Whether a `rewrite` of the server stands before a line of its."""
    server = scope
    while server.kind != "server" and server.parent is not None:
        server = server.parent
    inner = (item for line in server.directives if line.name in NAMES for item in (line, *(context.block(line) if line.name == "if" else ())))
    return any(item.name == "rewrite" for item in takewhile(lambda item: item is not directive, inner))


def _read_if(directive: Directive, scope: Scope, phase: Phase, context: Context, before_answer: Answering,
             taken: list[tuple[str, Scope]]) -> Step:
    context.use(directive)
    context.rewriting = scope
    inner = Scope("if", context.block(directive), scope, directive)
    condition = read_condition(directive, scope, context)
    steps: list[Step] = []
    if not phase.at_server:
        # rewrite module: a true `if` puts its own settings in place of its location's, and the last true one stays.
        variable = context.label("if")
        taken.append((variable, inner))
        steps.append(SetVariable(variable, ("1",), directive.span, of_place=True))
    steps += read_phase(inner, phase, context, before_answer, taken)
    return Choose((Route(condition, tuple(steps), directive.span, directive.comments),), directive.span)


def read_condition(directive: Directive, scope: Scope, context: Context) -> Condition:
    """The words of an `if` -> condition."""
    raw = " ".join(word.raw for word in directive.words[1:])
    words = [word.text for word in directive.words[1:]]
    words[0] = words[0].removeprefix("(")
    words[-1] = words[-1].removesuffix(")")
    words = [word.strip("\"'") if word[:1] in "\"'" and word[-1:] == word[:1] else word for word in words if word != ""]
    span = directive.span
    if len(words) == 1 and words[0].startswith("$"):
        # rewrite module: false when the value is empty or "0".
        return Not(TextIs(context.template(words[0], directive), ("", "0"), span=span), span)
    if len(words) == 2 and re.fullmatch(r"!?-[fdex]", words[0]):
        kind = {"f": FileKind.FILE, "d": FileKind.FOLDER, "e": FileKind.ANY, "x": FileKind.PROGRAM}[words[0][-1]]
        root, path, strip = _file(words[1], directive, scope, context)
        test: Condition = FileExists(root, path, kind, strip, span=span)
        return Not(test, span) if words[0].startswith("!") else test
    if len(words) >= 2 and words[0].startswith("$"):
        subject, operator, value = words[0], words[1], " ".join(words[2:])
        template = context.template(subject, directive)
        if operator in ("=", "!="):
            same = TextIs(template, (value,), span=span)
            return same if operator == "=" else Not(same, span)
        if operator in ("~", "~*", "!~", "!~*"):
            matches = TextMatches(template, context.pattern(value, directive, ignores_case=operator.endswith("*")), miss_forgets=True, span=span)
            return Not(matches, span) if operator.startswith("!") else matches
    context.claims[span].finding = context.say(CONDITION_UNREAD, span, condition=raw)
    return Unknowable(raw, span)


def _file(word: str, directive: Directive, scope: Scope, context: Context) -> tuple[Template, Template, str]:
    """root, path and what is cut off it. `$request_filename` is the file of the current path, an alias minded."""
    root, strip, whole, _ = read_root(scope, context)
    if word == "$request_filename":
        return (whole, (), "") if whole is not None else (root, (Var(Variable.PATH),), strip)
    rest = word.removeprefix("$document_root")
    return (root if rest != word else ()), context.template(rest, directive), ""


def _read_rewrite(directive: Directive, scope: Scope, phase: Phase, context: Context, before_answer: Answering) -> list[Step]:
    context.use(directive)
    text, replacement, *flags = directive.args
    flag = flags[0] if flags else ""
    span = directive.span
    if flag not in ("", "last", "break", "redirect", "permanent"):
        context.unread(directive, flag, "last, break, redirect or permanent was expected")
        return []
    # ngx_http_script_regex_start_code: a miss sets the number of captures to 0.
    condition = PathMatches(context.pattern(text, directive), miss_forgets=True, span=span)
    outward = flag in ("redirect", "permanent") or replacement.startswith(("http://", "https://", "$scheme"))
    path, mark, query = replacement.partition("?")
    drops = replacement.endswith("?")
    if drops:
        query = query.removesuffix("?")
    # ngx_http_script_copy_capture_code: what a capture brings into the query is escaped (1.22.1, probed).
    edit = QueryEdit(context.template(query, directive, escapes=True), appends_query=not drops) if mark else None
    if outward:
        location = context.template(path, directive, escapes=True)
        location = _with_query(location, context.template(query, directive, escapes=True), drops, bool(mark and not drops))
        status = 301 if flag == "permanent" else defaults.REWRITE_REDIRECT
        # No answer has a status yet where a rewrite completes its text (1.22.1, probed).
        location = tuple("000" if part == Var(Variable.SENT_STATUS) else part for part in location)
        answer: tuple[Step, ...] = (*before_answer(scope), Redirect(status, location, redirect_names.absolute(scope, context), span, directive.comments, decodes=True))
        return [Choose((Route(condition, answer, span),), span)]
    steps: list[Step] = [Rewrite(SetPath(context.template(path, directive), refuses_nothing=True), edit, pins=flag == "break", span=span, comments=directive.comments)]
    if flag == "break" or (flag == "last" and phase.at_server):
        steps.append(Leave(phase.label, span))
    elif flag == "last":
        steps.append(Restart(phase.locate, span))
    return [Choose((Route(condition, tuple(steps), span, directive.comments),), span)]


def _with_query(location: Template, query: Template, drops: bool, has_query: bool) -> Template:
    """The location of a rewrite that redirects: its own query, then the client's, unless the replacement ends in "?"."""
    if drops:
        return join(location, "?", query) if query else location
    if has_query:
        return join(location, "?", query, Var(Variable.QUERY, "&"))
    return join(location, Var(Variable.QUERY, "?"))
