"""nginx `return`, `error_page` -> Redirect, Respond, Abort, ErrorPages.

Source:   nginx manual, rewrite module (return), core module (error_page); ngx_http_send_error_page for the status.
Rule:     a `return` with a text is final; one with a code alone, and a redirect, goes through the error pages.
"""

from __future__ import annotations

from collections.abc import Callable

from ....model import (
    SITE, TLS_ERRORS, Abort, ErrorPage, ErrorPages, PageStatus, Redirect, Respond, Step, Var, Variable, on_page,
)
from ..syntax import Directive
from .context import Context, Scope
from .redirect_names import absolute

_REDIRECTS = (301, 302, 303, 307, 308)


def read_return(directive: Directive, scope: Scope, context: Context) -> tuple[Step, ...]:
    """`return CODE [TEXT]`, `return CODE URL`, `return URL` -> the step that ends the program."""
    context.use(directive)
    first, *rest = directive.args
    if not rest and first.startswith(("http://", "https://", "$scheme")):
        return (Redirect(302, context.template(first, directive), span=directive.span, comments=directive.comments),)
    if not first.isdigit() or int(first) > 999:
        context.unread(directive, first, "a status code was expected")
        return ()
    status = int(first)
    if status == 444 or status in (408, 499) and not rest:
        # ngx_http_finalize_request (1.22.1, probed): a client that is taken to be gone, or too slow, gets no answer.
        return (Abort(directive.span),)
    if rest and status in _REDIRECTS:
        return (Redirect(status, context.template(rest[0], directive), absolute(scope, context), directive.span, directive.comments),)
    if rest == [""] and status >= 400:
        # ngx_http_script_return_code: a text of nothing is none, so that the status gets its page.
        return (Respond(status, raises=True, span=directive.span, comments=directive.comments),)
    if rest:
        return (Respond(status, context.template(rest[0], directive), span=directive.span, comments=directive.comments),)
    return (Respond(status, raises=status >= 300, span=directive.span, comments=directive.comments),)


def read_error_pages(scope: Scope, named: Callable[[str, Directive], tuple[Step, ...]], context: Context) -> tuple[Step, ...]:
    """The error pages in force at a scope; one `error_page` at a level hides all of the levels above."""
    pages: list[ErrorPage] = []
    for directive in scope.inherited("error_page"):
        page = _read_page(context.use(directive), named, context)
        if page is not None:
            pages.append(page)
    recurs = context.switch(scope, "recursive_error_pages", False)
    return (ErrorPages(tuple(pages), span=pages[0].span, recurs=recurs),) if pages else ()


def _read_page(directive: Directive, named: Callable[[str, Directive], tuple[Step, ...]], context: Context) -> ErrorPage | None:
    *words, target = directive.args
    status = PageStatus()
    if words and words[-1].startswith("="):
        code = words.pop()[1:]
        status = PageStatus(int(code)) if code.isdigit() else PageStatus(pages_own=True)
    codes = [int(word) for word in words if word.isdigit()]
    if not codes or len(codes) != len(words):
        context.unread(directive, " ".join(words), "status codes were expected")
        return None
    statuses = frozenset(codes)
    common = {"statuses": statuses, "status": status, "span": directive.span, "comments": directive.comments}
    if target.startswith("@"):
        steps = named(target, directive)
        # Errors of TLS go out by another number than the one by which they have a page.
        return ErrorPage(steps=steps if statuses & TLS_ERRORS else on_page(steps, status), keeps_method=True, **common)  # type: ignore[arg-type]
    template = context.template(target, directive)
    # ngx_http_send_error_page: what it comes to begins with a slash, or is a redirect; a path always does (1.22.1, probed).
    if target.startswith("/") or template[:1] == (Var(Variable.PATH),):
        return ErrorPage(target=template, restarts=SITE, **common)  # type: ignore[arg-type]
    return ErrorPage(target=template, redirect=True, **common)  # type: ignore[arg-type]
