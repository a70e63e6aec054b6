"""Throw-away certificates: for loopback servers, which need one to start and whose client does not check it, and for clients."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from pathlib import Path

from ..behaviour.client_certificates import ISSUER, NAMES, ORGANIZATION, TRUSTED
from ..model import Estate


class SiteCertificates:
    """A certificate of our own for each one that the sites of some estates show, so that a client can tell which it was shown.

    files: (file as configured, the file here), for certificates and their keys
    """

    def __init__(self, folder: Path, estates: Iterable[Estate]) -> None:
        self.files: dict[str, Path] = {}
        self._names: dict[bytes, str] = {}
        hosts: dict[tuple[str, str], list[str]] = {}
        for estate in estates:
            rows = [(row.host, row.site) for listener in estate.listeners for row in listener.rows]
            for site in estate.sites:
                for item in site.tls.certificates if site.tls else ():
                    hosts.setdefault((item.chain_file, item.key_file), []).extend(host.text for host, key in rows if key == site.key and not host.text.endswith(".*") and host.pattern is None)
        for number, ((chain, key), names) in enumerate(hosts.items()):
            if chain in self.files:
                continue  # with another key, which fits one of the two at the most
            # Several certificates may have one key: each must go on with it.
            made = make_certificate(folder / str(number), names, self.files.get(key))
            self.files |= {chain: made[0]} if key in self.files or key == chain else {chain: made[0], key: made[1]}
            self._names[_der(made[0])] = chain

    def name_of(self, der: bytes) -> str:
        """The configured name of a certificate that was shown; "" for one that is none of these."""
        return self._names.get(der, "")


def _der(chain: Path) -> bytes:
    from cryptography import x509
    from cryptography.hazmat.primitives.serialization import Encoding

    return x509.load_pem_x509_certificate(chain.read_bytes()).public_bytes(Encoding.DER)


def make_certificate(folder: Path, names: list[str], key_of: Path | None = None) -> tuple[Path, Path]:
    """Writes chain.pem, which holds the key as well, and key.pem for the names, valid for two days; gives their paths. key_of: the file of a key that it is for."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1()) if key_of is None else serialization.load_pem_private_key(key_of.read_bytes(), None)
    assert isinstance(key, ec.EllipticCurvePrivateKey)
    now = datetime.datetime.now(datetime.UTC)
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "loopback.example")])
    usable = [name for name in dict.fromkeys([*names, "loopback.example"]) if name.isascii() and " " not in name and "*" not in name.lstrip("*")]
    certificate = (
        x509.CertificateBuilder().subject_name(subject).issuer_name(subject).public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=1)).not_valid_after(now + datetime.timedelta(days=2))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(name) for name in usable]), critical=False)
        .sign(key, hashes.SHA256())
    )
    folder.mkdir(parents=True, exist_ok=True)
    chain, key_file = folder / "chain.pem", folder / "key.pem"
    secret = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    chain.write_bytes(certificate.public_bytes(serialization.Encoding.PEM) + secret)
    key_file.write_bytes(secret)
    for file in (chain, key_file):
        file.chmod(0o600)
    return chain, key_file


def make_client_certificates(folder: Path) -> tuple[Path, dict[str, tuple[Path, Path]]]:
    """Writes the certificate of an issuer, one that it issued to a client, and one that nobody vouches for.

    Returns the issuer's file, and the files of each client's certificate and key by what the client shows.
    """
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    folder.mkdir(parents=True, exist_ok=True)
    now = datetime.datetime.now(datetime.UTC)
    issuer_key = ec.generate_private_key(ec.SECP256R1())

    def named(name: str) -> x509.Name:
        return x509.Name([x509.NameAttribute(NameOID.ORGANIZATION_NAME, ORGANIZATION), x509.NameAttribute(NameOID.COMMON_NAME, name)])

    def write(name: str, key: ec.EllipticCurvePrivateKey, issuer: str, by: ec.EllipticCurvePrivateKey, issues: bool) -> tuple[Path, Path]:
        certificate = (
            x509.CertificateBuilder().subject_name(named(name)).issuer_name(named(issuer)).public_key(key.public_key()).serial_number(x509.random_serial_number())
            .not_valid_before(now - datetime.timedelta(days=1)).not_valid_after(now + datetime.timedelta(days=2))
            .add_extension(x509.BasicConstraints(ca=issues, path_length=None), critical=True).sign(by, hashes.SHA256())
        )
        chain, key_file = folder / f"{name}.pem", folder / f"{name}.key"
        chain.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
        key_file.write_bytes(key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()))
        return chain, key_file

    issuer, _ = write(ISSUER, issuer_key, ISSUER, issuer_key, True)
    keys = {shows: ec.generate_private_key(ec.SECP256R1()) for shows in NAMES}
    made = {shows: write(name, keys[shows], *((ISSUER, issuer_key) if shows == TRUSTED else (name, keys[shows])), False) for shows, name in NAMES.items()}
    return issuer, made
