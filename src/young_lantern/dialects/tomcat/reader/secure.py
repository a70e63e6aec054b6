"""What is taken to have come by TLS: by its port, and by the word of a proxy that is believed. Used by: access.py, conditions.py, fields.py, rule_levels.py. Mirror: none.

Source:   Tomcat documentation, "The HTTP Connector" (`secure`), "Remote IP Valve" (`protocolHeader`); CoyoteAdapter.postParseRequest, RemoteIpValve.invoke (10.1.60, probed).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....model import ALWAYS, AllOf, AnyOf, Condition, Not, PeerIn, Pattern, SchemeIs, Span, Template, TextIs, TextMatches, Var, Variable
from .listeners import Door


@dataclass(frozen=True)
class Secure:
    """field: of the request, in which a proxy says the scheme, where somebody is believed; value: what says that it was TLS; networks: the proxies that are believed
    host_field: in which they say what host was asked for."""

    doors: list[Door] = field(default_factory=list)
    field: str = ""
    value: str = "https"
    networks: tuple[str, ...] = ()
    host_field: str = ""

    def holds(self, span: Span) -> Condition:
        """A request is secure."""
        if not self.field:
            return self._by_port(span, True)
        said = AllOf((self.believed(span), self._says(span)), span)
        return said if self._never(True) else AnyOf((said, AllOf((self._by_port(span, True), self._silent(span)), span)), span)

    def fails(self, span: Span) -> Condition:
        """A request is none."""
        if not self.field:
            return self._by_port(span, False)
        plain = Not(self._says(span), span)
        if self._never(True):
            return AnyOf((Not(self.believed(span), span), plain), span)
        said = AllOf((self.believed(span), Not(self._is_silent(span), span), plain), span)
        return said if self._never(False) else AnyOf((said, AllOf((self._by_port(span, False), self._silent(span)), span)), span)

    def believed(self, span: Span) -> Condition:
        """Who is at the other end of the connection is a proxy whose word counts."""
        return PeerIn(self.networks, span)

    def _template(self) -> Template:
        return (Var(Variable.FIELD, self.field),)

    def _says(self, span: Span) -> Condition:
        value = re.escape(self.value)
        return TextMatches(self._template(), Pattern(rf"^{value}(?:\s*,\s*{value})*$", ignores_case=True), span=span)

    def _is_silent(self, span: Span) -> Condition:
        return TextIs(self._template(), ("",), span=span)

    def _silent(self, span: Span) -> Condition:
        return AnyOf((Not(self.believed(span), span), self._is_silent(span)), span)

    def _never(self, secure: bool) -> bool:
        return all(door.taken_secure != secure for door in self.doors)

    def _by_port(self, span: Span, secure: bool) -> Condition:
        if all(door.taken_secure == door.secure for door in self.doors):
            return SchemeIs("https" if secure else "http", span)
        if self._never(secure):
            return Not(ALWAYS, span)
        ports = tuple(str(door.port) for door in self.doors if door.taken_secure == secure)
        return ALWAYS if self._never(not secure) else TextIs((Var(Variable.PORT),), ports, span=span)

    @property
    def plain(self) -> bool:
        """Whether the connection alone says it."""
        return not self.field and all(door.taken_secure == door.secure for door in self.doors)
