"""Caddy `request_body` -> BodyLimit. Mirror: writer/limits.py.

Source:   Caddy documentation, request_body; probed on 2.6.2: it acts only when the content is read, and reverse_proxy
          answers 502 then.
"""

from __future__ import annotations

from ....model import BodyLimit, Step
from .. import defaults, values
from ..syntax import Directive
from .context import Context, Level, Read


def read_request_body(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`request_body { max_size SIZE }`."""
    for inner in directive.block or []:
        if inner.name == "max_size" and inner.args and (size := values.read_size_or_open(inner.args[0])) is not None:
            return (BodyLimit(size, defaults.BODY_STATUS, when_read=True, span=directive.span),)
    context.unread(directive, "", "max_size and a size such as 8MB were expected")
    return ()


READS: dict[str, Read] = {"request_body": read_request_body}
