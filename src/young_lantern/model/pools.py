"""Pools of origin servers: who is in them, how one is chosen, and what becomes of a request, and of the origin, where one fails.

Source:   docs/model.md, "Origins".
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from .span import Span

ANY, IDEMPOTENT, ONLY_GET = "any", "idempotent", "GET"


@dataclass(frozen=True, slots=True)
class Member:
    """An origin server of a pool.

    max_fails:    so many failures, and it is left alone for a while
    fail_seconds: how long; 0: never, it is asked again at once; None: not said of an origin that stands alone
    """

    address: str
    weight: int = 1
    backup: bool = False
    down: bool = False
    max_fails: int = 1
    fail_seconds: float | None = None
    route: str = ""  # what stands for it in a cookie of clients (httpd)
    span: Span | None = None


def is_by_address(authority: str) -> bool:
    """Whether an origin is written by its address, or lies behind a socket; one by name may serve many hosts, and answer to no other."""
    host = authority.rpartition(":")[0] if authority.rpartition(":")[2].isdigit() else authority
    try:
        ipaddress.ip_address(host.strip("[]"))
    except ValueError:
        return host == "localhost" or authority.startswith("unix:")
    return True


@dataclass(frozen=True, slots=True)
class Sticky:
    """A client stays with the member that answered it.

    cookie: by which cookie
    own:    the server itself sends it; else the origin does, with the member's route behind a dot
    """

    cookie: str
    own: bool
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class HealthCheck:
    """Members are asked by themselves, and left out while they answer with 400 or more, or not at all. seconds: between two such requests."""

    target: str
    seconds: float
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Pool:
    """`policy`: round_robin, least_connections, client_hash, target_hash (by the request's target), field_hash NAME (by a field's value), random, first … ; `label` is the authority it is written with."""

    name: str
    members: tuple[Member, ...]
    policy: str = "round_robin"
    policy_span: Span | None = None
    keepalive: int | None = None
    keepalive_span: Span | None = None
    inline: bool = False
    sticky: Sticky | None = None
    health: HealthCheck | None = None
    span: Span | None = None
    comments: tuple[str, ...] = ()

    @property
    def kept_by(self) -> str:
        """By what a client stays with its member, in words; "" where it does not."""
        if self.sticky is not None:
            return f"the cookie {self.sticky.cookie}"
        return "their address" if self.policy == "client_hash" else f"the field {self.policy.split()[1]}" if self.policy.startswith("field_hash ") else ""


@dataclass(frozen=True, slots=True)
class Retry:
    """For which failures of a member another one is asked, within the same request.

    unreachable: no connection came about; content: even if the request has content
    broken, late: the connection ended, or the time was up, before the answer began
    garbled:     what it answered is no HTTP
    statuses:    it answered with one of these
    again:       by which methods a request is sent again that was sent already: ANY, IDEMPOTENT (not POST, LOCK, PATCH), ONLY_GET
    more:        so many members more at the most; None: all there are
    """

    unreachable: bool = False
    content: bool = True
    broken: bool = False
    late: bool = False
    garbled: bool = False
    statuses: frozenset[int] = frozenset()
    again: str = ANY
    more: int | None = None
    also: tuple[Span, ...] = ()
