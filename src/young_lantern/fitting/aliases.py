"""Files below an alias, and files below a folder whose prefix was cut off the path before: either as the other.

cut             an alias -> a search for files like any other, once the part of the path that it stands for is cut off
stripped_below  a prefix cut off -> files below an alias: the path stays whole, the folder takes the cut's place. Only where nothing but file tests, files and
                fixed pages follow; a fixed page gets the prefix back, so that it is found by the same location again
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

from ..model import Condition, FileExists, Gateway, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern, Respond, Rewrite, ServeFiles, SetPath, StripPrefix, Template, Var, Variable, join, literal
from ..model.walk import transform, walk
from ..patterns import compiled
from .tree import Branch, Chain, Leaf

T = TypeVar("T")
PATH = Var(Variable.PATH)
# What is another text once the path was cut.
_CUT = frozenset({Variable.PATH, Variable.URL_PATH, Variable.PATH_ESCAPED, Variable.TARGET_NOW, Variable.SCRIPT_NAME, Variable.PATH_INFO})


def behind(template: Template, strip: str) -> Template | None:
    """A path without the part that an alias stands for; None where it is not known to begin with it."""
    first = template[0] if template else ""
    if not isinstance(first, str) or not first.startswith(strip):
        return None
    rest = first[len(strip):]
    return join("/" + rest if strip.endswith("/") else rest, *template[1:])


def moved_below(rewrite: Rewrite, answer: ServeFiles) -> tuple[Rewrite, ServeFiles] | None:
    """A path that lies below an alias by what it is set to, and is served from there: the same file by its path in the alias's folder. None: it is none."""
    if not answer.strip or answer.whole_path is not None or not isinstance(rewrite.edit, SetPath):
        return None
    path = behind(rewrite.edit.template, answer.strip)
    return (replace(rewrite, edit=SetPath(path)), replace(answer, strip="")) if path else None


def without_lost_pages(chain: Chain) -> Chain:
    """The chain in which a path without a slash at its start, of which a folder's name makes the name of nothing, is not found."""
    items = [Branch([replace(fork, chain=without_lost_pages(fork.chain)) for fork in item.forks], item.span) if isinstance(item, Branch) else item for item in chain.items]
    for number, (item, following) in enumerate(zip(items, items[1:], strict=False)):
        match item, following:
            case Rewrite(edit=SetPath((str(first), *_))), Leaf(answer=ServeFiles(strip="", whole_path=None) as answer) if (
                    first[:1] not in ("", "/") and answer.root and isinstance(answer.root[-1], str) and not answer.root[-1].endswith("/")):
                return Chain([*items[:number], replace(following, answer=Respond(404, raises=True, span=item.span))], chain.shared)
    return Chain(items, chain.shared)


def with_roots(program: T) -> T:
    """The program in which an alias that an application lies below is a root, where its folder is called like the path that it stands for: the same files by shorter means."""
    places = {(item.root, item.strip) for item in walk(program) if isinstance(item, Gateway) and item.strip and _root_of(item.root, item.strip)}

    def change(value: Any) -> Any:
        if not isinstance(value, ServeFiles | Gateway | FileExists) or (value.root, value.strip) not in places:
            return value
        return replace(value, root=(_root_of(value.root, value.strip),), strip="")

    return transform(program, change) if places else program


def _root_of(root: Template, strip: str) -> str:
    """The folder that a path lies in as it is; "" where there is none."""
    text = literal(root)
    return text[:-len(strip)] if text is not None and text.endswith(strip) and strip.startswith("/") else ""


def without_idle_cuts(chain: Chain, told: Callable[[Rewrite], None]) -> Chain:
    """The chain without prefixes that are cut off a path which was just set to one that begins otherwise. told: gets each."""
    items: list = []
    for item in chain.items:
        if isinstance(item, Branch):
            item = Branch([replace(fork, chain=without_idle_cuts(fork.chain, told)) for fork in item.forks], item.span)
        match items[-1:], item:
            case [Rewrite(edit=SetPath((str(first), *_)))], Rewrite(edit=StripPrefix(prefix), query=None) if not first.lower().startswith(prefix.lower()) and not prefix.lower().startswith(first.lower()):
                told(item)
                continue
        items.append(item)
    return Chain(items, chain.shared)


def cut(chain: Chain, strip: str) -> Chain | None:
    """A chain for paths of which `strip` was cut off already; None where something in it still asks for the whole path."""
    items: list = []
    for item in chain.items:
        made = _cut(item, strip)
        if made is None:
            return None
        items.append(made)
    return Chain(items, chain.shared)


def _cut(item: object, strip: str) -> object | None:
    match item:
        case Branch(forks=forks):
            chains = [cut(fork.chain, strip) for fork in forks]
            asked = [transform(fork.condition, lambda part: _asked(part, strip)) for fork in forks]
            if None in chains or any(_asks_path(condition) for condition in asked):
                return None
            return Branch([replace(fork, condition=condition, chain=chain) for fork, condition, chain in zip(forks, asked, chains, strict=True)], item.span)
        case Leaf(answer=ServeFiles(strip=own, whole_path=whole) as answer):
            named = any(isinstance(part, Var) and part.variable in _CUT for part in walk(item.settings))
            return replace(item, answer=replace(answer, strip="")) if own == strip and whole is None and not named else None
        case Rewrite(edit=SetPath(template)):
            path = template if template[:1] in ((PATH,), (Var(Variable.FOUND),)) else behind(template, strip)
            return replace(item, edit=replace(item.edit, template=path)) if path else None
    return item if isinstance(item, Leaf) and not any(isinstance(part, Var) and part.variable in _CUT for part in walk((item.answer, item.settings))) else None


def _asks_path(condition: Condition) -> bool:
    """Whether a condition still asks for the whole path."""
    files = {id(part) for item in walk(condition) if isinstance(item, FileExists) and not item.strip for part in walk(item)}
    return any(isinstance(part, PathIs | PathStartsWith | PathMatches | PathGlob) or isinstance(part, FileExists) and bool(part.strip) or part == PATH and id(part) not in files for part in walk(condition))


def _asked(part: object, strip: str) -> object:
    if not isinstance(part, FileExists) or part.strip != strip:
        return part
    path = part.path if part.path[:1] in ((), (PATH,)) else behind(part.path, strip)
    return part if path is None else replace(part, path=path, strip="")


# --- the other way ----------------------------------------------------------------------------------------------------------

def stripped_below(cut: Rewrite, items: list, prefix: str) -> list | None:  # type: ignore[type-arg]
    """What follows a cut, with the cut in it; None if something there needs the path without the prefix."""
    if not isinstance(cut.edit, StripPrefix) or cut.query is not None or not prefix.startswith(cut.edit.prefix) or not cut.edit.prefix.strip("/"):
        return None
    try:
        return _items(items, cut.edit.prefix.rstrip("/"))
    except _Other:
        return None


class _Other(Exception):
    """Something that an alias cannot stand for."""


def _items(items: list, strip: str) -> list:  # type: ignore[type-arg]
    return [_item(item, strip) for item in items]


def _item(item: object, strip: str) -> object:
    match item:
        case Branch(forks):
            return Branch([replace(fork, condition=_condition(fork.condition, strip), chain=Chain(_items(fork.chain.items, strip), fork.chain.shared)) for fork in forks], item.span)
        case Rewrite(SetPath(template)) if item.query is None:
            return replace(item, edit=SetPath(_put_below(template, strip)))
        case Leaf(ServeFiles(strip="", whole_path=None) as answer):
            return Leaf(replace(answer, strip=strip), item.settings, item.through)
        case Leaf(Respond()):
            return item
    raise _Other


def _condition(condition: object, strip: str):  # type: ignore[no-untyped-def]
    def change(value: object) -> object:
        if isinstance(value, FileExists):
            if value.strip:
                raise _Other
            return replace(value, strip=strip, path=_put_below(value.path, strip))
        match value:
            case PathIs(path) if path.startswith("/"):
                return replace(value, path=strip + path)
            case PathStartsWith(prefix) if prefix.startswith("/"):
                return replace(value, prefix=strip + prefix)
            case PathMatches(pattern):
                return replace(value, pattern=replace(pattern, text=_whole_pattern(pattern, strip)))
        if type(value).__name__.startswith("Path") and type(value).__name__ not in ("PathForm", "Pattern"):
            raise _Other
        return value

    return transform(condition, change)


def _whole_pattern(pattern: Pattern, strip: str) -> str:
    """A pattern for the path without its prefix -> one for the whole of it."""
    text = pattern.text
    if text.startswith("^/") and "|" not in text:
        return "^" + re.escape(strip) + text[1:]
    made = compiled(pattern)
    if "^" in text.replace("[^", "") or "(?" in text.replace("(?:", "") or any(made.match(strip, start, partial=True) is not None for start in range(len(strip))):
        raise _Other
    return text


def _put_below(path: Template, strip: str) -> Template:
    if path == () or path[0] in (Var(Variable.FOUND), PATH):
        return path
    text = literal(path)
    if text is None or not text.startswith("/"):
        raise _Other
    return (strip + text,)
