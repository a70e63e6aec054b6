"""Hands shaken with both servers for each host: which certificate they show, which versions they take, whether they offer HTTP/2.

Source:   RFC 8446 section 4.2.1, RFC 7301, RFC 6066 section 3.
"""

from __future__ import annotations

import socket
import ssl
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from ..behaviour import Request
from ..behaviour.client_certificates import TRUSTED
from ..behaviour.handshakes import CERTIFICATE, HTTP2, VERSIONS, VERSIONS_OFFERED, Handshake
from .answers import SECONDS
from .certificates import SiteCertificates
from .client import tls_context
from .judge import Difference

_VERSIONS = {"TLSv1.2": ssl.TLSVersion.TLSv1_2, "TLSv1.3": ssl.TLSVersion.TLSv1_3}


@dataclass(frozen=True)
class HandshakeRow:
    """One host asked for by TLS, at both servers.

    foretold: what the model says of each
    defects:  (server, what) where a server does otherwise: a defect of this package
    between:  what of the two servers' differs
    """

    request: Request
    foretold: tuple[Handshake, Handshake]
    met: tuple[Handshake, Handshake]
    defects: tuple[tuple[str, Difference], ...]
    between: tuple[Difference, ...]


def shake_hands(request: Request, address: str, port: int, known: SiteCertificates, clients: Mapping[str, tuple[Path, Path]]) -> Handshake:
    """What a server shows and takes; clients: what a client may show of itself, by behaviour/client_certificates.py."""
    versions, shown, http2 = [], "", False
    for version in VERSIONS:
        context = tls_context(clients.get(TRUSTED), "h2", "http/1.1")
        context.minimum_version = context.maximum_version = _VERSIONS[version]
        try:
            with socket.create_connection((address, port), timeout=SECONDS) as plain, context.wrap_socket(plain, server_hostname=request.host.strip("[]")) as secure:
                versions.append(version)
                shown, http2 = known.name_of(secure.getpeercert(True) or b""), secure.selected_alpn_protocol() == "h2"
        except OSError:
            continue
    return Handshake((shown,) if shown else (), tuple(versions), http2)


def otherwise(foretold: Handshake, met: Handshake) -> list[Difference]:
    """Where a server does otherwise than foretold; of several certificates one is shown."""
    made = [] if foretold.versions == met.versions else [Difference(VERSIONS_OFFERED, *(", ".join(item.versions) or "none" for item in (foretold, met)))]
    if not met.versions:
        return made
    if foretold.http2 != met.http2:
        made.append(Difference(HTTP2, *("offered" if item.http2 else "not offered" for item in (foretold, met))))
    if met.certificates != foretold.certificates and not set(met.certificates) & set(foretold.certificates):
        made.append(Difference(CERTIFICATE, *(", ".join(item.certificates) or "of the server's own" for item in (foretold, met))))
    return made
