"""RequestHeads -> nginx `large_client_header_buffers`, `underscores_in_headers`. Mirror: reader/heads.py.

Rule:     limits are written where the source says them; nginx's own are httpd's; Caddy's is written for all. Fields with underscores in
          their names are let pass where origins over HTTP had them: an application by FastCGI could not tell them from those with hyphens,
          and httpd sends it none of them.
"""

from __future__ import annotations

from ....model import UNDERSCORED, Estate, Field, Forward, Gateway, Site
from ....model.walk import walk
from ..values import write_size
from .. import defaults
from .context import Context
from .output import Node

_END_OF_LINE = 2
_LONG = ("Lines of a request, and its fields, may be as long as before; nginx by itself takes 8 kB at the most.",)
_PASSED = ("Fields with underscores in their names go on to origins, as before.",)


def write_shared(estate: Estate) -> list[Node]:
    """The line for all servers: Caddy takes lines of up to 1 MB by itself, and a long cookie is a long line."""
    if estate.dialect != "caddy":
        return []
    return [Node(["large_client_header_buffers", str(defaults.HEAD_BUFFERS[0]), "1m"], None, (), _LONG)]


def write_heads(site: Site, context: Context) -> list[Node]:
    """The lines of a server."""
    heads, made = context.estate.heads_of(site), []
    if heads.span is not None:
        spans = (heads.span, *heads.also)
        size = max(heads.line or heads.total or 0, heads.field or heads.total or 0) + _END_OF_LINE
        size += -size % 1024
        if size > defaults.HEAD_BUFFERS[1] or context.estate.dialect == "caddy":
            made.append(Node(["large_client_header_buffers", str(defaults.HEAD_BUFFERS[0]), str(write_size(size))], None, spans))
        else:
            for span in spans:
                context.implied(span, "nginx's own limit is as high; that lines may be no longer than before is not carried, and is told where it makes a difference")
    answers = {type(item) for item in walk(site.program) if isinstance(item, Forward | Gateway)}
    dropped = any(isinstance(item, Field) and item.name == UNDERSCORED for item in walk(site.program))
    if heads.names is None and not dropped and Forward in answers and (Gateway not in answers or context.estate.dialect == "caddy"):
        made.append(Node(["underscores_in_headers", "on"], None, heads.names_spans, _PASSED))
    return made
