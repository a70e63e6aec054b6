"""Credentials -> nginx `auth_basic`. Mirror: ../reader/access.py.

Source:   nginx manual, auth_basic module: a file of users has no list of who of them may enter, so that some of them need one of their own.
"""

from __future__ import annotations

from ....model import ClientIn, Credentials, literal
from ...users import users_file
from ..values import quote
from .context import Context
from .output import Node


def write_guard(step: Credentials, exempt: ClientIn | None, context: Context) -> list[Node]:
    """The two lines of a place that is guarded, and with them the addresses that need no credentials."""
    some = step.users is not None and set(step.users) != {name for name, _ in step.known}
    if (some or not step.file) and not step.known:
        context.lost(step.span, "these credentials", "the file of the users is not on this machine, so that those who may enter cannot be taken out of it",
                     "make the file that the configuration names, with just these users")
    file = users_file(step, some, context.files)
    spans = (step.span,) if step.span else ()
    free = [] if exempt is None else [Node(["satisfy", "any"], None, step.also), *(Node(["allow", network], None, step.also) for network in exempt.networks), Node(["deny", "all"], None, step.also)]
    return [*free, Node(["auth_basic", quote(literal(step.realm) or "restricted")], None, spans), Node(["auth_basic_user_file", quote(file)], None, step.also)]
