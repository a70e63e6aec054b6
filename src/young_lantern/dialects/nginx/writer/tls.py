"""SiteTls -> nginx `ssl_*`. Mirror: reader/tls.py.

Rule:     nginx issues no certificates: a site that had its server issue one gets files to be put there.
"""

from __future__ import annotations

from ....codes import CERTIFICATE_FILES, CERTIFICATE_TO_ISSUE, CIPHERS_DEFAULT
from ....model import ClientCertificates, Disposition, SiteTls
from .. import defaults
from ..values import quote
from .context import Context
from .output import Node


def write_tls(tls: SiteTls, name: str, context: Context) -> list[Node]:
    """The certificates and protocol versions of a site; `name`: what its files are called if there are none yet."""
    nodes: list[Node] = []
    for certificate in tls.certificates:
        context.note(certificate.key_span or certificate.span, Disposition.KEPT, CERTIFICATE_FILES, file=certificate.key_file)
        nodes.append(Node(["ssl_certificate", quote(certificate.chain_file)], None, _spans(certificate.span)))
        nodes.append(Node(["ssl_certificate_key", quote(certificate.key_file)], None, _spans(certificate.key_span or certificate.span)))
    if not tls.certificates:
        chain, key = f"/etc/ssl/{name}/fullchain.pem", f"/etc/ssl/{name}/privkey.pem"
        span = tls.span or (context.site.span if context.site else None)
        context.note(span, Disposition.MANUAL, CERTIFICATE_TO_ISSUE, name=name, chain=chain, key=key)
        why = ("The server issued this certificate by itself; put one here, and see to its renewal.",)
        nodes += [Node(["ssl_certificate", chain], None, _spans(tls.span), why), Node(["ssl_certificate_key", key], None, _spans(tls.span))]
    if tls.protocols:
        nodes.append(Node(["ssl_protocols", *tls.protocols], None, _spans(tls.protocols_span)))
    if tls.ciphers:
        if context.estate.dialect in ("nginx", "apache"):
            nodes.append(Node(["ssl_ciphers", quote(tls.ciphers)], None, _spans(tls.ciphers_span)))
        else:
            context.note(tls.ciphers_span, Disposition.CHANGED, CIPHERS_DEFAULT)
    return [*nodes, *_clients(tls.clients, context)]


def _clients(clients: ClientCertificates | None, context: Context) -> list[Node]:
    """What is asked of clients."""
    if clients is None:
        return []
    asks = "on" if clients.required else "optional" if clients.verified else "optional_no_ca"
    nodes = [Node(["ssl_verify_client", asks], None, _spans(clients.span))]
    if clients.trusted:
        nodes.append(Node(["ssl_client_certificate", quote(clients.trusted[0])], None, _spans(clients.trusted_span or clients.span)))
        for more in clients.trusted[1:]:
            context.lost(clients.trusted_span or clients.span, more, f"nginx takes one file; put what is in {more} into it, too")
    if clients.depth != defaults.VERIFY_DEPTH and clients.verified:
        why = () if clients.depth is not None else ("No limit was set; nginx would take one issuer only.",)
        nodes.append(Node(["ssl_verify_depth", str(9 if clients.depth is None else clients.depth)], None, _spans(clients.depth_span), why))
    if clients.revoked:
        nodes.append(Node(["ssl_crl", quote(clients.revoked)], None, _spans(clients.revoked_span)))
    return nodes


def _spans(span: object) -> tuple:  # type: ignore[type-arg]
    return (span,) if span else ()
