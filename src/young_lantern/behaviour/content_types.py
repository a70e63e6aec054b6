"""What answers -> the Content-Type lines that go out with it.

Source:   nginx core and charset modules; httpd mod_mime, core (AddDefaultCharset), mod_headers; Caddy fileserver, staticresp. All probed
          (nginx 1.22.1, httpd 2.4.71, Caddy 2.6.2).
Rule:     the name of a file, or of the path, has the type by its extension; a charset follows for some types. Field operations on Content-Type see
          what the handler put there, each server in its own way.
Unknown:  types of the words that a server makes up for errors and redirects, and of extensions that only a system's own table knows, are
          not foretold (None).
"""

from __future__ import annotations

from ..model import Field, MediaTypes, Operation
from ..model.media_types import of_name
from ..patterns import compiled
from ..patterns.engines import go_replacement
from .evaluate import State, text

# An origin's answer has its own type, which nobody here knows; it begins so in an outcome.
ORIGINS = "(the origin's"


def handlers_own(types: MediaTypes | None, state: State, *, status: int, file: str | None, listing: bool, body: str | None, media_type: str, origin: bool) -> str | None:
    """The Content-Type that the handler itself puts on its answer; "": none; None: nobody here knows."""
    if types is None or status in (204, 304) or 300 <= status < 400:
        return None
    if origin:
        if types.charset and types.charset_on_origins:
            return f"{ORIGINS}, with charset={types.charset} where it says none of {', '.join(sorted(types.charset_types or ()))})"
        return f"{ORIGINS})"
    if listing:
        return None
    if file is not None:
        return of_name(types, state.path if types.by_path else file)
    if not body:
        return None
    if media_type:
        return media_type
    return of_name(types, state.path) if types.by_path else None


def sent(own: str | None, operations: list[Field], state: State, *, listing: bool = False) -> tuple[str, ...] | None:
    """The Content-Type lines of an answer. operations: those on this field that take place, in order. listing: it is a folder's."""
    types = state.types
    lines: list[str | None] = [own] if own != "" else []
    if types is None:
        return None
    if not types.by_path and not types.each:
        # Caddy: what stands there beforehand stays for files and texts; an origin's comes beside it, and a listing's in its place (2.6.2, probed).
        now = [item for item in operations if not item.deferred]
        before: list[str | None] = []
        for item in now:
            before = _changed(before, item, state)
        lines = [*before, *lines] if before and own is not None and own.startswith(ORIGINS) else lines if listing else before or lines
        operations = [item for item in operations if item.deferred]
    for item in operations:
        if types.each:
            lines = _of_httpd(lines, item, state)
        else:
            lines = _changed(lines, item, state)
    return None if None in lines else tuple(line for line in lines if line)


def _changed(lines: list[str | None], item: Field, state: State) -> list[str | None]:
    value = text(item.value, state)
    match item.operation:
        case Operation.SET:
            return [value]
        case Operation.REMOVE:
            # Go's net/http looks into the content for a type that was taken away (2.6.2, probed).
            return [None]
        case Operation.DEFAULT:
            return lines or [value]
        case Operation.EDIT if item.find is not None:
            pattern = compiled(item.find)
            return [None if line is None else line if line.startswith(ORIGINS) else pattern.sub(go_replacement(value), line) for line in lines]
    return [*lines, value] if value else lines


def _of_httpd(lines: list[str | None], item: Field, state: State) -> list[str | None]:
    # mod_headers.c: the type is kept apart from the other fields, so that `setifempty` always finds it empty, and what is added to it is lost.
    of_origin = lines != [] and lines[0] is not None and lines[0].startswith(ORIGINS)
    if item.operation is Operation.SET or item.operation is Operation.DEFAULT and not of_origin:
        return [text(item.value, state)]
    if item.operation is Operation.REMOVE:
        return []
    if item.operation is Operation.EDIT:
        return _changed(lines, item, state)
    return lines or [text(item.value, state)]
