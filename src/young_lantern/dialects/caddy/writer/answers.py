"""Redirect, Respond, Abort -> Caddy `redir`, `respond`, `error`, `abort`. Mirror: reader/answers.py.

Rule:     a Location that ends in the query only if there is one is written as `{uri}` after a rewrite to its path, since
          no placeholder of 2.6 says that.
"""

from __future__ import annotations

from ....model import Abort, Redirect, Respond, Template, Var, Variable, join
from ...encodings import before_encoding
from ..values import SPOILS, Unwritable, quote
from .context import Context
from .output import Node


def write_redirect(step: Redirect, context: Context) -> list[Node] | Unwritable:
    """Redirect -> `redir`, or a `rewrite` and a `redir` that must stay in this order."""
    spans = (step.span,) if step.span else ()
    last = step.location[-1] if step.location else None
    if last in (Var(Variable.QUERY, "?"), Var(Variable.QUERY, "&")):
        authority, path = _split(step.location[:-1] if last == Var(Variable.QUERY, "?") else join(step.location[:-1], "&", Var(Variable.QUERY)))
        before = context.template(authority, step.span)
        if path in ((Var(Variable.PATH),), (Var(Variable.PATH_ESCAPED),)) and not isinstance(before, Unwritable):
            return [Node(["redir", "" if before else "*", quote(before + "{uri}"), str(step.status)], None, spans, step.comments)]
        # A rewrite encodes what it is given.
        path = tuple(Var(Variable.PATH) if part == Var(Variable.PATH_ESCAPED) else part for part in path)
        path, end = _without_fragment(path)
        after, fragment = context.template(before_encoding(path, SPOILS), step.span), context.template(end, step.span)
        for made in (before, after, fragment):
            if isinstance(made, Unwritable):
                return made
        lines = [Node(["rewrite", "*", quote(after or "/")], spans=spans),
                 Node(["redir", "*", quote(f"{before}{{uri}}{fragment}"), str(step.status)], None, spans)]
        return [Node(["route"], lines, comments=step.comments or ("{uri} has the query only where there is one.",))]
    location = step.location
    if step.absolute and location[:1] == ("/",) and len(location) > 1:
        # What follows may begin with a slash: two of them would name another host (RFC 3986 section 4.2).
        location = join(Var(Variable.SCHEME), "://", Var(Variable.AUTHORITY), location)
    text = context.template(location, step.span)
    if isinstance(text, Unwritable):
        return text
    # A target that begins with a slash would be taken for a matcher if it stood first.
    return [Node(["redir", "*" if text.startswith(("/", "@", "*")) else "", quote(text), str(step.status)], None, spans, step.comments)]


def _without_fragment(path: Template) -> tuple[Template, Template]:
    """A path, and what follows from a number sign on, which no path of a request has."""
    for number, part in enumerate(path):
        if isinstance(part, str) and "#" in part:
            before, sign, after = part.partition("#")
            return join(*path[:number], before), join(sign + after, *path[number + 1:])
    return path, ()


def _split(location: Template) -> tuple[Template, Template]:
    """scheme and authority, and the path of a Location."""
    parts = list(location)
    for number, part in enumerate(parts):
        if isinstance(part, Var) and part.variable in (Variable.PATH, Variable.PATH_ESCAPED, Variable.FOUND):
            return tuple(parts[:number]), tuple(parts[number:])
        if isinstance(part, str):
            text = part
            start = text.find("://")
            slash = text.find("/", start + 3 if start >= 0 else 0)
            if start >= 0 and slash < 0:
                continue
            if slash >= 0:
                head = [*parts[:number], text[:slash]] if text[:slash] else parts[:number]
                return tuple(head), tuple([text[slash:], *parts[number + 1:]])
    return (), location


def write_respond(step: Respond, context: Context) -> list[Node] | Unwritable:
    """Respond -> `error` where the status goes through the error pages, else `respond`."""
    spans = (step.span,) if step.span else ()
    if step.raises:
        return [Node(["error", str(step.status)], None, spans, step.comments)]
    body = context.shown(step.body, step.span)
    if isinstance(body, Unwritable):
        return body
    words = ["respond", str(step.status)] if not body else ["respond", _quoted_body(body), str(step.status)]
    return [Node(words, None, spans, step.comments)]


def _quoted_body(body: str) -> str:
    written = quote(body)
    # A bare word of three digits would be a status, one that begins with a slash a matcher.
    return written if written[0] in "\"`" else f'"{written}"'


def write_abort(step: Abort, context: Context) -> list[Node]:
    return [Node(["abort"], None, (step.span,) if step.span else ())]


WRITES = {Redirect: write_redirect, Respond: write_respond, Abort: write_abort}
