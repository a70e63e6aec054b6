"""LogTo -> nginx `access_log`. Mirror: reader/logs.py."""

from __future__ import annotations

from ....codes import LOG_FORMAT
from ....model import Disposition, LogTo
from ..values import quote
from .context import Context
from .output import Node


def write_logs(logs: tuple[LogTo, ...], context: Context) -> list[Node]:
    """The access logs of a site or place. Formats other than nginx's own are noted, and written as `combined`."""
    nodes = []
    for log in logs:
        spans = tuple(span for span in (log.span, log.format_span) if span)
        if log.file is None:
            nodes.append(Node(["access_log", "off"], None, spans))
            continue
        if log.format not in ("combined", ""):
            for span in spans:
                context.note(span, Disposition.CHANGED, LOG_FORMAT, format=log.format)
        file = log.file if log.file not in ("stdout", "stderr") else f"/dev/{log.file}"
        nodes.append(Node(["access_log", quote(file or "logs/access.log")], None, spans))
    return nodes
