"""The table of media types -> `AddType`. Mirror: reader/__init__.py (_media_types). The system's own table stays in force beside it."""

from __future__ import annotations

from ....model import Estate, Span
from .context import Context
from .output import Node


def write_types(estate: Estate, context: Context) -> list[Node]:
    """A line for each media type that the source states."""
    table: dict[str, list[str]] = {}
    spans: dict[str, list[Span]] = {}
    for item in estate.media_types:
        if item.span:
            table.setdefault(item.media_type, []).append(item.extension)
            spans.setdefault(item.media_type, []).append(item.span)
    return [context.line("AddType", kind, *(f".{name}" for name in names), spans=tuple(spans[kind])) for kind, names in table.items()]
