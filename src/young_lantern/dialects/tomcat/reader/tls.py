"""Tomcat `SSLHostConfig`, `Certificate`, `UpgradeProtocol` -> what a port shows for each name. Mirror: none.

Source:   Tomcat documentation, "The HTTP Connector", "SSL Support - SSLHostConfig", "- Certificate". The name is looked up whole, then with a star in the place of
          its first label, then as the default.
Unknown:  a key store is told: its certificate and key are to be exported, since no other server reads it.
"""

from __future__ import annotations

from ....model import Certificate, ClientCertificates, SiteTls, Span
from ..syntax import Element
from .context import Context

_VERSIONS = ("TLSv1", "TLSv1.1", "TLSv1.2", "TLSv1.3")
_DEFAULT = "_default_"
# certificateVerification: (required, verified).
_ASKS = {"required": (True, True), "optional": (False, True), "optionalnoca": (False, False)}
_DEPTH = 10


def offers_http2(connector: Element, context: Context) -> bool:
    """Whether a port has the upgrade to HTTP/2."""
    found = False
    for upgrade in connector.all("UpgradeProtocol"):
        context.use(upgrade)
        if context.value(upgrade, "className").endswith("http2.Http2Protocol"):
            found = True
        else:
            context.lose(upgrade.span, "UpgradeProtocol", "a class of another protocol is named")
    return found


def read_tls(connector: Element, context: Context) -> list[tuple[str, SiteTls]]:
    """(name, what is shown for it) in the order in which they are looked at."""
    fallback = context.value(connector, "defaultSSLHostConfigName", _DEFAULT).lower()
    made: dict[str, SiteTls] = {}
    for config in connector.all("SSLHostConfig"):
        context.use(config)
        made[context.value(config, "hostName", _DEFAULT).lower()] = _one(config, context)
    order = sorted(made, key=lambda name: (name == fallback, name.startswith("*.")))
    return [("*" if name == fallback else name, made[name]) for name in order]


def shown_for(name: str, held: list[tuple[str, SiteTls]]) -> SiteTls | None:
    """What a port shows for a host's name."""
    exact = dict(held)
    return exact.get(name.lower()) or exact.get("*." + name.lower().partition(".")[2]) or exact.get("*")


def _one(config: Element, context: Context) -> SiteTls:
    certificates = tuple(made for element in config.all("Certificate") if (made := _certificate(element, context)) is not None)
    protocols = context.said(config, "protocols") or context.said(config, "sslProtocol")
    ciphers = context.said(config, "ciphers")
    context.said(config, "honorCipherOrder")
    return SiteTls(
        certificates, _protocols(context.filled(protocols.value)) if protocols else (), protocols.span if protocols else None,
        context.filled(ciphers.value).replace(",", ":").replace(" ", "") if ciphers else "", ciphers.span if ciphers else None, clients=_clients(config, context), span=config.span)


def _certificate(element: Element, context: Context) -> Certificate | None:
    context.use(element)
    store = context.said(element, "certificateKeystoreFile")
    chain, key = context.said(element, "certificateFile"), context.said(element, "certificateKeyFile")
    if chain is None:
        if store is not None:
            context.lose(store.span, f"the key store {store.value}", "no other server reads it: export its certificates and its key to PEM files, and name those in the new configuration")
        return None
    if context.said(element, "certificateChainFile") is not None:
        context.lose(element.attributes["certificateChainFile"].span, "a chain in a file of its own", "put it behind the certificate, into one file")
    where, key_file = context.path(chain.value), context.path(key.value) if key is not None else context.path(chain.value)
    return Certificate(where, key_file, chain.span, key.span if key is not None else chain.span)


def _protocols(text: str) -> tuple[str, ...]:
    """`TLSv1.2+TLSv1.3`, `all,-TLSv1`: parts are added, or taken away, in order."""
    held: list[str] = []
    for word in text.replace(",", " ").replace("+", " +").replace("-", " -").split():
        sign, name = (word[0], word[1:]) if word[0] in "+-" else ("+", word)
        named = ("TLSv1.2", "TLSv1.3") if name.lower() in ("all", "tls") else tuple(version for version in _VERSIONS if version.lower() == name.lower())
        held = [version for version in held if version not in named] if sign == "-" else [*held, *named]
    return tuple(version for version in _VERSIONS if version in held)


def _clients(config: Element, context: Context) -> ClientCertificates | None:
    asks = context.said(config, "certificateVerification")
    trusted, depth = context.said(config, "caCertificateFile"), context.said(config, "certificateVerificationDepth")
    word = context.filled(asks.value).lower() if asks is not None else "none"
    if word == "none" or asks is None:
        return None
    if word not in _ASKS:
        context.unread(asks, "none, optional, optionalNoCA or required was expected")
        return None
    number: int | None = context.number(config, "certificateVerificationDepth", _DEPTH)
    spans: list[Span | None] = [held.span if held is not None else None for held in (trusted, depth)]
    return ClientCertificates(*_ASKS[word], (context.path(trusted.value),) if trusted is not None else (), number, "", (), asks.span, spans[0], spans[1])
