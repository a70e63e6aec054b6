"""Credentials -> Caddy `basicauth`. Mirror: ../reader/access.py.

Rule:     Caddy keeps users and hashes in its configuration and takes bcrypt only. Where a hash is of another kind, or the file of users is not
          on this machine, the place stays closed, and the engineer is told to set the passwords anew.
"""

from __future__ import annotations

import re

from ....model import Credentials, literal
from ..values import Unwritable, quote
from .context import Context
from .output import Node

_BCRYPT = re.compile(r"\$2[aby]\$\d\d\$[./A-Za-z0-9]{53}")


def write_guard(step: Credentials, context: Context) -> list[Node] | Unwritable:
    """The block with its users."""
    users = [(name, hashed) for name, hashed in step.known if name in step.names]
    odd = [name for name, hashed in users if not _BCRYPT.fullmatch(hashed)]
    if not users or odd:
        if step.known and not odd:
            return Unwritable("two lists of users hold one after the other, and nobody is in both")
        return Unwritable(f"Caddy takes bcrypt only, and the password of {', '.join(odd[:3])} is hashed otherwise" if odd
                          else f"Caddy keeps users in its configuration, and their file {step.file} is not on this machine")
    realm = literal(step.realm) or "restricted"
    words = ["basicauth", *(["bcrypt", quote(realm)] if realm != "restricted" else [])]
    lines = [Node([quote(name), quote(hashed)]) for name, hashed in users]
    return [Node(words, lines, tuple(span for span in (step.span, *step.also) if span), setting=True)]
