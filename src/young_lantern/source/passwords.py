"""Files of users and password hashes, as httpd's and nginx's manuals describe them: one `name:hash` a line.

Rule:     a hash is read to be carried to a dialect that keeps it in the configuration; it is shown in no report.
"""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

LIMIT_BYTES = 1024 * 1024
# What copies on loopback let everybody in by who is known, in the place of the passwords that nobody here knows. bcrypt: all servers read it.
PASSWORD = "lantern"
PASSWORD_HASH = "$2b$04$YDYI9Wn/3tr7hAI.Ai.MV.ESggha87j5byI56p8SMzetxCjkFcvqm"


def proof_hash(name: str, realm: str) -> str:
    """What a server knows of the same password for credentials by digest (RFC 7616 section 3.4.2, MD5)."""
    return hashlib.md5(f"{name}:{realm}:{PASSWORD}".encode(), usedforsecurity=False).hexdigest()


# As crypt(5) writes them, as LDAP and httpd do, bcrypt's in base64, and what follows a name that begins a line.
_HASH = re.compile(r"\$(?:\d\w?|apr1|y|gy|argon2\w*)\$[^\s\"'`]{8,}|\{S?SHA\}[\w+/=]+|\bJDJ[\w+/]{40,}={0,2}")


def without_hashes(text: str) -> str:
    """A text for readers: what can be known for the hash of a password is left out."""
    return _HASH.sub("(hash)", text)


def without_users(name: str, text: str) -> str:
    """The same of a file that was written: one of users (`users/…`) keeps their names alone."""
    return re.sub(r"(?m):.*", ":(hash)", text) if name.startswith("users/") else without_hashes(text)


def read_users(path: Path | None) -> tuple[tuple[str, str], ...]:
    """(name, hash) of each user; none where the file is not there or is no such file."""
    return tuple((pair[0], pair[1]) for pair in _rows(path) if pair[0] and pair[1])


def read_groups(path: Path | None) -> dict[str, tuple[str, ...]]:
    """Who is in each group, as a file of `group: name name` lines says; all lines of a group count (httpd 2.4.71, probed)."""
    made: dict[str, tuple[str, ...]] = {}
    for group, names, *_ in _rows(path):
        made[group.strip()] = (*made.get(group.strip(), ()), *names.split())
    return made


def _rows(path: Path | None) -> list[list[str]]:
    try:
        text = path.read_bytes()[:LIMIT_BYTES].decode("utf-8", "replace") if path is not None and path.is_file() else ""
    except OSError:
        return []
    return [line.strip().split(":") for line in text.splitlines() if ":" in line and not line.lstrip().startswith("#")]
