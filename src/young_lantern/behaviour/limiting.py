"""Which limits hold for a request, on its way and once it is answered. Used by: decide.py.

Source:   ngx_http_limit_req_handler, ngx_http_limit_conn_handler (1.22.1): once for a request, whatever places it comes to.
"""

from __future__ import annotations

from ..model import SPEED, Limits
from .evaluate import text
from .outcome import Limited
from .state import State


def meet(step: Limits, state: State) -> None:
    """The request comes to a place with limits."""
    held = state.limits
    if step.kind == SPEED or not held.get(step.kind):
        made = (Limited(row.kind, row.most, text(row.key, state), row.burst, row.at_once, row.status) for row in step.rows)
        held[step.kind] = tuple(limit for limit in made if limit.key or limit.kind == SPEED)
        for row in step.rows:
            state.note("limited", row.span)


def in_force(state: State, sends: bool) -> tuple[Limited, ...]:
    """Those that hold for the answer. sends: a file, or what an origin answers; the few octets of what the server says itself go out at any speed."""
    return tuple(limit for kind in sorted(state.limits) if kind != SPEED or sends for limit in state.limits[kind])
