"""BodyLimit -> Caddy `request_body`. Mirror: reader/limits.py."""

from __future__ import annotations

from ....codes import LIMITED_BODY
from ....model import BodyLimit, Disposition
from .. import values
from .context import Context
from .output import Node


def write_limit(step: BodyLimit, context: Context) -> list[Node]:
    """The limit; None where there is none. A limit that the source left unwritten is written, with a comment."""
    if step.limit_bytes is None:
        context.implied(step.span, "Caddy sets no limit by itself")
        return []
    if not step.when_read:
        context.note(step.span, Disposition.CHANGED, LIMITED_BODY)
    comment = () if step.span else (f"In force before without being written: the default of {context.estate.dialect}.",)
    return [Node(["request_body"], [Node(["max_size", values.write_size(step.limit_bytes)])], (step.span,) if step.span else (), comment, setting=True)]
