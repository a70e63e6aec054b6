"""TLS of a site: nginx `ssl_*` directives -> SiteTls. Mirror: caddy writer/tls.py by way of the model.

Source:   nginx manual, ssl module. A certificate and its key are matched by their order.
Left out: stapling, sessions, client certificates: rows of the catalogue say what becomes of them.
"""

from __future__ import annotations

from ....model import Certificate, SiteTls
from .. import defaults
from .context import Context, Scope


def read_tls(scope: Scope, context: Context) -> SiteTls:
    """The certificates and protocol versions of a server block that answers on a TLS listener."""
    chains = [context.use(directive) for directive in scope.inherited("ssl_certificate")]
    keys = [context.use(directive) for directive in scope.inherited("ssl_certificate_key")]
    protocols = context.used(scope, "ssl_protocols")
    ciphers = context.used(scope, "ssl_ciphers")
    return SiteTls(
        certificates=tuple(
            Certificate(chain.args[0], key.args[0], chain.span, key.span) for chain, key in zip(chains, keys, strict=False)
        ),
        protocols=tuple(protocols.args) if protocols else defaults.TLS_PROTOCOLS,
        protocols_span=protocols.span if protocols else None,
        ciphers=ciphers.args[0] if ciphers else "",
        ciphers_span=ciphers.span if ciphers else None,
    )
