"""The source's table of media types against Caddy's own. Caddy has no directive for it, so that nothing is written.

Source:   Go mime package (RFC 9239 for JavaScript) and the system's mime.types, which holds the registered types.
"""

from __future__ import annotations

from ....codes import CHARSET_BY_ENDING, MEDIA_TYPE_DIFFERS
from ....fitting import Chain, leaves
from ....model import Disposition, Estate, MediaType, MediaTypes, ServeFiles, Site, Span
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


def note_types_of(site: Site, chain: Chain, context: Context) -> None:
    """Says of what a site or place has of its own."""
    of_files = {leaf.settings.types for leaf in leaves(chain) if isinstance(leaf.answer, ServeFiles)}
    for types in dict.fromkeys(item for item in walk(site.program) if isinstance(item, MediaTypes)):
        if types.otherwise_span and not (types.otherwise and not types.forced and types in of_files):
            context.implied(types.otherwise_span, "no file is sent by it, a header line says it, or Caddy does it by itself")
        if types.charset and types.charset.lower() != "utf-8":
            context.lost(types.charset_span, "this charset", "Caddy says UTF-8 of all that is text", "convert the files, or set Content-Type with a header line for them")
        else:
            context.implied(types.charset_span, "Caddy puts charset=utf-8 behind what is text by itself")
        _note_rows(types, context)


def _note_rows(types: MediaTypes, context: Context) -> None:
    """Line by line: what a header line says, what Caddy says by itself, and what is lost."""
    shared = {item.span for item in context.estate.media_types}
    told: set[Span | None] = set()
    for row in types.table.rows if types.table else ():
        if row.span in shared or types.forced:
            continue
        told.add(row.span)
        if not row.media_type and row.extension.lower() not in REGISTERED:
            continue  # what is taken away is in no table that is known
        if not row.media_type or _differing(row.extension, row.media_type) is not None:
            context.lost(row.span, "these types", "Caddy takes the type of a file from the system's table", "set Content-Type with a header line for these files")
    by_line: dict[Span | None, list[MediaType]] = {}
    for row in types.charsets.rows:
        told.add(row.span)
        if row.media_type.lower() != "utf-8" or not REGISTERED.get(row.extension, "").startswith("text/"):
            by_line.setdefault(row.span, []).append(row)
    for span, rows in by_line.items():
        context.note(span, Disposition.CHANGED, CHARSET_BY_ENDING, endings=", ".join(f".{row.extension}" for row in rows), charset=rows[0].media_type)
    for span in (types.span, *types.also, *told):
        why = "a header line says the type of all that is served there" if types.forced else "Caddy's own table says the same, or the system's does where it is installed (mime.types)"
        if span is not None and not context.is_told(span):
            context.implied(span, why)
