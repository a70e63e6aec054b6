"""What a configuration leaves to deployment, made fit for deciding: a placeholder is the same text, however it is spelt, and a port is a number.

Rule:     `${DOMAIN}`, `{{ domain }}` and `{$DOMAIN}` are `_domain_`, which is the same in a name of a host, in a URL and in a pattern; one that a document
          root begins with is a folder, `/_root_`. A port that is left open gets a number of its own, the same for the same name.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from ..model import Estate, FileExists, Gateway, Listener, Placeholder, ServeFiles, Span
from ..model.placeholders import PLACEHOLDER, OpenNumber, canonical
from ..model.walk import transform, walk

_FIRST_PORT = 61000


def as_deployed(estate: Estate) -> Estate:
    """The estate with one spelling for each placeholder, and numbers for the ports that are left open."""
    folders = open_folders(estate)

    def changed(value: Any) -> Any:
        if isinstance(value, Span):
            return value
        made = {field.name: new for field in dataclasses.fields(value) if (new := _made(getattr(value, field.name), folders)) is not None}
        return replace(value, **made) if made else value

    estate = replace(estate, listeners=tuple(_numbered(listener) for listener in estate.listeners))
    held = any(_made(getattr(item, field.name), folders) is not None for item in walk(estate) if not isinstance(item, Span) for field in dataclasses.fields(item))
    return transform(estate, changed) if held else estate


def open_folders(estate: Estate) -> frozenset[str]:
    """What the placeholders are in the one spelling that document roots begin with."""
    roots = [getattr(part, "spelling", part) for item in walk(estate) if isinstance(item, ServeFiles | FileExists | Gateway) for part in item.root[:1]]
    return frozenset(canonical(found[0]) for root in roots if isinstance(root, str) and (found := PLACEHOLDER.match(root)))


def open_numbers(estate: Estate) -> Iterator[OpenNumber]:
    """The sizes and times that are left to deployment."""
    for item in walk(estate):
        yield from (value for field in dataclasses.fields(item) if isinstance(value := getattr(item, field.name), OpenNumber))


def _numbered(listener: Listener) -> Listener:
    port = listener.port
    return replace(listener, port=_FIRST_PORT + sum(map(ord, canonical(port.spelling))) % 4000) if isinstance(port, Placeholder) else listener


def _made(value: Any, folders: frozenset[str]) -> Any:
    """A text, or texts in a collection, in the one spelling; None where nothing changes."""
    if isinstance(value, str):
        if "{" not in value or (new := canonical(value)) == value:
            return None
        first = PLACEHOLDER.match(value)
        return f"/{new}" if first and canonical(first[0]) in folders else new
    if isinstance(value, tuple | frozenset):
        made = [_made(item, folders) for item in value]
        return type(value)(item if new is None else new for item, new in zip(value, made, strict=True)) if any(new is not None for new in made) else None
    return None
