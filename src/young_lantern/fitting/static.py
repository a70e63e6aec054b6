"""What is known before any request comes: the path after a rewrite, variables, whether the target is the client's own.

Rule:     three values: True, False, and None for what only a request can tell.
"""

from __future__ import annotations

import re
from os.path import commonprefix
from dataclasses import dataclass, replace
from functools import lru_cache, reduce
from typing import Any

from ..model import (
    ALWAYS, AllOf, Always, AnyOf, Capture, ClientIn, Condition, FileExists, FileKind, FileNameMatches, FolderMatches, HostIs, LetInBefore, LookedUpInside, Lookup, MethodIn, Not, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, PeerIn, Pinned, Rewritten, Route, SchemeIs, Step, Template, TextIs,
    TextMatches, Var, Variable, fixed, literal,
)
from ..model.placeholders import is_open
from ..model.walk import transform
from ..patterns import covered_prefix, literal_start, search
from ..patterns.path_languages import follows


@dataclass(frozen=True, slots=True)
class Known:
    """path: the whole path, if known; prefix and suffix: what it begins and ends with; internal: whether the client did not
    send it (None: maybe).

    excluded:  prefixes that the path does not have
    file_root: a file lies at the path below this root, so that the path does not end in a slash
    matched:   patterns that the path matches; `unmatched`: those that it does not
    stem:      of a file that was looked for in a folder: what the folder's path matches, and does not
    by_file:   a rewrite that only says which file is meant made the path; whatever asks for paths had its say on the one before that
    inside:    the server looks a file up by itself: an index file, for httpd
    cleaned:   what the path begins with, in small letters, as Caddy compares it: slashes merged, dots resolved
    held:      alternatives of paths, and files at the path, that were asked, and whether they held
    folder:    what is known besides if the path ends in a slash: whatever rewrote it did not leave one
    settled:   what was found out about the request itself, which nothing on the way changes
    queried:   what was found out about the query, which counts until a line changes it
    entered:   labels of blocks since whose entry the path was not rewritten; `unsure`: those of which it is not known
    """

    path: str | None = None
    prefix: str = "/"
    suffix: str = ""
    internal: bool | None = False
    entered: frozenset[str] = frozenset()
    unsure: frozenset[str] = frozenset()
    excluded: frozenset[str] = frozenset()
    file_root: Template | None = None
    matched: tuple[Pattern, ...] = ()
    unmatched: tuple[Pattern, ...] = ()
    by_file: bool = False
    inside: bool = False
    stem: tuple[tuple[Pattern, ...], tuple[Pattern, ...]] | None = None
    settled: frozenset[tuple[Condition, bool]] = frozenset()
    queried: frozenset[tuple[Condition, bool]] = frozenset()
    folder: "Known | None" = None
    variables: tuple[tuple[str, str | None], ...] = ()
    held: frozenset[tuple[Condition, bool]] = frozenset()
    cleaned: str = ""

    def with_path(self, template: Template) -> "Known":
        whole = literal(template)
        start = template[0] if template and isinstance(template[0], str) else ""
        end = template[-1] if template and isinstance(template[-1], str) else ""
        return replace(self, path=whole, prefix=whole or start, suffix=whole or end, excluded=frozenset(), file_root=None, by_file=False, matched=(), unmatched=(), stem=None, held=frozenset(), cleaned="")

    def of_folder(self) -> tuple[tuple[Pattern, ...], tuple[Pattern, ...]]:
        """What is known of the path as the patterns that it matches, and those that it does not."""
        asked = [item for condition, said in self.held if not said and isinstance(condition, AnyOf) for item in condition.conditions]
        refused = {_as_pattern(item) for item in asked if isinstance(item, PathIs | PathStartsWith)}
        refused |= {Pattern(f"^{re.escape(prefix)}") for prefix in self.excluded}
        return self.matched, (*self.unmatched, *sorted(refused, key=lambda pattern: (pattern.text, pattern.ignores_case)))

    def with_variable(self, name: str, value: str | None) -> "Known":
        return replace(self, variables=(*((key, held) for key, held in self.variables if key != name), (name, value)))


@dataclass(frozen=True, slots=True)
class Once:
    """What a condition on a table came to when it was asked first: nginx looks a table up once for a request, whatever becomes of the path."""

    condition: Condition


def asked_once(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program, of a server that looks tables up once, with its conditions on tables marked so."""
    def mark(value: object) -> object:
        return Once(value) if isinstance(value, TextIs | TextMatches) and any(isinstance(part, Lookup) for part in value.template) else value

    return transform(program, lambda value: replace(value, condition=transform(value.condition, mark)) if isinstance(value, Route) else value)


def plainly(condition: Condition) -> Condition:
    """The condition without such marks."""
    return transform(condition, lambda value: value.condition if isinstance(value, Once) else value)


def truth(condition: Condition | Once, known: Known) -> bool | None:
    """Whether the condition holds, as far as that is known."""
    if isinstance(condition, Once):
        for said in (True, False):
            if (condition, said) in known.settled:
                return said
        return truth(condition.condition, known)
    if isinstance(condition, AnyOf) and known.held:
        for said in (True, False):
            if (bare(condition), said) in known.held:
                return said
    if known.by_file and known.suffix and known.path is None and isinstance(condition, PathIs | PathStartsWith | PathMatches) and condition.form is PathForm.CURRENT:
        # An index file of such a folder: what stands before its name counts as no path that anything else asks for.
        asked = condition.pattern if isinstance(condition, PathMatches) else _as_pattern(condition)
        tried = {search(asked, known.prefix + between + known.suffix) is not None for between in ("", "x", "x/y1")}
        return tried.pop() if len(tried) == 1 else None
    match condition:
        case Always():
            return True
        case PathIs(path, ignores_case, PathForm.CURRENT):
            said = _path_is(path, ignores_case, known)
            return follows(_as_pattern(condition), known.prefix, known.suffix, known.matched) if said is None and known.matched else said
        case PathIs(text, True, PathForm.CLEAN) if known.cleaned and _is_plain(text):
            return None if text.lower().startswith(known.cleaned) else False
        case PathStartsWith(text, True, PathForm.CLEAN) if known.cleaned and _is_plain(text):
            text = text.lower()
            return True if known.cleaned.startswith(text) else None if text.startswith(known.cleaned) else False
        case PathStartsWith(prefix, ignores_case, PathForm.CURRENT):
            said = _starts(prefix, ignores_case, known)
            return follows(_as_pattern(condition), known.prefix, known.suffix, known.matched) if said is None and known.matched else said
        case PathMatches(pattern, PathForm.CURRENT) if known.path is not None:
            return search(pattern, known.path) is not None
        case PathMatches(pattern, PathForm.CURRENT) if any((pattern.text, pattern.ignores_case) == (other.text, other.ignores_case) for other in known.matched):
            return True
        case PathMatches(pattern, PathForm.CURRENT) if not pattern.ignores_case and (start := literal_start(pattern)) and not (
                start.startswith(known.prefix) or known.prefix.startswith(start)):
            return False
        case PathMatches(pattern, PathForm.CURRENT) if (start := covered_prefix(pattern)) and known.prefix.startswith(start):
            return True
        case PathMatches(pattern, PathForm.CURRENT) if (said := follows(pattern, known.prefix, "", known.matched)) is not None:
            return said
        case PathMatches(pattern, PathForm.CURRENT) if known.suffix:
            return follows(pattern, known.prefix, known.suffix, known.matched, known.stem)
        case FolderMatches(looks=PathMatches() as looks):
            return None if truth(looks, known) is not False else False
        case FileNameMatches(_, pattern, _) if "/" in (whole := known.path if known.path is not None else known.suffix):
            # The file's name is the last segment, but where what comes before it is no folder; the comparison shows what comes of that.
            return search(pattern, whole.rstrip("/").rpartition("/")[2]) is not None
        case LookedUpInside():
            return known.inside
        case LetInBefore() | Pinned():
            # Only the server that has requests of its own, and knows them, has such; what comes of it, the comparison says.
            return False
        case Rewritten(""):
            return known.internal
        case Rewritten(label):
            return None if label in known.unsure else label not in known.entered
        case FileExists(root, (Var(Variable.PATH),) | (), kind, cleans=False) if known.file_root is not None and known.file_root == root:
            return None if kind.besides else kind is not FileKind.FOLDER
        case FileExists() if (said := _there(condition, known)) is not None:
            return said
        case TextIs(template, values, ignores_case) if (text := fixed(template)) is not None and not any(map(is_open, values)):
            return any(text == value or ignores_case and text.lower() == value.lower() for value in values)
        case TextIs((Var(Variable.SCHEME),), values) if not any(map(is_open, values)) and not {"http", "https"} & {value.lower() for value in values}:
            return False
        case TextMatches(template, pattern) if (text := fixed(template)) is not None and not is_open(pattern.text):
            return search(pattern, text) is not None
        case TextIs((Var(Variable.PATH),), values, ignores_case) if values and not any(map(is_open, values)):
            each = {truth(PathIs(value, ignores_case), known) for value in values}
            return True if True in each else None if None in each else False
        case TextMatches((Var(Variable.PATH),), pattern) if not is_open(pattern.text):
            return truth(PathMatches(pattern), known)
        case TextIs() | TextMatches() | ClientIn() | PeerIn() | HostIs() | SchemeIs() | MethodIn() | FileExists() if lasting(condition):
            return True if (condition, True) in known.settled else False if (condition, False) in known.settled else None
        case TextIs() | TextMatches() if known.queried and of_query(condition):
            return next((said for said in (True, False) if (bare(condition), said) in known.queried), None)
        case TextIs((Var(Variable.VARIABLE, name),), values):
            value = dict(known.variables).get(name, None)
            return None if value is None or any(map(is_open, values)) else value in values
        case Not(inner):
            value_of = truth(inner, known)
            return None if value_of is None else not value_of
        case AllOf(conditions):
            values_of = [truth(item, known) for item in conditions]
            return False if False in values_of or (condition, False) in known.settled else True if None not in values_of else None
        case AnyOf(conditions):
            values_of = [truth(item, known) for item in conditions]
            return True if True in values_of else False if None not in values_of else None
    return None


def _there(condition: FileExists, known: Known) -> bool | None:
    """Whether a file is there, as far as it was asked for since the path is what it is."""
    if not known.held or condition.cleans:
        return None
    for said in (True, False):
        if (bare(condition), said) in known.held:
            return said
    other = {FileKind.FILE: FileKind.FOLDER, FileKind.FOLDER: FileKind.FILE}.get(condition.kind)
    return False if other is not None and (bare(replace(condition, kind=other)), True) in known.held else None


def _as_pattern(condition: PathIs | PathStartsWith) -> Pattern:
    """The same condition as a pattern."""
    if isinstance(condition, PathIs):
        return Pattern(f"^{re.escape(condition.path)}$", ignores_case=condition.ignores_case)
    return Pattern(f"^{re.escape(condition.prefix)}", ignores_case=condition.ignores_case)


def _path_is(path: str, ignores_case: bool, known: Known) -> bool | None:
    if known.path is not None:
        return known.path.lower() == path.lower() if ignores_case else known.path == path
    return None if ignores_case or (path.startswith(known.prefix) and path.endswith(known.suffix)) else False


def _starts(prefix: str, ignores_case: bool, known: Known) -> bool | None:
    if ignores_case:
        return None if known.path is None else known.path.lower().startswith(prefix.lower())
    if known.path is not None:
        return known.path.startswith(prefix)
    if known.prefix.startswith(prefix):
        return True
    if any(prefix.startswith(other) for other in known.excluded):
        return False
    return None if prefix.startswith(known.prefix) else False


# What a client sends, or is: the same at every step.
_LASTING = frozenset({Variable.SCHEME, Variable.HOST, Variable.AUTHORITY, Variable.TARGET, Variable.ORIGINAL_PATH, Variable.CLIENT, Variable.PEER, Variable.FIELD, Variable.COOKIE})


def lasting(condition: Condition) -> bool:
    """Whether a condition asks only for what stays the same on a request's way. A page for an error is asked for by GET, but is written apart."""
    if isinstance(condition, AllOf):
        return all(lasting(item.condition if isinstance(item, Not) else item) for item in condition.conditions)
    if isinstance(condition, FileExists):
        return literal(condition.root) is not None and bool(condition.path) and literal(condition.path) is not None
    return isinstance(condition, ClientIn | PeerIn | HostIs | SchemeIs | MethodIn) or isinstance(condition, TextIs | TextMatches) and lasting_text(condition.template)


def lasting_text(template: Template) -> bool:
    """Whether a text is made of what stays the same on a request's way."""
    return all(isinstance(part, str) or (isinstance(part, Var) and part.variable in _LASTING) for part in template)


# What stays as it is until a line changes the query.
_OF_QUERY = frozenset({Variable.QUERY, Variable.QUERY_MARK, Variable.ARGUMENT, Variable.ARGUMENTS})


def of_query(condition: Condition | Once) -> bool:
    """Whether a condition asks for nothing but the query, and what a client sends."""
    if not isinstance(condition, TextIs | TextMatches):
        return False
    return all(isinstance(part, str) or (isinstance(part, Var) and part.variable in _LASTING | _OF_QUERY) for part in condition.template)


def with_groups(route: Route, path: str) -> Route:
    """A route for a path that is known, with what its pattern takes of that written out."""
    asked = route.condition
    if not isinstance(asked, PathMatches) or asked.form is not PathForm.CURRENT or not asked.pattern.label or literal((path,)) is None:
        return route
    found = search(asked.pattern, path)

    def put_in(value: object) -> object:
        if not isinstance(value, Capture) or value.pattern != asked.pattern.label or not isinstance(value.group, int) or found is None or value.group > len(found.groups()):
            return value
        text = found[value.group] or ""
        return text if re.fullmatch(r"[\w./-]*", text, re.ASCII) else value  # the same, encoded or not

    return replace(route, steps=tuple(transform(step, put_in) for step in route.steps))


def simplified(condition: Condition, known: Known, captured: frozenset[str] = frozenset()) -> Condition:
    """The condition without the parts that are known to hold, but for patterns (by label) whose captures are used."""
    if isinstance(condition, AllOf):
        left = tuple(item for item in condition.conditions if truth(item, known) is not True or _label(item) in captured)
        return ALWAYS if not left else left[0] if len(left) == 1 else AllOf(left, condition.span)
    return condition


def _label(condition: Condition) -> str | None:
    return condition.pattern.label or None if isinstance(condition, PathMatches | TextMatches) else None


def without(known: Known, condition: Condition) -> Known:
    """What is known besides once the condition did not hold."""
    if isinstance(condition, Once):
        outside = without(known, condition.condition)
        return replace(outside, settled=outside.settled | {(condition, False)})
    if isinstance(condition, PathStartsWith) and not condition.ignores_case:
        return replace(known, excluded=known.excluded | {condition.prefix})
    if _is_of_paths(condition):
        return replace(known, held=known.held | {(bare(condition), False)})
    if _is_of_file(condition):
        return replace(known, held=known.held | {(bare(condition), False)})
    if isinstance(condition, PathMatches) and condition.form is PathForm.CURRENT:
        return replace(known, unmatched=(*known.unmatched, condition.pattern))
    if isinstance(condition, Not):
        inner = condition.condition
        return narrowed(known, inner) if _is_of_file(inner) or isinstance(inner, Once) or lasting(inner) or of_query(inner) else known
    if isinstance(condition, AnyOf):
        # None of them does.
        for item in condition.conditions:
            known = without(known, item)
        return known
    if isinstance(condition, AllOf):
        # Where all else holds, it is the one that is left that does not.
        left = _needed([item for item in condition.conditions if truth(item, known) is not True], known)
        if len(left) == 1:
            return without(known, left[0])
    if lasting(condition):
        return replace(known, settled=known.settled | {(condition, False)})
    if of_query(condition):
        return replace(known, queried=known.queried | {(bare(condition), False)})
    return known


def _needed(conditions: list[Condition], known: Known) -> list[Condition]:
    """The conditions without those that hold wherever the others do: no path below /tools/ is /status."""
    for item in conditions:
        if isinstance(item, Not):
            others = [other for other in conditions if other is not item]
            if others and truth(item, reduce(narrowed, others, known)) is True:
                return _needed(others, known)
    return conditions


_PLACES = {"span": None, "root_span": None, "otherwise_span": None, "charset_span": None, "also": (), "comments": ()}


@lru_cache(maxsize=8192)
def bare(value: Any) -> Any:
    """A model value without its places in the source, and comments: for telling whether two say the same."""

    def change(item: Any) -> Any:
        made = {name: empty for name, empty in _PLACES.items() if getattr(item, name, empty) != empty}
        return replace(item, **made) if made else item

    return transform(value, change)


def _is_of_paths(condition: Condition) -> bool:
    return isinstance(condition, AnyOf) and all(isinstance(item, PathIs | PathStartsWith) and item.form is PathForm.CURRENT for item in condition.conditions)


def _is_of_file(condition: Condition | Once) -> bool:
    """Whether it asks for a file by the path, so that it is another question once the path is changed."""
    if not isinstance(condition, FileExists) or condition.cleans or Var(Variable.PATH) not in condition.path:
        return False
    return all(isinstance(part, str) or part == Var(Variable.PATH) for part in (*condition.root, *condition.path))


def narrowed(known: Known, condition: Condition) -> Known:
    """What is known besides once the condition held."""
    match condition:
        case Once(inner):
            inside = narrowed(known, inner)
            return replace(inside, settled=inside.settled | {(condition, True)})
        case Not(Once(inner) as once):
            return replace(known, settled=known.settled | {(once, False)})
        case PathIs(path, False, PathForm.CURRENT):
            return replace(known, path=path, prefix=path)
        case PathStartsWith(prefix, False, PathForm.CURRENT) if len(prefix) > len(known.prefix):
            return replace(known, prefix=prefix)
        case PathIs(ignores_case=True, form=PathForm.CURRENT) | PathStartsWith(ignores_case=True, form=PathForm.CURRENT):
            return replace(known, matched=(*known.matched, _as_pattern(condition)))
        case FileExists(root, (Var(Variable.PATH),) | (), FileKind.FILE, cleans=False):
            return replace(known, file_root=root, held=known.held | {(bare(condition), True)})
        case FileExists() if _is_of_file(condition):
            return replace(known, held=known.held | {(bare(condition), True)})
        case Not(inner) if _is_of_file(inner):
            return replace(known, held=known.held | {(bare(inner), False)})
        case PathMatches(pattern, PathForm.CURRENT):
            start = "" if pattern.ignores_case else literal_start(pattern)
            longer = start if len(start) > len(known.prefix) and start.startswith(known.prefix) else known.prefix
            return replace(known, matched=(*known.matched, pattern), prefix=longer)
        case Not(PathMatches(form=PathForm.CURRENT) as inner):
            return without(known, inner)
        case Not(inner) if lasting(inner):
            return replace(known, settled=known.settled | {(inner, False)})
        case TextIs() | TextMatches() | ClientIn() | PeerIn() | HostIs() | SchemeIs() | MethodIn() | FileExists() if lasting(condition):
            return replace(known, settled=known.settled | {(condition, True)})
        case TextIs() | TextMatches() if of_query(condition):
            return replace(known, queried=known.queried | {(bare(condition), True)})
        case Not(inner) if of_query(inner):
            return replace(known, queried=known.queried | {(bare(inner), False)})
        case AllOf(conditions):
            for item in conditions:
                known = narrowed(known, item)
        case PathIs(text, True, PathForm.CLEAN) | PathStartsWith(text, True, PathForm.CLEAN) if _is_plain(text) and len(text) > len(known.cleaned):
            return replace(known, cleaned=text.lower())
        case AnyOf(conditions) if _is_of_paths(condition):
            start = commonprefix([item.path if isinstance(item, PathIs) else item.prefix for item in conditions if isinstance(item, PathIs | PathStartsWith)])
            longer = start if len(start) > len(known.prefix) and not any(item.ignores_case for item in conditions if isinstance(item, PathIs | PathStartsWith)) else known.prefix
            return replace(known, held=known.held | {(bare(condition), True)}, prefix=longer)
        case AnyOf(conditions) if all(isinstance(item, PathIs | PathStartsWith) and item.form is PathForm.CLEAN and item.ignores_case for item in conditions):
            texts = [item.path if isinstance(item, PathIs) else item.prefix for item in conditions if isinstance(item, PathIs | PathStartsWith)]
            start = commonprefix([text.lower() for text in texts])
            return replace(known, cleaned=start) if all(map(_is_plain, texts)) and len(start) > len(known.cleaned) else known
    return known


def _is_plain(text: str) -> bool:
    """Whether a text is compared with the path as it is cleaned for all others, too: with two slashes in it, none are merged (caddyhttp.CleanPath)."""
    return "//" not in text and "%" not in text
