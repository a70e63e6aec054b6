"""Compress -> `AddOutputFilterByType`. Mirror: reader/compression.py. Left out: a shortest length, which mod_deflate does not know."""

from __future__ import annotations

from ....codes import COMPRESSES_ALL
from ....model import Compress, Disposition
from .context import Context
from .output import Node

_FILTERS = {"gzip": "DEFLATE", "br": "BROTLI_COMPRESS"}
# Media types that a glob of the source stands for: httpd compares whole types.
_GLOBS = {"text/*": ("text/html", "text/plain", "text/css", "text/xml", "text/javascript", "text/csv", "text/markdown")}


def write_compress(step: Compress | None, context: Context) -> list[Node]:
    """The filters for a table of media types."""
    if step is None:
        return []
    spans = (step.span, *step.also)
    offered = [_FILTERS[coding] for coding in step.codings if coding in _FILTERS]
    others = [coding for coding in step.codings if coding not in _FILTERS]
    if others:
        context.lost(step.span, " ".join(others), f"httpd has no filter for {', '.join(others)}")
    if step.minimum_bytes > 1:
        context.note(step.span, Disposition.CHANGED, COMPRESSES_ALL, least=step.minimum_bytes)
    if not offered:
        return []
    if "BROTLI_COMPRESS" in offered:
        context.modules.add("brotli")
    context.modules |= {"deflate", "filter"}
    kinds = list(dict.fromkeys(name for kind in step.media_types for name in _GLOBS.get(kind, (kind.rstrip("*"),)) if name))
    if "*" in step.media_types:
        return [context.line("SetOutputFilter", ";".join(offered), spans=spans, comments=step.comments)]
    return [context.line("AddOutputFilterByType", ";".join(offered), *kinds, spans=spans, comments=step.comments)]
