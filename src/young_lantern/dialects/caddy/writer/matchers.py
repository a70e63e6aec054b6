"""Conditions -> Caddy request matchers. Mirror: reader/matchers.py.

Rule:     lines of a set must all hold, values of one `path` line are alternatives. Alternatives of different kinds are
          written as `not { not … not … }`, and a second path condition of a set likewise, since two path lines would be
          alternatives.
Unknown:  Unwritable, in words.
"""

from __future__ import annotations

import json
import re
from dataclasses import replace

from ....codes import CASE_IGNORED, PATTERN_BEYOND
from ....model import (
    NO_VALUE, Always, AllOf, AnyOf, Capture, ClientIn, Condition, Disposition, FileExists, FileKind, FileNameMatches, FolderMatches, HostIs, Lookup, LookupRow, MethodIn, Not,
    PathGlob, PathIs, PathMatches, PathStartsWith, PeerIn, Pattern, Placeholder, SchemeIs, Span, Template, TextIs, TextMatches, Var, Variable, literal,
)
from ....model.walk import transform, walk
from ....patterns import beyond_re2, search, to_re2
from ....patterns.looks import Apart, apart
from .. import arguments
from ...noting import BESIDES
from ..values import Unwritable, quote
from .context import Context, Matcher
from .output import Node

Lines = list[Node]


def write_matcher(condition: Condition, wish: str, context: Context, span: Span | None) -> Matcher | Unwritable:
    """The matcher of a fork. `wish`: what its name should remind of."""
    if isinstance(condition, Always):
        return Matcher("")
    name = context.name(wish)
    lines = write_lines(condition, name, context)
    if isinstance(lines, Unwritable):
        return lines
    for item in walk(condition):
        if isinstance(item, PathIs | PathStartsWith) and not item.ignores_case and re.search("[A-Za-z]", _text(item)) and _as_glob(item, context):
            context.note(item.span or span, Disposition.CHANGED, CASE_IGNORED, path=_text(item))
    paths = tuple(word for line in lines if line.words[0] == "path" for word in line.words[1:])
    if len(lines) == 1 and lines[0].words[0] == "path" and len(paths) == 1 and paths[0].startswith("/"):
        context.taken.discard(name)
        return Matcher(paths[0], None, paths, condition)
    spans = tuple(dict.fromkeys(item for item in walk(condition) if isinstance(item, Span)))
    definition = Node([f"@{name}", *lines[0].words], lines[0].block, spans) if len(lines) == 1 else Node([f"@{name}"], lines, spans)
    return Matcher(f"@{name}", definition, paths, condition)


def _text(condition: PathIs | PathStartsWith) -> str:
    return condition.path if isinstance(condition, PathIs) else condition.prefix


def _as_glob(condition: PathIs | PathStartsWith, context: Context) -> str | None:
    """The value of a `path` line, if one can say it (and case may be ignored)."""
    text = _text(condition)
    if re.search(r"[*?\[\\%{}\s\"`]", text) or (context.options.strict and not condition.ignores_case and re.search("[A-Za-z]", text)):
        return None
    return text if isinstance(condition, PathIs) else f"{text}*"


def write_lines(condition: Condition, name: str, context: Context) -> Lines | Unwritable:
    """A condition -> the lines of a matcher set."""
    if isinstance(condition, PathMatches | TextMatches) and (ways := apart(condition.pattern)) is not None:
        return write_lines(_without_looks(condition, ways), name, context)
    match condition:
        case PathIs() | PathStartsWith():
            glob = _as_glob(condition, context)
            if glob is not None:
                return [Node(["path", glob])]
            anchored = "^" + re.escape(_text(condition)) + ("$" if isinstance(condition, PathIs) else "")
            return _pattern_line(["path_regexp"], Pattern(("(?i)" if condition.ignores_case else "") + anchored.replace("/", "/"), "re2"), name, context, condition.span)
        case PathGlob(glob):
            return [Node(["path", glob])]
        case FolderMatches(looks=PathMatches() as looks):
            return write_lines(looks, name, context)
        case PathMatches(pattern):
            return _pattern_line(["path_regexp"], pattern, name, context, condition.span)
        case HostIs(names):
            return [Node(["host", *names])]
        case SchemeIs(scheme):
            return [Node(["protocol", scheme])]
        case MethodIn(methods):
            return [Node(["method", *methods])]
        case ClientIn(networks) | PeerIn(networks):
            return [Node(["remote_ip", *networks])]
        case TextIs():
            return _text_is(condition, context)
        case TextMatches((Var(Variable.FIELD, field),), pattern) if pattern.text != "^$" and not search(pattern, ""):
            return _pattern_line(["header_regexp"], pattern, name, context, condition.span, field)
        case TextMatches((Var(Variable.AUTHORITY),), pattern) if search(pattern, NO_VALUE) is not None and not search(pattern, ""):
            # matchers.go, getHeaderFieldVals (2.6.2, probed): Host is the request's, which every request has.
            return _pattern_line(["header_regexp"], pattern, name, context, condition.span, "Host")
        case TextMatches((Var(Variable.QUERY, ""),), pattern) if (argument := arguments.asked(pattern)) is not None:
            return [Node(["query", f"{argument}=*"])]
        case TextMatches((Var(Variable.FIELD, field),), Pattern("^$")):
            return [Node(["header", f"!{field}"])]
        case TextMatches(template, pattern):
            if literal(template) is not None:
                return Unwritable("a pattern for a text that is the same for all requests")  # it would be taken for the name of a variable
            subject = context.template(template, condition.span)
            if isinstance(subject, Unwritable):
                return subject
            if pattern.label not in context.captured and search(pattern, NO_VALUE) is not None and not beyond_re2(pattern.text) and "`" not in (text := to_re2(pattern).text):
                # The matcher of that name would hold for every request; an expression is an error where there is no value.
                asked = f"{subject}.matches({json.dumps(text, ensure_ascii=False)})"
                if any(map(_may_be_missing, template)):
                    if len(template) > 1:
                        return Unwritable("a pattern for a text of several values that may not be there")
                    asked = f"{subject} == null || {asked}" if search(pattern, "") else f"{subject} != null && {asked}"
                return [Node(["expression", f"`{asked}`"])]
            if search(pattern, NO_VALUE) is not None:
                return Unwritable("the groups of a pattern that is found in the words that Caddy has for no value as well")
            return _pattern_line(["vars_regexp"], pattern, name, context, condition.span, quote(subject))
        case FileExists():
            return _file(condition, context)
        case Not(Not(inner)):
            return write_lines(inner, name, context)
        case Not(inner):
            lines = write_lines(inner, name, context)
            return lines if isinstance(lines, Unwritable) else [_not(lines)]
        case AllOf(conditions):
            return _all(conditions, name, context)
        case AnyOf(conditions):
            return _any(conditions, name, context)
    return Unwritable(f"the condition {getattr(condition, 'spelling', 'that asks whether the path was rewritten')}")


def _without_looks(condition: PathMatches | TextMatches, ways: tuple[Apart, ...]) -> Condition:
    """RE2 has no look-around: what a pattern looks for is asked beside it."""
    made: list[Condition] = []
    beside = f"{condition.pattern.label} beside" if condition.pattern.label else ""  # of another name, so that the groups of the pattern itself stay
    for way in ways:
        asked: tuple[Condition, ...] = (*(replace(condition, pattern=replace(item, label=beside)) for item in way.wanted), *(Not(replace(condition, pattern=replace(item, label=beside))) for item in way.refused))
        made.append(AllOf((replace(condition, pattern=way.main), *asked)) if asked else replace(condition, pattern=way.main))
    return made[0] if len(made) == 1 else AnyOf(tuple(made))


def _not(lines: Lines) -> Node:
    if len(lines) == 1 and lines[0].block is None:
        return Node(["not", *lines[0].words])
    return Node(["not"], lines)


def _all(conditions: tuple[Condition, ...], name: str, context: Context) -> Lines | Unwritable:
    out: Lines = []
    for condition in _by_itself(conditions):
        if isinstance(condition, FileNameMatches) and len(conditions) > 1:
            continue  # beside it stands what the path must look like for it; where the two differ, the comparison shows it
        lines = write_lines(condition, name, context)
        if isinstance(lines, Unwritable):
            return lines
        for line in lines:
            once = line.words[0] not in ("not", "expression") and any(line.words[0] == other.words[0] for other in out)
            out.append(_not([_not([line])]) if once else line)
    return out


def _by_itself(conditions: tuple[Condition, ...]) -> tuple[Condition, ...]:
    """The conditions, of which none asks for what another of them took: by a table each finds it out by itself.

    caddyhttp.go, MatcherSets (2.6.2, probed): a set has its matchers in any order, another one each time that Caddy starts.
    """
    takers: dict[str, PathMatches | TextMatches] = {}  # of several with one label it is the last before

    def found(value: object) -> object:
        if not isinstance(value, Capture) or value.pattern not in takers:
            return value
        taker = takers[value.pattern]
        subject = taker.template if isinstance(taker, TextMatches) else (Var(Variable.PATH),)
        return Lookup(f"part_{value.group}", subject, (LookupRow(replace(taker.pattern, label=""), (Capture(value.group),)),), span=taker.span)

    made = []
    for condition in conditions:
        condition = transform(condition, found)
        made.append(condition)
        if isinstance(condition, PathMatches | TextMatches) and condition.pattern.label:
            takers[condition.pattern.label] = condition
    return tuple(made)


def _any(conditions: tuple[Condition, ...], name: str, context: Context) -> Lines | Unwritable:
    written = []
    for condition in conditions:
        lines = write_lines(condition, name, context)
        if isinstance(lines, Unwritable):
            return lines
        written.append(lines)
    if all(len(lines) == 1 and lines[0].words[0] == written[0][0].words[0] in ("path", "host", "method", "remote_ip", "file") and lines[0].block is None for lines in written):
        return [Node([written[0][0].words[0], *(word for lines in written for word in lines[0].words[1:])])]
    return [Node(["not"], [_not(lines) for lines in written])]


def _pattern_line(words: list[str], pattern: Pattern, name: str, context: Context, span: Span | None, *between: str) -> Lines | Unwritable:
    if pattern.engine == "pcre":
        features = beyond_re2(pattern.text)
        if features:
            context.note(span, Disposition.UNSUPPORTED, PATTERN_BEYOND, pattern=pattern.text, features=features)
            return Unwritable(f"the expression {pattern.text}")
        label = pattern.label
        pattern = replace(to_re2(pattern), label=label)
    if pattern.label:
        # Two patterns of one matcher would write their captures over each other's.
        others = {held for label, held in context.pattern_names.items() if label != pattern.label}
        name = name if name not in others else next(other for number in range(2, 99) if (other := f"{name}_{number}") not in others)
        context.pattern_names[pattern.label] = name
    return [Node([*words, name, *between, quote(pattern.text)])]


def _text_is(condition: TextIs, context: Context) -> Lines | Unwritable:
    match condition.template:
        case (Var(Variable.METHOD),) if not condition.ignores_case:
            return [Node(["method", *condition.values])]
        case (Var(Variable.HOST),) if all(condition.values):
            return [Node(["host", *condition.values])]
        case (Var(Variable.SCHEME),):
            return [Node(["protocol", condition.values[0]])] if len(condition.values) == 1 else Unwritable("several schemes")
        case (Var(Variable.FIELD, name),) if condition.values == ("",):
            return [Node(["header", f"!{name}"])]
        case (Var(Variable.FIELD, name),) if "" not in condition.values and not any("*" in value for value in condition.values):
            return [Node(["header", name, quote(value)]) for value in condition.values] if len(condition.values) == 1 else Unwritable("several values of one field")
        case (Var(Variable.ARGUMENT, name),) if not {"", "*"} & set(condition.values) and "=" not in name:
            # Of several arguments of the name it takes the first, where the placeholder has all of them.
            return [Node(["query", *(quote(f"{name}={value}") for value in condition.values)])]
    if any(map(_may_be_missing, condition.template)) and ("" in condition.values or len(condition.template) > 1):
        return _text_is_by_pattern(condition, context)
    pieces: list[str] = []
    for part in condition.template:
        piece = _in_expression(part if isinstance(part, str) else part.spelling) if isinstance(part, str | Placeholder) else context.template((part,), condition.span)
        if isinstance(piece, Unwritable):
            return piece
        if not isinstance(part, str | Placeholder) and not re.fullmatch(r"\{[\w.\-]+\}", piece):
            return Unwritable("a comparison of a text that no one placeholder has")
        pieces.append(piece)
    subject = " + ".join(pieces) or _in_expression("")
    quoted = list(map(_in_expression, condition.values))
    text = f"{subject} == {quoted[0]}" if len(quoted) == 1 else f"{subject} in [{', '.join(quoted)}]"
    return [Node(["expression", f"`{text}`"])]


def _may_be_missing(part: object) -> bool:
    """Whether a placeholder may have no value, which equals no text in Caddy's expressions, the empty one neither (2.6.2, probed)."""
    return isinstance(part, Capture) or isinstance(part, Var) and part.variable in (Variable.COOKIE, Variable.VARIABLE)


def _text_is_by_pattern(condition: TextIs, context: Context) -> Lines | Unwritable:
    """A comparison for which no value is an empty one."""
    if len(condition.template) > 1:
        return Unwritable("a comparison of a text of several values that may not be there")
    subject = context.template(condition.template, condition.span)
    if isinstance(subject, Unwritable):
        return subject
    held = "|".join(re.escape(value) for value in condition.values if value)
    pattern = f"^(?:{held})?$" if held else "^$"
    return [Node(["vars_regexp", quote(subject), quote(("(?i)" if condition.ignores_case else "") + pattern)])]


def _in_expression(text: str) -> str:
    """A text in an expression (CEL)."""
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


_GLOB = re.compile(r"[*?\[\\]")


def as_names(path: Template) -> Template:
    """fileserver/matcher.go (2.6.2, probed): what is written out is a shell pattern; what placeholders bring is a name."""
    return tuple(_GLOB.sub(r"\\\g<0>", part) if isinstance(part, str) else part for part in path)


def file_words(condition: FileExists, context: Context) -> list[str] | Unwritable:
    """The values of a file matcher or try_files that ask for this file."""
    path = condition.path or (Var(Variable.PATH),)
    if condition.kind.besides:
        return Unwritable(f"whether {BESIDES[condition.kind]}")
    if condition.split is not None:
        return Unwritable("a test that takes a path apart, in a list of files")
    if condition.strip and condition.strip != context.strip:
        # The part that an alias stands for is taken off by a table: other answers there go by the whole path.
        name = "_".join(["below", *re.findall(r"[a-z0-9]+", condition.strip.lower())])
        rest = Lookup(name, (Var(Variable.PATH),), (LookupRow(Pattern(f"^{re.escape(condition.strip)}(.*)$", "re2"), ("/" if condition.strip.endswith("/") else "", Capture(1))),), span=condition.span)
        path = tuple(rest if part == Var(Variable.PATH) else part for part in path)
        if rest not in path:
            return Unwritable("a file test below an alias")
    text = context.template(as_names(path), condition.span)
    if isinstance(text, Unwritable):
        return text
    if condition.cleans and path == (Var(Variable.FOUND),):
        return Unwritable("a test of a file that was found before")
    return {FileKind.FILE: [text], FileKind.FOLDER: [text + "/"], FileKind.ANY: [text, text + "/"]}[condition.kind]


def _file(condition: FileExists, context: Context) -> Lines | Unwritable:
    words = file_words(replace(condition, split=None), context)
    if isinstance(words, Unwritable):
        return words
    same = _same_root(condition.root, context)
    if same and condition.split is None:
        return [Node(["file", *map(quote, words)])]
    root = "" if same else context.template(condition.root, condition.span)
    if isinstance(root, Unwritable):
        return root
    # What follows the name of a script is left for the application.
    split = [Node(["split_path", ".php"])] if condition.split is not None else []
    return [Node(["file"], [*([] if same else [Node(["root", quote(root or "/")])]), Node(["try_files", *map(quote, words)]), *split])]


def _same_root(root: object, context: Context) -> bool:
    # A whole path has no root of its own, and Caddy without one looks below the folder that it was started in.
    return bool(root) and root == context.root or (isinstance(root, tuple) and len(root) == 1 and isinstance(root[0], str)
                                    and (root[0].rstrip("/"),) == tuple(part.rstrip("/") if isinstance(part, str) else part for part in context.root))
