"""A plan for a moved copy: where ports, folders, certificates and origins of a configuration lie on loopback.

The dialects' moving.py write copies by it (text only, no network); lab/ makes it and runs the servers.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ..model import Credentials, Estate, literal
from ..model.walk import walk
from .passwords import PASSWORD_HASH, proof_hash
from ..model.placeholders import PLACEHOLDER, canonical, name_of
from .places import moved


# What an import of a snippet puts a word in place of (Caddy).
_SNIPPET_WORD = re.compile(r"\{args[.\[][^}]*\}")


@dataclass
class Plan:
    """Where things go in a copy.

    folder:  the copy's own folder; logs and temporary files lie below it
    free_port: gives a free port of this machine
    clients_issuer: the certificate of whoever issues those that clients show
    ports, origins: what was placed so far: port or address as configured (canonical) -> port here
    files:   (prefix as configured, folder here) pairs; paths that none holds stay as they are
    fills:   values for placeholders, by name
    names:   who is in each file of users
    members: the addresses of the estate's origins (canonical)
    deciders: of those, the ones that are asked whether requests may go on: their stand-ins obey nothing else
    certificates: files here for those of certificates and keys, by their names as configured; certificate_files is for all others
    origins_fail: some origins of the copy are away, so that what a configuration says of that stays in it
    keeps_answers: its caches keep what they do; else they are asked, and keep nothing, so that each request is a first one
    keeps_limits: limits on requests and connections stay in it; else nothing holds back who asks as fast as a check does
    tells_language: its server says of words of its own which language they are in
    caches:  the folders of what is kept
    defined: what names of the configuration's own stand for, where they are a part of an origin's address
    stood_in: empty folders here, for document roots that are not on this machine
    """

    folder: Path
    free_port: Callable[[], int]
    certificate_files: tuple[Path, Path] | None = None
    clients_issuer: Path | None = None
    ports: dict[str, int] = field(default_factory=dict)
    origins: dict[str, int] = field(default_factory=dict)
    files: tuple[tuple[str, Path], ...] = ()
    fills: dict[str, str] = field(default_factory=dict)
    names: dict[str, dict[str, None]] = field(default_factory=dict)
    realms: dict[str, dict[str, None]] = field(default_factory=dict)
    members: set[str] = field(default_factory=set)
    deciders: frozenset[str] = frozenset()
    certificates: dict[str, Path] = field(default_factory=dict)
    defined: dict[str, str] = field(default_factory=dict)
    stood_in: tuple[Path, ...] = ()
    origins_fail: bool = False
    keeps_answers: bool = False
    keeps_limits: bool = False
    tells_language: bool = False
    caches: list[Path] = field(default_factory=list)

    def stand_in(self, configured: str) -> None:
        """Makes a folder that a line is for, where it lies below one that an empty folder stands in for: the line counts for a folder that is there."""
        here = Path(self.path(configured))
        if any(here.is_relative_to(root) for root in self.stood_in):
            here.mkdir(parents=True, exist_ok=True)

    def cache(self, configured: str) -> str:
        """The folder here for one of kept answers."""
        here = self.folder / "kept" / re.sub(r"\W+", "_", configured).strip("_")
        if here not in self.caches:
            here.mkdir(parents=True, exist_ok=True)
            self.caches.append(here)
        return str(here)

    def port(self, configured: str) -> int:
        key = canonical(configured)
        if key not in self.ports:
            self.ports[key] = self.free_port()
        return self.ports[key]

    def origin(self, address: str) -> str:
        """`10.0.0.7:8000` -> `127.0.0.1:PORT` of the stand-in for it."""
        key = canonical(address)
        if key not in self.origins:
            self.origins[key] = self.free_port()
        return f"127.0.0.1:{self.origins[key]}"

    def certificate(self, configured: str, is_key: bool) -> str:
        """Where the file of a certificate, or of its key, lies here."""
        if _SNIPPET_WORD.search(configured):
            return self._by_names(configured)
        made = self.certificates.get(configured)
        if made is None and self.certificate_files is not None:
            made = self.certificate_files[is_key]
        return str(made) if made is not None else configured

    def _by_names(self, configured: str) -> str:
        """A name that a word of a snippet completes (`/etc/ssl/{args.0}.pem`): all files lie below a folder by the names that they have as configured."""
        folder = self.folder / "certificates-by-name"
        for name, here in self.certificates.items():
            link = folder / name.lstrip("/")
            if not link.exists():
                link.parent.mkdir(parents=True, exist_ok=True)
                link.symlink_to(here)
        return f"{folder}/{configured.lstrip('/')}"

    def deciding_ports(self) -> set[int]:
        return {self.origins[address] for address in self.deciders if address in self.origins}

    def origin_named(self, text: str) -> str:
        """A text, or a pattern, that begins with the URL of an origin of this estate, as that origin is called here."""
        found = re.match(r"""(["'`]?\^?)(https?)://((?:[^/\s"'$\\]|\\[.:-])+)""", text)
        if not found:
            return text
        authority = re.sub(r"\\(.)", r"\1", found[3])
        address = authority if ":" in authority else f"{authority}:{443 if found[2] == 'https' else 80}"
        if canonical(address) not in self.members:
            return text
        made = f"http://{self.origin(address)}"
        return found[1] + (made.replace(".", "\\.") if "\\" in found[3] else made) + text[found.end():]

    def host_named(self, text: str) -> str:
        """The value of a Host field, as the origin that it names is called here."""
        bare = text.strip("\"'`")
        address = next((address for address in (bare, f"{bare}:80", f"{bare}:443") if canonical(address) in self.members), "")
        return self.origin(address) if address else text

    def path(self, configured: str) -> str:
        """Where a file or folder of the configuration lies here."""
        return moved(configured, self.files)

    def learn(self, estate: Estate) -> None:
        """The addresses of its origins; and who may enter by each file of users: in a copy each of them has one password that is known here."""
        self.members |= {canonical(member.address) for pool in estate.pools for member in pool.members}
        for site in estate.sites:
            for item in walk(site.program):
                if isinstance(item, Credentials) and item.file:
                    self.names.setdefault(item.file, {}).update(dict.fromkeys([name for name, _ in item.known] or item.names))
                    if item.digest:
                        self.realms.setdefault(item.file, {})[literal(item.realm) or ""] = None

    def users(self, configured: str) -> str:
        """The file of users in the copy, made for it."""
        path = self.folder / "users" / re.sub(r"\W+", "-", configured).strip("-")
        path.parent.mkdir(parents=True, exist_ok=True)
        realms = self.realms.get(configured, {})
        lines = [f"{name}:{realm}:{proof_hash(name, realm)}\n" for realm in realms for name in self.names.get(configured, {})] if realms else \
            [f"{name}:{PASSWORD_HASH}\n" for name in self.names.get(configured, {})]
        path.write_text("".join(lines), "utf-8")
        return str(path)

    def path_with_values(self, text: str) -> str:
        """A file's name that goes on with values of the request (`$uri`, `%{REQUEST_URI}`, `{path}`): the folder before them is moved."""
        folder, rest = re.match(r"([^%${]*)(.*)", text, re.DOTALL).groups()  # type: ignore[union-attr]
        return self.path(folder) + rest

    def fill(self, text: str) -> str:
        """The text with the placeholders that have a value filled in."""
        return PLACEHOLDER.sub(lambda found: self.fills.get(name_of(found), found[0]), text)
