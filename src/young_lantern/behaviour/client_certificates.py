"""What a client shows of itself by TLS, and what a site makes of it.

Rule:     a request says it in a field, `Lantern-Certificate`: `trusted`, or `unknown` for one that none of the trusted issued; without the field the
          client shows none. The field is never sent: the client of a live check shows a certificate that is made for it.
Source:   RFC 8446 section 4.4.2.4; nginx manual, ssl module (495 and 496 are answered with 400); mod_ssl, SSL_CLIENT_VERIFY.
"""

from __future__ import annotations

from ..model import ClientCertificates, Site, Step, Variable
from .request import Request

CERTIFICATE = "Lantern-Certificate"
TRUSTED, UNKNOWN = "trusted", "unknown"
# Of the certificates that the client of a live check shows: the common names, and the organization.
NAMES = {TRUSTED: "client.fernhollow.example", UNKNOWN: "stranger.fernhollow.example"}
ORGANIZATION, ISSUER = "Fernhollow Tool Library", "members.fernhollow.example"
_IN_WORDS = {TRUSTED: "(the client shows a certificate of a trusted issuer)", UNKNOWN: "(the client shows a certificate of another issuer)"}
# OpenSSL's words for one that is signed by itself.
_FAILED = "FAILED:self-signed certificate"


def asked_of(site: Site, request: Request) -> ClientCertificates | None:
    """What the site asks of the client, if the request comes by TLS."""
    return site.tls.clients if request.scheme == "https" and site.tls is not None else None


def shown(request: Request) -> str | None:
    """`trusted`, `unknown`, or None: what the client shows where it is asked."""
    value = request.field(CERTIFICATE)
    return value if value in NAMES else None


def refusal(asked: ClientCertificates, certificate: str | None) -> tuple[Step, ...] | None:
    """The steps that answer a client that is refused, none where the handshake fails; None: it is let in."""
    if certificate is None:
        return (asked.refusals[0] if asked.refusals else ()) if asked.required else None
    if certificate == UNKNOWN and asked.verified:
        return asked.refusals[1] if asked.refusals else ()
    return None


def value_of(variable: Variable, otherwise: str, site: Site, request: Request, let_in: bool) -> str:
    """What a variable of a client's certificate holds. let_in: access was granted already."""
    asked = asked_of(site, request)
    certificate = shown(request) if asked is not None else None
    if variable is Variable.CERTIFICATE:
        return otherwise if request.scheme != "https" else "NONE" if certificate is None else "SUCCESS" if certificate == TRUSTED else _failed(site, let_in)
    if certificate is None:
        return otherwise
    if variable is Variable.CERTIFICATE_FINGERPRINT:
        return "0" * 64
    name = NAMES[certificate] if variable is Variable.CERTIFICATE_SUBJECT or certificate == UNKNOWN else ISSUER
    return f"CN={name},O={ORGANIZATION}"


def _failed(site: Site, let_in: bool) -> str:
    """mod_ssl, ssl_hook_Access (2.4.71, probed): with a version before TLS 1.3 this word stands for a certificate that need not hold, once access is granted."""
    assert site.tls is not None and site.tls.clients is not None
    old = site.tls.protocols and "TLSv1.3" not in site.tls.protocols
    return "GENEROUS" if let_in and old and not site.tls.clients.refusals else _FAILED


def in_words(value: str) -> str:
    """The field, as reports show it."""
    return _IN_WORDS.get(value, f"({CERTIFICATE}: {value})")
