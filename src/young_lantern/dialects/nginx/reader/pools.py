"""nginx `upstream` -> Pool.

Source:   nginx manual, upstream module.
Unknown:  methods without a model word (sticky, hash by another key) are unsupported; the pool is then read as round robin.
"""

from __future__ import annotations

import re

from ....codes import SETTING_LOST
from ....model import ANY, IDEMPOTENT, Member, Pool, Retry
from ....model.placeholders import is_open
from .. import values
from ..syntax import Directive
from .context import Context, Scope

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
    # upstream module, server: max_fails=1 fail_timeout=10s; no failures are counted with 0.
    weight, fails = (_number(directive, name, settings.get(name, "1"), context) for name in ("weight", "max_fails"))
    seconds = values.read_time_or_open(settings["fail_timeout"]) if "fail_timeout" in settings else 10.0
    if seconds is None:
        context.unread(directive, settings["fail_timeout"], "a time such as 10s was expected")
        seconds = 10.0
    return Member(full, max(weight, 1), "backup" in settings, "down" in settings, max(fails, 1), seconds if fails else 0.0, span=directive.span)


def _number(directive: Directive, name: str, text: str, context: Context) -> int:
    """A number of members' settings; 1 for one that is none, or is left to deployment, which is told."""
    if text.isascii() and text.isdigit():
        return int(text)
    context.blame(SETTING_LOST, directive.span, setting=f"{name}={text}", directive=directive.name, reason="it is left to deployment; 1 is taken" if is_open(text) else "a number was expected; 1 is taken")
    return 1


_STATUSES = frozenset({403, 404, 429, 500, 502, 503, 504})


def read_retry(scope: Scope, module: str, context: Context) -> Retry:
    """`proxy_next_upstream`, and `_tries`, or those of another module: `error timeout` unless it is written.

    ngx_http_upstream.c, ngx_http_upstream_test_next (1.22.1, probed): what was sent already is sent again by idempotent methods only, a connection
    that did not come about is no such case; whether the content was read does not matter, since it is kept.
    """
    line, tries = context.used(scope, f"{module}_next_upstream"), context.used(scope, f"{module}_next_upstream_tries")
    words = set(line.args if line is not None else ("error", "timeout"))
    spans = tuple(item.span for item in (line, tries) if item is not None)
    tried = _number(tries, tries.name, tries.args[0], context) if tries is not None and tries.args else 0
    more = tried - 1 if tried else None
    if "off" in words:
        return Retry(also=spans)
    statuses = frozenset(int(word.removeprefix("http_")) for word in words if re.fullmatch(r"http_\d+", word)) & _STATUSES
    return Retry(
        unreachable="error" in words, broken="error" in words, late="timeout" in words, garbled="invalid_header" in words, statuses=statuses,
        again=ANY if "non_idempotent" in words else IDEMPOTENT, more=more, also=spans)
