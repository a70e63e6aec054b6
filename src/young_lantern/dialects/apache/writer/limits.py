"""BodyLimit -> `LimitRequestBody`. Mirror: reader/limits.py. No limit is written as 0, since silence is 1 GiB."""

from __future__ import annotations

from ....model import BodyLimit
from .context import Context
from .output import Node


def write_limit(step: BodyLimit | None, context: Context) -> list[Node]:
    """The limit on request content where an origin is asked."""
    if step is None or step.limit_bytes is None:
        return [context.line("LimitRequestBody", "0", spans=(step.span if step else None,))]
    return [context.line("LimitRequestBody", str(step.limit_bytes), spans=(step.span,))]
