"""Caddy `tls` -> SiteTls. Mirror: writer/tls.py.

Source:   Caddy documentation, tls: two words are a certificate and its key; without them Caddy issues one itself.
"""

from __future__ import annotations

from ....model import Certificate, SiteTls
from .. import defaults
from ..syntax import Directive
from .context import Context

_VERSIONS = {"tls1.2": "TLSv1.2", "tls1.3": "TLSv1.3"}


def read_tls(directives: list[Directive], context: Context) -> SiteTls:
    """The `tls` directives of a site block -> SiteTls; none: issued by the server."""
    certificates, protocols, protocols_span, ciphers = [], defaults.TLS_PROTOCOLS, None, ""
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
            else:
                context.unread(directive, inner.name, "protocols or ciphers was expected")
    return SiteTls(tuple(certificates), protocols, protocols_span, ciphers, issued=not certificates,
                   span=directives[0].span if directives else None)
