"""A plan for a moved copy: where ports, folders, certificates and origins of a configuration lie on loopback.

The dialects' moving.py write copies by it (text only, no network); lab/ makes it and runs the servers.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ..model import Credentials, Estate
from ..model.walk import walk
from .passwords import PASSWORD_HASH
from .places import moved

_PLACEHOLDER = re.compile(r"\$\{(\w+)\}|\{\{\s*(.*?)\s*\}\}|\{\$(\w+)(?::[^}]*)?\}|\{env\.(\w+)\}")


def canonical(text: str) -> str:
    """The text with every placeholder in one spelling, so that two dialects' spellings of one value are the same."""
    return _PLACEHOLDER.sub(lambda found: f"<{next(name for name in found.groups() if name)}>", text)


@dataclass
class Plan:
    """Where things go in a copy.

    folder:  the copy's own folder; logs and temporary files lie below it
    free_port: gives a free port of this machine
    ports, origins: what was placed so far: port or address as configured (canonical) -> port here
    files:   (prefix as configured, folder here) pairs; paths that none holds stay as they are
    fills:   values for placeholders, by name
    names:   who is in each file of users
    """

    folder: Path
    free_port: Callable[[], int]
    certificate_files: tuple[Path, Path] | None = None
    ports: dict[str, int] = field(default_factory=dict)
    origins: dict[str, int] = field(default_factory=dict)
    files: tuple[tuple[str, Path], ...] = ()
    fills: dict[str, str] = field(default_factory=dict)
    names: dict[str, dict[str, None]] = field(default_factory=dict)

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

    def path(self, configured: str) -> str:
        """Where a file or folder of the configuration lies here."""
        return moved(configured, self.files)

    def learn_users(self, estate: Estate) -> None:
        """Who may enter by each file of users: in a copy each of them has one password that is known here."""
        for site in estate.sites:
            for item in walk(site.program):
                if isinstance(item, Credentials) and item.file:
                    self.names.setdefault(item.file, {}).update(dict.fromkeys([name for name, _ in item.known] or item.names))

    def users(self, configured: str) -> str:
        """The file of users in the copy, made for it."""
        path = self.folder / "users" / re.sub(r"\W+", "-", configured).strip("-")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("".join(f"{name}:{PASSWORD_HASH}\n" for name in self.names.get(configured, {})), "utf-8")
        return str(path)

    def path_with_values(self, text: str) -> str:
        """A file's name that goes on with values of the request (`$uri`, `%{REQUEST_URI}`, `{path}`): the folder before them is moved."""
        folder, rest = re.match(r"([^%${]*)(.*)", text, re.DOTALL).groups()  # type: ignore[union-attr]
        return self.path(folder) + rest

    def fill(self, text: str) -> str:
        """The text with the placeholders that have a value filled in."""
        def value(found: re.Match[str]) -> str:
            name = next(name for name in found.groups() if name)
            return self.fills.get(name, found[0])
        return _PLACEHOLDER.sub(value, text)


def placeholder_names(texts: list[str]) -> set[str]:
    """The names of all placeholders in some texts, but for the servers' own variables in lower case (`${host}`)."""
    found = {next(name for name in match.groups() if name) for text in texts for match in _PLACEHOLDER.finditer(text) if match[1] is None or match[1].isupper()}
    return {name for name in found if name.isidentifier()}
