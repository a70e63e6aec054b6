"""Error pages -> `ErrorDocument`. Mirror: reader/files.py (read_error_pages).

Source:   Apache HTTP Server manual, core, ErrorDocument: a path is asked for inside and the status stays; a URL is redirected to with 302; a text is sent.
Rule:     httpd keeps the error's status, so a page that changes it is noted.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Callable
from http import HTTPStatus

from ....codes import ERROR_PAGE_PARTLY
from ....fitting import Chain, Leaf, leaves, unroll
from ....model import Block, Disposition, ErrorPage, ErrorPages, Forward, Placeholder, Redirect, Respond, Rewrite, ServeFiles, SetPath, Span, Step, Template, Var, Variable, literal, with_status
from ....model.walk import walk
from ...noting import Unwritable
from .. import values
from ..values import quote
from .context import Context, what
from .output import Node

# Those that http_protocol.c has a line for, of the ones that configurations name.
STATUSES = frozenset(status.value for status in HTTPStatus) - {418, 103, 425}
# What httpd may answer by itself wherever files are served or requests are passed on.
_USUAL = {ServeFiles: (403, 404, 405), Forward: (413, 502, 503, 504)}


def write_pages(pages: ErrorPages | None, chain: Chain, context: Context) -> list[Node]:
    """The error pages in force for an answer. `chain`: the site's, for which errors can happen."""
    nodes: list[Node] = []
    said: set[int] = set()
    for page in filter(None, map(context.pages_of_tls, pages.pages if pages is not None else ())):
        statuses = sorted((page.statuses or _possible(chain)) - said)
        said.update(statuses)
        for status in statuses:
            if status in STATUSES and status >= 400:
                nodes += _page(page, status, context)
    return nodes


def _possible(chain: Chain) -> frozenset[int]:
    found: set[int] = {500}
    for leaf in leaves(chain):
        found.update(_USUAL.get(type(leaf.answer), ()))
        if isinstance(leaf.answer, Respond) and leaf.answer.raises and leaf.answer.status >= 400:
            found.add(leaf.answer.status)
    return frozenset(found)


def _page(page: ErrorPage, status: int, context: Context) -> list[Node]:
    spans: tuple[Span | None, ...] = (page.span,)
    context.structure.update(item for item in walk(page) if isinstance(item, Span))
    made = _target(page, status)
    if made is None:
        return []
    if isinstance(made, Unwritable):
        context.note(page.span, Disposition.UNSUPPORTED, ERROR_PAGE_PARTLY, statuses=str(status), reason=f"httpd has no way to say {made.what}")
        return []
    text = context.plain(made, page.span)
    if isinstance(text, Unwritable):
        context.note(page.span, Disposition.UNSUPPORTED, ERROR_PAGE_PARTLY, statuses=str(status), reason=f"its page depends on {text.what}")
        return []
    if page.status.fixed not in (None, status) or page.status.pages_own:
        context.note(page.span, Disposition.CHANGED, ERROR_PAGE_PARTLY, statuses=str(status), reason="httpd sends the page with the error's own status")
    return [context.line("ErrorDocument", str(status), quote(text), spans=spans, comments=page.comments)]


def _target(page: ErrorPage, status: int) -> Template | Unwritable | None:
    """The path or URL of a page, or its text."""
    if page.target is not None and (page.restarts or page.redirect):
        first = page.target[0] if page.target else ""
        if page.redirect and not (isinstance(first, str) and "://" in first):
            return Unwritable("a redirect to a path of the site, which would be taken for a page")
        return page.target
    return _inside(page, status)


def _inside(page: ErrorPage, status: int) -> Template | Unwritable | None:
    """Steps that come to one path of files, or to one text, for a status; None when they say nothing of it."""
    chain, _ = unroll((Block("error", _with_status(page.steps, status)),))
    if not chain.items:
        return None
    path: Template | None = None
    for item in chain.items:
        if isinstance(item, Rewrite) and isinstance(item.edit, SetPath) and literal(item.edit.template) is not None:
            path = item.edit.template
        elif isinstance(item, Leaf):
            match item.answer:
                case ServeFiles():
                    # Without another path it is the error's own: what was not there is not there.
                    return path
                case Respond(body=body) if literal(body) is not None and body:
                    return _text(body)
                case Redirect(location=location) if "://" in (literal(location) or ""):
                    return location
                case Respond(status=other, body=()) if other == status:
                    return ("default",)
        else:
            break
    return Unwritable("a page that depends on the request")


# ErrorDocument does not take an empty text; a variable that nobody sets is one.
_NOTHING = "%{ENV:none}"
# The configuration has no way to write the end of a line but this function of the expression language.
_NEWLINE = "%{unbase64:Cg==}"


def _text(body: Template) -> Template:
    text = literal(body) or ""
    if "\n" in text:
        text = re.sub(r"([\\$])", r"\\\1", text).replace("\n", _NEWLINE)
    # A text that looks like a path or URL would be taken for one.
    return (" " + text,) if text.startswith("/") or "://" in text.split(" ")[0] else (text,)


_OF_STATUS = (Var(Variable.STATUS), Var(Variable.STATUS_WORDS))


def _with_status(steps: tuple[Step, ...], status: int) -> tuple[Step, ...]:
    """The steps with the error's status put in, and conditions on it decided."""
    def change(value: object) -> object:
        if isinstance(value, tuple) and any(part in _OF_STATUS for part in value):
            return with_status(value, status)
        return value

    return _deep(steps, change)  # type: ignore[return-value]


def _deep(value: object, change: Callable[[object], object]) -> object:
    if isinstance(value, tuple):
        return change(tuple(_deep(item, change) for item in value))
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        made = {field.name: _deep(getattr(value, field.name), change) for field in dataclasses.fields(value)}
        return dataclasses.replace(value, **made)
    return value


def text_page(step: Respond, moved: bool, context: Context) -> list[Node]:
    """What an answer with a text needs besides its rule. moved: the path was changed, so that no name stands for it."""
    text = body_text(step, moved, context)
    if isinstance(text, Unwritable):
        return []
    nodes = [context.line("ErrorDocument", str(step.status), quote(text), spans=(step.span,))]
    if step.media_type:
        nodes.append(context.line("Header", "always", "set", "Content-Type", quote(step.media_type), spans=(step.span,)))
    return nodes


def body_text(step: Respond, moved: bool, context: Context) -> str | Unwritable:
    """The text of an answer as ErrorDocument takes it."""
    if literal(step.body) is not None and not any(isinstance(part, Placeholder) for part in step.body):
        return str(_text(step.body)[0]) if step.body else _NOTHING
    pieces = []
    for part in step.body:
        if isinstance(part, str):
            pieces.append(re.sub(r"([\\$])", r"\\\1", part).replace("\n", _NEWLINE))
        elif isinstance(part, Placeholder):
            pieces.append(part.spelling)
        elif isinstance(part, Var) and not (moved and part.variable is Variable.PATH) and (text := values.variable_text(part)) is not None and part.variable is not Variable.VARIABLE:
            pieces.append(text)
        else:
            return Unwritable(what(part))
    return "".join(pieces) if not pieces[0].startswith(("/", "%{REQUEST_URI}")) else "%{ENV:none}" + "".join(pieces)
