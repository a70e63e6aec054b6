"""SiteTls -> `SSLEngine`, `SSLCertificateFile`, `SSLProtocol`. Mirror: reader/tls.py.

Rule:     httpd issues no certificates without mod_md: a site that had its server issue one gets files to be put there.
"""

from __future__ import annotations

from ....codes import CERTIFICATE_FILES, CERTIFICATE_TO_ISSUE, CIPHERS_DEFAULT
from ....model import ClientCertificates, Disposition, SiteTls
from ..values import quote
from .context import Context
from .output import Node


def write_tls(tls: SiteTls, name: str, http2: bool, context: Context) -> list[Node]:
    """The certificates and protocol versions of a site; `name`: what its files are called if there are none yet."""
    nodes = [context.line("SSLEngine", "On", spans=(tls.span,))]
    for certificate in tls.certificates:
        context.note(certificate.key_span or certificate.span, Disposition.KEPT, CERTIFICATE_FILES, file=certificate.key_file)
        nodes.append(context.line("SSLCertificateFile", quote(certificate.chain_file), spans=(certificate.span,)))
        nodes.append(context.line("SSLCertificateKeyFile", quote(certificate.key_file), spans=(certificate.key_span or certificate.span,)))
    if not tls.certificates:
        chain, key = f"/etc/ssl/{name}/fullchain.pem", f"/etc/ssl/{name}/privkey.pem"
        context.note(tls.span or (context.site.span if context.site else None), Disposition.MANUAL, CERTIFICATE_TO_ISSUE, name=name, chain=chain, key=key)
        why = ("The server issued this certificate by itself; put one here, and see to its renewal.",)
        nodes += [context.line("SSLCertificateFile", chain, spans=(tls.span,), comments=why), context.line("SSLCertificateKeyFile", key, spans=(tls.span,))]
    if tls.protocols:
        nodes.append(context.line("SSLProtocol", *(f"+{version}" if number else f"-all +{version}" for number, version in enumerate(tls.protocols)), spans=(tls.protocols_span,)))
    if tls.ciphers and context.estate.dialect in ("nginx", "apache"):
        nodes.append(context.line("SSLCipherSuite", quote(tls.ciphers), spans=(tls.ciphers_span,)))
    elif tls.ciphers:
        context.note(tls.ciphers_span, Disposition.CHANGED, CIPHERS_DEFAULT)
    nodes += _clients(tls.clients, context)
    if http2:
        context.modules.add("http2")
        nodes.append(context.line("Protocols", "h2", "http/1.1"))
    context.modules |= {"ssl", "socache_shmcb"}
    return nodes


def _clients(clients: ClientCertificates | None, context: Context) -> list[Node]:
    """What is asked of clients."""
    if clients is None:
        return []
    asks = "require" if clients.required else "optional" if clients.verified else "optional_no_ca"
    nodes = [context.line("SSLVerifyClient", asks, spans=(clients.span,))]
    if clients.trusted:
        nodes.append(context.line("SSLCACertificateFile", quote(clients.trusted[0]), spans=(clients.trusted_span or clients.span,)))
        for more in clients.trusted[1:]:
            context.lost(clients.trusted_span or clients.span, more, f"httpd takes one file; put what is in {more} into it, too")
    if clients.depth != 1 and clients.verified:
        why = () if clients.depth is not None else ("No limit was set; httpd would take one issuer only.",)
        nodes.append(context.line("SSLVerifyDepth", str(9 if clients.depth is None else clients.depth), spans=(clients.depth_span,), comments=why))
    if clients.revoked:
        nodes += [context.line("SSLCARevocationFile", quote(clients.revoked), spans=(clients.revoked_span,)), context.line("SSLCARevocationCheck", "chain", spans=(clients.revoked_span,))]
    return nodes
