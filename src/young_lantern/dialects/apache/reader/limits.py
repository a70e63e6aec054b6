"""httpd `LimitRequestBody` -> BodyLimit, AnswerLimit.

Source:   Apache HTTP Server manual, core: bytes; 0 is no limit; silence is 1 GiB since 2.4.53; "not applicable to proxy requests".
Rule:     refused with 413 when the content is read; what is proxied is not limited at all (2.4.71, probed).
"""

from __future__ import annotations

from ....model import AnswerLimit, BodyLimit, Disposition, Step
from ..values import read_bytes
from .context import Context, Node


def read_answer_limit(nodes: list[Node], context: Context) -> tuple[AnswerLimit, ...]:
    """The limit of a level for answers that nobody read the content for: it is thrown away before they go out (2.4.71, probed)."""
    node = context.last(nodes, "limitrequestbody")
    size = read_bytes(node.args[0]) if node is not None and node.args else None
    return (AnswerLimit(size or None, span=node.span),) if node is not None and size is not None else ()


def read_body_limit(nodes: list[Node], forwards: bool, context: Context) -> tuple[Step, ...]:
    """The limit of a level; forwards: the content goes to an origin, whatever the limit."""
    node = context.last(nodes, "limitrequestbody")
    if node is None:
        return ()
    size = read_bytes(node.args[0]) if node.args else None
    if size is None:
        context.value(node, " ".join(node.args), "a number of bytes was expected")
        return ()
    if forwards:
        claim = context.claims[node.span]
        if claim.disposition is None:
            claim.disposition, claim.why = Disposition.IMPLIED, "it does not count for what is proxied: there was no limit"
        return ()
    if context.claims[node.span].why.startswith("it does not count"):
        context.claims[node.span].disposition, context.claims[node.span].why = None, ""
    return (BodyLimit(size or None, when_read=True, span=node.span),)
