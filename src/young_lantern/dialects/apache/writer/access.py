"""Clients that are refused -> `Require`. Mirror: reader/access.py."""

from __future__ import annotations

from ....model import ClientIn, Condition, Not, Span
from .context import Context
from .output import Node


def write_access(denied: Condition, span: Span | None, context: Context) -> list[Node]:
    """Who may come in, where those that `denied` holds are refused with 403."""
    spans = (span, denied.span if not isinstance(denied, Not) else denied.condition.span)
    if isinstance(denied, Not):
        assert isinstance(denied.condition, ClientIn)
        context.modules.add("authz_host")
        return [context.line("Require", "ip", *denied.condition.networks, spans=spans)]
    assert isinstance(denied, ClientIn)
    context.modules.add("authz_host")
    lines = [context.line("Require", "all", "granted"), *(context.line("Require", "not", "ip", network, spans=spans) for network in denied.networks)]
    return [context.line("RequireAll", spans=spans, block=lines)]
