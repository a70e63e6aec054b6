"""Lines of `reverse_proxy` and `php_fastcgi` about the choice of an origin -> Pool, Retry. Mirror: ../writer/balancing.py.

Source:   Caddy documentation, reverse_proxy, "Load balancing", "Active" and "Passive health checks"; reverseproxy.go, tryAgain (2.6.2, probed).
Rule:     a member that cannot be reached is asked again, or another one, only where lb_retries or lb_try_duration says so. The policy chooses anew: one
          that goes by the request, or by who has least to do, takes the same member again, unless fail_duration has it left alone. A request with
          content is 502 then, since it was read already, but for buffer_requests. What a member broke off is asked for again by GET alone.
Left out: health checks of more than a target, unhealthy_…, lb_retry_match: they are told.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field, replace

from ....codes import SETTING_LOST
from ....model import ONLY_GET, HealthCheck, Member, Pool, Retry, Sticky
from .. import values
from ..syntax import Directive
from .context import Context

_POLICIES = {"round_robin": "round_robin", "least_conn": "least_connections", "ip_hash": "client_hash", "random": "random", "first": "first", "uri_hash": "target_hash"}
# Of how long, how much and when that no outcome depends on.
_IDLE = frozenset({"lb_try_interval", "max_buffer_size", "buffer_responses", "flush_interval", "health_timeout"})
_LOST = {
    **dict.fromkeys(("health_port", "health_status", "health_body", "health_headers"), "members are asked for a target, and are well with a status below 400; how else is not read"),
    **dict.fromkeys(("unhealthy_status", "unhealthy_latency", "unhealthy_request_count"), "a member that answers so is left alone; that is not read"),
    "lb_retry_match": "which requests are sent again is not read",
}


@dataclass(slots=True)
class Balancing:
    """What the lines of one directive say. `policy`: at random, unless one says it."""

    policy: str = "random"
    sticky: Sticky | None = None
    retries: int | None = None
    tries_on: bool = False
    buffers: bool = False
    fails: int = 1
    rest: float = 0.0
    target: str = ""
    every: float = 30.0
    health: Directive | None = None
    named: list[str] = field(default_factory=list)  # the members, as often as they are named

    def takes(self, inner: Directive, directive: Directive, context: Context) -> bool:
        """Reads a line; False where it is about something else."""
        word = inner.args[0] if inner.args else ""
        match inner.name:
            case "lb_policy" if word in _POLICIES:
                self.policy = _POLICIES[word]
            case "lb_policy" if word == "header" and len(inner.args) == 2:
                self.policy = f"field_hash {inner.args[1].lower()}"
            case "lb_policy" if word == "cookie":
                self.policy, self.sticky = "random", Sticky(inner.args[1] if len(inner.args) > 1 else "lb", True, inner.span)
            case "lb_retries" if word.isdigit():
                self.retries = int(word)
            case "lb_try_duration" if word:
                self.tries_on = values.read_duration_or_open(word) != 0
            case "fail_duration" if word:
                self.rest = values.read_duration_or_open(word) or 0.0
            case "max_fails" if word.isdigit():
                self.fails = int(word)
            case "buffer_requests":
                self.buffers = True
            case "health_uri" | "health_path" if word:
                self.target, self.health = word, inner
            case "health_interval" if word:
                self.every = values.read_duration_or_open(word) or self.every
            case name if name in _LOST:
                context.blame(SETTING_LOST, inner.span, setting=" ".join(item.raw for item in inner.words), directive=directive.name, reason=_LOST[name])
            case name:
                return name in _IDLE
        return True

    def retry(self) -> Retry:
        """When another member is asked. After `pool`."""
        more = self._others_asked()
        return Retry(unreachable=True, content=self.buffers, broken=True, late=True, again=ONLY_GET, more=more) if more != 0 else Retry()

    def _others_asked(self) -> int | None:
        """How many other members are asked for sure, whoever was the first; None: all.

        selectionpolicies.go (2.6.2, probed): the next is chosen as the first was. In turn, that is the one named next, which may be the same; by the request, or by load,
        it is the same until that is left alone, which it is after max_fails failures.
        """
        if len(set(self.named)) < 2:
            return None if self.retries or self.tries_on else 0
        if self.rest > 0 and (self.tries_on or (self.retries or 0) >= self.fails):
            return self.retries - self.fails + 1 if self.retries else None
        if self.policy == "round_robin" and self.retries:
            around = self.named * 2
            return min(len({*around[start + 1:start + 1 + min(self.retries, len(self.named))]} - {around[start]}) for start in range(len(self.named)))
        return None if self.tries_on and (self.policy == "round_robin" or self.policy == "random" and self.sticky is None) else 0

    def pool(self, addresses: list[str], secure: bool, directive: Directive, context: Context) -> str:
        """The name of the pool, which is made where there is none like it."""
        self.named = [_address(address, secure, directive, context) for address in addresses]
        counted = Counter(self.named)
        several = len(counted) > 1
        made = [Member(address, weight, max_fails=self.fails, fail_seconds=self.rest if several else None, span=directive.span) for address, weight in counted.items()]
        policy = self.policy
        if policy == "first" and several:
            # The others are asked where the first is known to fail: that is what others call a backup.
            made, policy = [replace(member, weight=1, backup=number > 0) for number, member in enumerate(made)], "round_robin" if len(made) == 2 else "first"
        if len(set(counted.values())) == 1:
            made = [replace(member, weight=1) for member in made]
        health = HealthCheck(self.target, self.every, self.health.span) if self.health is not None else None
        pool = Pool("", tuple(made), policy, inline=True, sticky=self.sticky, health=health, span=directive.span)
        name, number = " ".join(member.address for member in made), 2
        wish = name
        while (known := context.pools.get(name)) is not None and _but_for_lines(known) != _but_for_lines(pool) and (several or {health, known.health, self.sticky, known.sticky} != {None}):
            name, number = f"{wish} ({policy}{f', {number}' if number > 2 else ''})", number + 1
        context.pools.setdefault(name, replace(pool, name=name))
        return name


def _but_for_lines(pool: Pool) -> Pool:
    """A pool without what tells where it was written."""
    sticky = replace(pool.sticky, span=None) if pool.sticky is not None else None
    health = replace(pool.health, span=None) if pool.health is not None else None
    return replace(pool, name="", members=tuple(replace(member, span=None) for member in pool.members), sticky=sticky, health=health, span=None)


def _address(written: str, secure: bool, directive: Directive, context: Context) -> str:
    if re.search(r"\s", written):
        # A word in quotes, or an argument of a snippet, stays one word: no such host is found.
        context.unread(directive, written, "an address for each word was expected")
    bare = re.sub(r"^\w+://", "", written)
    if re.fullmatch(r":\d+", bare):
        bare = f"localhost{bare}"
    if bare.startswith("unix/"):
        return "unix:" + bare.removeprefix("unix/")
    return bare if re.search(r":(\d+|\$?\{.*\}|_\w+_)$", bare) else f"{bare}:{443 if secure else 80}"
