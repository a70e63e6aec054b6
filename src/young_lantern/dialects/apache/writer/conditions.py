"""Conditions -> a rule's pattern and its `RewriteCond` lines. Mirror: reader/rewrites.py (_conditions), reader/expressions.py.

Source:   Apache HTTP Server manual, mod_rewrite, RewriteCond; "Expressions in Apache HTTP Server".
Rule:     what is asked of the path is one pattern, the rule's own, with look-aheads where several things are asked; everything else is a
          condition line, alternatives joined by OR. `%1` speaks of the last condition, so the one whose groups are used comes last.
"""

from __future__ import annotations

import dataclasses
import re
from dataclasses import dataclass, field, replace

from ....fitting.aliases import behind
from ....fitting.closing import of_paths
from ....fitting.static import bare
from ....model import (
    ALWAYS, AllOf, AnyOf, Capture, ClientIn, Condition, FileExists, FileKind, HostIs, MethodIn, Not, PathIs, PathMatches, PathStartsWith, PeerIn, Pattern, Redirect, Rewritten, SchemeIs, Template, TextIs,
    TextMatches, Var, Variable,
)
from ....model.placeholders import is_open
from ....model.walk import transform, walk
from ....patterns import literal_start, problem, search
from ...noting import Unwritable
from .. import values
from .context import Context, Names
from .output import Node
from .paths import PATHS, escaped, groups_of, look, plain_pattern, without_groups

_KINDS = {FileKind.FILE: "-f", FileKind.FOLDER: "-d", FileKind.PROGRAM: "-x", FileKind.LINK: "-l"}


@dataclass
class Asked(Names):
    """A rule to be: its conditions, and its pattern with flags."""

    conditions: list[Node] = field(default_factory=list)
    pattern: str = "^"
    flags: list[str] = field(default_factory=list)


def write_conditions(parts: tuple[Condition, ...], used: object, context: Context, whole: bool = False) -> Asked | Unwritable:
    """Conditions that must all hold -> Asked. used: what captures are asked for in; whole: the path itself is asked for."""
    wanted = {item.pattern for item in walk(used) if isinstance(item, Capture)}
    flat, below = _below_aliases([item for part in parts for item in _flat(part)])
    wanted |= below
    paths = _once([item for item in flat if of_paths(item)])
    others = [item for item in flat if not of_paths(item) and item is not ALWAYS]
    asked = Asked()
    whole = whole or context.rewritten and any(isinstance(part, Var) and part.variable is Variable.PATH for part in walk(tuple(others)))
    made = _pattern(paths, wanted, whole, asked)
    if asked.whole and _continued((used, tuple(others))):
        # A slash at the path's end is not doubled by what is put behind it.
        asked.pattern = asked.pattern.removesuffix("(/.*)$") + "(.*?)/*$"
    if isinstance(made, Unwritable):
        return made
    clauses = [literals for item in others for literals in _clauses(item) if not _holds_always(literals)]
    last = [literals for literals in clauses if any(isinstance(item, TextMatches) and item.pattern.label in wanted for item in literals)]
    if len(last) > 1 or last and len(last[0]) > 1:
        return Unwritable("captures of several patterns")
    for literals in [*(literals for literals in clauses if literals not in last), *last]:
        for number, item in enumerate(literals):
            words = _literal(item, asked, context)
            if isinstance(words, Unwritable):
                return words
            flags = [*words[2:], *(["OR"] if number < len(literals) - 1 else [])]
            asked.conditions.append(context.line("RewriteCond", *words[:2], *([f"[{','.join(flags)}]"] if flags else [])))
    pieces = {item for item in walk(used) if isinstance(item, Var) and item.variable in (Variable.ARGUMENT, Variable.ARGUMENTS, Variable.COOKIE)}
    target = next((found for item in walk(used) if isinstance(item, Redirect) and (found := target_in_query(item.location, context)) is not None), None)
    if target is not None and not pieces and not last:
        asked.conditions.append(context.line("RewriteCond", "%{THE_REQUEST}", values.quote(r"^\S+ (\S+)")))
        asked.piece = target
    if len(pieces) == 1 and not last:
        piece = pieces.pop()
        subject, before, _ = _piece((piece,)) or ("", "", "")
        asked.conditions.append(context.line("RewriteCond", subject, values.quote(f"^(?:.*?{before}({_ANYTHING[subject]}*))?")))
        asked.piece = piece
    if last:
        pattern = next(item.pattern for item in last[0] if isinstance(item, TextMatches))
        asked.condition, asked.groups = pattern.label, {**asked.groups, **groups_of(pattern.text)}
    return asked


def target_in_query(location: Template, context: Context) -> Var | None:
    """The variable by which a Location has the target in its query, if it is still the one that was received: `/login?next=/here?and=there`."""
    wanted = (Var(Variable.TARGET), *(() if context.rewritten else (Var(Variable.TARGET_NOW),)))
    return next((part for number, part in enumerate(location) if isinstance(part, Var) and part in wanted and any(isinstance(item, str) and "?" in item for item in location[:number])), None)


def behind_alias(strip: str, parts: tuple[Condition, ...]) -> PathMatches | None:
    """What takes the path behind the part that an alias stands for, in its first group; None where paths that meet the parts need not begin with it."""
    held = next((part.prefix for part in parts if isinstance(part, PathStartsWith) and not part.ignores_case and part.prefix.startswith(strip)), None)
    return PathMatches(Pattern(f"^{escaped(strip)}({escaped(held[len(strip):])}.*)$", label=f"behind {strip}")) if held is not None else None


def _below_aliases(conditions: list[Condition]) -> tuple[list[Condition], set[str]]:
    """Files below an alias are asked for by the group of a pattern that takes what follows its prefix; and the labels of these patterns."""
    patterns: dict[str, PathMatches] = {}

    def asked(item: object) -> object:
        if not isinstance(item, FileExists) or not item.strip:
            return item
        if path := behind(item.path, item.strip):
            return replace(item, path=path, strip="")
        if item.path[:1] not in ((), (Var(Variable.PATH),)) or (taken := behind_alias(item.strip, tuple(conditions))) is None:
            return item
        # A pattern that takes the same is asked already.
        taken = next((part for part in conditions if isinstance(part, PathMatches) and replace(part.pattern, label="") == replace(taken.pattern, label="") and part.pattern.label), taken)
        patterns[taken.pattern.label] = taken
        return replace(item, path=(Capture(1, taken.pattern.label), *item.path[1:]), strip="")

    made = [transform(item, asked) for item in conditions]
    return [*made, *(item for item in patterns.values() if item not in conditions)], set(patterns)


def _once(paths: list[Condition]) -> list[Condition]:
    """The same pattern asked again by the line within it (nginx) says nothing more, and its groups are the same."""
    asked = {item.pattern: item for item in paths if isinstance(item, PathMatches)}
    return [item for item in paths if not isinstance(item, PathMatches) or asked[item.pattern] is item]


def _continued(value: object) -> bool:
    """Whether a text that begins with a slash is put behind the path."""
    if isinstance(value, tuple):
        pairs = zip(value, value[1:], strict=False)
        return any(one == Var(Variable.PATH) and isinstance(other, str) and other.startswith("/") for one, other in pairs) or any(map(_continued, value))
    return any(_continued(getattr(value, name.name)) for name in dataclasses.fields(value)) if dataclasses.is_dataclass(value) and not isinstance(value, type) else False


def _flat(condition: Condition) -> list[Condition]:
    match condition:
        case AllOf(conditions):
            return [item for part in conditions for item in _flat(part)]
        case Not(AnyOf(conditions)):
            return [item for part in conditions for item in _flat(Not(part))]
        case Not(Not(inner)):
            return _flat(inner)
    return [] if condition is ALWAYS else [condition]


def _pattern(paths: list[Condition], wanted: set[str], whole: bool, asked: Asked) -> Unwritable | None:
    """The rule's pattern: one thing asked as it stands; of several, one with the others before it as look-aheads."""
    needed = [item for item in paths if isinstance(item, PathMatches) and item.pattern.label in wanted]
    if len(needed) > 1:
        return Unwritable("captures of several patterns")
    if whole and not needed:
        asked.pattern = "^" + "".join(_ahead(item) for item in paths) + "(/.*)$"
        asked.rule, asked.whole = "whole path", "$1"
        return None
    if not paths:
        return None
    main = needed[0] if needed else next((item for item in reversed(paths) if isinstance(item, PATHS)), paths[-1])
    before = "".join(_ahead(item) for item in paths if item is not main and not _said_by(main, item))
    if isinstance(main, PathMatches):
        asked.rule, asked.groups = main.pattern.label, groups_of(main.pattern.text)
        text, anywhere = plain_pattern(main.pattern)
        asked.flags += ["NC"] if main.pattern.ignores_case and not before else []
        if main.pattern.ignores_case and before:
            text = f"(?i:{text})"
        asked.pattern = text if not before and anywhere else f"^{before}" + (f".*?{text}" if anywhere else text.removeprefix("^"))
        return None
    asked.pattern = "^" + before + (look(main) if not isinstance(main, Not) else _ahead(main))
    return None


def _said_by(main: Condition, other: Condition) -> bool:
    """Whether whatever meets one condition meets the other."""
    if not isinstance(other, PathStartsWith) or other.ignores_case:
        return False
    start = main.path if isinstance(main, PathIs) else main.prefix if isinstance(main, PathStartsWith) else _start(main.pattern) if isinstance(main, PathMatches) else ""
    return start.startswith(other.prefix) and not getattr(main, "ignores_case", False)


def _start(pattern: Pattern) -> str:
    """How every text that matches begins, be it in a group or not."""
    head, group, rest = pattern.text.partition("(")
    alone = group and not re.search(r"[(|?{]|\\[()]", rest) and rest.count(")") == 1 and "|" not in head
    return literal_start(replace(pattern, text=head + rest.replace(")", "")) if alone else pattern)


def _ahead(condition: Condition) -> str:
    return f"(?!{look(condition.condition)})" if isinstance(condition, Not) else f"(?={look(condition)})"


def _clauses(condition: Condition) -> list[list[Condition]]:
    """A condition as clauses that must all hold, each a list of alternatives."""
    match condition:
        case AllOf(conditions):
            return [clause for item in conditions for clause in _clauses(item)]
        case Not(AnyOf(conditions)):
            return [clause for item in conditions for clause in _clauses(Not(item))]
        case Not(AllOf(conditions)):
            return _clauses(AnyOf(tuple(Not(item) for item in conditions)))
        case Not(Not(inner)):
            return _clauses(inner)
        case AnyOf(conditions):
            made: list[list[Condition]] = [[]]
            for item in conditions:
                made = [[*held, *clause] for held in made for clause in _clauses(item)]
                if len(made) > 24:
                    return [[condition]]
            return made
    return [[condition]]


def _holds_always(literals: list[Condition]) -> bool:
    said = {bare(item) for item in literals}
    return any(Not(item) in said for item in said)


# --- one line ---------------------------------------------------------------------------------------------------------------

def _literal(condition: Condition, asked: Asked, context: Context) -> list[str] | Unwritable:
    """Test, pattern and flags of one line."""
    negated = isinstance(condition, Not)
    inner = condition.condition if isinstance(condition, Not) else condition
    sign = "!" if negated else ""
    match inner:
        case Rewritten(""):
            # Set where the server itself asks, for an error page.
            return ["%{ENV:REDIRECT_STATUS}", values.quote("^$" if sign else "!^$")]
        case MethodIn(methods):
            return ["%{REQUEST_METHOD}", f"{sign}={methods[0]}"] if len(methods) == 1 else ["%{REQUEST_METHOD}", f"{sign}^({'|'.join(methods)})$"]
        case SchemeIs(scheme):
            return ["%{REQUEST_SCHEME}", f"{sign}={scheme}"]
        case HostIs(names, one_label):
            if len(names) == 1 and "*" not in names[0]:
                return ["%{SERVER_NAME}", f"{sign}={names[0]}"]
            texts = [re.escape(name).replace(r"\*", "[^.]+" if one_label else ".+").replace(r"\-", "-") for name in names]
            return ["%{SERVER_NAME}", values.quote(f"{sign}^(?:{'|'.join(texts)})$")]
        case ClientIn(networks) | PeerIn(networks):
            test = "-R" if isinstance(inner, ClientIn) else "%{CONN_REMOTE_ADDR} -ipmatch"
            asks = " || ".join(f"{test} '{network}'" for network in networks if not network.startswith("unix"))
            return ["expr", values.quote((f"! ({asks})" if len(networks) > 1 else f"! {asks}") if negated else asks)] if asks else Unwritable("a condition that never holds")
        case TextIs(template, wanted, ignores_case):
            return _text_is(template, wanted or ("",), ignores_case, sign, asked, context)
        case TextMatches(template, pattern):
            return _text_matches(template, pattern, sign, asked, context)
        case FileExists():
            return _file(inner, sign, asked, context)
        case PathIs() | PathStartsWith() | PathMatches() if not context.rewritten:
            return ["%{REQUEST_URI}", values.quote(f"{sign}^{look(inner)}")]
    return Unwritable(f"the condition {inner.spelling}" if hasattr(inner, "spelling") else "a condition on what was done to the request before")


def _text_is(template: Template, wanted: tuple[str, ...], ignores_case: bool, sign: str, asked: Asked, context: Context) -> list[str] | Unwritable:
    case = ["NC"] if ignores_case else []
    special = _piece(template)
    if special is not None:
        subject, before, after = special
        if "" in wanted:
            # Not there is empty, too: what is asked is whether there is another value.
            others = [re.escape(value) for value in wanted if value]
            kept_out = f"(?!(?:{'|'.join(others)}){after})" if others else ""
            return [subject, values.quote(f"{'' if sign else '!'}{before}{kept_out}{_ANYTHING[subject]}")]
        return [subject, values.quote(f"{sign}{before}(?:{'|'.join(map(re.escape, wanted))}){after}"), *case]
    text = context.in_rule(template, None, asked)
    if isinstance(text, Unwritable):
        return text
    subject = _subject(text)
    if wanted == ("",):
        # A bare `=` would be a pattern (mod_rewrite.c, cmd_rewritecond).
        return [subject, values.quote(f"{sign}^$")]
    if len(wanted) == 1 and not re.search(r"[\"\\]", wanted[0]):
        return [subject, values.word(f"{sign}={wanted[0]}"), *case]
    return [values.quote(text), values.quote(f"{sign}^(?:{'|'.join(map(re.escape, wanted))})$"), *case]


def _text_matches(template: Template, pattern: Pattern, sign: str, asked: Asked, context: Context) -> list[str] | Unwritable:
    if template == (Var(Variable.TARGET),):
        # The target as received stands in the middle of the request line.
        text, anywhere = plain_pattern(pattern)
        inner = re.sub(r"(?<!\\)\$$", "(?= )", text.removeprefix("^"))
        front = r"^\S+ " + (r"\S*?" if anywhere else "")
        return ["%{THE_REQUEST}", values.quote(f"{sign}{front}{inner}"), *(["NC"] if pattern.ignores_case else [])]
    special = _piece(template)
    text, anywhere = plain_pattern(pattern)
    case = ["NC"] if pattern.ignores_case else []
    if special is not None:
        subject, before, _ = special
        inside = without_groups(text) if sign else text
        if "$" in re.sub(r"\\.|\[[^\]]*\]", "", inside):
            inside = re.sub(r"\$$", f"(?={'[&]|$' if subject == '%{QUERY_STRING}' else '[;]|$'})", inside)
        stop = "&" if subject == "%{QUERY_STRING}" else ";"
        # Where the pattern holds for an empty text, it does so for one that is not there.
        absent = f"^(?!{before.replace('(?:^|', '(?:|.*', 1)})|" if not problem(pattern) and search(pattern, "") else ""
        return [subject, values.quote(f"{sign}{absent}{before}{f'[^{stop}]*?' if anywhere else ''}(?:{inside.removeprefix('^')})"), *case]
    made = context.in_rule(template, None, asked)
    if isinstance(made, Unwritable):
        return made
    return [_subject(made), values.quote(f"{sign}{text}"), *case]


def _subject(text: str) -> str:
    """A value that is left to deployment may be empty, or have blanks."""
    return values.quote(text) if " " in text or is_open(text) else text


_ANYTHING = {"%{QUERY_STRING}": "[^&]", "%{HTTP_COOKIE}": "[^;]"}


def _piece(template: Template) -> tuple[str, str, str] | None:
    """One argument of the query, or one cookie: where it stands, and the patterns around its value."""
    match template:
        case (Var(Variable.ARGUMENT | Variable.ARGUMENTS, name),):
            return "%{QUERY_STRING}", f"(?:^|&){re.escape(name)}=", "(?:&|$)"
        case (Var(Variable.COOKIE, name),):
            return "%{HTTP_COOKIE}", rf"(?:^|;\s*){re.escape(name)}=", r"(?:\s*;|$)"
    return None


def _file(condition: FileExists, sign: str, asked: Asked, context: Context) -> list[str] | Unwritable:
    root = context.plain(condition.root, condition.span)
    if isinstance(root, Unwritable):
        return root
    if condition.path == (Var(Variable.FOUND),) or condition.kind is FileKind.ANY or condition.strip:
        return Unwritable("such a test of files")
    path = context.in_rule(condition.path, condition.span, asked)
    if isinstance(path, Unwritable):
        return path
    if isinstance(next(iter(condition.path), ""), Capture):
        return [values.quote(f"{root}{path}"), f"{sign}{_KINDS[condition.kind]}"]
    front = "%{DOCUMENT_ROOT}" if root.rstrip("/") == context.document_root and context.document_root else root.rstrip("/")
    return [values.quote(f"{front}{path}"), f"{sign}{_KINDS[condition.kind]}"]
