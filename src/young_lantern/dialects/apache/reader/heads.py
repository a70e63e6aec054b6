"""httpd `LimitRequestLine`, `LimitRequestFieldSize`, `LimitRequestFields` -> RequestHeads.

Source:   Apache HTTP Server manual, core; protocol.c (2.4.71, probed): 0 lines of fields is no limit, and silence is 8190, 8190 and 100.
Rule:     all is read before a virtual host is chosen by its name, so that the first one for the address has the say; what the main server says
          counts for those that say nothing. Fields of any name are taken.
"""

from __future__ import annotations

from ....model import Disposition, RequestHeads, Span
from .. import defaults
from .context import Context, Node


def read_heads(own: list[Node], around: list[Node], context: Context) -> RequestHeads:
    """What a virtual host says, or else the main server."""
    spans: list[Span] = []

    def read(name: str, silence: int) -> int:
        node = context.last(own, name) or context.last(around, name)
        if node is None:
            return silence
        if not node.args or not node.args[0].isdigit():
            context.value(node, " ".join(node.args), "a number was expected")
            return silence
        spans.append(node.span)
        return int(node.args[0])

    line, field, fields = (read(name, silence) for name, silence in (
        ("limitrequestline", defaults.HEAD_LINE), ("limitrequestfieldsize", defaults.HEAD_LINE), ("limitrequestfields", defaults.HEAD_FIELDS)))
    # Whatever else such a line changes is not read, so that it stays unclaimed.
    said = [[node for node in nodes if node.name == "httpprotocoloptions"] for nodes in (own, around)]
    unsafe = any(word.lower() == "unsafe" for node in (said[0] or said[1])[-1:] for word in node.args)
    hosts = defaults.REFUSED_HOSTS_UNSAFE if unsafe else defaults.REFUSED_HOSTS
    return RequestHeads(line, field, fields or None, methods=defaults.REFUSED_METHODS, hosts=hosts, span=spans[0] if spans else None, also=tuple(spans[1:]))


def tell_unheard(nodes: list[Node], first: str, context: Context) -> None:
    """Says of these lines in a later virtual host of an address that they have no effect there."""
    for node in nodes:
        if node.name in ("limitrequestline", "limitrequestfieldsize", "limitrequestfields"):
            claim = context.claims[context.use(node).span]
            claim.disposition, claim.why = Disposition.IMPLIED, f"requests are read as the first host of the address says, {first}"
