"""Rules of a `RewriteValve` -> steps. Mirror: none.

Source:   Tomcat documentation, "The rewrite Valve"; RewriteValve, RewriteRule, RewriteCond, Substitution (10.1.60): patterns are for the whole text; rules of a
          context see the path behind its own, with the welcome file; a rule that redirects ends it all, whatever its other flags.
Order:    what a rule has made is mapped anew when all are through, and no valve acts twice on one request.
Unknown:  a flag, or a test, that the model has no word for is told; what the rule may be for is left open then.
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import partial
from urllib.parse import quote, quote_plus

from ....model import (
    ALWAYS, AllOf, AnyOf, Block, Capture, Choose, Condition, FileExists, Leave, MediaTypes, MethodIn, Not, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, QueryEdit, Redirect, Respond, Rewrite, Rewritten,
    Route, SetPath, SetVariable, Step, Template, Unknowable, Unread, Unserved, Var, Variable, join)
from .. import values
from ..rules import Line
from .conditions import FILES, read_conditions
from .context import Context
from .rule_levels import Level, substitution

# Flags by their long names, and by what they begin with, in the order in which Tomcat looks (RewriteValve.parseRuleFlag: `forbiddenly` is F).
_FLAGS = (("chain", "C"), ("cookie", "CO"), ("env", "E"), ("forbidden", "F"), ("gone", "G"), ("host", "H"), ("last", "L"), ("nocase", "NC"), ("noescape", "NE"), ("next", "N"),
          ("qsappend", "QSA"), ("qsdiscard", "QSD"), ("redirect", "R"), ("skip", "S"), ("type", "T"), ("valveSkip", "VS"), ("B", "B"))
_STATUSES = {"temp": 302, "permanent": 301, "seeother": 303}
_UNREAD_FLAGS = {"CO": "cookies of rules", "H": "a rule that changes the host", "N": "a list that begins again", "VS": "a valve that is passed over", "B": "groups that are escaped"}


def read_rules(lines: list[Line], level: Level, context: Context) -> tuple[Step, ...]:
    """The rules of one valve, as a block of their own."""
    rules: list[tuple[Line, list[Line]]] = []
    conditions: list[Line] = []
    for line in lines:
        context.use(line)
        if line.name == "RewriteCond" and len(line.args) > 1:
            conditions.append(line)
        elif line.name == "RewriteRule" and len(line.args) > 1:
            rules.append((line, conditions))
            conditions = []
        elif line.name == "RewriteMap":
            context.lose(line.span, "RewriteMap", "tables are not read yet; what a rule that uses one may be for is left open")
        else:
            context.value_unread(line.span, line.name, " ".join(line.args), "at least two words were expected")
    for line in conditions:
        context.lose(line.span, "RewriteCond", "no rule follows it")
    steps = _rules(rules, level, context)
    before = tuple(SetVariable(name, template, lines[0].span) for name, template in level.saved.items())
    return (Block(level.label, (*before, *steps), anew=True),) if steps else ()


def _rules(rules: list[tuple[Line, list[Line]]], level: Level, context: Context) -> tuple[Step, ...]:
    steps: list[Step] = []
    at = 0
    while at < len(rules):
        rule, conditions = rules[at]
        flags = _flags(rule, context)
        at += 1
        if "C" in flags:
            # RewriteValve.invoke: where it does not match, the chained rules are passed over, and the one behind them.
            end = at
            while end < len(rules) and "C" in _flags(rules[end][0], context):
                end += 1
            # What it makes is what they see.
            level.goes_on = level.goes_on or rule.args[1] != "-" and not {"R", "F", "G"} & set(flags)
            inner = _rules(rules[at:end + 1], level, context)
            steps += _one(rule, conditions, flags, level, context, inner, bool(rules[end + 1:]))
            at = end + 1
        elif "S" in flags and flags["S"].isdigit():
            count = int(flags["S"])
            if 0 < count < len(rules[at:]) and "C" in _flags(rules[at + count - 1][0], context):
                steps += _left_open(rule, conditions, "a skip into the middle of a chain", level, context)
                continue
            label = context.label("skipped")
            inner = _one(rule, conditions, flags, level, context, (Leave(label, rule.span),), bool(rules[at:]))
            steps.append(Block(label, (*inner, *_rules(rules[at:at + count], level, context))))
            at += count
        else:
            steps += _one(rule, conditions, flags, level, context, (), bool(rules[at:]))
    return tuple(steps)


def _flags(rule: Line, context: Context) -> dict[str, str]:
    made: dict[str, str] = {}
    for flag in rule.flags:
        found, value = _flag(flag)
        if found is None:
            context.value_unread(rule.span, rule.name, flag, "a flag of the RewriteValve was expected")
            continue
        made[found] = value
    return made


def _flag(flag: str) -> tuple[str | None, str]:
    """A flag's short name, None for one that nobody knows, and its value."""
    name, _, value = flag.partition("=")
    # The first that the flag begins with; `C`, `B` and `E` are whole.
    return next((short for long, short in sorted(_FLAGS, key=lambda pair: -len(pair[1])) if name in (long, short) or name.startswith((long, short)) and short not in ("C", "B", "CO", "E")), None), value


def _one(rule: Line, conditions: list[Line], flags: dict[str, str], level: Level, context: Context, more: tuple[Step, ...], others: bool) -> list[Step]:
    """One rule: its condition, and what it does. more: what follows where it matches; others: whether rules stand behind it."""
    unread = [words for flag, words in _UNREAD_FLAGS.items() if flag in flags]
    pattern_text, target = rule.args[0], rule.args[1]
    rule_label, condition_label = context.label("rule"), context.label("condition")
    negated = pattern_text.startswith("!")
    pattern = context.pattern(pattern_text[negated:], rule.span, label=rule_label, prefix=level.prefix, ignores_case="NC" in flags)
    context.tell_whole(pattern_text, rule.span)
    level.groups[rule_label] = values.groups_in(pattern_text[negated:])
    held: Condition = PathMatches(pattern, PathForm.ENCODED, span=rule.span)
    if negated:
        held = Not(held, rule.span)
    said = {line.args[1] for line in conditions if line.args[0] == "%{REQUEST_PATH}" and not {"OR", "ornext"} & set(line.flags)}
    level.asks_both = {"!-f", "!-d"} <= said or {"!-s", "!-d"} <= said
    asked, used = read_conditions(conditions, rule_label, condition_label, level, context)
    template = substitution(target, (rule_label, condition_label if used else ""), level)
    if not level.in_context and level.path[0] in template:
        unread.append("the value %{REQUEST_PATH}, which is another for each context")
    if negated and any(isinstance(part, Capture) and part.pattern == rule_label and int(part.group) <= values.groups_in(pattern_text[1:]) for part in template):
        # Matcher.group throws where nothing matched (10.1.60, probed).
        context.lose(rule.span, "a group of a pattern that has not matched", "the server fails there, with 500; such paths are left open")
        return [Choose((Route(held, (Unserved(rule.span.directive, rule.span),), rule.span),), rule.span)]
    if lost := [part.spelling for part in template if isinstance(part, Unread)]:
        unread.append(f"the value {lost[0]}")
    if unread or "S" in flags and not flags["S"].isdigit():
        return _left_open(rule, conditions, (unread or ["the flag S"])[0], level, context)
    if any(isinstance(item, Unknowable) for item in asked):
        return _left_open(rule, conditions, "a rule whose condition is not read", level, context)
    condition = AllOf((held, *asked), rule.span) if asked else held
    lost_files = _without_context(held, conditions, level, context)
    steps = _does(rule, target, template, (rule_label, condition_label if used else ""), flags, level, context, others)
    return [*lost_files, Choose((Route(condition, (*steps, *(more if not steps or not isinstance(steps[-1], Redirect | Respond) else ())), rule.span, rule.comments, also=tuple(item.span for item in conditions)),), rule.span)]


def _left_open(rule: Line, conditions: list[Line], what: str, level: Level, context: Context) -> list[Step]:
    """A rule that is not read: what it may be for is left open, and told."""
    context.lose(rule.span, what, "the model has no word for it; what the rule may be for is left open")
    text = rule.args[0]
    pattern = context.pattern(text.removeprefix("!"), rule.span, prefix=level.prefix, ignores_case="NC" in _flags(rule, context))
    held: Condition = PathMatches(pattern, PathForm.ENCODED, span=rule.span)
    held = Not(held, rule.span) if text.startswith("!") else held
    return [Choose((Route(held, (Unserved(rule.span.directive, rule.span),), rule.span, also=tuple(item.span for item in conditions)),), rule.span)]


def _without_context(held: Condition, conditions: list[Line], level: Level, context: Context) -> list[Step]:
    """A test for files where no context is for the path is an error of the server's (ResolverImpl.resolveResource; 10.1.60, probed), unless a condition before it says no."""
    if level.in_context or not any(line.args[1].removeprefix("!") in FILES and "REQUEST_PATH" not in line.args[0] for line in conditions) or any(path == "" for path, _, _ in level.roots):
        return []
    span = conditions[0].span
    others = tuple(Not(AnyOf((PathIs(path, span=span), PathStartsWith(path + "/", span=span)), span), span) for path, _, _ in level.roots)
    context.lose(span, "a test for files where no context is for the path", "the server fails there, with 500; such paths are left open")
    return [Choose((Route(AllOf((held, *others), span), (Unserved(span.directive, span),), span),), span)]


def _does(rule: Line, target: str, template: Template, labels: tuple[str, str], flags: dict[str, str], level: Level, context: Context, others: bool) -> tuple[Step, ...]:
    span = rule.span
    if "F" in flags or "G" in flags:
        refusal = Respond(403 if "F" in flags else 410, raises=True, span=span)
        # RewriteValve.invoke (10.1.60, probed): where a rule has changed the path that is the end; else the valves behind it act as well, and may say something else.
        ended: tuple[Step, ...] = (Choose((Route(Rewritten(level.label, span), (refusal,), span),)),) if level.goes_on else ()
        if not level.in_context and target == "-" and level.followed:
            context.lose(span, "a refusal before other rules", "the rules of the host act behind it, and may say something else; what it is for is left open")
            return (*ended, Unserved(span.directive, span))
        if not level.in_context or target != "-":
            return (*ended, *(level.after if target == "-" else ()), refusal)
        if level.guarded:
            context.lose(span, "a refusal before constraints", "the constraints of the context act behind it, and may say something else; what it is for is left open")
            return (*ended, Unserved(span.directive, span))
        # The request goes on to the file server, whose own error, or redirect, fails then.
        prefix, root, _ = level.roots[0]
        file = AllOf((FileExists((root,), (Var(Variable.PATH),), strip=prefix, span=span), MethodIn(("GET", "HEAD", "POST"), span)), span)
        page = PathMatches(Pattern(r"\.jspx?$"), span=span)
        sent = AnyOf((MethodIn(("OPTIONS",), span), page, file), span)
        hidden = PathMatches(Pattern(f"^{re.escape(prefix)}/(?:WEB|META)-INF(?:/|$)", ignores_case=True), span=span)
        return (*ended, Choose((Route(hidden, (Respond(404, raises=True, span=span),), span, accident=True), Route(sent, (refusal,), span), Route(ALWAYS, (Respond(500, raises=True, span=span),), span, accident=True))),)
    path, query = _parts(template)
    if "R" in flags and target == "-":
        # RewriteValve.invoke (10.1.60, probed): what has not changed the path goes on, and fails on the way, for the answer has gone by then.
        context.lose(span, "a redirect to where the request came from", "the server goes on after it, and ends in an error or a file, as it happens")
        return (Unserved(span.directive, span),)
    if "R" in flags:
        said = flags["R"]
        status = _STATUSES.get(said) or (int(said) if said.isdigit() else 302)
        if not 300 <= status < 400:
            context.value_unread(span, rule.name, f"R={said}", "a status of a redirect was expected")
        return (Redirect(status, _location(target, path, query, flags, level), span=span, encodes_form=query is not None, unescapes="NE" in flags),)
    steps: list[Step] = []
    for kind, said in map(_flag, rule.flags):
        if kind == "E":
            name, _, value = said.partition(":")
            steps.append(SetVariable(name, substitution(value, labels, level), span))
    if "T" in flags:
        steps.append(MediaTypes(forced=flags["T"], span=span))
    if target != "-":
        level.made.append((*((level.prefix,) if level.prefix else ()), *path))
        level.goes_on = level.goes_on or "L" not in flags
        edit = QueryEdit(query, "QSA" in flags and "QSD" not in flags, encodes_form=True) if query is not None else QueryEdit(keeps_mark=True) if "QSD" in flags else None
        steps.append(Rewrite(SetPath((*((level.prefix,) if level.prefix else ()), *path), decodes=True), edit, span=span))
        if query is not None and "L" not in flags and others:
            context.lose(span, "the query of a rule without L", "the rules behind it would see the query as a part of the path; they are taken to end here")
            return (*steps, Leave(level.label, span))
    if "L" in flags:
        steps.append(Leave(level.label, span))
    return tuple(steps)


def _parts(template: Template) -> tuple[Template, Template | None]:
    """A substitution up to its first question mark, and what is behind that; None where there is none."""
    for number, part in enumerate(template):
        if isinstance(part, str) and "?" in part:
            before, _, after = part.partition("?")
            return tuple(item for item in (*template[:number], before) if item != ""), tuple(item for item in (after, *template[number + 1:]) if item != "")
    return template, None


def _location(target: str, path: Template, query: Template | None, flags: dict[str, str], level: Level) -> Template:
    """Where a redirect leads: the path is percent-encoded as far as it is not, and the client's query goes along unless the rule has one of its own."""
    front: Template = (level.prefix,) if level.prefix and path and isinstance(path[0], str) and path[0].startswith("/") and target != "-" else ()
    made = (*front, *_as_sent(path))
    if query is None:
        made = made if "QSD" in flags else (*made, Var(Variable.QUERY, "?"))
    elif "QSA" in flags and "QSD" not in flags:
        made = (*made, "?", *_as_sent(query, query=True), Var(Variable.QUERY, "&"))
    else:
        made = (*made, *(("?", *_as_sent(query, query=True)) if query else ()))
    return join(*made)


def _as_sent(path: Template, query: bool = False) -> Template:
    """Groups go out percent-encoded, and what is written is so as far as it needs it (URLEncoder.DEFAULT, and QUERY, both of 10.1.60)."""
    encode = partial(quote_plus, safe="*-._=&%") if query else partial(quote, safe="-._~!$&'()*+,;=:@/%")
    return tuple(encode(part) if isinstance(part, str) else replace(part, escaped=True) if isinstance(part, Capture) and not query else part for part in path)
