"""Caddy `basicauth` -> Credentials. Mirror: ../writer/access.py.

Source:   Caddy documentation, basicauth (2.6.2, probed): the realm is "restricted" where none is written; bcrypt where no algorithm is.
Unknown:  another algorithm is `Unserved`: what is guarded stays closed.
"""

from __future__ import annotations

import base64

from ....model import Credentials, Step, Unserved
from ..syntax import Directive
from .context import Context, Level, Read


def read_basicauth(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`basicauth [matcher] [ALGORITHM [REALM]] { USER HASH }`."""
    if words[:1] not in ([], ["bcrypt"]):
        context.unread(directive, words[0], "bcrypt was expected; passwords by other algorithms must be set anew")
        return (Unserved(directive.span.directive, directive.span),)
    users = tuple((line.words[0].text, _plain(line.words[1].text)) for line in directive.block or [] if len(line.words) >= 2)
    if not users:
        context.unread(directive, "", "users with the hashes of their passwords were expected")
        return (Unserved(directive.span.directive, directive.span),)
    return (Credentials((words[1] if len(words) > 1 else "restricted",), None, users, span=directive.span),)


def _plain(hashed: str) -> str:
    """A hash may stand there in base64, too (caddyauth Provision: all that does not begin with `$`)."""
    try:
        return hashed if hashed.startswith("$") else base64.b64decode(hashed, validate=True).decode("ascii")
    except ValueError:
        return hashed


READS: dict[str, Read] = {"basicauth": read_basicauth}
