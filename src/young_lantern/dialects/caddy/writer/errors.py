"""Error pages -> Caddy `handle_errors`. Mirror: reader/sites.py (_errors).

Rule:     handle_errors belongs to the site, error pages of the source to a place in it: those that most answers have are
          written, others are noted. It acts on errors that Caddy makes itself, not on those of an origin.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

from ....codes import ERROR_PAGE_PARTLY
from ....fitting import Chain, Leaf, answer_types, hoist, leaves, unroll
from ....fitting.static import bare
from ....model import (
    Abort, Block, Disposition, ErrorPage, ErrorPages, Estate, Forward, Gateway, InPlace, QueryEdit, Redirect, Respond, Rewrite, ServeFiles, SetPath, Site,
    Span, literal,
)
from ....model.walk import walk
from ..values import Unwritable
from . import answers, routes
from .context import Context
from .output import Node

_OWN_ERRORS = ("Errors of these hosts have no page, as before; without this line they would have those of the site for all other hosts.",)


@dataclass(frozen=True)
class Pages:
    """The error pages that most answers of a site have, those of other places, and the fields that answers carry."""

    chosen: ErrorPages
    others: tuple[ErrorPages, ...]
    given: frozenset[tuple[object, ...]]


def choose_pages(chain: Chain) -> Pages | None:
    """The error pages of a chain that was not hoisted yet; None if there are none."""
    raising = [leaf for leaf in leaves(chain) if not isinstance(leaf.answer, Redirect)]
    counted = Counter(leaf.settings.pages for leaf in raising)
    chosen = next((pages for pages, _ in counted.most_common() if pages is not None), None)
    if chosen is None:
        return None
    given = frozenset(_meaning_of(leaf) for leaf in raising if not isinstance(leaf.answer, Abort))
    return Pages(chosen, tuple(pages for pages in counted if pages is not None and pages != chosen), given)


def answer_in_place(chain: Chain, pages: Pages | None, context: Context) -> None:
    """Errors of an origin that a place has a redirect of its own for: they are answered where the origin is asked, in place."""
    for leaf in leaves(chain):
        step, own = leaf.answer, leaf.settings.pages
        if pages is None or own is None or own == pages.chosen or not isinstance(step, Forward) or not step.intercepts_errors or step.intercepted is None:
            continue
        for page in own.pages:
            taken = (page.statuses or frozenset()) & step.intercepted
            answer = None if page in pages.chosen.pages or not taken else _redirect_of(page, context)
            if answer is not None:
                left = step.intercepted - taken
                context.answered |= {page.span} if page.span else set()
                step = replace(step, in_place=(*step.in_place, InPlace(taken, (answer,), page.span)), intercepted=left, intercepts_errors=bool(left))
        leaf.answer = step


def _redirect_of(page: ErrorPage, context: Context) -> Redirect | None:
    if page.redirect and page.target is not None:
        return _redirect(page)
    made, _ = unroll((Block("error", page.steps),)) if page.steps else (Chain([]), [])
    match made.items:
        case [Leaf(answer=Redirect() as only)] if page.status.pages_own or page.status.fixed == only.status:
            return only
    return None


def _redirect(page: ErrorPage) -> Redirect:
    assert page.target is not None
    return Redirect(page.status.fixed if page.status.fixed in (301, 302, 303, 307, 308) else 302, page.target, span=page.span)


def write_pages(pages: Pages | None, site: Site, context: Context) -> list[Node]:
    """The error pages of a site -> at most one `handle_errors` node."""
    if pages is None:
        return []
    for other in pages.others:
        for page in other.pages:
            if page.span in context.answered or bare(page) in {bare(chosen) for chosen in pages.chosen.pages}:
                for span in (span for span in walk(page) if isinstance(span, Span)):
                    context.implied(span, "what it says is answered where the origin is asked, or by the site's own pages")
            elif page.span not in {chosen.span for chosen in pages.chosen.pages}:
                context.note(page.span, Disposition.UNSUPPORTED, ERROR_PAGE_PARTLY, statuses=_statuses(page),
                             reason="Caddy has one set of error pages for a site, and this line holds for a part of it only")
    block: list[Node] = []
    for page in filter(None, map(context.pages_of_tls, pages.chosen.pages)):
        block += _write_page(page, site, set(pages.given), context)
    if not block:
        return []
    return [Node(["handle_errors"], block, (), apart=True)]


def _statuses(page: ErrorPage) -> str:
    return ", ".join(map(str, sorted(page.statuses))) if page.statuses else "every error"


def _meaning_of(leaf: Leaf) -> tuple[object, ...]:
    return tuple((item.name.lower(), item.operation, item.value) for item in leaf.settings.fields if item.statuses is None)


def _write_page(page: ErrorPage, site: Site, given: set[tuple[object, ...]], context: Context) -> list[Node]:
    inner = _inside(page, site, given, context)
    if isinstance(inner, Unwritable):
        context.lost(page.span, "error_page", f"it needs {inner.what}")
        return []
    spans = (page.span,) if page.span else ()
    if page.statuses is None:
        return inner
    codes = sorted(page.statuses)
    name = context.name("error " + "_".join(map(str, codes[:3])))
    test = f"`{{err.status_code}} == {codes[0]}`" if len(codes) == 1 else f"`{{err.status_code}} in [{', '.join(map(str, codes))}]`"
    return [Node([f"@{name}", "expression", test], None, spans), Node(["handle", f"@{name}"], inner, spans, page.comments)]


def _inside(page: ErrorPage, site: Site, given: set[tuple[object, ...]], context: Context) -> list[Node] | Unwritable:
    if page.redirect:
        return answers.write_redirect(_redirect(page), context)
    if page.restarts is None:
        made, _ = unroll((Block("error", page.steps),))
        return _keeping_status(made, page, given, context)
    assert page.target is not None
    target = literal(page.target)
    if target is None:
        return Unwritable("a page whose path depends on the request")
    path, _, query = target.partition("?")
    program = answer_types.split_tables(site.program)
    made, _ = unroll((Rewrite(SetPath((path,)), span=page.span), *program))
    if any(isinstance(leaf.answer, Forward | Gateway) for leaf in leaves(made)):
        # The query of the request does not go along to a page, which only an origin would see.
        made, _ = unroll((Rewrite(SetPath((path,)), QueryEdit((query,) if query else ()), span=page.span), *program))
    return _keeping_status(made, page, given, context)


def _is_missing(leaf: Leaf) -> bool:
    return isinstance(leaf.answer, Respond) and leaf.answer.raises


def _keeping_status(chain: Chain, page: ErrorPage, given: set[tuple[object, ...]], context: Context) -> list[Node] | Unwritable:
    answer_types.by_file_names(chain, lambda field: None)
    ends = list(leaves(chain))
    # Fields set before the error are on the answer already: they are written again only where places differ in them.
    same_fields = given == {_meaning_of(leaf) for leaf in ends if not _is_missing(leaf)}
    hoist(chain)
    for leaf in ends:
        # nginx keeps the error's status, or the page's own, over the one that an origin answers with; Caddy and httpd do not.
        if isinstance(leaf.answer, Forward | Gateway) and context.estate.dialect == "nginx" and not page.status.pages_own:
            leaf.answer = replace(leaf.answer, sends_status=page.status.fixed or 0)
        if isinstance(leaf.answer, Forward | Gateway) and page.restarts is not None and not page.keeps_method:
            leaf.answer = replace(leaf.answer, method=leaf.answer.method or "GET")
    before, context.root = context.root, ()
    # Whether the file is there, file_server sees itself.
    left_out = ("header", "try_files") if same_fields else ("try_files",)
    written = routes.write_chain(chain, context)
    nodes = [node for node in written if node.words[0] not in left_out]
    for node in written:
        for span in node.spans if node.words[0] == "try_files" else ():
            context.implied(span, "whether the page's file is there, the file server sees itself")
    context.root = before
    if not same_fields:
        _set_anew(nodes)
    if (page.status.fixed or page.status.pages_own) and any(isinstance(leaf.answer, ServeFiles) for leaf in ends):
        for node in nodes:
            if node.words[0] == "file_server":
                node.block = [*(node.block or []), Node(["status", str(page.status.fixed or 200)])]
    return nodes


def _set_anew(nodes: list[Node]) -> None:
    """Fields put on before the error are still there: they are set again rather than added a second time."""
    for node in nodes:
        if node.words[0] != "header":
            _set_anew(node.block or [])  # type: ignore[arg-type]
            continue
        lines = [node.words[1:]] if node.block is None else [line.words for line in node.block]
        names = [line[0] for line in lines if line]
        for words in ([node.words] if node.block is None else [line.words for line in node.block]):
            at = 1 if words is node.words else 0
            if len(words) > at and words[at].startswith("+") and names.count(words[at]) == 1:
                words[at] = words[at][1:]


def keep_apart(written: dict[str, list[Node]], estate: Estate) -> None:
    """Sites without pages of their own would have those of a site that answers for all hosts (2.6.2, probed): they say that they have none."""
    for listener in estate.listeners:
        if not isinstance(listener.fallback, str) or not _has_pages(written[listener.fallback]):
            continue
        for key in dict.fromkeys(row.site for row in listener.rows if row.site != listener.fallback):
            if not _has_pages(written[key]):
                # A snippet stands first, and has what its blocks share.
                for node in written[key][:1] if written[key] and written[key][0].words[0].startswith("(") else written[key]:
                    assert node.block is not None
                    node.block.append(Node(["handle_errors"], [Node(["respond", '""'])], (), _OWN_ERRORS))


def _has_pages(nodes: list[Node]) -> bool:
    return any(isinstance(inner, Node) and inner.words[0] == "handle_errors" for node in nodes for inner in node.block or ())
