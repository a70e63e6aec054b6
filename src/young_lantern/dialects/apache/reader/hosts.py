"""httpd `Order`, `Allow`, `Deny`, `Satisfy` -> who is let in by address, beside what `Require` says. Mirror: writer/access.py.

Source:   Apache HTTP Server manual, mod_access_compat.
Rule:     a section with any of these lines hides all of them that sections around say: the module merges nothing. They are asked beside
          Require, whichever section says that: both must hold, with `Satisfy Any` one of them, and lines that refuse nobody let in
          everybody then, without a password (all 2.4.71, probed).
Unknown:  names of hosts, which the server asks the name service for: `Unserved`.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, replace

from ....model import ALWAYS, AddressRule, AllOf, AnyOf, Choose, ClientIn, Condition, Not, Protect, Respond, Route, Span, Step, Unserved
from . import environment
from .context import Context, Node
from .limited import ALL, LIMITS, read_by_methods
from .places import NEVER

_LINES = ("order", "allow", "deny", "satisfy")


@dataclass(frozen=True, slots=True)
class Hosts:
    """What one section says of who is let in.

    allowed: who is; ALWAYS for everybody
    refusal: the same as steps that end with 403 for all others
    any:     whoever is need not say who he is, and whoever is not may
    """

    allowed: Condition
    refusal: tuple[Step, ...]
    any: bool
    span: Span
    satisfy: Span


def has_hosts(nodes: list[Node]) -> bool:
    return any(node.name in _LINES or node.name in LIMITS and has_hosts(node.block or []) for node in nodes)


def only_hosts(nodes: list[Node]) -> list[Node]:
    """The lines that are read here; those in <Limit> stay in it."""
    return _filtered(nodes, True)


def without_hosts(nodes: list[Node]) -> list[Node]:
    """All other lines."""
    return _filtered(nodes, False)


def _filtered(nodes: list[Node], wanted: bool) -> list[Node]:
    made = []
    for node in nodes:
        if node.name in LIMITS:
            inner = _filtered(node.block or [], wanted)
            made += [replace(node, block=inner)] if inner else []
        elif (node.name in _LINES) == wanted:
            made.append(node)
    return made


def satisfies_any(nodes: list[Node]) -> bool:
    return any(node.name == "satisfy" and [word.lower() for word in node.args] == ["any"] or satisfies_any(node.block or []) for node in only_hosts(nodes))


def read_hosts(nodes: list[Node], required: tuple[Step, ...], context: Context) -> tuple[Step, ...]:
    """The lines of one section -> steps that end with 403 for whoever is not let in; required: what is asked of all that come so far."""
    by_methods = read_by_methods(nodes, context, lambda lines: read_hosts(lines, required, context))
    if by_methods is not None:
        return by_methods
    if not nodes:
        return required
    found = _read(nodes, context)
    if isinstance(found, Unserved):
        return (found,)
    if not found.any:
        return (*found.refusal, *required)
    if found.allowed is ALWAYS or not required:
        return ()
    return required if found.allowed == NEVER else (Choose((Route(found.allowed, (), found.span), Route(ALWAYS, required, found.satisfy)), found.satisfy),)


def _read(nodes: list[Node], context: Context) -> Hosts | Unserved:
    """The lines without those in <Limit>. `Order allow,deny` lets in who is allowed and not denied; `Order deny,allow`
    (silence) whoever is not denied, or allowed; `Order mutual-failure` is another word for the former."""
    lines = context.take(nodes, *_LINES)
    span = lines[0].span
    said = {name: [line for line in lines if line.name == name] for name in _LINES}
    order = "".join(said["order"][-1].args).lower() if said["order"] else "deny,allow"
    satisfy = said["satisfy"][-1].args[0].lower() if said["satisfy"] and said["satisfy"][-1].args else "all"
    sides: list[Condition] = []
    networks: list[tuple[str, ...]] = []
    for name in ("allow", "deny"):
        addresses: list[str] = []
        parts: list[Condition] = []
        for line in said[name]:
            for word in line.args[1:]:
                if _is_address(word):
                    addresses += ALL if word.lower() == "all" else networks_of([word])
                    continue
                held = _set(word, line, context)
                if held is None:
                    return Unserved(line.span.directive, line.span)
                parts.append(held)
        if addresses:
            parts.insert(0, ALWAYS if ALL[0] in addresses else ClientIn(tuple(addresses), said[name][0].span))
        sides.append(ALWAYS if ALWAYS in parts else NEVER if not parts else parts[0] if len(parts) == 1 else AnyOf(tuple(parts), span))
        networks.append(tuple(addresses) if all(isinstance(part, ClientIn) or part is ALWAYS for part in parts) else ("",))
    allowed, denied = sides
    strict = order in ("allow,deny", "mutual-failure")
    held = _both(allowed, _negated(denied), span) if strict else _either(allowed, _negated(denied), span)
    return Hosts(held, _refusal(held, networks, strict, span), satisfy == "any", span, said["satisfy"][-1].span if said["satisfy"] else span)


def _refusal(allowed: Condition, networks: list[tuple[str, ...]], strict: bool, span: Span) -> tuple[Step, ...]:
    """Addresses as rules, the first of which that holds decides; anything else as a condition."""
    if allowed is ALWAYS:
        return ()
    if allowed == NEVER or ("",) in networks:
        refused = Respond(403, raises=True, span=span)
        return (refused,) if allowed == NEVER else (Choose((Route(_negated(allowed), (refused,), span),), span),)
    lets_in, keeps_out = AddressRule(True, networks[0], span), AddressRule(False, networks[1], span)
    rules = [rule for rule in ((keeps_out, lets_in) if strict else (lets_in, keeps_out)) if rule.networks]
    if strict:
        rules.append(AddressRule(False, ALL, span))
    return (Protect(tuple(rules), span),)


def _set(word: str, line: Node, context: Context) -> Condition | None:
    """`env=NAME` and `env=!NAME`; None for what is not read."""
    kind, _, name = word.partition("=")
    if kind.lower() != "env" or not name:
        return None
    absent, name = name.startswith("!"), name.removeprefix("!")
    if name not in context.environment:
        return None
    empty = environment.is_unset(name, line.span, context)
    return empty if absent else Not(empty, line.span)


def _negated(held: Condition) -> Condition:
    return NEVER if held is ALWAYS else ALWAYS if held == NEVER else held.condition if isinstance(held, Not) else Not(held)


def _both(one: Condition, other: Condition, span: Span) -> Condition:
    if NEVER in (one, other):
        return NEVER
    return other if one is ALWAYS else one if other is ALWAYS else AllOf((one, other), span)


def _either(one: Condition, other: Condition, span: Span) -> Condition:
    if ALWAYS in (one, other):
        return ALWAYS
    return other if one == NEVER else one if other == NEVER else AnyOf((one, other), span)


def networks_of(words: list[str]) -> tuple[str, ...]:
    """`10.1`, `10.1.0.0/16`, `10.1.0.0/255.255.0.0` and whole addresses -> CIDR texts."""
    made = []
    for word in words:
        address, slash, mask = word.partition("/")
        parts = address.split(".")
        if ":" not in address and len(parts) < 4:
            address, mask = ".".join([*filter(None, parts), *["0"] * (4 - len([*filter(None, parts)]))]), mask or str(8 * len([*filter(None, parts)]))
        try:
            made.append(str(ipaddress.ip_network(f"{address}/{mask}" if mask else address, strict=False)))
        except ValueError:
            made.append(word)
    return tuple(made)


def _is_address(word: str) -> bool:
    return word.lower() == "all" or all(sign in "0123456789abcdefABCDEF.:/" for sign in word)
