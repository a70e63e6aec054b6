"""Compress -> Caddy `encode`. Mirror: reader/compression.py.

Rule:     types get a star at the end, for Caddy compares the whole Content-Type, parameters and all.
"""

from __future__ import annotations

from ....model import Compress
from .. import defaults
from .context import Context
from .output import Node
from .types import RENAMED


def write_compress(step: Compress, context: Context) -> list[Node]:
    block = [Node(["minimum_length", str(step.minimum_bytes)])] if step.minimum_bytes != defaults.ENCODE_MINIMUM else []
    named = dict.fromkeys(name for kind in step.media_types for name in (kind, RENAMED.get(kind, kind)))
    types = [kind if kind.endswith("*") else f"{kind}*" for kind in named]
    if tuple(types) != defaults.ENCODE_TYPES:
        block.append(Node(["match"], [Node(["header", "Content-Type", kind]) for kind in types]))
    spans = tuple(span for span in (step.span, *step.also) if span)
    return [Node(["encode", *step.codings], block or None, spans, step.comments, setting=True)]
