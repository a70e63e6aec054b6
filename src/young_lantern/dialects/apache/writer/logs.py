"""LogTo -> `CustomLog`. Mirror: reader/logs.py. Left out: formats other than `combined`, which are noted."""

from __future__ import annotations

from ....codes import LOG_FORMAT
from ....model import Disposition, LogTo
from ..values import quote
from .context import Context
from .output import Node
from .plans import Case


def unlogged(cases: list[Case], context: Context) -> str:
    """The variable that the rules of answers which are not logged set; "" when all are."""
    silent = [case for case in cases if case.leaf.settings.log is not None and case.leaf.settings.log.file is None]
    for case in cases:
        log = case.leaf.settings.log
        if log is not None and log.file is not None:
            context.lost(log.span, "a log of its own", "a part of a site has no log of its own", "log it with the site, and pick its lines out by path")
    written = [case for case in silent if case.event is not None and case.event.nodes]
    if not written:
        return ""
    name = context.name("not logged")
    for case in written:
        assert case.event is not None and case.leaf.settings.log is not None
        case.event.mark(name, context)
        span = case.leaf.settings.log.span
        case.event.nodes[-1].spans = tuple(dict.fromkeys((*case.event.nodes[-1].spans, *((span,) if span else ()))))
    return name


def write_logs(logs: tuple[LogTo, ...], silent: str, context: Context) -> list[Node]:
    """The access logs of a site; `silent`: the variable of requests that are not logged."""
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
        nodes.append(context.line("CustomLog", quote(file), "combined", *([f"env=!{silent}"] if silent else []), spans=spans))
    return nodes
