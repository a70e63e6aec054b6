"""BodyLimit -> a rule that refuses with 413. Mirror: reader/limits.py, reader/expressions.py.

Rule:     LimitRequestBody does not count for what is proxied (manual, core), so the length that the client states is asked for.
Left out: content without a stated length; limits where files are served, which take no content anyway.
"""

from __future__ import annotations

from ....codes import LIMITED_BODY
from ....model import BodyLimit, Disposition
from ...noting import Unwritable
from ..values import quote, write_bytes
from .conditions import Asked
from .context import Context
from .output import Node
from .rewrites import rule

_WHY = ("Larger content is refused, as before; LimitRequestBody would not count for what is proxied.",)


def write_limit(step: BodyLimit, asked: Asked, context: Context) -> list[Node]:
    """The rule for requests whose content is too large for their origin."""
    size = write_bytes(step.limit_bytes or 0)
    if isinstance(size, Unwritable):
        context.lost(step.span, "the limit on content", f"it is {size.what}", "leave the number of bytes to deployment")
        return []
    if step.when_read:
        context.note(step.span, Disposition.CHANGED, LIMITED_BODY)
    asked.conditions.append(context.line("RewriteCond", "expr", quote(f"%{{HTTP:Content-Length}} -gt {size}")))
    return rule(asked, "-", [f"R={step.status}", "L"], context, (step.span,), _WHY)
