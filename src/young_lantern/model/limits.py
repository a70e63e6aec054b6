"""How often, how many at a time, and how fast requests are answered. Used by: steps.py."""

from __future__ import annotations

from dataclasses import dataclass

from .span import Span
from .text import Template

REQUESTS, CONNECTIONS, SPEED = "requests", "connections", "speed"


@dataclass(frozen=True, slots=True)
class Limit:
    """One limit.

    kind:    REQUESTS a second, CONNECTIONS at a time, or SPEED, the octets a second of one answer
    most:    how many
    key:     what is counted together; a request for which it comes out empty is not counted
    burst:   how many requests beyond the rate are taken all the same; how many octets go out before the speed holds
    at_once: how many of those requests are answered without waiting; None: all
    status:  of a request that is refused
    zone:    the name of what counts, which several limits may share
    memory:  octets that the server keeps for it; 0: as many as it takes
    """

    kind: str
    most: float
    key: Template = ()
    burst: int = 0
    at_once: int | None = 0
    status: int = 503
    zone: str = ""
    memory: int = 0
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Limits:
    """The limits of one kind that a place has: all of them hold. Those of a request's way that come later, of a kind that held before, do not count; of SPEED the last ones do."""

    kind: str
    rows: tuple[Limit, ...]
    span: Span | None = None
