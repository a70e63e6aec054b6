"""The table of media types -> nginx `types`. Mirror: reader/__init__.py (_media_types).

Rule:     nginx knows three by itself, so a table is always written: the source's own, or the registered types of what web sites
          have (IANA media types; RFC 9239 for JavaScript).
"""

from __future__ import annotations

from ....model import Estate, Span
from .context import Context
from .output import Node

_REGISTERED = """
    text/html html htm shtml | text/css css | text/javascript js mjs | application/json json map | application/xml xml
    text/plain txt | text/csv csv | text/markdown md | text/calendar ics | application/pdf pdf | application/wasm wasm
    application/atom+xml atom | application/rss+xml rss | application/manifest+json webmanifest | image/svg+xml svg svgz
    image/png png | image/jpeg jpg jpeg | image/gif gif | image/webp webp | image/avif avif | image/tiff tif tiff
    image/vnd.microsoft.icon ico | font/woff woff | font/woff2 woff2 | font/ttf ttf | font/otf otf | audio/mpeg mp3
    audio/ogg ogg oga | video/mp4 mp4 | video/webm webm | video/ogg ogv | application/zip zip | application/gzip gz tgz
"""


def write_types(estate: Estate, context: Context) -> list[Node]:
    table: dict[str, list[str]] = {}
    spans: dict[str, list[Span]] = {}
    stated = [item for item in estate.media_types if item.span]
    for item in estate.media_types if stated else ():
        table.setdefault(item.media_type, []).append(item.extension)
        if item.span:
            spans.setdefault(item.media_type, []).append(item.span)
    if not table:
        for part in _REGISTERED.replace("\n", "|").split("|"):
            if words := part.split():
                table[words[0]] = words[1:]
    lines = [Node([kind, *names], None, tuple(dict.fromkeys(spans.get(kind, ())))) for kind, names in table.items()]
    return [Node(["types"], lines, (estate.media_types_span,) if estate.media_types_span else ())]
