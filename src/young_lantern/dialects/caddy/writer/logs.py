"""LogTo -> Caddy `log`. Mirror: reader/logs.py."""

from __future__ import annotations

from ....codes import LOG_FORMAT
from ....model import Disposition, LogTo
from ..values import quote
from .context import Context
from .output import Node


# What takes the place of a file (Caddy documentation, log, "Output modules").
_WRITERS = frozenset({"stdout", "stderr", "discard", "net"})


def write_skip(log: LogTo, context: Context) -> list[Node]:
    """A part of a site that is not logged, or elsewhere."""
    if log.file is None:
        return [Node(["skip_log"], None, (log.span,) if log.span else (), setting=True)]
    context.lost(log.span, "access_log", "Caddy has one access log for a site", "filter the site's log by path when you read it")
    return []


def write_logs(logs: tuple[LogTo, ...], context: Context) -> list[Node]:
    """The access logs of a site."""
    nodes = []
    for log in logs:
        spans = (log.span,) if log.span else ()
        if log.file is None:
            context.implied(log.span, "Caddy writes no access log unless told to")
            continue
        if log.format != "json":
            for span in (log.span, log.format_span):
                if span is not None:
                    context.note(span, Disposition.CHANGED, LOG_FORMAT, format=log.format)
        # A path may begin with what is left to deployment, or be one below the server's own folder.
        output = [Node(["output", *([] if log.file.partition(" ")[0] in _WRITERS else ["file"]), quote(log.file) if log.file not in _WRITERS else log.file])] if log.file else []
        nodes.append(Node(["log"], output, spans, setting=True))
    return nodes
