"""LogTo -> `CustomLog`. Mirror: reader/logs.py. Left out: formats other than `combined`, which are noted."""

from __future__ import annotations

from ....codes import LOG_FORMAT
from ....model import Disposition, LogTo
from ..values import quote
from .context import Context
from .output import Node


def write_logs(logs: tuple[LogTo, ...], context: Context) -> list[Node]:
    """The access logs of a site."""
    nodes = []
    for log in logs:
        spans = tuple(span for span in (log.span, log.format_span) if span)
        if log.file is None:
            nodes.append(context.line("CustomLog", "/dev/null", "combined", spans=spans))
            continue
        if log.format not in ("combined", ""):
            for span in spans:
                context.note(span, Disposition.CHANGED, LOG_FORMAT, format=log.format)
        file = f"/dev/{log.file}" if log.file in ("stdout", "stderr") else log.file or "logs/access.log"
        nodes.append(context.line("CustomLog", quote(file), "combined", spans=spans))
    return nodes
