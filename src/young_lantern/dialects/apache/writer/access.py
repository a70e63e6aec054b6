"""Clients that are refused, and users who must say who they are -> `Require`. Mirror: reader/access.py."""

from __future__ import annotations

from ....model import ClientIn, Condition, Credentials, MethodIn, Not, Span, literal
from ...users import users_file
from ..values import quote
from .context import Context
from .output import Node


def write_guard(step: Credentials, exempt: ClientIn | MethodIn | None, others: list[Node], context: Context) -> list[Node]:
    """Who must say who he is, with addresses and methods that need not, and what else must hold. The users' file stays where it is; users of a
    configuration get one below `users/`."""
    nobody = step.users == ()
    file = users_file(step, nobody, context.files)
    spans = (step.span, *step.also)
    context.modules |= {"auth_digest" if step.digest else "auth_basic", "authn_core", "authn_file", "authz_user"}
    asked = ["valid-user"] if step.users is None or nobody else ["user", *step.users]
    require = context.line("Require", *asked, spans=spans)
    if exempt is not None:
        # authz_core and authz_host; HEAD goes with GET (mod_authz_core, "Require method").
        words = ["ip", *exempt.networks] if isinstance(exempt, ClientIn) else ["method", *exempt.methods]
        context.modules |= {"authz_host"} if isinstance(exempt, ClientIn) else set()
        require = context.line("RequireAny", spans=spans, block=[context.line("Require", *words, spans=spans), require])
    if others:
        require = context.line("RequireAll", spans=spans, block=[*others, require])
    return [
        context.line("AuthType", "Digest" if step.digest else "Basic", spans=spans), *([context.line("AuthDigestDomain", *domain.split(), spans=spans)] if (domain := literal(step.domain)) else []), context.line("AuthName", quote(literal(step.realm) or "restricted"), spans=spans),
        context.line("AuthUserFile", quote(file), spans=spans), require,
    ]


def write_access(denied: Condition, span: Span | None, context: Context) -> list[Node]:
    """Who may come in, where those that `denied` holds are refused with 403."""
    spans = (span, denied.span if not isinstance(denied, Not) else denied.condition.span)
    if isinstance(denied, Not):
        assert isinstance(denied.condition, ClientIn)
        context.modules.add("authz_host")
        return [context.line("Require", "ip", *denied.condition.networks, spans=spans)]
    assert isinstance(denied, ClientIn)
    context.modules.add("authz_host")
    lines = [context.line("Require", "all", "granted"), *(context.line("Require", "not", "ip", network, spans=spans) for network in denied.networks)]
    return [context.line("RequireAll", spans=spans, block=lines)]
