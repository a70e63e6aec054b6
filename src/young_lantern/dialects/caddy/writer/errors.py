"""Error pages -> Caddy `handle_errors`. Mirror: reader/sites.py (_errors).

Rule:     handle_errors belongs to the site, error pages of the source to a place in it: what most answers have is written as it is, and places
          with other pages, or with none, put their name into a variable that is asked there. It acts on errors that Caddy makes itself,
          not on those of an origin.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace

from ....codes import ERROR_PAGE_PARTLY
from ....fitting import Branch, Chain, Leaf, answer_types, hoist, leaves, unroll
from ....fitting.static import bare
from ....model import (
    Abort, Block, Disposition, ErrorPage, ErrorPages, Estate, Forward, Gateway, InPlace, QueryEdit, Redirect, Respond, Rewrite, ServeFiles, SetPath, SetVariable, Site,
    Span, literal, on_page,
)
from ....model.walk import walk
from ..values import Unwritable
from . import answers, routes
from .context import Context
from .output import Node

_OWN_ERRORS = ("Errors of these hosts have no page, as before; without this line they would have those of the site for all other hosts.",)


@dataclass(frozen=True)
class Pages:
    """The error pages that most answers of a site have, those of other places by their names, those that are not written, and the fields that answers carry."""

    chosen: ErrorPages
    named: dict[str, ErrorPages]
    others: tuple[ErrorPages, ...]
    given: frozenset[tuple[object, ...]]


# More places with pages of their own than these would make a table of errors out of a site.
_MOST_NAMED = 8
_PLACE = "errors_of"
_NONE = ErrorPages(())
_NO_PAGE = ("Places with pages of their own have no others.",)


def choose_pages(chain: Chain) -> Pages | None:
    """The error pages of a chain that was not hoisted yet; None if there are none."""
    raising = [leaf for leaf in leaves(chain) if not isinstance(leaf.answer, Redirect)]
    counted = Counter(leaf.settings.pages or _NONE for leaf in raising if not isinstance(leaf.answer, Abort) and not (isinstance(leaf.answer, Respond) and not leaf.answer.raises))
    if all(not pages.pages for pages in counted):
        return None
    given = frozenset(_meaning_of(leaf) for leaf in raising if not isinstance(leaf.answer, Abort))
    kinds: dict[object, ErrorPages] = {}
    for pages, _ in counted.most_common():
        kinds.setdefault(bare(pages.pages), pages)
    chosen, *others = kinds.values()
    # Of very many the rarest have no page, rather than that of another place.
    names = {bare(pages.pages): (f"place_{number}" if pages.pages and number <= _MOST_NAMED else "none") for number, pages in enumerate(others, 1)}
    _mark(chain, names)
    named = {name: pages for pages in others if (name := names[bare(pages.pages)]) != "none"} | ({"none": _NONE} if "none" in names.values() else {})
    return Pages(chosen, named, tuple(pages for pages in counted if pages.pages and pages not in (chosen, *named.values())), given)


def _mark(chain: Chain, names: dict[object, str]) -> None:
    """Puts the name of a place's pages into a variable, where they are others than the site's."""
    made: list[object] = []
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                _mark(fork.chain, names)
        elif isinstance(item, Leaf) and not isinstance(item.answer, Redirect | Abort) and not (isinstance(item.answer, Respond) and not item.answer.raises):
            if name := names.get(bare((item.settings.pages or _NONE).pages)):
                made.append(SetVariable(_PLACE, (name,)))
        made.append(item)
    chain.items[:] = made  # type: ignore[assignment]


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
    for name, own in pages.named.items():
        for page in filter(None, map(context.pages_of_tls, own.pages)):
            if page.span not in context.answered:
                block += _write_page(page, site, set(pages.given), context, name)
    usual = [node for page in filter(None, map(context.pages_of_tls, pages.chosen.pages)) for node in _write_page(page, site, set(pages.given), context)]
    if usual and pages.named:
        matcher = context.name("errors elsewhere")
        block += [Node([f"@{matcher}", "vars", _PLACE, *pages.named]), Node(["handle", f"@{matcher}"], [Node(["respond", '""'])], (), _NO_PAGE)]
    block += usual
    if not block:
        return []
    return [Node(["handle_errors"], block, (), apart=True)]


def _statuses(page: ErrorPage) -> str:
    return ", ".join(map(str, sorted(page.statuses))) if page.statuses else "every error"


def _meaning_of(leaf: Leaf) -> tuple[object, ...]:
    return tuple((item.name.lower(), item.operation, item.value) for item in leaf.settings.fields if item.statuses is None)


def _write_page(page: ErrorPage, site: Site, given: set[tuple[object, ...]], context: Context, place: str = "") -> list[Node]:
    inner = _inside(page, site, given, context)
    if isinstance(inner, Unwritable):
        context.lost(page.span, "error_page", f"it needs {inner.what}")
        return []
    spans = (page.span,) if page.span else ()
    if page.statuses is None and place:
        name = context.name(f"errors {place}")
        return [Node([f"@{name}", "vars", _PLACE, place], None, spans), Node(["handle", f"@{name}"], inner, spans, page.comments)]
    if page.statuses is None:
        return inner
    codes = sorted(page.statuses)
    name = context.name("error " + "_".join(map(str, codes[:3])))
    test = f"`{{err.status_code}} == {codes[0]}`" if len(codes) == 1 else f"`{{err.status_code}} in [{', '.join(map(str, codes))}]`"
    if place:
        return [Node([f"@{name}"], [Node(["expression", test]), Node(["vars", _PLACE, place])], spans), Node(["handle", f"@{name}"], inner, spans, page.comments)]
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
    program = on_page(answer_types.split_tables(site.program), page.status)
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
    nodes = [node for node in map(_named_first, written) if node.words[0] not in left_out]
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


def _named_first(node: Node) -> Node:
    """A try_files for one file by its name -> the rewrite to that file."""
    if node.words[0] == "try_files" and node.words[2:] in ([], ["=404"]) and "{" not in node.words[1]:
        return Node(["rewrite", "*", re.sub(r"\\([*?\[\\])", r"\1", node.words[1])], None, node.spans, node.comments)
    return node


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
