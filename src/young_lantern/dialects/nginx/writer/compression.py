"""Compress -> nginx `gzip`. Mirror: reader/compression.py. Left out: other codings, which need modules (`no-counterpart`)."""

from __future__ import annotations

from ....model import Compress
from .. import defaults
from .context import Context
from .output import Node


def write_compress(step: Compress | None, context: Context) -> list[Node]:
    """The gzip lines; None switches it off."""
    if step is None:
        return [Node(["gzip", "off"])]
    spans = tuple(span for span in (step.span, *step.also) if span)
    others = [coding for coding in step.codings if coding != "gzip"]
    if others:
        context.lost(step.span, " ".join(others), f"nginx as packaged offers gzip only, not {', '.join(others)}", "install the module for it, if clients or bandwidth need it")
    if "gzip" not in step.codings:
        return []
    nodes = [Node(["gzip", "on"], None, spans, step.comments)]
    if step.minimum_bytes != defaults.GZIP_MINIMUM:
        nodes.append(Node(["gzip_min_length", str(step.minimum_bytes)], None, spans))
    types = _types(step)
    if types:
        nodes.append(Node(["gzip_types", *types], None, spans))
    nodes.append(Node(["gzip_proxied", "any"], None, spans))
    return nodes


# Media types that a glob of the source stands for: nginx compares whole types.
_GLOBS = {
    "text/*": ("text/plain", "text/css", "text/xml", "text/javascript", "text/csv", "text/markdown"),
    "*": ("*",),
}


def _types(step: Compress) -> list[str]:
    named: dict[str, None] = {}
    for kind in step.media_types:
        bare = kind if kind in _GLOBS else kind.rstrip("*")
        for name in _GLOBS.get(kind, (bare,)):
            if name not in defaults.GZIP_TYPES:
                named[name] = None
    return list(named)
