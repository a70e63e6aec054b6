"""What is known of a client's certificate, in the words of the target.

Rule:     nginx and httpd have a verdict: NONE, SUCCESS, FAILED. Caddy has the certificate's fingerprint, or none (2.6.2, probed). Where no certificate is let in
          that is not verified, one says as much as the other; elsewhere the verdict is left as it is, and cannot be written for Caddy.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ..model import ALWAYS, Capture, Choose, Condition, Estate, Lookup, LookupRow, Not, Pattern, Respond, Route, Site, TextIs, TextMatches, Var, Variable
from ..model.walk import transform
from ..patterns import search

_VERDICT, _FINGERPRINT = Var(Variable.CERTIFICATE), Var(Variable.CERTIFICATE_FINGERPRINT)
_SOME = "0" * 64
_IS_SHOWN = TextMatches((_FINGERPRINT,), Pattern("^[0-9a-f]"))
# What stands for the verdict in a text.
_TABLE = Lookup("client_verify", (_FINGERPRINT,), (LookupRow(Pattern("^[0-9a-f]"), ("SUCCESS",)),), ("NONE",))
# Of whoever shows none, Caddy would send the placeholder itself.
_NAMED = {variable: Lookup(f"client_{name}", (Var(variable),), (LookupRow(Pattern("^(.+)$"), (Capture(1),)),), ()) for name, variable in
          (("subject", Variable.CERTIFICATE_SUBJECT), ("issuer", Variable.CERTIFICATE_ISSUER))}


def with_certificates(estate: Estate, target: str) -> Estate:
    """The estate with what the target can ask of certificates."""
    if estate.dialect != "caddy" and not any(site.tls is not None and site.tls.clients is not None for site in estate.sites):
        return estate
    change = _for_caddy if target == "caddy" else _for_others
    made = (replace(site, program=transform(site.program, change(site))) for site in estate.sites)
    return replace(estate, sites=tuple(made if target == "caddy" else map(_asking, made)))


def _asking(site: Site) -> Site:
    """A certificate that must be shown, but is not verified: whoever shows none is refused by a rule, for nginx and httpd have no such way to ask."""
    clients = site.tls.clients if site.tls is not None else None
    if site.tls is None or clients is None or clients.verified or not clients.required:
        return site
    refusal = Choose((Route(TextIs((_VERDICT,), ("NONE",)), (Respond(403, raises=True, span=clients.span),), clients.span),), clients.span)
    return replace(site, program=(refusal, *site.program), tls=replace(site.tls, clients=replace(clients, required=False)))


def _for_caddy(site: Site) -> Callable[[Any], Any]:
    clients = site.tls.clients if site.tls is not None else None
    if clients is None or not clients.verified:
        return lambda value: value

    def change(value: Any) -> Any:
        if isinstance(value, Var) and value.variable is Variable.CERTIFICATE:
            return _TABLE
        if isinstance(value, Var) and not clients.required and (table := _NAMED.get(value.variable)) is not None:
            return table
        if isinstance(value, TextIs | TextMatches) and value.template == (_TABLE,):
            return _either(_holds(value, "SUCCESS"), _holds(value, "NONE"), replace(_IS_SHOWN, span=value.span))
        return value

    return change


def _for_others(site: Site) -> Callable[[Any], Any]:
    def change(value: Any) -> Any:
        if isinstance(value, TextIs | TextMatches) and value.template == (_FINGERPRINT,):
            return _either(_holds(value, _SOME), _holds(value, ""), Not(TextIs((_VERDICT,), ("NONE", "")), value.span))
        if isinstance(value, Lookup) and value.subject == (_FINGERPRINT,):
            shown, none = (next((row.result for row in value.rows if _fits(row.value, text)), value.fallback) for text in (_SOME, ""))
            return replace(value, subject=(_VERDICT,), rows=(LookupRow("NONE", none),), fallback=shown)
        return value

    return change


def _fits(wanted: str | Pattern, text: str) -> bool:
    return search(wanted, text) is not None if isinstance(wanted, Pattern) else wanted == text


def _holds(condition: TextIs | TextMatches, text: str) -> bool:
    return text in condition.values if isinstance(condition, TextIs) else search(condition.pattern, text) is not None


def _either(shown: bool, none: bool, is_shown: Condition) -> Condition:
    """The condition that holds as said for those who show a certificate, and for those who do not."""
    if shown == none:
        return ALWAYS if shown else Not(ALWAYS)
    return is_shown if shown else Not(is_shown)
