"""BodyLimit -> nginx `client_max_body_size`. Mirror: reader/access.py.

Rule:     nginx limits to 1 MiB where nothing is written, so that no limit is written too: 0.
"""

from __future__ import annotations

from ....codes import LIMITED_BODY
from ....model import BodyLimit, Disposition
from ...noting import Unwritable
from ..values import write_size
from .context import Context
from .output import Node


def write_limit(step: BodyLimit | None, context: Context) -> list[Node]:
    spans = (step.span,) if step is not None and step.span else ()
    if step is None or step.limit_bytes is None:
        return [Node(["client_max_body_size", "0"], None, spans, ("No limit, as before; nginx by itself takes 1 MiB at the most.",))]
    size = write_size(step.limit_bytes)
    if isinstance(size, Unwritable):
        context.lost(step.span, "the limit on content", f"it is {size.what}", "leave the number of bytes to deployment")
        return [Node(["client_max_body_size", "0"], None, spans)]
    if step.when_read:
        context.note(step.span, Disposition.CHANGED, LIMITED_BODY)
    return [Node(["client_max_body_size", size], None, spans)]
