"""Files of users for dialects that keep them in files.

Rule:     the source's file stays where it is; users that the source keeps in its configuration, or some of a file, get one of their own below
          `users/`. Two sets of users never share a file.
"""

from __future__ import annotations

import re

from ..model import Credentials, literal


def users_file(step: Credentials, some: bool, files: dict[str, str]) -> str:
    """The name of the file for the target. some: it must hold just those that may enter; files: what is written, by name; added to."""
    file = step.file
    if file and not some:
        text = _lines(step, [name for name, _ in step.known])
        if file.startswith("/") or not step.known or files.setdefault(file, text) == text:
            return file
    text = _lines(step, step.names)
    wish = re.sub(r"[^a-z0-9]+", "-", (literal(step.realm) or "").lower()).strip("-") or "users"
    name, number = f"users/{wish}", 2
    while files.get(name, text) != text:
        name, number = f"users/{wish}-{number}", number + 1
    files[name] = text
    return name


def _lines(step: Credentials, names: list[str] | tuple[str, ...]) -> str:
    return "".join(f"{name}:{hashed}\n" for name, hashed in step.known if name in names)
