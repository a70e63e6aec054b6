"""TLS of a site: httpd `SSL…` directives -> SiteTls. Mirror: caddy writer/tls.py by way of the model.

Source:   Apache HTTP Server manual, mod_ssl: SSLEngine, SSLCertificateFile, SSLProtocol.
          Of clients' certificates: what the host asks in the handshake. What sections ask is a protection that is not read (program.py): with TLS 1.3 a client
          would have to agree to be asked later (RFC 8446 section 4.6.2), which no browser does.
"""

from __future__ import annotations

from ....model import Certificate, ClientCertificates, SiteTls
from .context import Context, Node

_VERSIONS = ("TLSv1", "TLSv1.1", "TLSv1.2", "TLSv1.3")


def is_secure(nodes: list[Node], context: Context) -> bool:
    engine = context.last(nodes, "sslengine")
    return engine is not None and engine.args[:1] != [] and engine.args[0].lower() == "on"


def read_tls(nodes: list[Node], context: Context) -> SiteTls:
    """The certificates and protocol versions of a virtual host; the files belong together in their order."""
    chains, keys = (_with_files(context.take(nodes, name), context) for name in ("sslcertificatefile", "sslcertificatekeyfile"))
    context.take(nodes, "sslcertificatechainfile")
    protocol = context.last(nodes, "sslprotocol")
    ciphers = context.last(nodes, "sslciphersuite")
    made = []
    for number, chain in enumerate(chains):
        # mod_ssl, SSLCertificateKeyFile: without one the key stands in the certificate's file.
        key = keys[number] if number < len(keys) else chain
        made.append(Certificate(chain.args[0], key.args[0], chain.span, key.span))
    return SiteTls(
        http2=offers_http2(nodes, context), certificates=tuple(made), protocols=_protocols(protocol.args) if protocol else (), protocols_span=protocol.span if protocol else None,
        ciphers=ciphers.args[-1] if ciphers and ciphers.args else "", ciphers_span=ciphers.span if ciphers else None,
        clients=_clients(nodes, context),
    )


def _with_files(nodes: list[Node], context: Context) -> list[Node]:
    """Those of the lines that name a file; the others are told."""
    for node in nodes:
        if not node.args:
            context.value(node, "", "the name of a file was expected")
    return [node for node in nodes if node.args]


def offers_http2(nodes: list[Node], context: Context) -> bool:
    """core, Protocols: HTTP/1.1 alone, unless more is said; what no module speaks is passed over."""
    offers = context.last(nodes, "protocols")
    return offers is not None and context.has("http2") and "h2" in [word.lower() for word in offers.args]


# mod_ssl, SSLVerifyClient: (required, verified). SSLVerifyDepth is 1 if it is not written.
_ASKS = {"require": (True, True), "optional": (False, True), "optional_no_ca": (False, False)}
_DEPTH = 1
CLIENT_LINES = ("sslverifyclient", "sslverifydepth", "sslcacertificatefile", "sslcarevocationfile", "sslcarevocationcheck")


def reads_clients(nodes: list[Node]) -> bool:
    """Whether what a host asks of its clients is read: who is trusted must be said by a file, where certificates are verified."""
    said = {node.name: node.args[0].lower() for node in nodes if node.name in ("sslverifyclient", "sslcacertificatefile") and node.args}
    word = said.get("sslverifyclient", "none")
    return word == "none" or word in _ASKS and (not _ASKS[word][1] or "sslcacertificatefile" in said)


def _clients(nodes: list[Node], context: Context) -> ClientCertificates | None:
    asks = context.last(nodes, "sslverifyclient")
    if asks is None:
        return None
    trusted, depth, revoked = (context.last(nodes, name) for name in ("sslcacertificatefile", "sslverifydepth", "sslcarevocationfile"))
    checks = context.last(nodes, "sslcarevocationcheck")
    word = asks.args[0].lower() if asks.args else ""
    if word not in _ASKS:
        if word != "none":
            context.value(asks, word, "none, optional, require or optional_no_ca was expected")
        return None
    required, verified = _ASKS[word]
    number = depth.args[0] if depth and depth.args and depth.args[0].isdigit() else ""
    # mod_ssl, SSLCARevocationCheck: without it the list is looked up for nobody.
    checked = revoked is not None and bool(revoked.args) and checks is not None and bool(checks.args) and checks.args[0].lower() != "none"
    return ClientCertificates(
        required, verified, (trusted.args[0],) if trusted and trusted.args else (), int(number) if number else _DEPTH, revoked.args[0] if checked and revoked else "",
        (), asks.span, trusted.span if trusted else None, depth.span if depth else None, revoked.span if revoked else None,
    )


def _protocols(words: list[str]) -> tuple[str, ...]:
    """`all -TLSv1 +TLSv1.3`: in order; `all` is every version that is still compiled in."""
    held: list[str] = []
    for word in words:
        sign, name = (word[:1], word[1:]) if word[:1] in ("+", "-") else ("", word)
        named = _VERSIONS if name.lower() == "all" else tuple(version for version in _VERSIONS if version.lower() == name.lower())
        held = [version for version in held if version not in named] if sign == "-" else list(dict.fromkeys([*(held if sign else []), *named]))
        if not sign and words.index(word) > 0:
            held = list(dict.fromkeys([*held, *named]))
    return tuple(version for version in _VERSIONS if version in held)
