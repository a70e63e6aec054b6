"""Media types -> `AddType`, `ForceType`, `RemoveType`, `AddCharset`, `AddDefaultCharset`. Mirror: reader/media_types.py.

Rule:     where the source goes by a table of its own, the system's is not in force beside it (`TypesConfig`). What all files have stands for the host,
          what some have in sections. Files whose names say nothing of it get theirs by a `Header` line, since 2.4 has no directive for it.
"""

from __future__ import annotations

from collections.abc import Mapping

from ....model import Estate, Forward, Gateway, MediaTypes, ServeFiles, Span
from ....model.media_types import has_charset
from ....model.registered_types import REGISTERED
from ....model.walk import walk
from ..values import quote
from .context import Context
from .output import Node

# core, AddDefaultCharset: what it is put behind.
_BY_DEFAULT = frozenset({"text/html", "text/plain"})
_SYSTEMS, _NONE = "/etc/mime.types", "/dev/null"
_WHY_NONE = ("The types of files are the ones that follow, as before, and not the system's.",)
FILE = "media-types.conf"
_MOST_LINES = 8


def base_table(estate: Estate) -> dict[str, str]:
    """What all sites' files have by their endings."""
    stated = {item.extension.lower(): item.media_type for item in estate.media_types}
    return {**(REGISTERED if asks_system(estate) else {}), **stated}


def asks_system(estate: Estate) -> bool:
    return any(item.registered for site in estate.sites for item in walk(site.program) if isinstance(item, MediaTypes))


def write_types(estate: Estate, context: Context) -> tuple[list[Node], list[Node]]:
    """Where the table is, and a line for each media type that the source states: in the main file, or if they are many in one of their own."""
    table: dict[str, list[str]] = {}
    spans: dict[str, list[Span]] = {}
    system = asks_system(estate) or not estate.sites
    for item in estate.media_types:
        if item.span or not system:
            table.setdefault(item.media_type, []).append(item.extension)
            if item.span:
                spans.setdefault(item.media_type, []).append(item.span)
    lines = [context.line("AddType", quote(kind), *(f".{name}" for name in names), spans=tuple(spans.get(kind, ()))) for kind, names in table.items()]
    about = (estate.media_types_span,) if estate.media_types_span else ()
    head = [context.line("TypesConfig", _SYSTEMS if system else _NONE, spans=about, comments=() if system else _WHY_NONE)]
    if len(lines) > _MOST_LINES:
        return [*head, context.line("Include", FILE)], lines
    return [*head, *lines], []


def write_own(types: MediaTypes | None, answer: object, context: Context) -> list[Node]:
    """The lines that a place needs besides the table of all sites."""
    if types is None or not isinstance(answer, ServeFiles | Forward | Gateway):
        for span in types.spans if types is not None else ():
            context.idle.setdefault(span, "a text has its type with it")
        return []
    if types.otherwise_span and not isinstance(answer, ServeFiles):
        context.idle.setdefault(types.otherwise_span, "no file is sent there")
    nodes: list[Node] = []
    own = tuple(span for span in types.spans if types.forced or span != types.otherwise_span)
    if isinstance(answer, ServeFiles):
        nodes += _files(types, base_table(context.estate), own, context)
    if types.charset:
        passing = types.charset_on_origins and "text/html" in (types.charset_types or ())
        if passing:
            nodes.append(context.line("AddDefaultCharset", quote(types.charset), spans=own))
        if isinstance(answer, ServeFiles):
            nodes += _charsets(types, _BY_DEFAULT if passing else frozenset(), own, context)
    for line in (*types.charsets.rows,) if isinstance(answer, ServeFiles) else ():
        nodes.append(context.line("AddCharset", quote(line.media_type), f".{line.extension}", spans=own) if line.media_type else context.line("RemoveCharset", f".{line.extension}", spans=own))
    if not nodes:
        for span in own:
            context.idle.setdefault(span, "what it says of media types is in force there, or comes to nothing")
    return nodes


_NO_TYPE = "-z %{CONTENT_TYPE}"
_NO_ORIGIN = "%{HANDLER} !~ /^proxy/"


def write_default(types: MediaTypes | None, beside_origins: bool, context: Context) -> list[Node]:
    """What a file has whose name says nothing of its type. Mirror: `default_type` in reader/fields.py. beside_origins: the line may meet what an origin sends."""
    if types is None or types.forced or not types.otherwise:
        if types is not None and types.otherwise_span:
            context.idle.setdefault(types.otherwise_span, "no file comes to it, or a file without a type has none")
        return []
    asks = quote(f"expr={_NO_TYPE} && {_NO_ORIGIN}" if beside_origins else f"expr={_NO_TYPE}")
    return [context.line("Header", "set", "Content-Type", quote(types.otherwise), asks, spans=(types.otherwise_span,) if types.otherwise_span else ())]


def _table(types: MediaTypes) -> Mapping[str, str]:
    return {**(REGISTERED if types.registered else {}), **(types.table.by_extension if types.table else {})}


def _files(types: MediaTypes, base: Mapping[str, str], own: tuple[Span, ...], context: Context) -> list[Node]:
    if types.forced:
        return [context.line("ForceType", quote(types.forced), spans=own)]
    table = _table(types)
    kinds: dict[str, list[str]] = {}
    for extension, kind in table.items():
        if kind and base.get(extension) != kind:
            kinds.setdefault(kind, []).append(f".{extension}")
    gone = [f".{extension}" for extension in base if not table.get(extension)] + [f".{extension}" for extension, kind in table.items() if not kind and extension not in base]
    nodes = [context.line("AddType", quote(kind), *names, spans=own) for kind, names in kinds.items()]
    return [*nodes, *([context.line("RemoveType", *gone, spans=own)] if gone else [])]


def _charsets(types: MediaTypes, done: frozenset[str], own: tuple[Span, ...], context: Context) -> list[Node]:
    endings = [f".{extension}" for extension, kind in _table(types).items() if kind and kind not in done and has_charset(types, kind)]
    return [context.line("AddCharset", quote(types.charset or ""), *endings, spans=own)] if endings else []
