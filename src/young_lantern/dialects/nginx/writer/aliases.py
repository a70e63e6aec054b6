"""A prefix cut off before files are looked for -> files below an alias: the path stays whole, the folder takes the cut's place.

Rule:     only where nothing but file tests, files and fixed pages follow; a fixed page gets the prefix back, so that it is found
          by the same location again.
"""

from __future__ import annotations

from dataclasses import replace

from ....fitting import Branch, Chain, Leaf
from ....model import FileExists, Respond, Rewrite, ServeFiles, SetPath, StripPrefix, Template, Var, Variable, literal
from ....model.walk import transform

_FOUND = (Var(Variable.FOUND),)


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
            return replace(item, edit=SetPath(_below(template, strip)))
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
            return replace(value, strip=strip, path=_below(value.path, strip))
        if type(value).__name__.startswith("Path") and type(value).__name__ != "PathForm":
            raise _Other
        return value

    return transform(condition, change)


def _below(path: Template, strip: str) -> Template:
    if path in (_FOUND, (Var(Variable.PATH),), ()):
        return path
    text = literal(path)
    if text is None or not text.startswith("/"):
        raise _Other
    return (strip + text,)
