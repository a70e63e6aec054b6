"""Caddy `redir`, `respond`, `error`, `abort`, `handle_errors` -> Redirect, Respond, Abort, ErrorPages. Mirror: writer/answers.py.

Source:   Caddy documentation, those directives; staticresp.go: without a status of its own an answer on an error page
          keeps the error's (2.6.2, probed).
"""

from __future__ import annotations

from ....model import Abort, Redirect, Respond, Step, Unserved
from .. import defaults
from ..syntax import Directive
from ..values import OF_ERROR, nameless, text_type
from .context import Context, Level, Read

_NAMED = {"permanent": 301, "temporary": 302}


def _status(word: str) -> int | None:
    return int(word) if word.isdigit() and len(word) == 3 else None


def read_redirect(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`redir [matcher] TO [CODE]`; silence is 302."""
    if not words:
        context.unread(directive, "", "a target was expected")
        return ()
    code = words[1] if len(words) > 1 else str(defaults.REDIR_STATUS)
    status = _NAMED.get(code) or _status(code)
    if status is None or not 300 <= status < 400:
        context.unread(directive, code, "permanent, temporary or a status from 300 to 399 was expected")
        return (Unserved(directive.span.directive, directive.span),)
    if odd := nameless(words[0]):
        context.unread(directive, odd, "a placeholder, or a backslash before its first brace, was expected")
        return (Unserved(directive.span.directive, directive.span),)
    return (Redirect(status, context.template(words[0], directive), span=directive.span, comments=directive.comments),)


def read_respond(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`respond [matcher] [STATUS | BODY [STATUS]] [{ body …; close }]`; silence is 200."""
    body, status = "", None
    if len(words) == 1 and _status(words[0]):
        status = _status(words[0])
    elif words:
        body = words[0]
        if len(words) > 1:
            status = _status(words[1])
            if words[1] in OF_ERROR and level.in_errors:
                pass  # what a page has by itself
            elif status is None:
                # staticresp.go: it is looked at when the request is there, and is an error then.
                context.unread(directive, words[1], "a status code was expected")
                return (Respond(500, raises=True, span=directive.span, comments=directive.comments),)
    for inner in directive.block or []:
        if inner.name == "body" and inner.args:
            body = inner.args[0]
    made = context.template(body, directive)
    return (Respond(status or 200, made, insists=status is not None, media_type=text_type(body) if body else "", span=directive.span, comments=directive.comments),)


def read_error(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`error [matcher] STATUS | MESSAGE [STATUS]`; silence is 500."""
    found = [status for word in words if (status := _status(word))]
    return (Respond(found[-1] if found else 500, raises=True, span=directive.span, comments=directive.comments),)


def read_abort(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    return (Abort(directive.span),)


READS: dict[str, Read] = {"redir": read_redirect, "respond": read_respond, "error": read_error, "abort": read_abort}
