"""Credentials -> nginx `auth_basic`. Mirror: ../reader/access.py.

Rule:     the users' file stays where it is; users that the source keeps in its configuration, or some of a file, get one of their own below `users/`.
Source:   nginx manual, auth_basic module.
"""

from __future__ import annotations

import re

from ....model import Credentials, literal
from ..values import quote
from .context import Context
from .output import Node


def write_guard(step: Credentials, context: Context) -> list[Node]:
    """The two lines of a place that is guarded."""
    spans = (step.span,) if step.span else ()
    file = step.file
    if file and not file.startswith("/") and step.known:
        context.files[file] = "".join(f"{name}:{hashed}\n" for name, hashed in step.known)
    if not file or step.users is not None and set(step.users) != {name for name, _ in step.known}:
        file = _own_file(step, context)
    return [Node(["auth_basic", quote(literal(step.realm) or "restricted")], None, spans), Node(["auth_basic_user_file", quote(file)], None, step.also)]


def _own_file(step: Credentials, context: Context) -> str:
    if not step.known:
        context.lost(step.span, "these credentials", "the file of the users is not on this machine, so that those who may enter cannot be taken out of it",
                     "make the file that the configuration names, with just these users")
    text = "".join(f"{name}:{hashed}\n" for name, hashed in step.known if name in step.names)
    wish = re.sub(r"\W+", "-", (literal(step.realm) or "users").lower()).strip("-") or "users"
    name, number = f"users/{wish}", 2
    while context.files.get(name, text) != text:
        name, number = f"users/{wish}-{number}", number + 1
    context.files[name] = text
    return name
