"""httpd `LimitRequestBody` -> BodyLimit.

Source:   Apache HTTP Server manual, core: bytes; 0 is no limit; silence is 1 GiB since 2.4.53. Refused with 413 when the content is read.
"""

from __future__ import annotations

from ....model import BodyLimit, Step
from .context import Context, Node


def read_body_limit(nodes: list[Node], forwards: bool, context: Context) -> tuple[Step, ...]:
    """The limit of a level; forwards: the content is read, since it goes to an origin."""
    node = context.last(nodes, "limitrequestbody")
    if node is None:
        return ()
    if not node.args or not node.args[0].isdigit():
        context.value(node, " ".join(node.args), "a number of bytes was expected")
        return ()
    return (BodyLimit(int(node.args[0]) or None, when_read=not forwards, span=node.span),)
