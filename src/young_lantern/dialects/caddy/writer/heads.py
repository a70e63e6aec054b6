"""RequestHeads -> Caddy `servers { max_header_size }`, `request_header`. Mirror: reader/heads.py.

Rule:     Caddy takes 1 MB by itself; a limit is written where the source takes more. What nginx drops for its name is taken away before origins
          see it: an application that makes HTTP_REMOTE_USER of Remote_User could be told anything.
"""

from __future__ import annotations

from ....model import Estate, Site
from .. import values
from .context import Context
from .output import Node

_SILENCE = 1 << 20
_DROPPED = ("Fields with underscores in their names reach no origin, as before.",)


def write_limit(estate: Estate, context: Context) -> list[Node]:
    """The line among the global options."""
    largest, spans = 0, []
    for site in estate.sites:
        heads = estate.heads_of(site)
        if heads.span is not None:
            largest = max(largest, heads.total or (heads.field or 0) * (heads.fields or 1))
            spans += [heads.span, *heads.also]
    if largest > _SILENCE:
        return [Node(["servers"], [Node(["max_header_size", values.write_size(largest)], None, tuple(dict.fromkeys(spans)))])]
    for span in spans:
        context.implied(span, "Caddy takes 1 MB of lines by itself; where that is more than before, it is told")
    return []


def write_names(site: Site, context: Context) -> list[Node]:
    """What takes fields away whose names are not taken; context.forwards says whether anybody would see them."""
    heads = context.estate.heads_of(site)
    if heads.names == "" and context.forwards:
        return [Node(["request_header", "-*_*"], None, heads.names_spans, _DROPPED)]
    for span in heads.names_spans:
        context.implied(span, "Caddy drops no field for its name")
    return []
