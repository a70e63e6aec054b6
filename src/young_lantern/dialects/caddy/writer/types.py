"""The source's table of media types against Caddy's own. Caddy has no directive for it, so that nothing is written.

Source:   Go mime package (RFC 9239 for JavaScript) and the system's mime.types, which holds the registered types; the
          table of Python's mimetypes module, which holds the same, stands for them here.
"""

from __future__ import annotations

import mimetypes

from ....codes import MEDIA_TYPE_DIFFERS
from ....model import Disposition, Estate
from .context import Context

_REGISTERED = mimetypes.MimeTypes(filenames=()).types_map[True]
# Not in the table above, though registered; as Debian's mime.types has them.
_MORE = {".woff": "font/woff", ".woff2": "font/woff2", ".svg": "image/svg+xml", ".webp": "image/webp", ".avif": "image/avif", ".js": "text/javascript",
         ".mjs": "text/javascript"}
# RFC 9239 section 6: what JavaScript was called before.
RENAMED = {"application/javascript": "text/javascript", "application/x-javascript": "text/javascript"}


def note_types(estate: Estate, context: Context) -> None:
    """Says of every line of the table whether Caddy's own says the same."""
    context.implied(estate.media_types_span, "Caddy has a table of its own; each line says whether it agrees")
    by_line: dict[object, list[str]] = {}
    for item in estate.media_types:
        if item.span is None:
            continue
        own = _MORE.get(f".{item.extension}") or _REGISTERED.get(f".{item.extension}")
        differing = by_line.setdefault(item.span, [])
        if own is not None and own != item.media_type:
            differing.append(item.extension)
            context.note(item.span, Disposition.CHANGED, MEDIA_TYPE_DIFFERS, extension=item.extension, before=item.media_type, after=own)
    for span, differing in by_line.items():
        if not differing:
            context.implied(span, "Caddy's own table says the same, or the system's does where it is installed (mime.types)")  # type: ignore[arg-type]
