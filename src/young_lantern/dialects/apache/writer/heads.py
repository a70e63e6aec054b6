"""RequestHeads -> httpd `LimitRequestLine`, `LimitRequestFieldSize`, `LimitRequestFields`. Mirror: reader/heads.py.

Rule:     only what the source says is written: httpd's own limits are nginx's, to an octet; Caddy's is written for all.
          The first host of an address reads the request, so that another host's limit is heard nowhere.
"""

from __future__ import annotations

from ....model import Estate, RequestHeads, Site
from .. import defaults
from .context import Context
from .output import Node

_MEGABYTE = str(1 << 20)
_LONG = ("Lines of a request, and its fields, may be as long as before; httpd by itself takes 8190 octets at the most.",)
ONE_BY_ONE = "take the fields that matter away with RequestHeader unset, one by one"
_LATER = "requests are read as the first host of the address says, before they have come to this one"


def write_shared(estate: Estate, context: Context) -> list[Node]:
    """The lines of the main server, where Caddy takes more by itself."""
    if estate.dialect != "caddy":
        return []
    return [context.line("LimitRequestLine", _MEGABYTE, comments=_LONG), context.line("LimitRequestFieldSize", _MEGABYTE), context.line("LimitRequestFields", "0")]


def write_heads(site: Site, context: Context) -> list[Node]:
    """The lines of a host."""
    heads = context.estate.heads_of(site)
    for span in heads.names_spans:
        context.lost(span, "which names of fields are taken", "httpd passes fields of any name on to origins over HTTP, and none with an underscore to applications by FastCGI",
                     ONE_BY_ONE)
    if heads.span is None:
        return []
    spans = (heads.span, *heads.also)
    first = next((listener.fallback for listener in context.estate.listeners_of(site.key)), site.key)
    if first != site.key:
        chosen = _chosen(context, first)
        for span in spans:
            if chosen is None or span not in (chosen.span, *chosen.also):
                context.lost(span, "how much of a request is taken", _LATER, "say it in the first host of the address")
        return []
    line, field = heads.line or heads.total, heads.field or heads.total
    made = [] if line is None or line == defaults.HEAD_LINE else [context.line("LimitRequestLine", str(line), spans=spans)]
    made += [] if field is None or field == defaults.HEAD_LINE else [context.line("LimitRequestFieldSize", str(field), spans=spans)]
    made += [] if heads.fields is None or heads.fields == defaults.HEAD_FIELDS else [context.line("LimitRequestFields", str(heads.fields), spans=spans)]
    if not made:
        for span in spans:
            context.implied(span, "httpd's own limit is the same")
    return made


def _chosen(context: Context, key: object) -> RequestHeads | None:
    return context.estate.heads_of(context.estate.site(key)) if isinstance(key, str) else None
