"""Who may ask: `RemoteAddrValve`, `RemoteCIDRValve`, and constraints of web.xml -> Protect, redirects to TLS, refusals. Mirror: none.

Source:   Tomcat documentation, "Access Control"; Jakarta Servlet 6.0, section 13.8; RealmBase.findSecurityConstraints, hasUserDataPermission,
          AuthenticatorBase.invoke (10.1.60): of the patterns that hold for a path the best one alone decides: the whole path, the longest `/x/*`, the ending, `/`.
Unknown:  users and their roles live in Tomcat's realm: what only they may see stays closed, and is told.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from ....model import (
    ALWAYS, AddressRule, AllOf, AnyOf, Choose, ClientIn, Condition, Field, MethodIn, Not, Operation, PeerIn, PathIs, PathMatches, PathStartsWith, Pattern, Protect, Redirect, Respond, Route, Side,
    Span, Step, Template, TextIs, TextMatches, Unserved, Var, Variable)
from .. import values
from ..syntax import Element
from .context import Context
from .listeners import Door
from .load import kind_of
from .secure import Secure


def read_valve(valve: Element, context: Context, peer: bool = False) -> tuple[Step, ...]:
    """`allow` and `deny`: whoever is denied, or is not among those who are allowed, gets 403. peer: RemoteIpValve comes later, so that the proxy in front is asked for."""
    context.use(valve)
    status = context.number(valve, "denyStatus", 403)
    for name in ("invalidAuthenticationWhenDeny", "addConnectorPort"):
        if context.truth(valve, name):
            context.lose(valve.attributes[name].span, name, "what is asked of the address is something else then; the valve is read as if it were not written")
    peer = context.truth(valve, "usePeerAddress") or peer
    said = {name: held for name in ("deny", "allow") if (held := context.said(valve, name)) is not None and held.value}
    lists = {name: _networks(valve, context.filled(held.value)) for name, held in said.items()}
    known = all(found is not None for found in lists.values())
    if status == 403 and known and not peer and not ("allow" in lists and "deny" in lists and not lists["deny"]):
        rules = [AddressRule(name == "allow", found or (), valve.span) for name, found in lists.items()]
        # RequestFilterValve.isAllowed (10.1.60, probed): with `deny` alone all others come in; else nobody does who is not named.
        return (Protect((*rules, *(() if set(lists) == {"deny"} else (AddressRule(False, ("0.0.0.0/0", "::/0"), valve.span),))), valve.span),)
    if valve.get("className").endswith("RemoteCIDRValve") and not known:
        for held in said.values():
            context.unread(held, "addresses and networks, with commas between them, were expected")
        return (Unserved(valve.span.directive, valve.span),)
    kind, address = (PeerIn, Variable.PEER) if peer else (ClientIn, Variable.CLIENT)
    made: dict[str, Condition] = {
        name: kind(found, valve.span) if (found := lists[name]) is not None else TextMatches((Var(address),), context.pattern(context.filled(held.value), held.span), span=held.span)
        for name, held in said.items()}
    refused = [made["deny"]] if "deny" in made else []
    if "allow" in made or not made:
        refused.append(Not(made["allow"], valve.span) if "allow" in made else ALWAYS)
    condition = AnyOf(tuple(refused), valve.span) if len(refused) > 1 else refused[0]
    return (Choose((Route(condition, (Respond(status, raises=True, span=valve.span),), valve.span, valve.comments),), valve.span),)


_NAMES = "what clients' addresses are called is not asked"


def closed(valve: Element, context: Context, why: str = _NAMES) -> tuple[Step, ...]:
    """What a valve guards stays closed: RemoteHostValve knows whom it keeps out by their names alone, which nobody here asks for."""
    context.lose(valve.span, kind_of(valve), f"{why}; what it guards stays closed")
    return (Unserved(valve.span.directive, valve.span),)


def _networks(valve: Element, text: str) -> tuple[str, ...] | None:
    if valve.get("className").endswith("RemoteCIDRValve"):
        listed = tuple(word.strip() for word in text.split(",") if word.strip())
        return listed if all(values.is_network(word) for word in listed) else None
    return values.networks_of(text)


# --- web.xml --------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Guard:
    """One constraint for one collection. roles: who may enter; None where it asks nobody; (): nobody may. methods: those it is for, or with `omits` all others; none: all."""

    element: Element
    patterns: tuple[str, ...]
    methods: tuple[str, ...]
    omits: bool
    roles: tuple[str, ...] | None
    secure: bool

    def covers(self, method: str | None) -> bool:
        """Whether it is for a method; None: one that no constraint names."""
        return not self.methods or ((method in self.methods) != self.omits if method is not None else self.omits)


def read_constraints(descriptors: list[Element], prefix: str, secure: Secure, rewritten: bool, context: Context) -> tuple[Step, ...]:
    """The constraints of a context -> what they make of its requests. rewritten: rules may have made the path."""
    guards: list[_Guard] = []
    for descriptor in descriptors:
        for element in descriptor.all("security-constraint"):
            context.use(element)
            asked = element.first("auth-constraint")
            roles = tuple(item.text for item in asked.all("role-name")) if asked is not None else None
            data = element.first("user-data-constraint")
            by_tls = data is not None and data.said("transport-guarantee").upper() not in ("", "NONE")
            for collection in element.all("web-resource-collection"):
                omitted = tuple(item.text for item in collection.all("http-method-omission"))
                methods = tuple(item.text for item in collection.all("http-method"))
                guards.append(_Guard(element, tuple(item.text for item in collection.all("url-pattern")), methods or omitted, not methods and bool(omitted), roles, by_tls))
        for element in descriptor.all("login-config"):
            context.use(element)
            if not any(guard.roles for guard in guards):
                continue
            context.lose(element.span, f"login-config ({element.said('auth-method') or 'BASIC'})", "users and roles live in Tomcat's realm, which no other server asks; what only they may see stays closed")
    if not guards:
        return ()
    first: list[Route] = []
    last: list[Route] = []
    root: Route | None = None
    for pattern in reversed(_in_order({pattern for guard in guards for pattern in guard.patterns})):
        # RealmBase: the root's own path is what both the empty pattern and "/" say in full.
        held = [guard for guard in guards if pattern in guard.patterns or pattern == "" and "/" in guard.patterns]
        is_folder = pattern.startswith("/") and pattern.endswith("/*")
        otherwise: tuple[Step, ...] = (Choose(tuple(last), guards[0].element.span),) if is_folder and last else ()
        route = Route(_path(pattern, prefix, held[0].element.span), _for_pattern(held, otherwise, secure, rewritten, context), held[0].element.span, held[0].element.comments,
                      also=tuple(guard.element.span for guard in held[1:]))
        (last if pattern == "/" or pattern.startswith("*.") else first).insert(0, route)
        if pattern == "/":
            root = replace(route, condition=_path("", prefix, held[0].element.span))
    if root is not None and first and not any("" in guard.patterns for guard in guards):
        first.insert(0, root)
    return (Choose((*first, *last), guards[0].element.span),)


def asks_names(descriptors: list[Element]) -> bool:
    """Whether constraints ask for the name of a file, so that a folder's welcome file counts."""
    patterns = [item.text for descriptor in descriptors for element in descriptor.all("security-constraint") for item in element.walk() if item.name == "url-pattern"]
    return any(not pattern.endswith("/*") for pattern in patterns) and set(patterns) != {"/"}


def _in_order(patterns: Iterable[str]) -> list[str]:
    """The order in which patterns are looked at (RealmBase.findSecurityConstraints)."""
    def rank(pattern: str) -> tuple[int, int, str]:
        if pattern.startswith("/") and pattern.endswith("/*"):
            return 1, -len(pattern), pattern
        return (2, 0, pattern) if pattern.startswith("*.") else (3, 0, pattern) if pattern == "/" else (0, 0, pattern)
    return sorted(patterns, key=rank)


def _path(pattern: str, prefix: str, span: Span) -> Condition:
    if pattern == "/*" and not prefix or pattern == "/":
        every = PathStartsWith(prefix + "/", span=span)
        return AnyOf((PathIs(prefix, span=span), every), span) if prefix else every
    if pattern.endswith("/*") and pattern.startswith("/"):
        return AnyOf((PathIs(prefix + pattern[:-2] or "/", span=span), PathStartsWith(prefix + pattern[:-1], span=span)), span)
    if pattern.startswith("*."):
        return PathMatches(Pattern(f"^{re.escape(prefix)}/(?:.*/)?[^/]*\\.{re.escape(pattern[2:])}$"), span=span)
    root = PathIs(prefix + "/", span=span)
    # RealmBase: the empty path is the root's.
    return PathIs(prefix + pattern, span=span) if pattern else AnyOf((root, PathIs(prefix, span=span)), span) if prefix else root


def _for_pattern(guards: list[_Guard], otherwise: tuple[Step, ...], secure: Secure, rewritten: bool, context: Context) -> tuple[Step, ...]:
    """What the constraints that a pattern names do. otherwise: what is done for methods that they are not for: of a folder endings are looked at then, but no shorter folder."""
    named = sorted({method for guard in guards for method in guard.methods})
    span = guards[0].element.span
    classes: list[tuple[str | None, list[_Guard]]] = [(method, [guard for guard in guards if guard.covers(method)]) for method in [*named, None]]
    if all(held == guards for _, held in classes):
        return _effect(guards, secure, rewritten, context)
    routes = [Route(MethodIn((method,), span) if method is not None else Not(MethodIn(tuple(named), span), span), _effect(held, secure, rewritten, context), span) for method, held in classes if held]
    return (Choose((*routes, *((Route(ALWAYS, otherwise, span),) if otherwise else ())), span),)


def _effect(guards: list[_Guard], secure: Secure, rewritten: bool, context: Context) -> tuple[Step, ...]:
    span = guards[0].element.span
    # AuthenticatorBase.disableCaching (10.1.60, probed)
    steps: list[Step] = [Field(Side.RESPONSE, Operation.SET, "Cache-Control", ("private",), span=span, when=Not(MethodIn(("POST",), span), span))]
    if all(guard.secure for guard in guards):
        steps += _secured(span, secure, rewritten)
    if any(guard.roles == () for guard in guards):
        return (*steps, Respond(403, raises=True, span=span))
    if all(guard.roles for guard in guards):
        roles = ", ".join(dict.fromkeys(role for guard in guards for role in guard.roles or ()))
        context.lose(span, f"the roles {roles}", "users and roles live in Tomcat's realm; what only they may see stays closed")
        return (*steps, Unserved(f"auth-constraint ({roles})", span))
    return tuple(steps)


def _secured(span: Span, secure: Secure, rewritten: bool) -> list[Step]:
    """What has not come by TLS is sent to the port for it, or refused where there is none (RealmBase.hasUserDataPermission)."""
    target: Template = (Var(Variable.TARGET_NOW if rewritten else Variable.TARGET),)
    ways: dict[tuple[str, int | None], list[Door]] = {}
    for door in secure.doors:
        if secure.field or not door.taken_secure:
            ways.setdefault((door.name, door.redirect_port), []).append(door)
    routes: list[Route] = []
    if ways and secure.host_field:
        named = Not(TextIs((Var(Variable.FIELD, secure.host_field),), ("",), span=span), span)
        routes.append(Route(AllOf((secure.fails(span), secure.believed(span), named), span), (Unserved("hostHeader", span),), span))
    for (name, port), held in ways.items():
        condition = secure.fails(span)
        if len(ways) > 1:
            at: Condition = TextIs((Var(Variable.PORT),), tuple(str(door.port) for door in held), span=span)
            condition = AllOf((condition, at), span) if secure.field else at
        host: Template = (name,) if name else (Var(Variable.HOST_SENT),)
        does: Step = Respond(403, raises=True, span=span) if port is None else Redirect(302, ("https://", *host, *((f":{port}",) if port != 443 else ()), *target), span=span)
        routes.append(Route(condition, (does,), span))
    return [Choose(tuple(routes), span)] if routes else []
