"""A site whose rules ask for the host, by one name or another -> a site for each answer: who is sent to the canonical name has a site of his own.

Rule:     what a condition on the host comes to is known for a name that is written out. Hosts that no site names go the way that most of them go: names that
          some rule would tell from the rest are told by the comparison. Where they go another way than every name, or some name is a pattern, nothing is
          done; nor where ports other than the scheme's own are part of what is captured.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from ..model import ALWAYS, AllOf, AnyOf, Capture, Choose, Condition, Estate, HostIs, HostName, Listener, Lookup, Not, PathMatches, Route, Site, Span, Step, TextIs, TextMatches, Var, Variable, join
from ..model.placeholders import is_open
from ..model.walk import transform, walk, with_steps
from ..patterns import host_matches, search
from .constants import changed_templates

_NEVER = Not(ALWAYS)
_BARE = {(Var(Variable.HOST),), (Var(Variable.HOST_SENT),)}
_WITH_PORT = {(Var(Variable.AUTHORITY),), (Var(Variable.FIELD, "Host"),), (Var(Variable.FIELD, "host"),)}
_UNKNOWN = "other-name.example"
_USUAL_PORTS = {80: False, 443: True}


def apart_by_names(estate: Estate) -> Estate:
    """The estate with such sites taken apart."""
    for site in estate.sites:
        estate = _apart(site, estate)
    return estate


def _is_written_out(name: HostName) -> bool:
    """Not where a part of it is left to deployment: nobody knows what a pattern finds in it."""
    return name.is_exact and not is_open(name.text)


def _apart(site: Site, estate: Estate) -> Estate:
    listeners = estate.listeners_of(site.key)
    if len(site.names) < 2 or not all(_is_written_out(name) for name in site.names) or not _asks_host(site.program) or _leaves_open(site.program) or _captures_further(site.program):
        return estate
    usual = all(_USUAL_PORTS.get(listener.port) is listener.secure for listener in listeners if isinstance(listener.port, int)) and all(isinstance(listener.port, int) for listener in listeners)
    groups: list[tuple[tuple[Step, ...], list[HostName]]] = []
    for name in site.names:
        program = _for_name(site.program, name.text.lower(), usual)
        found = next((names for made, names in groups if made == program), None)
        if found is None:
            groups.append((program, [name]))
        else:
            found.append(name)
    if len(groups) < 2 or any(_asks_host(program) for program, _ in groups):
        return estate
    keys = {site.key: groups[0]} | {f"{names[0].text} of {site.key}": (program, names) for program, names in groups[1:]}
    others = site.key
    if any(listener.fallback == site.key for listener in listeners):
        unknown = _for_name(site.program, _UNKNOWN, usual)
        led = next((key for key, (program, _) in keys.items() if program == unknown), None)
        if led is None:
            return estate
        others = led
    asked = dict.fromkeys(item.span for item in _host_conditions(site.program) if item.span is not None)
    made = [replace(site, key=key, names=tuple(names), program=program, also=(*site.also, *asked), comments=site.comments if key == site.key else ()) for key, (program, names) in keys.items()]
    by_name = {name: key for key, (_, names) in keys.items() for name in names}
    sites = tuple(item for held in estate.sites for item in (made if held.key == site.key else (held,)))
    return replace(estate, sites=sites, listeners=tuple(_led(listener, site.key, by_name, others) for listener in estate.listeners))


def _led(listener: Listener, key: str, by_name: dict[HostName, str], others: str) -> Listener:
    by_text = {name.text: made for name, made in by_name.items()}
    rows = tuple(replace(row, site=by_text.get(row.host.text, key)) if row.site == key else row for row in listener.rows)
    return replace(listener, rows=rows, fallback=others if listener.fallback == key else listener.fallback)


def _host_conditions(program: object) -> Iterator[HostIs | TextIs | TextMatches]:
    return (item for item in walk(program) if isinstance(item, HostIs) or isinstance(item, TextIs | TextMatches) and item.template in _BARE | _WITH_PORT)


def _asks_host(program: object) -> bool:
    return next(_host_conditions(program), None) is not None


def _leaves_open(program: object) -> bool:
    """Whether what is asked of the host is left to deployment."""
    return any(isinstance(text, str) and is_open(text) for item in _host_conditions(program) for part in walk(item)
               for text in (*getattr(part, "values", ()), getattr(part, "text", "")))


def _captures_further(program: tuple[Step, ...]) -> bool:
    """Whether what a pattern finds in the host may be asked for where that is not known: by name, or by number where another pattern, or none, comes between."""
    patterns = [item.pattern for item in _host_conditions(program) if isinstance(item, TextMatches)]
    if any("(?<" in re.sub(r"\(\?<[=!]", "", pattern.text) or "(?P<" in pattern.text for pattern in patterns):
        return True
    if not any("(" in re.sub(r"\(\?", "", pattern.text) for pattern in patterns if not pattern.label):
        return False

    def loose(value: object) -> bool:
        if isinstance(value, Route):
            asked = value.condition
            if isinstance(asked, TextMatches) and asked.template in _BARE | _WITH_PORT:
                return any(isinstance(item, TextMatches | PathMatches | Lookup) for item in walk(value.steps)) and any(map(_by_number, walk(value.steps)))
            if any(isinstance(item, TextMatches | PathMatches) for item in walk(asked)):
                return False
        if _by_number(value):
            return True
        if isinstance(value, tuple):
            return any(map(loose, value))
        return dataclasses.is_dataclass(value) and not isinstance(value, Span) and any(loose(getattr(value, field.name)) for field in dataclasses.fields(value))

    return loose(program)


def _by_number(value: object) -> bool:
    return isinstance(value, Capture) and isinstance(value.group, int) and not value.pattern


def _for_name(program: tuple[Step, ...], name: str, usual: bool) -> tuple[Step, ...]:
    """The program for requests by one name. usual: the port is no part of the Host field."""
    groups: dict[str, tuple[str, ...]] = {}

    def with_groups(value: Any) -> Any:
        return _captured(value, name, usual) if isinstance(value, Route) else value

    def decide(value: Any) -> Any:
        if isinstance(value, HostIs):
            return ALWAYS if any(host_matches(item, name, value.one_label) for item in value.names) else _NEVER
        if isinstance(value, TextIs | TextMatches) and (value.template in _BARE or value.template in _WITH_PORT and usual):
            if isinstance(value, TextIs):
                seen = name.lower() if value.ignores_case else name
                return ALWAYS if seen in [item.lower() if value.ignores_case else item for item in value.values] else _NEVER
            found = search(value.pattern, name)
            if found is not None and value.pattern.label:
                groups[value.pattern.label] = (found[0], *(group or "" for group in found.groups()))
            return ALWAYS if found is not None else _NEVER
        if isinstance(value, Not | AllOf | AnyOf):
            return _simple(value)
        return replace(value, routes=_reached(value.routes)) if isinstance(value, Choose) else value

    def put(value: Any) -> Any:
        if isinstance(value, Capture) and value.pattern in groups and isinstance(value.group, int):
            held = groups[value.pattern]
            return held[value.group] if value.group < len(held) else ""
        return value

    made = transform(transform(program, with_groups), decide)
    made = transform(transform(made, put) if groups else made, _merged)
    return with_steps(made, lambda step: [] if isinstance(step, Choose) and not step.routes else [step])


def _merged(value: Any) -> Any:
    """Words that were put in are part of the text that they stand in."""
    def put(template: Any) -> Any:
        pair = isinstance(template, tuple) and any(isinstance(one, str) and isinstance(other, str) for one, other in zip(template, template[1:], strict=False))
        return join(*template) if pair else template

    made = changed_templates(value, put)
    return replace(value, **made) if made else value


def _captured(route: Route, name: str, usual: bool) -> Route:
    """A route with what a pattern without a label captures of the host put in, where no other pattern comes between (nginx)."""
    asked = route.condition
    if not isinstance(asked, TextMatches) or asked.template not in (_BARE | _WITH_PORT if usual else _BARE) or asked.pattern.label:
        return route
    found = search(asked.pattern, name)
    if found is None or any(isinstance(item, TextMatches | PathMatches | Lookup) for item in walk(route.steps)):
        return route
    held = (found[0], *(group or "" for group in found.groups()))
    return replace(route, steps=transform(route.steps, lambda value: (held[value.group] if value.group < len(held) else "") if isinstance(value, Capture) and not value.pattern and isinstance(value.group, int) else value))


def _simple(value: Not | AllOf | AnyOf) -> Condition:
    if isinstance(value, Not):
        return _NEVER if value.condition == ALWAYS else ALWAYS if value.condition == _NEVER else value
    nothing, all_ = (ALWAYS, _NEVER) if isinstance(value, AllOf) else (_NEVER, ALWAYS)
    left = tuple(item for item in value.conditions if item != nothing)
    if all_ in left:
        return all_
    return nothing if not left else left[0] if len(left) == 1 else replace(value, conditions=left)


def _reached(routes: tuple[Route, ...]) -> tuple[Route, ...]:
    made: list[Route] = []
    for route in routes:
        if route.condition != _NEVER:
            made.append(route)
        if route.condition == ALWAYS:
            break
    return tuple(made)
