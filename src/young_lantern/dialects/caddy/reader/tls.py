"""Caddy `tls` -> SiteTls. Mirror: writer/tls.py.

Source:   Caddy documentation, tls: two words are a certificate and its key; without them Caddy issues one itself.
"""

from __future__ import annotations

from ....model import Certificate, ClientCertificates, SiteTls
from .. import defaults
from ..syntax import Directive
from .context import Context

_VERSIONS = {"tls1.2": "TLSv1.2", "tls1.3": "TLSv1.3"}


def read_tls(directives: list[Directive], context: Context) -> SiteTls:
    """The `tls` directives of a site block -> SiteTls; none: issued by the server."""
    certificates, protocols, protocols_span, ciphers, clients = [], defaults.TLS_PROTOCOLS, None, "", None
    for directive in directives:
        context.use(directive)
        if len(directive.args) == 2:
            certificates.append(Certificate(directive.args[0], directive.args[1], directive.span, directive.span))
        for inner in directive.block or []:
            if inner.name == "protocols" and inner.args and all(word in _VERSIONS for word in inner.args):
                known = list(_VERSIONS)
                low, high = known.index(inner.args[0]), known.index(inner.args[-1] if len(inner.args) > 1 else known[-1])
                protocols, protocols_span = tuple(_VERSIONS[name] for name in known[low:high + 1]), directive.span
            elif inner.name == "ciphers":
                ciphers = " ".join(inner.args)
            elif inner.name == "client_auth":
                clients = _clients(inner, directive, context)
            else:
                context.unread(directive, inner.name, "protocols, ciphers or client_auth was expected")
    return SiteTls(tuple(certificates), protocols, protocols_span, ciphers, issued=not certificates, clients=clients,
                   span=directives[0].span if directives else None)


# Caddy documentation, tls, client_auth: (required, verified).
_ASKS = {"request": (False, False), "require": (True, False), "verify_if_given": (False, True), "require_and_verify": (True, True)}


def _clients(block: Directive, directive: Directive, context: Context) -> ClientCertificates | None:
    lines = block.block or []
    modes = [line.args[0] for line in lines if line.name == "mode" and line.args]
    trusted = [line for line in lines if line.name == "trusted_ca_cert_file" and line.args]
    others = [line.name for line in lines if line.name not in ("mode", "trusted_ca_cert_file")]
    # connpolicy.go (2.6.2, probed): without a mode who is trusted says it.
    mode = modes[-1] if modes else "require_and_verify" if trusted or others else "require"
    if others or mode not in _ASKS:
        context.unread(directive, (others or [mode])[0], "client_auth with mode and trusted_ca_cert_file was expected")
        return None
    return ClientCertificates(*_ASKS[mode], tuple(line.args[0] for line in trusted), span=directive.span)


def unread_clients(directives: list[Directive], tls: SiteTls | None) -> Directive | None:
    """The line that asks clients for certificates in a way that is not read: what it guards must not be left open."""
    asked = next((inner for directive in directives for inner in directive.block or [] if inner.name == "client_auth"), None)
    return asked if tls is None or tls.clients is None else None
