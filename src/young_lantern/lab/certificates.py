"""A throw-away certificate for loopback servers. The client does not check it; the servers need one to start."""

from __future__ import annotations

import datetime
from pathlib import Path


def make_certificate(folder: Path, names: list[str]) -> tuple[Path, Path]:
    """Writes chain.pem and key.pem for the names, valid for two days; gives their paths."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1())
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
    chain.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    key_file.write_bytes(key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()))
    key_file.chmod(0o600)
    return chain, key_file
