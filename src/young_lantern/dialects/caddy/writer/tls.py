"""SiteTls -> Caddy `tls`. Mirror: reader/tls.py.

Rule:     without a `tls` line Caddy offers TLS 1.2 and 1.3; older versions it has not.
"""

from __future__ import annotations

from ....codes import CERTIFICATE_FILES, CIPHERS_DEFAULT, TLS_PROTOCOLS_CHANGED
from ....model import Disposition, SiteTls
from ..values import quote
from .context import Context
from .output import Node

_VERSIONS = {"TLSv1.2": "tls1.2", "TLSv1.3": "tls1.3"}


def write_tls(tls: SiteTls, context: Context) -> list[Node]:
    known = [_VERSIONS[name] for name in ("TLSv1.2", "TLSv1.3") if name in tls.protocols]
    block: list[Node] = []
    if tls.protocols and set(tls.protocols) - set(_VERSIONS) or not known:
        if tls.protocols_span:
            context.note(tls.protocols_span, Disposition.CHANGED, TLS_PROTOCOLS_CHANGED, before=", ".join(tls.protocols), after="TLSv1.2, TLSv1.3")
    elif len(known) == 1 and tls.protocols_span:
        block = [Node(["protocols", known[0], known[0]], None, (tls.protocols_span,))]
    else:
        context.implied(tls.protocols_span, "Caddy offers TLS 1.2 and 1.3 by itself")
    if tls.ciphers_span:
        context.note(tls.ciphers_span, Disposition.CHANGED, CIPHERS_DEFAULT)
    if not tls.certificates:
        return [Node(["tls"], block, setting=True)] if block else []
    nodes = []
    for number, certificate in enumerate(tls.certificates):
        spans = tuple(span for span in (certificate.span, certificate.key_span) if span)
        context.note(certificate.key_span or certificate.span, Disposition.KEPT, CERTIFICATE_FILES, file=certificate.key_file)
        nodes.append(Node(["tls", quote(certificate.chain_file), quote(certificate.key_file)], (block or None) if not number else None, spans, setting=True))
    return nodes
