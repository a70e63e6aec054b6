"""The source's table of media types against Caddy's own. Caddy has no directive for it, so that nothing is written.

Source:   Go mime package (RFC 9239 for JavaScript) and the system's mime.types, which holds the registered types.
"""

from __future__ import annotations

from ....codes import MEDIA_TYPE_DIFFERS, MEDIA_TYPE_NONE
from ....model import Disposition, Estate, MediaType, MediaTypes, Site, Span
from ....model.registered_types import REGISTERED, usual_name
from ....model.walk import walk
from .context import Context

# RFC 9239 section 6: what JavaScript was called before.
RENAMED = {"application/javascript": "text/javascript", "application/x-javascript": "text/javascript"}


def note_types(estate: Estate, context: Context) -> None:
    """Says of every line of the table whether Caddy's own says the same."""
    context.implied(estate.media_types_span, "Caddy has a table of its own; each line says whether it agrees")
    by_line: dict[Span, list[MediaType]] = {}
    for item in estate.media_types:
        if item.span is not None:
            by_line.setdefault(item.span, []).append(item)
    for span, rows in by_line.items():
        differing = {row.extension: own for row in rows if (own := _differing(row.extension, row.media_type)) is not None}
        if differing:
            context.note(span, Disposition.CHANGED, MEDIA_TYPE_DIFFERS, extension=", .".join(differing), before=rows[0].media_type, after=", or as ".join(dict.fromkeys(differing.values())))
        else:
            context.implied(span, "Caddy's own table says the same, or the system's does where it is installed (mime.types)")


def _differing(extension: str, media_type: str) -> str | None:
    """What Caddy says of an extension, in words, if it is not this."""
    own = REGISTERED.get(extension.lower())
    if own is None:
        return "the system's table says, if it knows them"
    return None if usual_name(own) == usual_name(media_type) else own


def note_types_of(site: Site, context: Context) -> None:
    """Says of what a site or place has of its own."""
    for types in dict.fromkeys(item for item in walk(site.program) if isinstance(item, MediaTypes)):
        if types.otherwise and types.otherwise_span and not types.forced:
            context.note(types.otherwise_span, Disposition.CHANGED, MEDIA_TYPE_NONE, before=types.otherwise)
        elif types.otherwise_span:
            context.implied(types.otherwise_span, "Caddy sends such files without a type by itself, or a header line says it")
        if types.charset and types.charset.lower() != "utf-8":
            context.lost(types.charset_span, "this charset", "Caddy says UTF-8 of all that is text", "convert the files, or set Content-Type with a header line for them")
        else:
            context.implied(types.charset_span, "Caddy puts charset=utf-8 behind what is text by itself")
        shared = {item.span for item in context.estate.media_types}
        rows = [row for row in (*(types.table.rows if types.table else ()), *types.charsets.rows) if row.span and row.span not in shared]
        differing = [row for row in rows if not row.media_type or _differing(row.extension, row.media_type) is not None]
        for span in (types.span, *types.also):
            if span is None:
                continue
            if types.forced and not types.registered:
                context.implied(span, "a header line says the type of all that is served there")
            elif types.forced or differing or types.charsets.rows:
                context.lost(span, "these types", "Caddy takes the type of a file from the system's table", "set Content-Type with a header line for these files")
            else:
                context.implied(span, "Caddy's own table says the same, or the system's does where it is installed (mime.types)")
