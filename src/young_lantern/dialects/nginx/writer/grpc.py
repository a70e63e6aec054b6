"""Forward by HTTP/2 -> nginx `grpc_*`. Mirror: ../reader/grpc.py.

Source:   nginx manual, grpc module.
Rule:     the lines are those for origins by HTTP/1.1 under another name, where the module has them; the rest is told.
Left out: another path than the one that came; mappings of redirects and cookies; what is checked of a certificate.
"""

from __future__ import annotations

from ....model import Forward, Operation
from ...noting import Unwritable
from .context import Context
from .output import Node

_SAME = ("set_header", "hide_header", "connect_timeout", "read_timeout", "send_timeout", "intercept_errors", "next_upstream", "next_upstream_tries")
_IDLE = ("http_version", "buffering")


def as_grpc(nodes: list[Node], step: Forward, context: Context) -> list[Node] | Unwritable:
    """The lines of a proxied place -> those for an origin that speaks HTTP/2."""
    made = []
    own = next(node.words[1].partition("://")[2].strip('"') for node in nodes if node.words[0] == "proxy_pass")
    for node in nodes:
        name = node.words[0].removeprefix("proxy_")
        if name == "pass":
            scheme, _, rest = node.words[1].strip('"').partition("://")
            if ":" in rest.removeprefix("unix:") if rest.startswith("unix:") else "/" in rest:
                return Unwritable("another path than the one that came, to an origin by HTTP/2")
            made.append(Node(["grpc_pass", f"{'grpcs' if scheme == 'https' else 'grpc'}://{rest}"], None, node.spans, node.comments))
        elif name in _SAME:
            if name != "set_header" or node.words[1].lower() not in ("connection", "upgrade"):
                made.append(Node([f"grpc_{name}", *node.words[1:]], None, node.spans, node.comments))
        elif node.words[0] == "rewrite":
            made.append(node)
        elif name == "redirect" and own not in node.words[1]:
            continue  # of another origin, or none at all
        elif name not in _IDLE:
            for span in node.spans:
                context.lost(span, " ".join(node.words), "nginx has no such line for origins that speak HTTP/2")
    for field in step.response_fields:
        if field.operation is not Operation.REMOVE and not any(field.span in node.spans for node in nodes):
            context.lost(field.span, field.name, "nginx changes no field of an origin that speaks HTTP/2")
    return made
