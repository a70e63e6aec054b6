"""TLS of a site: httpd `SSL…` directives -> SiteTls. Mirror: caddy writer/tls.py by way of the model.

Source:   Apache HTTP Server manual, mod_ssl: SSLEngine, SSLCertificateFile, SSLProtocol.
Left out: client certificates: they are protections, and what they guard is not answered (access.py).
"""

from __future__ import annotations

from ....model import Certificate, SiteTls
from .context import Context, Node

_VERSIONS = ("TLSv1", "TLSv1.1", "TLSv1.2", "TLSv1.3")


def is_secure(nodes: list[Node], context: Context) -> bool:
    engine = context.last(nodes, "sslengine")
    return engine is not None and engine.args[:1] != [] and engine.args[0].lower() == "on"


def read_tls(nodes: list[Node], context: Context) -> SiteTls:
    """The certificates and protocol versions of a virtual host; the files belong together in their order."""
    chains = context.take(nodes, "sslcertificatefile")
    keys = context.take(nodes, "sslcertificatekeyfile")
    context.take(nodes, "sslcertificatechainfile")
    protocol = context.last(nodes, "sslprotocol")
    ciphers = context.last(nodes, "sslciphersuite")
    made = []
    for number, chain in enumerate(chains):
        # mod_ssl, SSLCertificateKeyFile: without one the key stands in the certificate's file.
        key = keys[number] if number < len(keys) else chain
        made.append(Certificate(chain.args[0], key.args[0], chain.span, key.span))
    return SiteTls(
        certificates=tuple(made), protocols=_protocols(protocol.args) if protocol else (), protocols_span=protocol.span if protocol else None,
        ciphers=ciphers.args[-1] if ciphers and ciphers.args else "", ciphers_span=ciphers.span if ciphers else None,
    )


def _protocols(words: list[str]) -> tuple[str, ...]:
    """`all -TLSv1 +TLSv1.3`: in order; `all` is every version that is still compiled in."""
    held: list[str] = []
    for word in words:
        sign, name = (word[0], word[1:]) if word[0] in "+-" else ("", word)
        named = _VERSIONS if name.lower() == "all" else tuple(version for version in _VERSIONS if version.lower() == name.lower())
        held = [version for version in held if version not in named] if sign == "-" else list(dict.fromkeys([*(held if sign else []), *named]))
        if not sign and words.index(word) > 0:
            held = list(dict.fromkeys([*held, *named]))
    return tuple(version for version in _VERSIONS if version in held)
