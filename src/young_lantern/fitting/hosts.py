"""Names of sites that the target has no way to write -> a name with a star that holds them, or the site of last resort, and conditions on the host there.

Rule:     names without a pattern come first in every server, so that what is left for the others is just what reaches the site of last
          resort. A pattern that ends in the labels of a domain is held by a star in front of these.
Left out: listeners with TLS where sites that would be one have different certificates: which one is shown is chosen before any rule is asked.
          What reaches a site of last resort by the order of the file alone is 404 where a star holds it: nobody meant it to be there.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import (
    Abort, AnswerPlainly, Capture, Choose, Estate, HostName, HostRow, Listener, Pattern, Respond, Route, Site, Step, TextMatches, Var, Variable,
)
from ..model.walk import transform

_GROUPS = re.compile(r"\(\?P?<([A-Za-z_]\w*)>")
# The end of a pattern that is some labels of a domain.
_DOMAIN = re.compile(r"((?:\\\.[a-z0-9-]+){2,})\$", re.IGNORECASE)


def with_hosts_inside(estate: Estate, says: Callable[[HostName], bool]) -> Estate:
    """The estate with rows only that the target can say. says: whether it can say this name."""
    sites = {site.key: site for site in estate.sites}
    listeners: list[Listener] = []
    for listener in estate.listeners:
        stars: dict[str, list[HostRow]] = {}
        for row in listener.rows:
            if not says(row.host):
                stars.setdefault(_star(row.host, listener), []).append(row)
        for star, rows in stars.items():
            made = _site(listener, star, rows, sites)
            if made is None:
                continue
            sites[made.key] = made
            left = tuple(row for row in listener.rows if row not in rows)
            if star:
                listener = replace(listener, rows=(*left, HostRow(made.names[0], made.key)))
            else:
                listener = replace(listener, rows=left, fallback=made.key, fallback_stated=True)
        listeners.append(listener)
    if listeners == list(estate.listeners):
        return estate
    led, before = _led(listeners), _led(estate.listeners)
    held = {row.host for listener in listeners for row in listener.rows}
    kept = (site for site in sites.values() if site.key in led or site.key not in before)
    return replace(estate, listeners=tuple(listeners), sites=tuple(_with_names(site, tuple(name for name in site.names if name in held or says(name))) for site in kept))


def _led(listeners: list[Listener] | tuple[Listener, ...]) -> set[str]:
    """The sites that listeners lead to."""
    return {key for listener in listeners for key in (listener.fallback, *(row.site for row in listener.rows)) if isinstance(key, str)}


def _star(host: HostName, listener: Listener) -> str:
    """The name with a star that holds all that a pattern does; "" if there is none, or it is taken."""
    found = _DOMAIN.search(host.pattern.text) if host.pattern else None
    name = "*" + found[1].replace("\\", "").lower() if found and "|" not in re.sub(r"\([^()]*\)", "", host.pattern.text if host.pattern else "") else ""
    return "" if any(row.host.text == name for row in listener.rows) else name


def _site(listener: Listener, star: str, rows: list[HostRow], sites: dict[str, Site]) -> Site | None:
    """The site that answers for some rows; star: its name, "" for that of last resort."""
    other = sites[listener.fallback] if isinstance(listener.fallback, str) else None
    chosen = [sites[row.site] for row in rows]
    together = chosen if star or other is None else [*chosen, other]
    if listener.secure and len({site.tls and replace(site.tls, span=None) for site in together}) > 1:
        return None
    routes = tuple(Route(_asks(row.host), _without_others(row.host, sites[row.site]), sites[row.site].span, sites[row.site].comments, also=sites[row.site].also) for row in rows)
    like = chosen[0] if star or other is None else other
    names = (HostName(star, span=rows[0].host.span),) if star else ()
    program = (Choose(routes), *(_by_order(listener) if star and other is not None and not listener.fallback_stated else _else(listener, other)))
    key = f"{star or 'other names'} on port {listener.port}"
    return replace(like, key=key, names=names, program=program, comments=like.comments if star or other else ())


def _with_names(site: Site, names: tuple[HostName, ...]) -> Site:
    if names == site.names:
        return site
    # By its other names none of their captures is there.
    program = site.program if any(name.pattern for name in names) else _without_others(HostName(""), site)
    return replace(site, names=names, program=program)


def _asks(host: HostName) -> TextMatches:
    pattern = host.pattern or Pattern(f"^{re.escape(host.text[:-1])}.+$" if host.text.endswith(".*") else f"^.+{re.escape(host.text[1:])}$")
    return TextMatches((Var(Variable.HOST),), replace(pattern, ignores_case=True), span=host.span)


def _without_others(host: HostName, site: Site) -> tuple[Step, ...]:
    """The program for one of a site's names: what another name's pattern would have captured is nothing."""
    own = set(_GROUPS.findall(host.pattern.text)) if host.pattern else set()
    others = {group for name in site.names if name.pattern for group in _GROUPS.findall(name.pattern.text)} - own
    if not others:
        return site.program
    return transform(site.program, lambda value: "" if isinstance(value, Capture) and value.group in others and not value.pattern else value)


def _by_order(listener: Listener) -> tuple[Step, ...]:
    return (Respond(404, raises=True, span=listener.span),)


def _else(listener: Listener, other: Site | None) -> tuple[Step, ...]:
    if other is not None:
        return other.program
    if isinstance(listener.fallback, AnswerPlainly):
        return (Respond(listener.fallback.status, span=listener.span),)
    return (Abort(listener.span),)
