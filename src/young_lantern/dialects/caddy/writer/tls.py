"""SiteTls -> Caddy `tls`. Mirror: reader/tls.py.

Rule:     without a `tls` line Caddy offers TLS 1.2 and 1.3; older versions it has not.
"""

from __future__ import annotations

from ....codes import CERTIFICATE_FILES, CHAIN_LENGTH, CIPHERS_DEFAULT, TLS_PROTOCOLS_CHANGED
from ....model import ClientCertificates, Disposition, SiteTls
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
    block += _clients(tls.clients, context)
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


_MODES = {(True, True): "require_and_verify", (False, True): "verify_if_given", (True, False): "require", (False, False): "request"}


def _clients(clients: ClientCertificates | None, context: Context) -> list[Node]:
    """What is asked of clients."""
    if clients is None:
        return []
    spans = tuple(span for span in (clients.span, clients.trusted_span) if span)
    lines = [Node(["mode", _MODES[clients.required, clients.verified]], None, spans)]
    lines += [Node(["trusted_ca_cert_file", quote(file)], None, spans) for file in clients.trusted]
    if clients.depth is not None and clients.verified:
        context.note(clients.depth_span or clients.span, Disposition.CHANGED, CHAIN_LENGTH, depth=clients.depth)
    if clients.revoked:
        context.lost(clients.revoked_span or clients.span, "the list of revoked certificates", "Caddy looks up no such list: clients whose certificates were revoked are let in", "issue certificates that end soon, or keep the list elsewhere")
    return [Node(["client_auth"], lines, spans)]
