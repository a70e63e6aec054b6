"""RewriteCond lines of a RewriteValve -> conditions. Mirror: none.

Source:   RewriteCond, ResolverImpl (10.1.60): a pattern is for the whole text; `-f` and `-d` look in the folder of the context that the request is mapped to.
Unknown:  a test that the model has no word for is Unknowable, and told; the rule is left open then.
"""

from __future__ import annotations

import re

from ....codes import CONDITION_UNREAD, FILE_TEST_IN_VAIN
from ....model import (
    ALWAYS, AllOf, AnyOf, Condition, FileExists, FileKind, MethodIn, Not, PathIs, PathMatches, PathStartsWith, Pattern, Span, Template, TextIs, TextMatches, Unknowable, Unread, Var,
    Variable, literal)
from .. import values
from ..rules import Line
from .context import Context
from .rule_levels import Level, substitution

FILES = {"-f": FileKind.FILE, "-d": FileKind.FOLDER, "-s": FileKind.FILE}


def read_conditions(lines: list[Line], rule: str, label: str, level: Level, context: Context) -> tuple[list[Condition], bool]:
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
    template = substitution(line.args[0], (rule, label if used else ""), level)
    negated, wanted = line.args[1].startswith("!"), line.args[1].removeprefix("!")
    made, leaves = _test(line, template, wanted, negated, label, level, context)
    return (Not(made, line.span) if negated else made), leaves and not negated


def _test(line: Line, template: Template, wanted: str, negated: bool, label: str, level: Level, context: Context) -> tuple[Condition, bool]:
    span = line.span
    ignores_case = bool({"NC", "nocase"} & set(line.flags))
    if line.args[0] == "%{HTTPS}" and wanted not in FILES and wanted[:1] not in ("<", ">"):
        return _scheme(wanted, ignores_case, span, level), False
    if any(isinstance(part, Unread) for part in template):
        context.condition_unread(span, f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if not level.in_context and level.path[0] in template and (level.goes_on or template != level.path):
        context.condition_unread(span, f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if not level.in_context and template == level.path:
        return _request_path(line, wanted, label, level, context)
    if wanted in FILES and template == ():
        context.say(FILE_TEST_IN_VAIN, span, condition=f"{line.args[0]} {line.args[1]}")
    if wanted in FILES:
        return _file(template, FILES[wanted], span, level), False
    if wanted[:1] in ("<", ">"):
        context.blame(CONDITION_UNREAD, span, condition=f"{line.args[0]} {line.args[1]}")
        return Unknowable(line.span.directive, span), False
    if wanted.startswith("="):
        if template == (Var(Variable.METHOD),):
            return MethodIn((wanted[1:],), span), False
        return TextIs(template, (wanted[1:],), span=span), False
    said = literal(template)
    if said is not None and not wanted.startswith("="):
        return (ALWAYS if re.fullmatch(wanted, said, re.IGNORECASE if ignores_case else 0) else Not(ALWAYS, span)), False
    context.tell_whole(wanted, span)
    if not negated:
        level.groups[label] = values.groups_in(wanted)
    return TextMatches(template, context.pattern(wanted, span, label=label, ignores_case=ignores_case), span=span), True


def _scheme(wanted: str, ignores_case: bool, span: Span, level: Level) -> Condition:
    """A test of HTTPS, which is `on` or `off`."""
    fits = [said == wanted[1:] if wanted.startswith("=") else re.fullmatch(wanted, said, re.IGNORECASE if ignores_case else 0) is not None for said in ("on", "off")]
    if all(fits):
        return ALWAYS
    return level.secure.holds(span) if fits[0] else level.secure.fails(span) if fits[1] else Not(ALWAYS, span)


def _request_path(line: Line, wanted: str, label: str, level: Level, context: Context) -> tuple[Condition, bool]:
    """A test of REQUEST_PATH in a host's rule (Mapper; 10.1.60, probed): the path behind that of the context, and of a folder with a welcome file that file's."""
    span = line.span
    ignores_case = bool({"NC", "nocase"} & set(line.flags))
    file = wanted in FILES
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
            plain: Condition = FileExists((root,), (Var(Variable.PATH),), FILES[wanted], strip=prefix, span=span)
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
