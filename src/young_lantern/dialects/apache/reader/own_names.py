"""httpd `UseCanonicalName`, `UseCanonicalPhysicalPort`, and scheme and port of `ServerName` -> what a site calls itself in redirects, and in variables.

Source:   Apache HTTP Server manual, core, "UseCanonicalName", "ServerName"; core.c, ap_get_server_name, ap_get_server_port, ap_construct_url (2.4.71, probed).
Rule:     Off: the client's name, and the port that it sent, or else the port of `ServerName`. On: the name of `ServerName`, and its port; without one none, with
          `UseCanonicalPhysicalPort` the one that the connection came to. The scheme of `ServerName`, which says what a proxy in front speaks, counts for both,
          and for REQUEST_SCHEME, but not for HTTPS. A port is not named where it is the scheme's.
Unknown:  `UseCanonicalName DNS`; names that the machine would have to be asked for.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from ....model import ALWAYS, Folders, Gateway, Listener, LocationMapping, Lookup, Not, Redirect, SchemeIs, Site, Template, Var, Variable, join
from ....model.walk import transform, with_part
from .. import values
from .context import Context, Node

_SERVER_NAME = re.compile(r"(?:(https?)://)?(.*?)(?::(\d+|\$\{\w+\}|\{\{.*?\}\}))?")
_USUAL = {"http": "80", "https": "443"}
_SCHEME, _OF_CONNECTION = Var(Variable.SCHEME), Var(Variable.SCHEME, "connection")
_NAMES = ("usecanonicalname", "usecanonicalphysicalport")


@dataclass(frozen=True, slots=True)
class _Own:
    """scheme, host, port: "" where they are the client's; port None: none is named. server_port: what SERVER_PORT is; "": the connection's."""

    scheme: str
    host: Template
    port: str | None
    server_port: str

    def front(self) -> Template:
        if not self.host and self.port == "":
            return join(self.scheme or (_SCHEME,), "://", (Var(Variable.AUTHORITY),))
        return join(self.scheme or (_SCHEME,), "://", self.host or (Var(Variable.HOST),), f":{self.port}" if self.port else "")


def with_own_names(site: Site, own: list[Node], around: list[Node], listeners: Sequence[Listener], context: Context) -> Site:
    """The site with these put in. own: its directives; around: those of the main server, for a virtual host."""
    for node in _in_sections([*around, *own]):
        if [word.lower() for word in node.args] != ["off"]:
            context.value(node, " ".join(node.args), "it was expected outside of sections: redirects of some places with the server's own name are not read")
    named = context.last(own, "servername")
    found = _SERVER_NAME.fullmatch(named.args[0]) if named is not None and named.args else None
    scheme, name, port = found.groups("") if found else ("", "", "")
    canonical, physical = (context.last([*around, *own], line) for line in _NAMES)
    by_name = _word(canonical) == "on"
    if canonical is not None and (_word(canonical) == "dns" or by_name and not name):
        context.value(canonical, " ".join(canonical.args), "Off, or On and a ServerName, was expected: what name the machine has is not known here")
        return site
    called = {_port(by_name, _word(physical) == "on", scheme, port, listener) for listener in listeners}
    if len(called) > 1:
        at = canonical if by_name else named
        if at is not None:
            context.value(at, " ".join(at.args), "one way to name the port was expected: redirects name another port for each that is listened on")
        return site
    is_own = _Own(scheme, values.read_template(name, by=values.TEXT) if by_name else (), *(called.pop() if called else ("", "")))
    plain = not is_own.scheme and not is_own.host and is_own.port == "" and not is_own.server_port
    return site if plain else replace(site, program=_program(site.program, is_own))


def _word(node: Node | None) -> str:
    return node.args[0].lower() if node is not None and node.args else ""


def _in_sections(nodes: list[Node]) -> list[Node]:
    return [inner for node in nodes if node.block is not None and node.name != "<virtualhost" for inner in (*(item for item in node.block if item.name in _NAMES), *_in_sections(node.block))]


def _port(by_name: bool, physical: bool, scheme: str, port: str, listener: Listener) -> tuple[str | None, str]:
    """The port that redirects name at a listener, and that SERVER_PORT is; "": the one that the client sent; None: none."""
    connection, at = "https" if listener.secure else "http", str(listener.port)
    usual = _USUAL[scheme or connection]
    if not by_name and at != _USUAL[connection]:
        return "", ""  # every client sends it (RFC 9110 section 7.2)
    # ap_get_server_port: by name the port of the connection comes last.
    is_port = (port or (at if physical else "") if by_name else (at if physical else "") or port) or usual
    return is_port if is_port != usual else None if by_name else "", "" if is_port == at else is_port


def _program(program: tuple[Any, ...], own: _Own) -> tuple[Any, ...]:
    front = own.front()
    if own.scheme:
        program = transform(program, lambda item: replace(item, subject=(_OF_CONNECTION,)) if isinstance(item, Lookup) and item.name == "over_tls" else item)
        program = with_part(program, _SCHEME, (own.scheme,))
        program = with_part(program, _OF_CONNECTION, (_SCHEME,))
    if own.server_port:
        program = with_part(program, Var(Variable.PORT), (own.server_port,))
    if own.host:
        program = with_part(program, Var(Variable.HOST), own.host)
    return transform(program, lambda item: _named(item, own, front))


def _named(item: Any, own: _Own, front: Template) -> Any:
    match item:
        case Redirect(absolute=True):
            return replace(item, absolute=front)
        case Folders(location_absolute=True):
            return replace(item, location_absolute=front)
        case LocationMapping():
            # proxy_util.c, ap_proxy_location_reverse_map: ap_construct_url makes these, too.
            rest = _behind_front(item.replacement, own)
            return item if rest is None else replace(item, replacement=join(front, rest))
        case Gateway():
            said = ((("REQUEST_SCHEME", (own.scheme,)),) if own.scheme else ()) + ((("SERVER_PORT", (own.server_port,)),) if own.server_port else ())
            return replace(item, parameters=(*said, *item.parameters)) if said else item
        case SchemeIs() if own.scheme and not (item.span is not None and item.span.directive.lower().startswith("sslrequiressl")):
            return ALWAYS if item.scheme == own.scheme else Not(ALWAYS, item.span)
    return item


def _behind_front(replacement: Template, own: _Own) -> Template | None:
    """What follows scheme and authority of the request, which begin it; None: something else does."""
    at = next((number for number, part in enumerate(replacement) if part == Var(Variable.AUTHORITY)), None)
    if at is None or join(*replacement[:at]) != join(own.scheme or (_SCHEME,), "://"):
        return None
    return replacement[at + 1:]
