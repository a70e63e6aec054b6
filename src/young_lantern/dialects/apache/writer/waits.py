"""How long origins are waited for -> httpd `ProxyTimeout`, and `timeout=` of a line. Mirror: ../reader/gateways.py, waits.

Rule:     a balancer, and an application that a handler asks, have no place of their own for it: the host's line is for them, and the lines of
          other origins then say theirs. httpd gives up after a minute by itself; Caddy waits as long as it takes.
"""

from __future__ import annotations

from ....fitting import Chain, leaves
from ....model import WAITS, Forward, Gateway
from ....model.placeholders import OpenNumber
from ..values import write_seconds
from .context import Context
from .output import Node

_DAY = 86400
_LONG = ("Origins are waited for as long as they take, as before; httpd by itself gives up after a minute.",)


def choose_wait(chain: Chain, context: Context) -> None:
    """Decides what the host's line says, before any other is written."""
    found = [leaf.answer for leaf in leaves(chain) if isinstance(leaf.answer, Forward | Gateway)]
    shared = [step for step in found if isinstance(step, Gateway) or _is_balanced(step, context)]
    said = [step.read_seconds for step in shared if step.read_seconds is not None]
    context.waits = None
    if said and len(said) == len(shared):
        context.waits = _whole(max(said))
    elif WAITS.get(context.estate.dialect) is None and any(step.read_seconds is None for step in found):
        context.waits = _DAY
    elif said:
        context.waits = _whole(max(*said, WAITS["apache"] or 0))


def write_wait(context: Context) -> list[Node]:
    """The host's line."""
    if context.waits is None or context.waits == WAITS["apache"]:
        return []
    return [context.line("ProxyTimeout", write_seconds(context.waits), comments=_LONG if context.waits == _DAY else ())]


def seconds_here(seconds: float | None, context: Context) -> int | None:
    """What the line of an origin says besides; None: the host's line says it."""
    own = _whole(seconds) if seconds is not None else None if WAITS.get(context.estate.dialect) is None else int(WAITS[context.estate.dialect] or 0)
    return own if own is not None and own != (context.waits or WAITS["apache"]) else None


def _whole(seconds: float) -> int:
    return seconds if isinstance(seconds, OpenNumber) else max(1, round(seconds))


def _is_balanced(step: Forward, context: Context) -> bool:
    pool = context.estate.pool(step.pool)
    return pool is not None and len(pool.members) > 1
