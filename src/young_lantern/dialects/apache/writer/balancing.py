"""Pool, Retry -> `<Proxy balancer://…>` with its members. Mirror: ../reader/balancing.py.

Source:   Apache HTTP Server manual, mod_proxy, "BalancerMember", "Balancer parameters"; mod_proxy_hcheck; probed (2.4.71).
Rule:     httpd by itself asks another member where one cannot be reached, and leaves that alone for a minute; what differs is written.
Rule:     how many members are asked is a matter of the balancer, so that places that differ in it have one each.
Left out: another member for a request that was sent already, and more than one failure before a member is left alone: the comparison tells of them.
"""

from __future__ import annotations

from ....model import Forward, Gateway, Pool
from ..values import quote, write_seconds
from .context import Context
from .output import Node

_METHODS = {"round_robin": "byrequests", "least_connections": "bybusyness", "by_traffic": "bytraffic"}
_WHY_COOKIE = ("A client stays with its origin by this cookie, as before.",)


def write_balancer(name: str, pool: Pool, step: Forward | Gateway, urls: list[str], context: Context) -> Node:
    """The section of a pool. urls: those of its members, in their order."""
    several = len([member for member in pool.members if not member.down]) > 1
    sticky = pool.sticky if several else None
    lines = []
    for number, (member, url) in enumerate(zip(pool.members, urls, strict=True), 1):
        words = [quote(url)]
        words += [f"loadfactor={member.weight}"] if member.weight != 1 else []
        words += [f"status=+{sign}" for sign, said in (("H", member.backup), ("D", member.down)) if said]
        words += [f"retry={write_seconds(member.fail_seconds) if member.fail_seconds else 0}"] if several and member.fail_seconds not in (None, 60.0) else []
        words += [f"route={member.route or number}"] if sticky is not None else []
        words += ["hcmethod=GET", f"hcuri={pool.health.target}", f"hcinterval={write_seconds(pool.health.seconds)}"] if pool.health is not None else []
        lines.append(context.line("BalancerMember", *words, spans=(member.span, pool.health.span if pool.health is not None else None)))
    lines += _settings(pool, step, several, context)
    if sticky is not None and sticky.own:
        context.modules.add("headers")
        value = f"{sticky.cookie}=.%{{BALANCER_WORKER_ROUTE}}e; path=/"
        lines.append(context.line("Header", "add", "Set-Cookie", quote(value), "env=BALANCER_ROUTE_CHANGED", spans=(sticky.span,), comments=_WHY_COOKIE))
    context.implied(pool.keepalive_span, "httpd keeps connections to its origins by itself")
    return context.line("Proxy", quote(f"balancer://{name}"), spans=(pool.span,), comments=pool.comments, block=lines)


def _settings(pool: Pool, step: Forward | Gateway, several: bool, context: Context) -> list[Node]:
    method = _METHODS.get(pool.policy)
    if method is None:
        if several and not (pool.sticky is not None and pool.policy == "random"):
            context.chosen_otherwise(pool, "in turn")
        elif not several:
            context.implied(pool.policy_span, "there is no other origin that could be asked")
        method = "byrequests"
    elif pool.policy == "round_robin":
        context.implied(pool.policy_span, "httpd asks the members in turn by itself")
    words = [f"lbmethod={method}"] if method != "byrequests" else []
    words += [f"stickysession={pool.sticky.cookie}"] if several and pool.sticky is not None else []
    words += attempts(pool, step)
    context.modules |= {"proxy_balancer", "lbmethod_byrequests", f"lbmethod_{method}", "slotmem_shm"}  # the server does not start without its usual method
    if pool.health is not None:
        context.modules |= {"proxy_hcheck", "watchdog"}  # the second is part of the server where Debian packages it
    spans = tuple(dict.fromkeys((pool.policy_span, *step.retry.also, pool.sticky.span if pool.sticky is not None else None)))
    return [context.line("ProxySet", *words, spans=spans)] if words else []


def _others(pool: Pool) -> int:
    return len([member for member in pool.members if not member.down]) - 1


def attempts(pool: Pool, step: Forward | Gateway) -> list[str]:
    """How many more members are asked, where that is not all there are."""
    retry, others = step.retry, _others(pool)
    if others < 1:
        return []
    if not retry.unreachable:
        return ["maxattempts=0"] if retry.also else []
    return [f"maxattempts={retry.more}"] if retry.more is not None and retry.more < others else []


def tell_failures(pool: Pool, step: Forward | Gateway, context: Context) -> None:
    """What becomes of the lines of the source that say when another member is asked."""
    retry = step.retry
    if _others(pool) < 1:
        reason = "there is no other origin that could be asked"
    elif retry.statuses:
        context.lost(retry.also[0] if retry.also else None, "another origin for some statuses", "httpd asks no other origin once one has answered", "failonstatus keeps later requests from a member that answers so")
        return
    else:
        reason = "httpd asks another origin by itself where one cannot be reached" if not attempts(pool, step) else ""
    for span in retry.also if reason else ():
        context.implied(span, reason)
