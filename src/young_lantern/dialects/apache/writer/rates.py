"""Limits on speed -> `SetOutputFilter RATE_LIMIT`. Mirror: reader/rates.py.

Source:   Apache HTTP Server manual, mod_ratelimit: whole KiB a second, said by variables of the environment.
"""

from __future__ import annotations

from ....codes import SPEED_ROUNDED
from ....model import SPEED, Disposition, Limits
from .context import Context
from .output import Node

_KIB = 1024


def write_speed(limits: tuple[Limits, ...], context: Context) -> list[Node]:
    """The filter and its numbers."""
    row = next((row for item in limits if item.kind == SPEED for row in item.rows), None)
    if row is None:
        return []
    speed = max(1, round(row.most / _KIB))
    if speed * _KIB != row.most:
        context.note(row.span, Disposition.CHANGED, SPEED_ROUNDED, before=f"{row.most:g}", after=speed * _KIB)
    nodes = [
        context.line("SetOutputFilter", "RATE_LIMIT", spans=(row.span, *row.also), comments=row.comments), context.line("SetEnv", "rate-limit", str(speed), spans=(row.span,)),
    ]
    if row.burst:
        nodes.append(context.line("SetEnv", "rate-initial-burst", str(max(1, round(row.burst / _KIB))), spans=row.also))
    return nodes
