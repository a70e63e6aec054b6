"""Caddy request matchers -> conditions. Mirror: writer/matchers.py.

Source:   Caddy documentation, "Request Matchers"; caddyhttp matchers.go (2.6.2, probed).
Rule:     the matchers of a set must all hold; several lines of one kind are one matcher whose values are alternatives,
          but every `not` line must hold by itself, and of `expression` and `protocol` the last line alone is asked (`caddy adapt`).
          A path without a star is compared whole; case never counts for it.
Unknown:  an expression beyond what expressions.py reads is Unknowable with `condition-unread`.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ....codes import CONDITION_UNREAD, MATCHERS_BY_CHANCE, WITHOUT_EFFECT
from ....model import (
    ALWAYS, NO_VALUE, AllOf, AnyOf, Capture, ClientIn, Condition, FileExists, FileKind, HostIs, MethodIn, Not, PathForm, PathGlob, PathIs,
    PathMatches, PathStartsWith, Pattern, SchemeIs, Span, Template, TextIs, TextMatches, Unknowable, Unread, Var, Variable, join,
)
from ....model.walk import walk
from ....patterns import problem, search
from .. import arguments
from ..syntax import Directive
from ..values import odd_stars, scalar, status_at_end
from . import expressions
from .context import Context, Level
from .gateways import names_split

_LAST_COUNTS = ("expression", "protocol")
_ALL_COUNT = ("not", "path_regexp", "header_regexp", "vars_regexp")
_PRIVATE = ("192.168.0.0/16", "172.16.0.0/12", "10.0.0.0/8", "127.0.0.1/8", "fd00::/8", "::1")


def take_matcher(directive: Directive, level: Level, context: Context) -> tuple[Condition, list[str]]:
    """The condition that stands first among a directive's words, and the other words."""
    words = directive.args
    if not words:
        return ALWAYS, words
    first, *rest = words
    if first == "*":
        return ALWAYS, rest
    if first.startswith("/"):
        return read_path(first, directive.span, context), rest
    if first.startswith("@"):
        definition = level.matchers.get(first)
        if definition is None:
            context.unread(directive, first, "a named matcher that is defined in this site was expected")
            return Unknowable(first, directive.span), rest
        return read_definition(definition, level, context), rest
    return ALWAYS, words


def read_definition(definition: Directive, level: Level, context: Context) -> Condition:
    """`@name kind values…` or `@name { … }` -> condition."""
    context.use(definition)
    label = definition.name[1:]
    lines = definition.block or []
    if len(definition.words) > 1:
        one = Directive(definition.words[1:], "", definition.block, "", definition.file, definition.end_line)
        one.span = definition.span
        lines = [one]
    return _read_set(lines, label, level, context, definition)


def _read_set(lines: list[Directive], label: str, level: Level, context: Context, by: Directive) -> Condition:
    kinds: dict[str, list[Condition]] = {}
    absent: dict[str, bool] = {}
    last = {line.name: line for line in lines}
    for number, line in enumerate(lines):
        if line.name in _LAST_COUNTS and line is not last[line.name]:
            context.say(WITHOUT_EFFECT, line.span, directive=line.span.directive)
            continue
        read = KINDS.get(line.name)
        least, most = _WORDS.get(line.name, (0, None))
        if read is None or not least <= len(line.args) <= (most or len(line.args)):
            context.claims[by.span].finding = context.say(CONDITION_UNREAD, line.span, condition=line.span.directive)
            kinds[f"?{number}"] = [Unknowable(line.span.directive, line.span)]
            continue
        key = f"{line.name}{number}" if line.name in _ALL_COUNT else line.name
        if line.name == "vars" and line.args:
            key = f"vars {line.args[0]}"
        if line.name == "header" and line.args:
            # MatchHeader: the values of one field are alternatives; a later `!` takes back the earlier ones, a later value the `!`.
            key = f"header {line.args[0].removeprefix('!').lower()}"
            if line.args[0].startswith("!") or absent.pop(key, False):
                kinds[key] = []
            absent[key] = line.args[0].startswith("!")
        kinds.setdefault(key, []).append(read(line, label, level, context))
    conditions = [found[0] if len(found) == 1 else AnyOf(tuple(found), by.span) for found in kinds.values()]
    conditions = [_by_itself(condition, [other for other in conditions if other is not condition], by, context) for condition in conditions]
    return conditions[0] if len(conditions) == 1 else AllOf(tuple(conditions), by.span)


def _by_itself(condition: Condition, others: list[Condition], by: Directive, context: Context) -> Condition:
    """A condition that uses nothing another one of its set took, which may be asked later (caddyhttp.go, MatcherSets; 2.6.2, probed)."""
    taken = {item.pattern.label for other in others for item in walk(other) if isinstance(item, PathMatches | TextMatches) and item.pattern.label}
    used = next((item for item in walk(condition) if isinstance(item, Capture) and item.pattern in taken), None)
    if used is None:
        return condition
    span = getattr(condition, "span", None) or by.span
    context.claims[by.span].finding = context.say(MATCHERS_BY_CHANCE, span, condition=span.directive)
    return Unknowable(span.directive, span)


def _any(conditions: list[Condition], span: Span) -> Condition:
    return conditions[0] if len(conditions) == 1 else AnyOf(tuple(conditions), span)


def read_path(text: str, span: Span, context: Context) -> Condition:
    """One value of the path matcher."""
    if "%" in text:
        context.say(CONDITION_UNREAD, span, condition=text)
        return Unknowable(text, span)
    common = {"ignores_case": True, "form": PathForm.CLEAN, "span": span}
    if text == "*":
        return ALWAYS
    if "*" not in text and not re.search(r"[?\[\\]", text):
        return PathIs(text, **common)  # type: ignore[arg-type]
    if text.endswith("*") and not re.search(r"[*?\[\\]", text[:-1]):
        return PathStartsWith(text[:-1], **common)  # type: ignore[arg-type]
    return PathGlob(text, **common)  # type: ignore[arg-type]


def _path(line: Directive, label: str, level: Level, context: Context) -> Condition:
    return _any([read_path(word, line.span, context) for word in line.args], line.span)


def _path_regexp(line: Directive, label: str, level: Level, context: Context) -> Condition:
    # path_regexp [<name>] <regexp>; without a name its captures have none in 2.6.
    name, text = (line.args[0], line.args[-1]) if len(line.args) > 1 else ("", line.args[-1])
    return PathMatches(context.pattern(text, line, name or f"@{label}"), PathForm.CLEAN, span=line.span)


def _host(line: Directive, label: str, level: Level, context: Context) -> Condition:
    if any(map(odd_stars, line.args)):
        context.say(CONDITION_UNREAD, line.span, condition=line.span.directive)
        return Unknowable(line.span.directive, line.span)
    return HostIs(tuple(word.lower() for word in line.args), True, line.span)


def _method(line: Directive, label: str, level: Level, context: Context) -> Condition:
    # MatchMethod (2.6.2, probed): as they are spelt, so that `get` holds for no request that a browser makes.
    return MethodIn(tuple(line.args), line.span)


# MatchProtocol (2.6.2, probed): the version of HTTP as the request line has it, or as its frames stand for; with a plus, that or a later one.
_VERSIONS = {
    "http/1.0": r"^HTTP/1\.0$", "http/1.0+": "", "http/1.1": r"^HTTP/1\.1$", "http/1.1+": r"^HTTP/(?:1\.1|[2-9])",
    "http/2": "^HTTP/2", "http/2+": "^HTTP/[2-9]", "http/3": "^HTTP/3", "http/3+": "^HTTP/[3-9]",
}


def _protocol(line: Directive, label: str, level: Level, context: Context) -> Condition:
    # gRPC is told by the type of the content; any other word holds for nothing.
    wanted = line.args[0] if line.args else ""
    if wanted == "grpc":
        return TextMatches((Var(Variable.FIELD, "Content-Type"),), Pattern("^application/grpc", "re2"), span=line.span)
    if (version := _VERSIONS.get(wanted)) is not None:
        return TextMatches((Var(Variable.PROTOCOL),), Pattern(version, "re2"), span=line.span) if version else ALWAYS
    return SchemeIs(wanted, line.span) if wanted in ("http", "https") else Not(ALWAYS, line.span)


def _remote_ip(line: Directive, label: str, level: Level, context: Context) -> Condition:
    networks: list[str] = []
    for word in line.args:
        if word == "forwarded":
            context.unread(line, word, "networks were expected; the client's own word about its address is not read")
        else:
            networks += _PRIVATE if word == "private_ranges" else (word,)
    # Without one it is nobody (2.6.2, probed).
    return ClientIn(tuple(networks), line.span) if networks else Not(ALWAYS, line.span)


def _header(line: Directive, label: str, level: Level, context: Context) -> Condition:
    name, *wanted = line.args
    if name.startswith("!"):
        return TextIs((Var(Variable.FIELD, name[1:]),), ("",), span=line.span)
    template = (Var(Variable.FIELD, name),)
    found: list[Condition] = []
    if "" in wanted:
        # It holds for a field that is sent with nothing in it, and for none that is not sent (2.6.2, probed).
        context.say(CONDITION_UNREAD, line.span, condition=line.span.directive)
        return Unknowable(line.span.directive, line.span)
    for value in wanted or ["*"]:
        if value == "*":
            found.append(Not(TextIs(template, ("",), span=line.span), line.span))
        elif "*" in value:
            # caddyhttp MatchHeader: a star at one end or both; elsewhere it is a star.
            inner = re.escape(value.strip("*"))
            text = ("" if value.startswith("*") else "^") + inner + ("" if value.endswith("*") else "$")
            found.append(TextMatches(template, context.pattern(text, line), span=line.span))
        else:
            found.append(TextIs(template, (value,), span=line.span))
    return _any(found, line.span)


def _header_regexp(line: Directive, label: str, level: Level, context: Context) -> Condition:
    name, field, text = ("", *line.args) if len(line.args) == 2 else line.args
    template = (Var(Variable.FIELD, field),)
    pattern = context.pattern(text, line, name or f"@{label}")
    matches = TextMatches(template, pattern, span=line.span)
    if not problem(pattern) and search(pattern, ""):
        # MatchHeaderRE (2.6.2, probed): a field that is not there matches nothing, not even the empty text.
        return AllOf((Not(TextIs(template, ("",), span=line.span), line.span), matches), line.span)
    return matches


def _query(line: Directive, label: str, level: Level, context: Context) -> Condition:
    found: list[Condition] = []
    for word in filter(None, line.args):
        name, _, value = word.partition("=")
        is_value = TextIs((Var(Variable.ARGUMENT, name),), (value,), span=line.span)
        # MatchQuery (2.6.2, probed): `*` and nothing are asked of an argument that is there, with a value or without.
        is_there = TextMatches((Var(Variable.QUERY),), arguments.there(name), span=line.span)
        found.append(is_there if value == "*" else is_value if value else AllOf((is_there, is_value), line.span))
    # Nothing at all asks for a query without arguments.
    return _any(found, line.span) if found else TextMatches((Var(Variable.QUERY),), Pattern("^&*$", "re2"), span=line.span)


def _not(line: Directive, label: str, level: Level, context: Context) -> Condition:
    lines = line.block
    if lines is None:
        one = Directive(line.words[1:], "", None, "", line.file, line.end_line)
        one.span = line.span
        lines = [one]
    return Not(_read_set(lines, label, level, context, level.matchers.get(f"@{label}", line)), line.span)


def _file(line: Directive, label: str, level: Level, context: Context) -> Condition:
    root, candidates, endings = level.root, list(line.args), []
    for inner in line.block or []:
        if inner.name == "root" and inner.args:
            root = context.template(inner.args[0], line)
        elif inner.name == "try_files":
            candidates += inner.args
        elif inner.name == "split_path":
            endings += inner.args
        elif inner.name == "try_policy" and inner.args == ["first_exist"]:
            pass
        else:
            context.unread(line, inner.name, "root, try_files, split_path or the policy first_exist was expected")
    if any(status_at_end(word) is not None for word in candidates):
        # It answers by itself where it does not hold, which no condition does.
        context.say(CONDITION_UNREAD, line.span, condition=line.span.directive)
        return Unknowable(line.span.directive, line.span)
    split = names_split(endings) if endings else None
    return _any([replace(read_candidate(word, root, line, context), split=split) for word in candidates or ["{path}"]], line.span)


_PATTERN = re.compile(r"(?<!\\)(?:\\\\)*[*?\[]")


def read_candidate(word: str, root: Template, line: Directive, context: Context) -> FileExists:
    """One value of the file matcher. Only a slash written in the value asks for a folder (2.6.2, probed)."""
    kind = FileKind.FOLDER if word.endswith("/") else FileKind.FILE
    path = context.template(word, line)
    # fileserver/matcher.go (2.6.2, probed): what is written out, the root as well, is a shell pattern; what placeholders bring is a name.
    if any(_PATTERN.search(part) for part in (*path, *root) if isinstance(part, str)):
        context.unread(line, word, "the name of one file was expected; in it, and in its root, *, ? and [ stand for any sign unless a backslash is before them")
        path = (Unread(word),)
    path = tuple(re.sub(r"\\(.)", r"\1", part) if isinstance(part, str) else part for part in path)
    # SanitizedPathJoin (2.6.2, probed): it lies below the root, whether it begins with a slash or not.
    if path and (not path[0].startswith("/") if isinstance(path[0], str) else isinstance(path[0], Var) and path[0].variable is not Variable.PATH):
        path = join("/", path)
    return FileExists(root, path, kind, cleans=True, span=line.span)


def _expression(line: Directive, label: str, level: Level, context: Context) -> Condition:
    # One word is the expression itself; several stand with their quotes (matchers celmatcher.go, 2.6.2).
    text = line.args[0] if len(line.args) == 1 else " ".join(word.spelt for word in line.words[1:])

    def matcher(one: Directive) -> Condition | None:
        return KINDS[one.name](one, label, level, context)

    found = expressions.Reader(text, line, lambda name: context.template(f"{{{name}}}", line), matcher).read()
    if found is None or any(_asks_a_number(item, context) for item in walk(found)):
        context.say(CONDITION_UNREAD, line.span, condition=text)
        return Unknowable(text, line.span)
    return found


def _asks_a_number(item: object, context: Context) -> bool:
    """Whether a variable is compared as a text that is a number: it equals none, and a pattern for it is an error (2.6.2, probed)."""
    if not isinstance(item, TextIs | TextMatches) or not any(isinstance(part, Var) and part.variable is Variable.VARIABLE and part.name in context.numbers for part in item.template):
        return False
    return isinstance(item, TextMatches) or any(scalar(value) is not None for value in item.values)


def _vars(line: Directive, label: str, level: Level, context: Context) -> Condition:
    name, *wanted = line.args
    template = context.template(name, line) if name.startswith("{") else (Var(Variable.VARIABLE, name),)
    return TextIs(template, tuple(wanted), span=line.span)


def _vars_regexp(line: Directive, label: str, level: Level, context: Context) -> Condition:
    name, key, text = ("", *line.args) if len(line.args) == 2 else line.args
    template = context.template(key, line) if key.startswith("{") else (Var(Variable.VARIABLE, key),)
    pattern = context.pattern(text, line, name or f"@{label}")
    if key.startswith("{") and not problem(pattern) and search(pattern, NO_VALUE):
        template = (NO_VALUE,)
    found = TextMatches(template, pattern, span=line.span)
    if not key.startswith("{") and not problem(pattern) and search(pattern, ""):
        # A variable that is not set has no text, not an empty one either (2.6.2, probed).
        return AllOf((Not(TextIs(template, ()), line.span), found), line.span)
    return found


# How many words a matcher needs, and takes; with others the server does not start (2.6.2, probed).
_WORDS: dict[str, tuple[int, int | None]] = {
    "path": (1, None), "path_regexp": (1, 2), "host": (1, None), "method": (1, None), "protocol": (1, 1), "header": (1, None), "header_regexp": (2, 3), "expression": (1, None),
    "vars": (2, None), "vars_regexp": (2, 3),
}

KINDS: dict[str, Callable[[Directive, str, Level, Context], Condition]] = {
    "path": _path, "path_regexp": _path_regexp, "host": _host, "method": _method, "protocol": _protocol,
    "remote_ip": _remote_ip, "header": _header, "header_regexp": _header_regexp, "query": _query, "not": _not,
    "file": _file, "expression": _expression, "vars": _vars, "vars_regexp": _vars_regexp,
}
