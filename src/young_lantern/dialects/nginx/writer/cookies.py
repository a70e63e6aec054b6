"""CookieMapping, CookieFlags, edits of Set-Cookie -> `proxy_cookie_path`, `_domain`, `_flags`. Mirror: reader/forwards.py.

Rule:     nginx replaces the beginning of a path, and the whole of one that a pattern is found in (1.22.1, probed): by a pattern, then, goes what
          gives way as a whole.
"""

from __future__ import annotations

import re

from ....fitting.cookies import of_edit
from ....model import Capture, CookieFlags, CookieMapping, Field, Pattern, literal
from ...noting import Unwritable
from ..values import quote
from .context import Context
from .output import Node


def write_cookie(change: CookieMapping | CookieFlags, context: Context) -> list[Node]:
    """One line for one change."""
    spans = (change.span,) if change.span else ()
    if isinstance(change, CookieFlags):
        names = "~" if change.names is None else f"~{change.names.text}" if isinstance(change.names, Pattern) else change.names
        return [Node(["proxy_cookie_flags", quote(names), *change.flags], None, spans)]
    own = tuple(f"\0{part.group}" if isinstance(part, Capture) else part for part in change.after)
    before, after = _before(change, context), context.template(own, change.span)
    if isinstance(before, Unwritable) or isinstance(after, Unwritable):
        context.lost(change.span, f"the mapping of the {change.attribute} of cookies", "it holds a value for which there is no variable")
        return []
    return [Node([f"proxy_cookie_{change.attribute}", quote(before), quote(after.replace("\0", "$"))], None, spans)]


def write_edit(field: Field, context: Context) -> list[Node] | None:
    """An operation on Set-Cookie, where nginx has a line for what it comes to."""
    made = of_edit(field)
    return None if made is None else write_cookie(made, context)


def _before(change: CookieMapping, context: Context) -> str | Unwritable:
    if isinstance(change.before, Pattern):
        return f"~{'*' if change.before.ignores_case and change.attribute == 'path' else ''}{change.before.text}"
    text = literal(change.before)
    if not change.exact or text is None:
        return context.template(change.before, change.span)
    return f"~^{re.escape(text)}$" if change.attribute == "domain" else f"~^{re.escape(text)}"
