"""Redirect, Respond, Abort -> rules that answer. Mirror: reader/rewrites.py (_redirect, _effects), reader/files.py (error pages).

Source:   Apache HTTP Server manual, mod_rewrite, flags R, F, G, NE, QSD.
Rule:     a text is sent by ErrorDocument, for 200 as well (2.4.71, probed); a redirect keeps the client's query unless QSD is written.
Left out: statuses that httpd has no line for; a connection that is closed without an answer is refused with 403.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from copy import copy
from dataclasses import replace

from ....codes import NO_COUNTERPART
from ....model import Abort, Capture, Disposition, Redirect, Respond, Template, Var, Variable
from ...encodings import before_encoding
from ...noting import Unwritable
from .. import values
from .conditions import Asked, target_in_query
from .context import Context
from .errors import STATUSES, body_text
from .output import Node
from .rewrites import rule

_FLAGS = {403: "F", 410: "G"}
# Signs of a URL that mod_rewrite would percent-encode.
_ENCODED = re.compile(r"[%#\s\"<>\\^`{|}]|[^\x00-\x7f]")

_OF_QUERIES = frozenset({Variable.QUERY, Variable.ARGUMENT, Variable.ARGUMENTS})


def write_redirect(step: Redirect, asked: Asked, context: Context) -> list[Node] | Unwritable:
    location, flags = _without_query(step.location, context)
    literals = "".join(part for part in location if isinstance(part, str))
    from_request = any(isinstance(part, Capture) or isinstance(part, Var) and part.variable in (Variable.PATH, Variable.PATH_ESCAPED) for part in location)
    asks_query = "QSA" in flags or target_in_query(location, context) is not None or any(isinstance(part, Var) and part.variable in _OF_QUERIES for part in location[1:])
    # Without NE what the query has percent-encoded would be so once more (reader/rewrites.py, _redirect).
    if (_ENCODED.search(literals) or asks_query) and not from_request:
        flags = ["NE", *flags]
    text = context.in_rule(location if "NE" in flags else before_encoding(location), step.span, asked)
    if isinstance(text, Unwritable):
        return text
    first = _escaped_queries(step, text, flags, asked, context) if asks_query and from_request and "?" in literals and not context.rewritten else []
    if not text or not re.match(r"/|[a-z][a-z+.-]*:|%\{REQUEST_SCHEME\}|\$|%|\{\{", text):
        return Unwritable("a Location that is neither a URL nor a path from the root on")
    return [*first, *rule(asked, text, [f"R={step.status}", *flags, "L"], context, (step.span,), () if first else step.comments)]


def _escaped_queries(step: Redirect, text: str, flags: list[str], asked: Asked, context: Context) -> list[Node]:
    """The rule for a query with escapes, which would be encoded once more without NE, on paths that need no encoding."""
    escapes = context.line("RewriteCond", "%{QUERY_STRING}", "%")
    plain = context.line("RewriteCond", "%{THE_REQUEST}", values.quote(r"!^\S+ [^?]*%"))
    twin = replace(asked, conditions=[escapes, plain, *map(copy, asked.conditions)])
    return rule(twin, text, [f"R={step.status}", "NE", *flags, "L"], context, (step.span,), step.comments)


def _without_query(location: Template, context: Context) -> tuple[Template, list[str]]:
    """A Location without the client's query at its end, and the flags that say what becomes of that."""
    literals = "".join(part for part in location if isinstance(part, str))
    last = location[-1] if location else None
    if last in (Var(Variable.TARGET), Var(Variable.TARGET_NOW)) and target_in_query(location, context) is None:
        return (*location[:-1], Var(Variable.PATH_ESCAPED)), []
    if last == Var(Variable.QUERY, "?") and "?" not in literals:
        return location[:-1], []
    if last == Var(Variable.QUERY, "&") and "?" in literals:
        return location[:-1], ["QSA"]
    return location, [] if "?" in literals else ["QSD"]


def write_answer(step: Respond, asked: Asked, context: Context) -> list[Node] | Unwritable:
    if step.status not in STATUSES:
        return Unwritable(f"the status {step.status}, for which httpd has no line")
    if 300 <= step.status < 400 and step.status != 304:
        return Unwritable(f"a {step.status} without a Location")
    if not step.raises and step.status not in (204, 304) and isinstance(text := body_text(step, context.rewritten, context), Unwritable):
        return text
    flag = _FLAGS.get(step.status, f"R={step.status}")
    return rule(asked, "-", [flag] if step.status in _FLAGS else [flag, "L"], context, (step.span,), step.comments)


def write_abort(step: Abort, asked: Asked, context: Context) -> list[Node] | Unwritable:
    directive = step.span.directive if step.span else "a connection closed without an answer"
    context.note(step.span, Disposition.CHANGED, NO_COUNTERPART, directive=directive, reason="httpd sends an answer whatever happens; 403 is sent", advice="drop such requests in the firewall")
    return rule(asked, "-", ["F"], context, (step.span,), ("The connection was closed without an answer; httpd cannot do that.",))


WRITES: dict[type, Callable[..., list[Node] | Unwritable]] = {Redirect: write_redirect, Respond: write_answer, Abort: write_abort}
