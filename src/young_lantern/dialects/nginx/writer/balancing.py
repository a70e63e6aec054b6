"""Pool, Retry -> nginx `upstream`, `proxy_next_upstream`. Mirror: ../reader/pools.py.

Source:   nginx manual, upstream module, proxy_next_upstream.
Rule:     what nginx does by itself is not written: another member is asked where one cannot be reached, breaks off or is late, if that does no harm, and
          one that failed is left alone for 10 s.
Left out: clients kept by a cookie, and questions for the health of members, for which there is nothing; they are told.
"""

from __future__ import annotations

from ....codes import HEALTH_UNASKED
from ....model import ANY, Disposition, Pool, Retry
from ..values import write_time
from .context import Context
from .output import Node

_POLICIES = {"least_connections": ["least_conn"], "client_hash": ["ip_hash"], "random": ["random"]}
_STATUSES = frozenset({403, 404, 429, 500, 502, 503, 504})


def write_upstream(name: str, pool: Pool, context: Context) -> Node:
    """`upstream NAME { … }`."""
    lines = _policy(pool, context)
    if pool.health is not None:
        context.note(pool.health.span, Disposition.CHANGED, HEALTH_UNASKED, uri=pool.health.target)
    for number, member in enumerate(pool.members):
        words = ["server", member.address]
        words += [f"weight={member.weight}"] if member.weight != 1 else []
        why: tuple[str, ...] = ()
        if len(pool.members) > 1 and member.fail_seconds == 0:
            words.append("max_fails=0")
            why = ("Origins that fail are asked again at once, as before.",) if not number else ()
        elif len(pool.members) > 1 and member.fail_seconds is not None:
            words += [f"max_fails={member.max_fails}"] if member.max_fails != 1 else []
            words += [f"fail_timeout={write_time(member.fail_seconds)}"] if member.fail_seconds != 10 else []
        words += [word for word, said in (("backup", member.backup), ("down", member.down)) if said]
        lines.append(Node(words, None, (member.span,) if member.span else (), why))
    if pool.keepalive:
        lines.append(Node(["keepalive", str(pool.keepalive)], None, (pool.keepalive_span,) if pool.keepalive_span else ()))
    return Node(["upstream", name], lines, (pool.span,) if pool.span else (), pool.comments)


def _policy(pool: Pool, context: Context) -> list[Node]:
    spans = (pool.policy_span,) if pool.policy_span else ()
    # upstream module: with these methods the server takes no `backup` (1.22.1: "balancing method does not support parameter").
    by_turns = any(member.backup for member in pool.members)
    if pool.sticky is not None and len(pool.members) > 1:
        context.chosen_otherwise(pool, "in turn" if by_turns else "by the client's address", "nginx keeps no client at its member by a cookie" + (", nor by its address where there is a backup" if by_turns else ""))
        return [] if by_turns else [Node(["ip_hash"], None, spans, ("A client stays with its origin by its address; before, by a cookie.",))]
    if pool.policy in _POLICIES and not (by_turns and pool.policy != "least_connections"):
        return [Node(_POLICIES[pool.policy], None, spans)]
    if (pool.policy == "target_hash" or pool.policy.startswith("field_hash ")) and not by_turns:
        key = "$request_uri" if pool.policy == "target_hash" else "$http_" + pool.policy.split()[1].replace("-", "_")
        return [Node(["hash", key, "consistent"], None, spans)]
    if pool.policy != "round_robin":
        context.chosen_otherwise(pool, "in turn", "nginx takes turns, or counts connections, where there is a backup" if by_turns and pool.policy != "first" else "")
    elif pool.policy_span:
        context.implied(pool.policy_span, "nginx asks the members in turn by itself")
    return []


def write_retry(retry: Retry, pool: Pool | None, module: str, context: Context) -> list[Node]:
    """`proxy_next_upstream`, and `_tries`, or those of another module, where nginx by itself does less, or the source says it."""
    if pool is None or len(pool.members) < 2:
        for span in retry.also:
            context.implied(span, "there is no other origin that could be asked")
        return []
    for status in sorted(retry.statuses - _STATUSES):
        context.lost(retry.also[0] if retry.also else None, f"another origin for {status}", "nginx asks another one for 403, 404, 429, 500, 502, 503 and 504 only")
    statuses = sorted(retry.statuses & _STATUSES)
    words = ["error"] if retry.unreachable or retry.broken else []
    words += [word for word, said in (("timeout", retry.late), ("invalid_header", retry.garbled), *((f"http_{status}", True) for status in statuses)) if said]
    again = ["non_idempotent"] if retry.again == ANY and set(words) - {"error"} else []
    more = retry.more if retry.more is not None and retry.more < len(pool.members) - 1 else None
    if not words or more == 0:
        return [Node([f"{module}_next_upstream", "off"], None, retry.also)] if retry.also else []
    nodes = [Node([f"{module}_next_upstream", *words, *again], None, retry.also)] if [*words, *again] != ["error", "timeout"] and (retry.also or {*words, *again} - {"error", "timeout"}) else []
    if not nodes and more is None:
        for span in retry.also:
            context.implied(span, "nginx does so by itself")
    return nodes + ([Node([f"{module}_next_upstream_tries", str(more + 1)], None, retry.also)] if more is not None else [])
