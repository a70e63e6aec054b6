"""Files below an alias, as files below its folder: once the part of the path that an alias stands for is cut off, a search for files is like any other."""

from __future__ import annotations

from dataclasses import replace

from ..model import Condition, FileExists, PathGlob, PathIs, PathMatches, PathStartsWith, Respond, Rewrite, ServeFiles, SetPath, Template, Var, Variable, join
from ..model.walk import transform, walk
from .tree import Branch, Chain, Leaf

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
