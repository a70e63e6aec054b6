"""Conditions -> nginx `if`, with `set` where one `if` cannot say it. Mirror: reader/rewrites.py (read_condition).

Source:   nginx manual, rewrite module, if: one test each, without `and` or `or`; a pattern sets the captures, also where its
          test is turned round.
Rule:     what several tests say together is counted in a variable; a pattern whose captures are used is tested last.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import (
    ALWAYS, AllOf, AnsweredInside, AnyOf, ClientIn, Condition, FileExists, FileKind, HostIs, MethodIn, Not, PathIs, PathMatches,
    PathStartsWith, PeerIn, Pattern, Rewritten, SchemeIs, Template, TextIs, TextMatches, Unknowable, Var, Variable,
)
from ...noting import BESIDES, Unwritable
from ..values import quote
from .context import Context
from .output import Node
from .tables import networks

_KINDS = {FileKind.FILE: "-f", FileKind.FOLDER: "-d", FileKind.ANY: "-e", FileKind.PROGRAM: "-x"}
_OPPOSITE = {"=": "!=", "!=": "=", "~": "!~", "!~": "~", "~*": "!~*", "!~*": "~*", "-f": "!-f", "-d": "!-d", "-e": "!-e", "-x": "!-x"}

# variable or "", operator or "", value: `$uri ~ ^/x`, `-f $uri`, `$flag`
Test = tuple[str, str, str]


def write_condition(condition: Condition, context: Context) -> tuple[list[Node], str] | Unwritable:
    """The lines that must stand before, and the words in the brackets of the `if`."""
    made = _test(condition, context)
    if isinstance(made, Unwritable):
        return made
    lines, test = made
    return lines, _words(test)


def _words(test: Test) -> str:
    subject, operator, value = test
    if not operator:
        return f"({subject})"
    if operator.lstrip("!").startswith("-"):
        return f"({operator} {quote(value)})"
    return f"({subject} {operator} {quote(value)})"


def _test(condition: Condition, context: Context) -> tuple[list[Node], Test] | Unwritable:
    match condition:
        case Not(inner) if not isinstance(inner, AllOf | AnyOf | Not):
            return _turned(inner, context)
        case Not(Not(inner)):
            return _test(inner, context)
        case Not(AnyOf(conditions)) if (one := _one_pattern(conditions)) is not None:
            return [], ("$uri", "!~", one)
        case Not(AnyOf(conditions)):
            return _test(AllOf(tuple(Not(item) for item in conditions)), context)
        case Not(AllOf(conditions)):
            return _test(AnyOf(tuple(Not(item) for item in conditions)), context)
        case AllOf(conditions):
            return _counted(conditions, True, context)
        case AnyOf(conditions):
            if (one := _one_pattern(conditions)) is not None:
                return [], ("$uri", "~", one)
            return _counted(conditions, False, context)
    return _single(condition, context)


def alternatives(condition: Condition) -> tuple[Condition, ...]:
    """The conditions of which any is enough, for what may stand once for each of them; a single one where one test says it all."""
    match condition:
        case Not(AllOf(conditions)):
            conditions = tuple(Not(item) for item in conditions)
        case Not(AnyOf(conditions)) | AllOf(conditions) if len(conditions) == 1:
            return alternatives(Not(conditions[0]) if isinstance(condition, Not) else conditions[0])
        case AnyOf(conditions) if _one_pattern(conditions) is None:
            pass
        case _:
            return (condition,)
    return tuple(each for item in _joined_kinds(conditions, turned=False) for each in alternatives(item))


def _joined_kinds(conditions: tuple[Condition, ...], turned: bool) -> tuple[Condition, ...]:
    """Conditions of which any is enough, or, turned, that none of two holds: a file or a folder of one name is whatever has that name.

    Source: nginx manual, rewrite module, if: `-e` is a file, a folder or a link; what is neither has no answer anyway.
    """
    def of(item: Condition, kind: FileKind) -> FileExists | None:
        inner = item.condition if turned and isinstance(item, Not) else None if turned else item
        return replace(inner, kind=FileKind.ANY, span=None) if isinstance(inner, FileExists) and inner.kind is kind else None

    folders = [found for item in conditions if (found := of(item, FileKind.FOLDER)) is not None]
    files = [found for item in conditions if (found := of(item, FileKind.FILE)) is not None and found in folders]
    kept: list[Condition] = []
    for item in conditions:
        file, folder = of(item, FileKind.FILE), of(item, FileKind.FOLDER)
        if folder in files:
            continue
        kept.append((Not(file) if turned else file) if file is not None and file in files else item)
    return tuple(kept)


def _turned(inner: Condition, context: Context) -> tuple[list[Node], Test] | Unwritable:
    if isinstance(inner, TextIs) and set(inner.values) == {"", "0"}:
        subject = _subject(inner.template, context)
        return subject if isinstance(subject, Unwritable) else (subject[0], (subject[1], "", ""))
    made = _single(inner, context)
    if isinstance(made, Unwritable):
        return made
    lines, (subject, operator, value) = made
    return lines, (subject, _OPPOSITE[operator] if operator else "=", value) if operator else (subject, "=", "0")


def _single(condition: Condition, context: Context) -> tuple[list[Node], Test] | Unwritable:
    match condition:
        case PathIs(path):
            return [], ("$uri", "=", path)
        case PathStartsWith(prefix):
            return [], ("$uri", "~", "^" + re.escape(prefix).replace("/", "/"))
        case PathMatches(pattern):
            return [], _pattern("$uri", pattern, context)
        case SchemeIs(scheme):
            return [], ("$scheme", "=", scheme)
        case MethodIn(methods):
            return [], ("$request_method", "=", methods[0]) if len(methods) == 1 else ("$request_method", "~", f"^({'|'.join(map(re.escape, methods))})$")
        case HostIs(names, one_label):
            return [], _host(names, one_label)
        case ClientIn(found):
            return [], (networks(found, context), "", "")
        case PeerIn(found):
            return [], (networks(found, context, peer=True), "", "")
        case TextIs(template, found, ignores_case):
            found = found or ("",)
            subject = _subject(template, context)
            if isinstance(subject, Unwritable):
                return subject
            if len(found) == 1 and not ignores_case:
                return subject[0], (subject[1], "=", found[0])
            return subject[0], (subject[1], "~*" if ignores_case else "~", f"^({'|'.join(map(re.escape, found))})$")
        case TextMatches(template, pattern):
            subject = _subject(template, context)
            return subject if isinstance(subject, Unwritable) else (subject[0], _pattern(subject[1], pattern, context))
        case FileExists():
            return _file(condition, context)
        case Rewritten():
            return Unwritable("whether a request was rewritten before")
        case AnsweredInside():
            return Unwritable("a condition that asks what the server itself would answer")
        case Unknowable(spelling):
            return Unwritable(f"the condition {spelling}")
    if condition is ALWAYS:
        return [Node(["set", "$always", "1"])], ("$always", "", "")
    return Unwritable("a condition on names of files and folders")


def _one_pattern(conditions: tuple[Condition, ...]) -> str | None:
    """Alternatives of whole paths and prefixes as one pattern: `/a` and `/a/…` are `^/a(/|$)`."""
    if not all(isinstance(item, PathIs | PathStartsWith) for item in conditions):
        return None
    whole = {item.path for item in conditions if isinstance(item, PathIs)}
    prefixes = {item.prefix for item in conditions if isinstance(item, PathStartsWith)}
    segments = sorted(path for path in whole if f"{path}/" in prefixes)
    parts = [re.escape(path) + "(/|$)" for path in segments]
    parts += [re.escape(path) + "$" for path in sorted(whole - set(segments))]
    parts += [re.escape(prefix) for prefix in sorted(prefixes - {f"{path}/" for path in segments})]
    return "^" + parts[0] if len(parts) == 1 else f"^({'|'.join(parts)})"


def _pattern(subject: str, pattern: Pattern, context: Context) -> Test:
    text, ignores_case = context.pattern_text(pattern), pattern.ignores_case
    if text.startswith("(?i)"):
        text, ignores_case = text[4:], True
    context.matched(pattern, subject == "$uri")
    return subject, "~*" if ignores_case else "~", text


def _host(names: tuple[str, ...], one_label: bool) -> Test:
    if len(names) == 1 and "*" not in names[0]:
        return "$host", "=", names[0]
    texts = [re.escape(name).replace(r"\*", "[^.]+" if one_label else ".+") for name in names]
    return "$host", "~", f"^({'|'.join(texts)})$" if len(texts) > 1 else f"^{texts[0]}$"


def _subject(template: Template, context: Context) -> tuple[list[Node], str] | Unwritable:
    text = context.template(template, None)
    if isinstance(text, Unwritable):
        return text
    if len(template) == 1 and re.fullmatch(r"\$[a-zA-Z_]\w*", text):  # a test does not take a number for a name
        return [], text
    with context.scratch("asked text") as name:
        return [Node(["set", name, quote(text)])], name


def _file(condition: FileExists, context: Context) -> tuple[list[Node], Test] | Unwritable:
    if condition.strip or condition.path == (Var(Variable.FOUND),):
        return Unwritable("a file test below an alias")
    if condition.kind not in _KINDS:
        return Unwritable(f"whether {BESIDES[condition.kind]}")
    path = condition.path
    text = context.template((*condition.root, *path), condition.span)
    return text if isinstance(text, Unwritable) else ([], ("", _KINDS[condition.kind], text))


def _counted(conditions: tuple[Condition, ...], all_of: bool, context: Context) -> tuple[list[Node], Test] | Unwritable:
    """Several tests: a variable that begins as the answer, and that each test may turn."""
    conditions = _joined_kinds(conditions, turned=all_of)
    if len(conditions) == 1:
        return _test(conditions[0], context)
    with context.scratch("met all" if all_of else "met any") as name:
        return _count(name, conditions, all_of, context)


def _count(name: str, conditions: tuple[Condition, ...], all_of: bool, context: Context) -> tuple[list[Node], Test] | Unwritable:
    lines = [Node(["set", name, "1" if all_of else "0"])]
    captures = [item for item in conditions if isinstance(item, PathMatches | TextMatches)]
    for item in [*(item for item in conditions if item not in captures), *captures]:
        made = _test(Not(item) if all_of else item, context)
        if isinstance(made, Unwritable):
            return made
        lines += [*made[0], Node(["if", _words(made[1])], [Node(["set", name, "0" if all_of else "1"])])]
    return lines, (name, "", "")


def guarded(condition: Condition, extra: tuple[Condition, ...]) -> Condition:
    """The condition, and that none of the others holds."""
    parts = (*(condition.conditions if isinstance(condition, AllOf) else () if condition is ALWAYS else (condition,)), *(Not(item) for item in extra))
    return parts[0] if len(parts) == 1 else AllOf(parts) if parts else ALWAYS


