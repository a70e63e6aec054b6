"""Rules of a `RewriteValve` -> steps. Mirror: none.

Source:   Tomcat documentation, "The rewrite Valve"; RewriteValve, RewriteRule, RewriteCond, Substitution (10.1.60): patterns are for the whole text; rules of a
          context see the path behind its own, with the welcome file; a rule that redirects ends it all, whatever its other flags.
Order:    what a rule has made is mapped anew when all are through, and no valve acts twice on one request.
Unknown:  a flag, or a test, that the model has no word for is told; the rule is left out then.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from functools import partial
from urllib.parse import quote, quote_plus, unquote

from ....codes import CONDITION_UNREAD
from ....model import (
    ALWAYS, AllOf, AnyOf, Block, Capture, Choose, Condition, FileExists, FileKind, GroupEncoding, Leave, MediaTypes, MethodIn, Not, Part, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, QueryEdit, Redirect, Remade, Respond, Rewrite, Rewritten,
    Route, SchemeIs, SetPath, SetVariable, Span, Step, Template, TextIs, TextMatches, Unknowable, Unread, Unserved, Var, Variable, join, literal)
from .. import values
from ..rules import Line
from .context import Context

# Flags by their long names, and by what they begin with, in the order in which Tomcat looks (RewriteValve.parseRuleFlag: `forbiddenly` is F).
_FLAGS = (("chain", "C"), ("cookie", "CO"), ("env", "E"), ("forbidden", "F"), ("gone", "G"), ("host", "H"), ("last", "L"), ("nocase", "NC"), ("noescape", "NE"), ("next", "N"),
          ("qsappend", "QSA"), ("qsdiscard", "QSD"), ("redirect", "R"), ("skip", "S"), ("type", "T"), ("valveSkip", "VS"), ("B", "B"))
_STATUSES = {"temp": 302, "permanent": 301, "seeother": 303}
_UNREAD_FLAGS = {"CO": "cookies of rules", "H": "a rule that changes the host", "N": "a list that begins again", "VS": "a valve that is passed over", "B": "groups that are escaped"}
_FILES = {"-f": FileKind.FILE, "-d": FileKind.FOLDER, "-s": FileKind.FILE}


@dataclass
class Level:
    """Where rules stand.

    prefix: the path of the context whose rules they are; "" for those of a host
    label:  of the block that the rules are
    path:   what REQUEST_PATH is: for a host's rules one of many paths, by the context that the request is mapped to, and its welcome file
    roots:  (path of a context, its folder, its welcome files) that files may be looked for in, the longest path first
    in_context: they are a context's
    made: the paths that they may make
    goes_on: a rule before the one that is read may have made the path, and the list goes on
    groups: how many groups the pattern of each label has
    saved: what the request was before, by the names that later rules ask for it by
    guarded: constraints of the context act behind them
    after: what valves of the host do behind them
    followed: other rules act behind them
    asks_both: the rule that is read asks for neither file nor folder, so that a folder's welcome file says nothing more
    """

    prefix: str
    label: str
    path: Template
    roots: list[tuple[str, str, tuple[str, ...]]]
    in_context: bool = False
    made: list[Template] = field(default_factory=list)
    asks_both: bool = False
    goes_on: bool = False
    saved: dict[str, Template] = field(default_factory=dict)
    groups: dict[str, int] = field(default_factory=dict)
    guarded: bool = False
    after: tuple[Step, ...] = ()
    followed: bool = False

    @property
    def rewrites(self) -> bool:
        return bool(self.made)

    def may_make(self, path: str) -> bool:
        """Whether a rule may make exactly this path."""
        for template in self.made:
            said = literal(template)
            first, last = (template[0], template[-1]) if template else ("", "")
            if said == path or said is None and path.startswith(first if isinstance(first, str) else "") and path.endswith(last if isinstance(last, str) else ""):
                return True
        return False


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
            context.lose(line.span, "RewriteMap", "tables are not read yet; a rule that uses one is left out")
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
        name, _, value = flag.partition("=")
        # The first that the flag begins with; `C`, `B` and `E` are whole.
        found = next((short for long, short in sorted(_FLAGS, key=lambda pair: -len(pair[1])) if name in (long, short) or name.startswith((long, short)) and short not in ("C", "B", "CO", "E")), None)
        if found is None:
            context.value_unread(rule.span, rule.name, flag, "a flag of the RewriteValve was expected")
            continue
        made[found] = value
    return made


def _one(rule: Line, conditions: list[Line], flags: dict[str, str], level: Level, context: Context, more: tuple[Step, ...], others: bool) -> list[Step]:
    """One rule: its condition, and what it does. more: what follows where it matches; others: whether rules stand behind it."""
    unread = [words for flag, words in _UNREAD_FLAGS.items() if flag in flags]
    pattern_text, target = rule.args[0], rule.args[1]
    rule_label, condition_label = context.label("rule"), context.label("condition")
    negated = pattern_text.startswith("!")
    pattern = context.pattern(pattern_text[negated:], rule.span, label=rule_label, prefix=level.prefix, ignores_case="NC" in flags)
    level.groups[rule_label] = values.groups_in(pattern_text[negated:])
    held: Condition = PathMatches(pattern, PathForm.ENCODED, span=rule.span)
    if negated:
        held = Not(held, rule.span)
    said = {line.args[1] for line in conditions if line.args[0] == "%{REQUEST_PATH}" and not {"OR", "ornext"} & set(line.flags)}
    level.asks_both = {"!-f", "!-d"} <= said or {"!-s", "!-d"} <= said
    asked, used = _conditions(conditions, rule_label, condition_label, level, context)
    template = _substitution(target, (rule_label, condition_label if used else ""), level)
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


# What stays as it was while rules go on (ResolverImpl asks the request, which is changed when all are through; 10.1.60, probed).
_SAVED: dict[str, tuple[str, Template]] = {
    "REQUEST_URI": ("asked_uri", (Var(Variable.PATH_ESCAPED),)), "QUERY_STRING": ("asked_query", (Var(Variable.QUERY),)),
    "THE_REQUEST": ("asked_line", (Var(Variable.METHOD), " ", Var(Variable.PATH_ESCAPED), " ", Var(Variable.PROTOCOL))), "REQUEST_PATH": ("asked_path", ()),
}


def _substitution(text: str, labels: tuple[str, str], level: Level) -> Template:
    """A text with variables, which say what the request was before any rule."""
    given: dict[str, Template] = {}
    for name, (own, template) in _SAVED.items() if level.goes_on else ():
        if f"%{{{name}}}" in text and (name != "REQUEST_PATH" or level.in_context):
            level.saved[own] = template or level.path
            given[name] = (Var(Variable.VARIABLE, own),)
    return values.substitution(text, *labels, path=given.pop("REQUEST_PATH", level.path), context=level.prefix, given=given, groups=level.groups)


def _without_context(held: Condition, conditions: list[Line], level: Level, context: Context) -> list[Step]:
    """A test for files where no context is for the path is an error of the server's (ResolverImpl.resolveResource; 10.1.60, probed), unless a condition before it says no."""
    if level.in_context or not any(line.args[1].removeprefix("!") in _FILES and "REQUEST_PATH" not in line.args[0] for line in conditions) or any(path == "" for path, _, _ in level.roots):
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
        return (Redirect(status, _location(target, path, query, flags, level), span=span, encodes_form="NE" not in flags and query is not None),)
    steps: list[Step] = []
    if "E" in flags:
        name, _, value = flags["E"].partition(":")
        made = _substitution(value, labels, level)
        steps.append(SetVariable(name, made, span))
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
    return join(*(_bare(made) if "NE" in flags else made))


def _as_sent(path: Template, query: bool = False) -> Template:
    """Groups go out percent-encoded, and what is written is so as far as it needs it (URLEncoder.DEFAULT, and QUERY, both of 10.1.60)."""
    encode = partial(quote_plus, safe="*-._=&%") if query else partial(quote, safe="-._~!$&'()*+,;=:@/%")
    return tuple(encode(part) if isinstance(part, str) else replace(part, escaped=True) if isinstance(part, Capture) and not query else part for part in path)


def _bare(template: Template) -> Template:
    """Flag NE: all is sent decoded; but a blank in the query, which is a plus sign by then, stays one."""
    made: list[Part] = []
    for part in template:
        inside = any(isinstance(item, str) and "?" in item for item in made)
        made.append(unquote(part) if isinstance(part, str) else Remade((replace(part, escaped=False, encoding=GroupEncoding(only=" ") if inside else None),), "decoded") if isinstance(part, Capture) else part)
    return tuple(made)


# --- conditions -----------------------------------------------------------------------------------------------------------


def _conditions(lines: list[Line], rule: str, label: str, level: Level, context: Context) -> tuple[list[Condition], bool]:
    """RewriteCond lines -> conditions, all of which must hold; whether one of them leaves groups for `%1`."""
    made: list[Condition] = []
    group: list[Condition] = []
    used = False
    for line in lines:
        condition, leaves = _condition(line, rule, label, used, level, context)
        used = used or leaves
        group.append(condition)
        if not {"OR", "ornext"} & set(line.flags):
            made.append(group[0] if len(group) == 1 else AnyOf(tuple(group), line.span))
            group = []
    if group:
        made.append(group[0] if len(group) == 1 else AnyOf(tuple(group), group[-1].span))  # the last one has nothing behind it
    return made, used


def _condition(line: Line, rule: str, label: str, used: bool, level: Level, context: Context) -> tuple[Condition, bool]:
    for flag in line.flags:
        if flag not in ("NC", "nocase", "OR", "ornext"):
            context.value_unread(line.span, line.name, flag, "NC or OR was expected")
    template = _substitution(line.args[0], (rule, label if used else ""), level)
    negated, wanted = line.args[1].startswith("!"), line.args[1].removeprefix("!")
    made, leaves = _test(line, template, wanted, negated, label, level, context)
    return (Not(made, line.span) if negated else made), leaves and not negated


def _test(line: Line, template: Template, wanted: str, negated: bool, label: str, level: Level, context: Context) -> tuple[Condition, bool]:
    span = line.span
    if any(isinstance(part, Unread) for part in template):
        context.condition_unread(span, f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if not level.in_context and level.path[0] in template and (level.goes_on or template != level.path):
        context.condition_unread(span, f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if not level.in_context and template == level.path:
        return _request_path(line, wanted, label, level, context)
    if wanted in _FILES:
        return _file(template, _FILES[wanted], span, level), False
    ignores_case = bool({"NC", "nocase"} & set(line.flags))
    if wanted[:1] in ("<", ">"):
        context.blame(CONDITION_UNREAD, span, condition=f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if template == (values.HTTPS,):
        return _scheme(wanted, ignores_case, span), False
    if wanted.startswith("="):
        if template == (Var(Variable.METHOD),):
            return MethodIn((wanted[1:],), span), False
        return TextIs(template, (wanted[1:],), span=span), False
    said = literal(template)
    if said is not None and not wanted.startswith("="):
        return (ALWAYS if re.fullmatch(wanted, said, re.IGNORECASE if ignores_case else 0) else Not(ALWAYS, span)), False
    if not negated:
        level.groups[label] = values.groups_in(wanted)
    return TextMatches(template, context.pattern(wanted, span, label=label, ignores_case=ignores_case), span=span), True


def _scheme(wanted: str, ignores_case: bool, span: Span) -> Condition:
    """A test of HTTPS, which is `on` or `off`."""
    fits = [said == wanted[1:] if wanted.startswith("=") else re.fullmatch(wanted, said, re.IGNORECASE if ignores_case else 0) is not None for said in ("on", "off")]
    if all(fits):
        return ALWAYS
    return SchemeIs("https", span) if fits[0] else SchemeIs("http", span) if fits[1] else Not(ALWAYS, span)


def _request_path(line: Line, wanted: str, label: str, level: Level, context: Context) -> tuple[Condition, bool]:
    """A test of REQUEST_PATH in a host's rule (Mapper; 10.1.60, probed): the path behind that of the context, and of a folder with a welcome file that file's."""
    span = line.span
    ignores_case = bool({"NC", "nocase"} & set(line.flags))
    file = wanted in _FILES
    if not file and wanted[:1] in ("<", ">"):
        context.blame(CONDITION_UNREAD, span, condition=f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    ways: list[Condition] = []
    for number, (prefix, root, welcome) in enumerate(level.roots):
        # What the context's own path is without a slash has nothing behind it, and names no file.
        own = PathStartsWith(prefix + "/", span=span) if file else _below(prefix, span)
        inside: list[Condition] = [Not(_below(other, span), span) for other, _, _ in level.roots[:number]] + ([own] if prefix else [])
        there = [FileExists((root,), (Var(Variable.PATH), name), strip=prefix, span=span) for name in welcome]
        folder = PathMatches(Pattern("/$"), span=span)
        if file:
            plain: Condition = FileExists((root,), (Var(Variable.PATH),), _FILES[wanted], strip=prefix, span=span)
            if there and level.asks_both:
                made = plain
            elif there and wanted == "-d":
                made = AllOf((plain, Not(AllOf((folder, AnyOf(tuple(there), span)), span), span)), span)
            else:
                made = AnyOf((plain, AllOf((folder, AnyOf(tuple(there), span)), span)), span) if there else plain
        else:
            made = _path_test(wanted, "", prefix, label, ignores_case, span, context)
            named = [AllOf((folder, found, *(Not(other, span) for other in there[:at]), _path_test(wanted, name, prefix, label, ignores_case, span, context)), span) for at, (found, name) in enumerate(zip(there, welcome, strict=True))]
            made = AnyOf((AllOf((Not(AllOf((folder, AnyOf(tuple(there), span)), span), span), made), span), *named), span) if there else made
        ways.append(AllOf((*inside, made), span) if inside else made)
    return (ways[0] if len(ways) == 1 else AnyOf(tuple(ways), span) if ways else Not(ALWAYS, span)), False


def _path_test(wanted: str, name: str, prefix: str, label: str, ignores_case: bool, span: Span, context: Context) -> Condition:
    """The current path, with a name behind it, as a text or a pattern says it of what stands behind a prefix."""
    template: Template = (Var(Variable.PATH), name) if name else (Var(Variable.PATH),)
    if wanted.startswith("="):
        return TextIs(template, (prefix + wanted[1:],), span=span)
    return TextMatches(template, context.pattern(wanted, span, label=label, prefix=prefix, ignores_case=ignores_case), span=span)


def _below(prefix: str, span: Span) -> Condition:
    return AnyOf((PathIs(prefix, span=span), PathStartsWith(prefix + "/", span=span)), span)


def _file(template: Template, kind: FileKind, span: Span, level: Level) -> Condition:
    """ResolverImpl.resolveResource: in the folder of the context that the request is mapped to, by a path that begins with a slash."""
    if template == () or (isinstance(template[0], str) and not template[0].startswith("/")):
        return Not(ALWAYS, span)
    if len(level.roots) == 1:
        there: Condition = FileExists((level.roots[0][1],), template, kind, span=span)
        # Without a slash behind it, the context's own path is an empty one, which names nothing.
        return AllOf((PathStartsWith(level.prefix + "/", span=span), there), span) if level.in_context and level.prefix and template == level.path else there
    made: list[Condition] = []
    for number, (path, root, _) in enumerate(level.roots):
        longer = tuple(Not(PathStartsWith(other + "/")) for other, _, _ in level.roots[:number])
        made.append(AllOf((*longer, *((PathStartsWith(path + "/"),) if path else ()), FileExists((root,), template, kind, span=span)), span))
    return AnyOf(tuple(made), span) if made else Not(ALWAYS, span)
