"""Error pages -> nginx `error_page`, with named locations where the page is no path. Mirror: reader/answers.py (read_error_pages).

Source:   nginx manual, core module, error_page: a path is looked up like a request of its own, by GET; a named location keeps
          the method; the status stays unless `=` is written.
Rule:     pages that hold for every error are written for those that can happen here; where the page depends on the status,
          each status gets its line.
"""

from __future__ import annotations

from dataclasses import replace

from ....codes import ERROR_PAGE_PARTLY
from ....fitting import Chain, Leaf, leaves, unroll
from ....fitting.places import NEVER, specialised
from ....fitting.static import Known
from ....model import (
    ALWAYS, Block, Disposition, ErrorPage, ErrorPages, Forward, Gateway, Redirect, Respond, Rewrite, ServeFiles, SetPath, Span, Step, TextIs, Var, Variable,
    literal, with_status,
)
from ....model.walk import transform, walk
from ...noting import Unwritable
from ..values import quote
from .context import Context
from .output import Node

_WHY_AGAIN = ("Pages lead on to others by a status of their own.",)

# What nginx may answer by itself wherever files are served or requests are passed on.
_USUAL = {ServeFiles: (403, 404, 405), Forward: (413, 502, 503, 504), Gateway: (413, 502, 503, 504)}


def write_pages(pages: ErrorPages, chain: Chain, context: Context) -> list[Node]:
    """The error pages in force at a level -> one line for each page. `chain`: the site's, for which errors can happen."""
    nodes: list[Node] = []
    said: set[int] = set()
    for page in pages.pages:
        statuses = sorted((page.statuses or _possible(chain)) - said)
        said.update(statuses)
        # ngx_http_core_module, error_page: from 300 on. The text of an answer that is no error stands where the answer is made.
        wrong = [status for status in statuses if status >= 300]
        if wrong:
            nodes += _write_page(page, wrong, context)
        elif statuses and all(isinstance(step, Respond) for step in page.steps) and page.steps:
            context.implied(page.span, "its text stands where the answer is made")
        elif statuses:
            context.lost(page.span, "error page", f"nginx has none for {', '.join(map(str, statuses))}")
    jumping = {node.words[1] for node in context.named if any(line.words[0] == "error_page" for line in node.block or [])}
    if any(node.words[-1] in jumping for node in nodes):
        # core module: whether an error behind the jump of a page has a page is said where the first error comes from, which is anywhere.
        nodes.insert(0, Node(["recursive_error_pages", "on"], None, (), _WHY_AGAIN))
    return nodes


def _possible(chain: Chain) -> frozenset[int]:
    found: set[int] = set()
    for leaf in leaves(chain):
        found.update(_USUAL.get(type(leaf.answer), ()))
        if isinstance(leaf.answer, Respond) and leaf.answer.raises and leaf.answer.status >= 300:
            found.add(leaf.answer.status)
    return frozenset(found | {500})


def _write_page(page: ErrorPage, statuses: list[int], context: Context) -> list[Node]:
    spans = (page.span,) if page.span else ()
    equal = f"={page.status.fixed}" if page.status.fixed else "=" if page.status.pages_own else ""
    codes = list(map(str, statuses))
    if page.target is not None:
        text = context.template(page.target, page.span)
        if isinstance(text, Unwritable):
            context.lost(page.span, "error page", f"its target needs {text.what}")
            return []
        return [Node(["error_page", *codes, equal, quote(text)], None, spans, page.comments)]
    made: dict[tuple[str, str], list[str]] = {}
    for status in statuses:
        target = _target(page, status, context)
        if isinstance(target, Unwritable):
            context.lost(page.span, "error page", f"it needs {target.what}")
        elif target is not None:
            made.setdefault(target, []).append(str(status))
    spans = tuple(dict.fromkeys((*spans, *(item for item in walk(page.steps) if isinstance(item, Span)))))
    return [Node(["error_page", *found, own if len(own) > 1 else equal or own, where], None, spans, page.comments) for (own, where), found in made.items()]


def _target(page: ErrorPage, status: int, context: Context) -> tuple[str, str] | Unwritable | None:
    """`=` or "", and where the page for one status is; None if there is none."""
    chain, _ = unroll((Block("error", for_status(page.steps, status)),))
    chain = specialised(chain, Known(prefix="", internal=True), frozenset())
    match chain.items:
        case []:
            return None
        case [Leaf(answer=Respond(status=again, raises=True))] if again == status:
            return None
        case [Rewrite(edit=SetPath(template)), Leaf(answer=ServeFiles(strip="", whole_path=None))] if (path := literal(template)) is not None:
            return "", quote(path if path.startswith("/") else f"/{path}")
        case [Leaf(answer=Redirect(status=(301 | 302 | 303 | 307 | 308) as code, location=location))]:
            text = context.template(location, page.span)
            if isinstance(text, str) and not text.startswith("/"):
                return f"={code}", quote(text)  # a path would be looked up again inside
    origins = [leaf.answer for leaf in leaves(chain) if isinstance(leaf.answer, Forward | Gateway)]
    others = any(not isinstance(leaf.answer, Forward | Gateway) and not (isinstance(leaf.answer, Respond) and leaf.answer.raises) for leaf in leaves(chain))
    as_sent = bool(origins) and not others and context.estate.dialect != "nginx" and all(item.sends_status is None for item in origins)
    if origins and not as_sent and any(item.sends_status is None for item in origins):
        context.note(page.span, Disposition.CHANGED, ERROR_PAGE_PARTLY, statuses=status, reason="the page comes from an origin, and its status is the error's")
    if status == LINE_TOO_LONG:
        context.note(page.span, Disposition.CHANGED, ERROR_PAGE_PARTLY, statuses=status, reason="nginx has read no path by then, so that its page is its own")
        return None
    final = next((leaf.answer for leaf in leaves(chain) if isinstance(leaf.answer, Respond)), None)
    fixed = {item.sends_status for item in origins}
    if origins and not others and len(fixed) == 1 and (replaced := fixed.pop()):
        return f"={replaced}", _named(chain, status, context)
    own = "=" if as_sent or final is not None and final.insists and final.status != status else ""
    return own, _named(chain, status, context)


def _named(chain: Chain, status: int, context: Context) -> str:
    """A page as a named location. An error on the way to it has no page: looked for there as well, pages would lead to pages without end."""
    from .routes import write_named

    before, context.in_pages = context.in_pages, status
    name = write_named(f"error {status}", _keeping(chain, status), context)
    context.in_pages = before
    return name


# Its page is none that a named location makes (ngx_http_named_location; 1.22.1, probed).
LINE_TOO_LONG = 414


def _keeping(chain: Chain, status: int) -> Chain:
    """An answer of its own on an error page keeps the error's status unless it says another."""
    for leaf in leaves(chain):
        if isinstance(leaf.answer, Respond) and not leaf.answer.insists and not leaf.answer.raises:
            leaf.answer = replace(leaf.answer, status=status)
    return chain


def for_status(steps: tuple[Step, ...], status: int) -> tuple[Step, ...]:
    """The steps with the status of the error put in, and what asks for it decided."""

    def change(value: object) -> object:
        if isinstance(value, TextIs) and Var(Variable.STATUS) in value.template and (text := literal(with_status(value.template, status))) is not None:
            return ALWAYS if text in value.values else NEVER
        if isinstance(value, SetPath):
            return SetPath(with_status(value.template, status), value.cuts_at_mark)
        if isinstance(value, Respond):
            return replace(value, body=with_status(value.body, status))
        return value

    return transform(steps, change)


