"""Pool, Retry -> lines of `reverse_proxy`. Mirror: ../reader/balancing.py.

Source:   Caddy documentation, reverse_proxy, "Load balancing", "Passive health checks"; probed (2.6.2).
Rule:     Caddy asks another origin only where lb_retries says so. With it goes buffer_requests, since content that was read for an origin that is away is
          gone, and fail_duration, without which policies other than taking turns choose the same one again.
Rule:     fail_duration is written only where no limit on content is in force: to Caddy 2.6 a request over the limit is a failure of the origin, so that one
          client takes an origin out, and two the site (2.6.2, probed). Who is chosen by chance, or by load, is chosen in turn then: that goes on to another one. And by FastCGI content that is kept and over the limit
          goes on cut off, by HTTP/2 it is 502 instead of 413: there none is kept beside a limit.
          The stronger one of several is named more often; a spare one is second of two with lb_policy first.
"""

from __future__ import annotations

from dataclasses import replace
from math import gcd

from ....codes import CONTENT_BUFFERED, FAILURES_UNCOUNTED, POLICY_DIFFERS, TURNS_INSTEAD
from ....model import ANY, BodyLimit, Disposition, Forward, Gateway, Member, Pool
from ....model.walk import walk
from .. import values
from .context import Context
from .output import Node

_POLICIES = {"round_robin": "round_robin", "least_connections": "least_conn", "client_hash": "ip_hash", "random": "random", "first": "first", "target_hash": "uri_hash"}
# Policies under which the same member is chosen again; what Caddy has not is written as turns.
_BY_REQUEST = frozenset({"least_connections", "client_hash", "random", "first", "target_hash"})
_MOST_NAMED = 24
_WHY_BUFFERS = ("Without it, content that was read for an origin that is away would be gone.",)
# What the source does with content before an origin is found.
_DOES = {"nginx": "keeps it on disk", "apache": "does not read it until an origin has taken the connection"}
_AWAY = "Another origin is asked where one is away, as before."


def choosing(pool: Pool, step: Forward | Gateway, context: Context) -> tuple[list[Member], list[Node]]:
    """The members in the order in which they are named, and the lines about the choice among them."""
    usable = [member for member in pool.members if not member.down]
    for member in pool.members:
        if member.down:
            context.implied(member.span, "a member marked as down is asked by nobody; it is left out")
    if pool.keepalive_span:
        context.implied(pool.keepalive_span, "Caddy keeps connections to origins open by itself")
    limited = context.site is not None and any(isinstance(item, BodyLimit) and item.limit_bytes is not None for item in walk(context.site.program))
    if limited and pool.policy in ("least_connections", "random") and pool.sticky is None and step.retry.unreachable and step.retry.more != 0 and len(usable) > 1:
        context.note(pool.policy_span or pool.span, Disposition.CHANGED, TURNS_INSTEAD, before=pool.policy.replace("_", " "))
        pool = replace(pool, policy="round_robin")
    regular = [member for member in usable if not member.backup]
    backups = [member for member in usable if member.backup]
    if len(regular) == 1 and backups:
        if len(backups) > 1 and pool.policy != "first":
            context.note(backups[0].span or pool.span, Disposition.CHANGED, POLICY_DIFFERS, before="in turn once the first has failed", after="in their order", reason="Caddy asks the members of a list from its beginning")
        named, lines = [*regular, *backups], [Node(["lb_policy", "first"])]
    else:
        for member in backups:
            context.lost(member.span, "backup", "Caddy 2.6 has no member that is asked only when all of several others fail",
                         "leave it out, or use lb_policy first with the backup at the end of the list")
        named, lines = _weighted(regular, pool, context), _policy(pool, context) if len(regular) > 1 else []
    return named, [*lines, *(_failing(pool, named, step, limited, context) if len({member.address for member in named}) > 1 else _alone(step, context)), *_health(pool)]


def _weighted(members: list[Member], pool: Pool, context: Context) -> list[Member]:
    """Each as often as its weight says."""
    weights = [member.weight for member in members]
    if len(set(weights)) < 2:
        return members
    common = gcd(*weights)
    if pool.policy == "least_connections" and pool.sticky is None or sum(weights) // common > _MOST_NAMED:
        for member in members:
            if member.weight != 1:
                context.lost(member.span, "weight", "Caddy 2.6 gives all members the same share here", "name the stronger member several times, or accept equal shares")
        return members
    return [member for member in members for _ in range(member.weight // common)]


def _policy(pool: Pool, context: Context) -> list[Node]:
    if pool.sticky is not None:
        if not pool.sticky.own:
            context.note(pool.sticky.span, Disposition.CHANGED, POLICY_DIFFERS, before=f"by the member's route in the cookie {pool.sticky.cookie}", after="by a cookie of Caddy's own", reason="Caddy knows no member by what an application's cookie says")
        return [Node(["lb_policy", "cookie", pool.sticky.cookie] if pool.sticky.own else ["lb_policy", "cookie"], None, (pool.sticky.span,) if pool.sticky.span else ())]
    if pool.policy in _POLICIES:
        return [Node(["lb_policy", _POLICIES[pool.policy]])]
    if pool.policy.startswith("field_hash "):
        return [Node(["lb_policy", "header", pool.policy.split()[1].title()])]
    context.chosen_otherwise(pool, "in turn")
    return [Node(["lb_policy", "round_robin"])]


def _failing(pool: Pool, named: list[Member], step: Forward | Gateway, limited: bool, context: Context) -> list[Node]:
    """What becomes of a request whose origin fails, and of the origin."""
    retry, others = step.retry, len({member.address for member in named}) - 1
    rest = max((member.fail_seconds or 0.0 for member in named if not member.backup), default=0.0)
    fails = max(member.max_fails for member in named)
    span = retry.also[0] if retry.also else None
    for status in sorted(retry.statuses):
        context.lost(span, f"another origin for {status}", "Caddy asks no other one because of a status", "answer with handle_response, where another origin can be asked by a reverse_proxy of its own")
    if retry.again == ANY and retry.also and (retry.broken or retry.late):
        context.lost(span, "non_idempotent", "Caddy sends a request again by GET only, once it was sent")
    by_turns = pool.policy not in _BY_REQUEST and not pool.policy.startswith("field_hash ") and pool.sticky is None and not named[-1].backup
    # One that is named several times may be its own next, unless it is left alone (2.6.2, probed): the others are reached for sure by going all around.
    more = len(named) - 1 if by_turns and (limited or not rest or fails != 1) else others
    if retry.more is not None and retry.more < others:
        more = retry.more
    if limited and (rest or not by_turns):
        context.note(pool.span or step.span, Disposition.CHANGED, FAILURES_UNCOUNTED)
    nodes = []
    retries = retry.unreachable and more > 0 and (by_turns or not limited)
    if retries:
        nodes.append(Node(["lb_retries", str(more)], None, retry.also, (_AWAY,)))
        if not limited or step.protocol == "http":
            nodes.append(Node(["buffer_requests"], None, (), _WHY_BUFFERS))
            context.note(pool.span, Disposition.KEPT, CONTENT_BUFFERED, does=_DOES.get(context.estate.dialect, "does not need to"))
        rest = rest or (0.0 if by_turns else 1.0)
    if rest and not limited:
        nodes.append(Node(["fail_duration", values.write_duration(rest)]))
        # With more than one failure before it is left alone, the same would be asked again in the same request: that is no other one (2.6.2, probed).
        nodes += [Node(["max_fails", str(fails)])] if fails != 1 and (by_turns or not retries) else []
    return nodes


def _alone(step: Forward | Gateway, context: Context) -> list[Node]:
    for span in step.retry.also:
        context.implied(span, "there is no other origin that could be asked")
    return []


def _health(pool: Pool) -> list[Node]:
    if pool.health is None:
        return []
    spans = (pool.health.span,) if pool.health.span else ()
    return [Node(["health_uri", pool.health.target], None, spans), Node(["health_interval", values.write_duration(pool.health.seconds)], None, spans)]
