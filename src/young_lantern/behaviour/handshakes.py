"""What a client meets that asks for a host by TLS: which certificate, which versions, whether HTTP/2; and what of that differs between two estates.

Source:   RFC 8446 section 4.2.1 (versions), RFC 7301 (ALPN), RFC 6066 section 3 (the host that is asked for).
Rule:     TLS 1.0 and 1.1 are not among the versions here: the servers' own library refuses them whatever a configuration says, unless its security level is
          lowered (OpenSSL 3, probed with nginx 1.22.1 and httpd 2.4.71). Who is asked for a certificate of its own: client_certificates.py.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..model import Estate, Severity, Site, Span
from ..model.placeholders import canonical
from .choosing import choose_listener, choose_site
from .differences import Difference
from .request import Request

VERSIONS = ("TLSv1.2", "TLSv1.3")
CERTIFICATE, VERSIONS_OFFERED, HTTP2 = "certificate", "TLS versions", "HTTP/2"
_ISSUED = "issued by the server"


@dataclass(frozen=True, slots=True)
class Handshake:
    """certificates: the files of those of which one is shown; none: the server issues it. spans: the lines that say each, by what it is."""

    certificates: tuple[str, ...]
    versions: tuple[str, ...]
    http2: bool
    spans: tuple[tuple[str, Span | None], ...] = ()
    narrowed: bool = False  # the configuration itself says which versions

    def span(self, what: str) -> Span | None:
        return dict(self.spans).get(what)


def shake(estate: Estate, request: Request) -> Handshake | None:
    """What a client meets; None where no site answers, in TLS, for the host."""
    listener = choose_listener(estate, request)
    if listener is None or not listener.secure:
        return None
    site, _, _, _ = choose_site(estate, listener, request.host)
    if not isinstance(site, Site) or site.tls is None:
        return None
    tls = site.tls
    offered = tuple(version for version in VERSIONS if version in tls.protocols) if tls.protocols else VERSIONS
    first = tls.certificates[0].span if tls.certificates else tls.span
    return Handshake(
        tuple(canonical(item.chain_file) for item in tls.certificates), offered, listener.http2 if tls.http2 is None else tls.http2,
        ((CERTIFICATE, first or site.span), (VERSIONS_OFFERED, tls.protocols_span or listener.span or site.span), (HTTP2, listener.span or site.span)), tls.protocols_span is not None,
    )


def handshake_differences(before: Handshake, after: Handshake) -> Iterable[Difference]:
    """What of two handshakes differs.

    Breaking: another certificate; TLS 1.2 refused, by which older clients come, or taken again where only newer versions were let in.
    """
    if before.certificates != after.certificates:
        both = bool(before.certificates) and bool(after.certificates)
        yield Difference(CERTIFICATE, _named(before), _named(after), Severity.BREAKING if both else Severity.MINOR)
    if before.versions != after.versions:
        lost, gained = set(before.versions) - set(after.versions), set(after.versions) - set(before.versions)
        grave = not after.versions or "TLSv1.2" in lost or (bool(gained) and "TLSv1.2" in gained and before.narrowed)
        yield Difference(VERSIONS_OFFERED, _listed(before.versions), _listed(after.versions), Severity.BREAKING if grave else Severity.MINOR)
    if before.http2 != after.http2:
        yield Difference(HTTP2, *("offered" if item.http2 else "not offered" for item in (before, after)), Severity.MINOR)


def _named(made: Handshake) -> str:
    return ", ".join(made.certificates) or _ISSUED


def _listed(versions: tuple[str, ...]) -> str:
    return ", ".join(versions) or "none"
