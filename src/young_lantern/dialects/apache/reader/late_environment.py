"""httpd `SetEnv`, `UnsetEnv`, `PassEnv` and what mod_ssl sets -> variables that are there once a handler is chosen.

Source:   Apache HTTP Server manual, mod_env, mod_ssl; mod_env.c fixup_env_module, ssl_engine_kernel.c ssl_hook_Fixup.
Rule:     they are set after access and rewriting, for what a handler answers only: a redirect of the mapping does not know them. What `SetEnvIf` or a rule
          has set stands, but for HTTPS on a host with TLS (2.4.71, probed).
Left out: names that sections speak of, or that come from the server's own environment.
"""

from __future__ import annotations

import re

from ....model import Choose, Disposition, Route, SetVariable, Step, TextIs, Var, Variable
from .. import catalogue, values
from . import environment
from .context import Context, Node

_NAMES = ("setenv", "unsetenv", "passenv")
# What modules set by themselves, by a request that nobody here knows enough of.
_OF_MODULES = re.compile(r"SSL_\w+|UNIQUE_ID|MATCH_\w+|BALANCER_\w+|REDIRECT_\w+|SCRIPT_UR[IL]|H2_?\w*|HTTP2|AUTHENTICATE_\w+")


# Modules of the package that no directive of the catalogue belongs to; what others set in the environment, nobody here knows.
_STOCK = frozenset({
    *catalogue.MODULES.values(), *values.BUILT_IN, "asis", "authn_cache", "authz_host", "authz_owner", "authz_user", "bucketeer", "data", "lbmethod_bybusyness",
    "lbmethod_byrequests", "lbmethod_bytraffic", "lbmethod_heartbeat", "mpm", "proxy_ajp", "proxy_balancer", "proxy_fdpass", "proxy_http", "proxy_http2", "proxy_uwsgi", "proxy_wstunnel",
    "ratelimit", "slotmem_plain", "slotmem_shm", "socache_dbm", "socache_shmcb", "socache_memcache", "status", "systemd", "unique_id",
})


def read_late(levels: list[Node], sections: list[list[Node]], secure: bool, context: Context) -> None:
    """Says in the context what is set for a host. sections: what stands in each of them."""
    known: dict[str, str | None] = {}
    lines: dict[str, Node] = {}
    for node in levels:
        if node.name == "setenv" and node.args:
            known[node.args[0]], lines[node.args[0]] = "".join(node.args[1:2]), node
        elif node.name in _NAMES:
            known |= dict.fromkeys(node.args)
    for node in (node for nodes in sections for node in nodes if node.name in _NAMES):
        known |= dict.fromkeys(node.args[:1] if node.name == "setenv" else node.args)
    if secure:
        known["HTTPS"] = "on"
        lines.pop("HTTPS", None)
    context.late, context.late_lines, context.late_asked = known, lines, set()


def is_unknown(name: str, context: Context) -> bool:
    """Whether nobody here knows what a line of a header asks for by this name."""
    if name in context.late or name in context.environment:
        return name in context.late and context.late[name] is None
    return _OF_MODULES.fullmatch(name) is not None or name != "HTTPS" and not (context.modules or _STOCK) <= _STOCK


def value_of(name: str, context: Context) -> str | None:
    """What a handler finds set, and marks the line that says so as used; None: nothing sets it late, or nobody knows to what."""
    if (line := context.late_lines.get(name)) is not None:
        claim = context.claims[context.use(line).span]
        claim.disposition, claim.why = Disposition.KEPT, "what it sets is said where it is asked for"
    return context.late.get(name)


def late_steps(context: Context) -> tuple[Step, ...]:
    """Sets what lines ask for that answers without a handler have, too."""
    made: list[Step] = []
    for name in sorted(context.late_asked):
        line = context.late_lines.get(name)
        step = SetVariable(name, (context.late[name] or "",), line.span if line else None, environment=True, late=True)
        steps = environment.set_steps(step, False, context)
        made += steps if line is None else [Choose((Route(TextIs((Var(Variable.VARIABLE, environment.there(name, context)),), ("",)), tuple(steps), step.span),), step.span)]
    return tuple(made)
