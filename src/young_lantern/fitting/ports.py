"""Rules on the port that a request came to -> rules on the scheme, where that says the port; else one site for each port.

For:      targets whose rules cannot ask for the port (Caddy 2.6.2, probed: `{http.request.port}` is what the Host field names).
Left out: ports that are left to deployment: nobody knows yet which of them a rule is for.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..model import ALWAYS, Condition, Estate, Listener, Lookup, LookupRow, MethodIn, SchemeIs, Site, TextIs, TextMatches, Var, Variable, join
from ..model.walk import transform, walk
from ..patterns import problem, search
from .constants import changed_templates, of_part

_PORT = Var(Variable.PORT)


def without_ports(estate: Estate) -> Estate:
    """The estate without rules on the port, where all ports are known."""
    listeners = list(estate.listeners)
    sites: list[Site] = []
    for site in estate.sites:
        held = estate.listeners_of(site.key)
        if len({listener.port for listener in held}) < 2 or not all(isinstance(listener.port, int) for listener in held) or not any(item == _PORT for item in walk(site.program)):
            sites.append(site)
            continue
        by_scheme = {scheme: {str(listener.port) for listener in held if listener.secure == secure} for scheme, secure in (("http", False), ("https", True))}
        if all(len(ports) == 1 for ports in by_scheme.values()):
            sites.append(replace(site, program=_by_scheme(site, {scheme: ports.pop() for scheme, ports in by_scheme.items()})))
            continue
        for port in dict.fromkeys(listener.port for listener in held):
            sites.append(replace(site, key=f"{site.key} on port {port}"))
            listeners = [_led(listener, site.key, sites[-1].key) if listener.port == port else listener for listener in listeners]
    return estate if sites == list(estate.sites) else replace(estate, sites=tuple(sites), listeners=tuple(listeners))


def _led(listener: Listener, before: str, after: str) -> Listener:
    """A listener that leads to one site in the place of another."""
    rows = tuple(replace(row, site=after) if row.site == before else row for row in listener.rows)
    return replace(listener, rows=rows, fallback=after if listener.fallback == before else listener.fallback)


def _by_scheme(site: Site, ports: dict[str, str]) -> tuple[Any, ...]:
    """A site's program with what is said of the port as what is said of the scheme."""
    def put(template: Any) -> Any:
        return join(*(_of_scheme(part, ports) for part in template)) if isinstance(template, tuple) and any(item == _PORT for item in walk(template)) else template

    def change(value: Any) -> Any:
        if isinstance(value, TextIs | TextMatches) and value.template == (_PORT,) and not (isinstance(value, TextMatches) and problem(value.pattern)):
            return _asked(value, [scheme for scheme, port in ports.items() if _holds(value, port)])
        made = changed_templates(value, put)
        return replace(value, **made) if made else value

    return transform(site.program, change)


def _of_scheme(part: Any, ports: dict[str, str]) -> Any:
    """A part of a template, as a table of schemes if it differs by them."""
    made = {scheme: join(of_part(part, {Variable.PORT: port})) for scheme, port in ports.items()}
    if len(set(made.values())) == 1:
        return next(iter(made.values()))
    name, span = (part.name, part.span) if isinstance(part, Lookup) else ("listen_port", None)
    return Lookup(name, (Var(Variable.SCHEME),), tuple(LookupRow(scheme, result) for scheme, result in made.items()), ignores_case=False, span=span)


def _holds(value: TextIs | TextMatches, port: str) -> bool:
    return search(value.pattern, port) is not None if isinstance(value, TextMatches) else port in value.values


def _asked(value: TextIs | TextMatches, schemes: list[str]) -> Condition:
    if len(schemes) == 1:
        return SchemeIs(schemes[0], value.span)
    return ALWAYS if schemes else MethodIn((), value.span)
