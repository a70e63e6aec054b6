"""TLS of a site: nginx `ssl_*` directives -> SiteTls. Mirror: caddy writer/tls.py by way of the model.

Source:   nginx manual, ssl module. A certificate and its key are matched by their order.
          Of clients' certificates: optional_no_ca lets one in that nobody vouches for; without one, or with a bad one, the answer is an error of its own.
Left out: stapling, sessions: rows of the catalogue say what becomes of them.
"""

from __future__ import annotations

from collections.abc import Callable

from ....model import Certificate, ClientCertificates, Respond, SiteTls, Span, Step
from .. import defaults
from .context import Context, Scope


# (required, verified)
_ASKS = {"on": (True, True), "optional": (False, True), "optional_no_ca": (False, False)}


def read_clients(scope: Scope, context: Context, settings: Callable[[Scope], tuple[Step, ...]]) -> ClientCertificates | None:
    """What is asked of clients. settings: the steps for fields and pages of errors that are in force at a scope."""
    asks = context.used(scope, "ssl_verify_client")
    trusted, depth, revoked, more = (context.used(scope, name) if asks else None for name in ("ssl_client_certificate", "ssl_verify_depth", "ssl_crl", "ssl_trusted_certificate"))
    if asks is None or asks.args[0] not in _ASKS:
        if asks is not None and asks.args[0] != "off":
            context.unread(asks, asks.args[0], "on, off, optional or optional_no_ca was expected")
        return None
    required, verified = _ASKS[asks.args[0]]
    here = settings(scope)
    # 496 and 495 are nginx's own numbers for them, by which error_page finds a page; clients get 400.
    refusals = tuple((*here, Respond(status, raises=True, span=asks.span)) for status in (496, 495))
    return ClientCertificates(
        required, verified, tuple(directive.args[0] for directive in (trusted, more) if directive), int(depth.args[0]) if depth and depth.args[0].isdigit() else defaults.VERIFY_DEPTH,
        revoked.args[0] if revoked else "", refusals, asks.span, trusted.span if trusted else None, depth.span if depth else None, revoked.span if revoked else None,
    )


def read_versions(scope: Scope, context: Context) -> tuple[tuple[str, ...], Span | None]:
    """The versions that a server block names, and the line."""
    protocols = context.used(scope, "ssl_protocols")
    return (tuple(protocols.args), protocols.span) if protocols else (defaults.TLS_PROTOCOLS, None)


def read_tls(scope: Scope, context: Context, clients: ClientCertificates | None = None) -> SiteTls:
    """The certificates and protocol versions of a server block that answers on a TLS listener."""
    chains = [context.use(directive) for directive in scope.inherited("ssl_certificate")]
    keys = [context.use(directive) for directive in scope.inherited("ssl_certificate_key")]
    protocols, protocols_span = read_versions(scope, context)
    http2 = context.used(scope, "http2")
    ciphers = context.used(scope, "ssl_ciphers")
    return SiteTls(
        certificates=tuple(
            Certificate(chain.args[0], key.args[0], chain.span, key.span) for chain, key in zip(chains, keys, strict=False)
        ),
        protocols=protocols,
        protocols_span=protocols_span,
        http2=http2.args == ["on"] if http2 else None,
        ciphers=ciphers.args[0] if ciphers else "",
        ciphers_span=ciphers.span if ciphers else None,
        clients=clients,
    )
