"""nginx `upstream` -> Pool.

Source:   nginx manual, upstream module.
Unknown:  methods without a model word (sticky, hash by another key) are unsupported; the pool is then read as round robin.
"""

from __future__ import annotations

import re

from ....model import Member, Pool
from .. import values
from ..syntax import Directive
from .context import Context

_POLICIES = {"least_conn": "least_connections", "ip_hash": "client_hash", "random": "random"}


def read_pool(directive: Directive, context: Context) -> Pool:
    """`upstream NAME { server …; }` -> Pool."""
    context.use(directive)
    members: list[Member] = []
    policy, policy_span, keepalive, keepalive_span = "round_robin", None, None, None
    for inner in context.block(directive):
        if inner.name == "server" and inner.args:
            members.append(_read_member(context.use(inner), context))
        elif inner.name in _POLICIES:
            policy, policy_span = _POLICIES[inner.name], context.use(inner).span
        elif inner.name == "hash" and inner.args:
            policy, policy_span = _by_key(context.use(inner), context) or policy, inner.span
        elif inner.name == "keepalive" and inner.args[:1] and inner.args[0].isdigit():
            keepalive, keepalive_span = int(inner.args[0]), context.use(inner).span
    return Pool(directive.args[0] if directive.args else "", tuple(members), policy, policy_span, keepalive, keepalive_span,
                span=directive.span, comments=directive.comments)


_KEYS = {"$request_uri": "target_hash", "$remote_addr": "client_hash", "$binary_remote_addr": "client_hash"}


def _by_key(directive: Directive, context: Context) -> str | None:
    """`hash KEY`: by the target, the client, or the value of a field; None for any other key, which is said."""
    key = directive.args[0]
    if found := re.fullmatch(r"\$http_(\w+)", key):
        return f"field_hash {found[1].lower().replace('_', '-')}"
    if key not in _KEYS:
        context.unread(directive, key, "$request_uri, $remote_addr or a field of the request was expected: by another key members are taken in turn")
    return _KEYS.get(key)


def _read_member(directive: Directive, context: Context) -> Member:
    address, *options = directive.args
    # The port of an origin is 80 unless it is written (upstream module, server).
    full = address if ":" in address.rpartition("]")[2] or address.startswith("unix:") else f"{address}:80"
    settings = dict(option.partition("=")[::2] for option in options)
    for name in settings:
        if name not in ("weight", "max_fails", "fail_timeout", "backup", "down", "max_conns"):
            context.unread(directive, name, "weight, max_fails, fail_timeout, backup or down was expected")
    return Member(
        full, int(settings.get("weight", "1") or 1), "backup" in settings, "down" in settings,
        int(settings["max_fails"]) if settings.get("max_fails", "").isdigit() else None,
        values.read_time(settings["fail_timeout"]) if "fail_timeout" in settings else None, directive.span,
    )
