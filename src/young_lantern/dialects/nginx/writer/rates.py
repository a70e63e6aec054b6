"""Limits -> nginx `limit_req`, `limit_conn`, `limit_rate`, and their zones. Mirror: ../reader/limits.py."""

from __future__ import annotations

from ....model import CONNECTIONS, REQUESTS, SPEED, Limit, Limits
from ...noting import Unwritable
from .. import defaults
from ..values import quote, write_size
from .context import Context
from .output import Node

# What is kept of clients where nobody says how much: enough for 160,000 of them (nginx manual, limit_req_zone).
_MEMORY = 10 * 1024**2


def write_limits(limits: tuple[Limits, ...], context: Context) -> list[Node]:
    """The lines of a place."""
    nodes: list[Node] = []
    for item in limits:
        for row in item.rows:
            nodes += _WRITTEN[item.kind](row, context)
        name, status = _STATUS.get(item.kind, ""), item.rows[0].status
        if name and status != defaults.LIMITED:
            nodes.append(Node([name, str(status)], None, tuple(span for span in item.rows[0].also)))
    return nodes


def _zone(row: Limit, name: str, words: list[str], context: Context) -> bool:
    """The zone at http level; whether its key can be written."""
    key = context.template(row.key, row.span)
    if isinstance(key, Unwritable):
        context.lost(row.span, name, f"what it counts by is {key.what}")
        return False
    memory = write_size(row.memory or _MEMORY)
    key = key.replace("$remote_addr", "$binary_remote_addr")
    context.http.setdefault(f"{name} {row.zone}", Node([name, quote(key), f"zone={row.zone}:{memory}", *words], None, row.also))
    return True


def _requests(row: Limit, context: Context) -> list[Node]:
    rate = f"{row.most:g}r/s" if row.most >= 1 and row.most == int(row.most) else f"{round(row.most * 60)}r/m"
    if not _zone(row, "limit_req_zone", [f"rate={rate}"], context):
        return []
    waits = ["nodelay"] if row.at_once is None else [f"delay={row.at_once}"] if row.at_once else []
    return [Node(["limit_req", f"zone={row.zone}", *([f"burst={row.burst}"] if row.burst else []), *waits], None, (row.span,) if row.span else (), row.comments)]


def _connections(row: Limit, context: Context) -> list[Node]:
    if not _zone(row, "limit_conn_zone", [], context):
        return []
    return [Node(["limit_conn", row.zone, f"{row.most:g}"], None, (row.span,) if row.span else (), row.comments)]


def _speed(row: Limit, context: Context) -> list[Node]:
    spans = tuple(span for span in (row.span, *row.also) if span)
    nodes = [Node(["limit_rate", str(write_size(int(row.most)))], None, spans, row.comments)]
    if row.burst:
        nodes.append(Node(["limit_rate_after", str(write_size(row.burst))], None, row.also))
    return nodes


_WRITTEN = {REQUESTS: _requests, CONNECTIONS: _connections, SPEED: _speed}
_STATUS = {REQUESTS: "limit_req_status", CONNECTIONS: "limit_conn_status"}
