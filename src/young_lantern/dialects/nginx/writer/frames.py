"""What all places of a site share of their settings -> lines at server level; what a place has besides -> lines of its own.

Source:   nginx development guide: a level inherits add_header, error_page and the like only where it has none of its own.
Rule:     so a setting stands at server level only if every place either has just that, or lines of its own.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

from ....fitting import Chain, Leaf, leaves
from ....fitting.static import bare
from ....model import Abort, BodyLimit, Compress, Credentials, ErrorPages, Field, Forward, Gateway, Redirect, Respond, Restart, SUCCESS_STATUSES, ServeFiles, Span, Template, literal
from ....model.walk import walk
from . import asking, compression, errors, fields, forwards, guards, limits, logs, rates, types
from .conditional import conditions_in
from .context import Context
from .files import trim
from .output import Node


@dataclass(frozen=True, slots=True)
class Frame:
    """The settings in force above a place; `also`: the source lines that say the same elsewhere."""

    fields: tuple[Field, ...] = ()
    pages: ErrorPages | None = None
    compress: Compress | None = None
    limit: BodyLimit | None = None
    guard: Credentials | None = None
    root: Template = ()
    root_spans: tuple[Span, ...] = ()
    also: tuple[Span, ...] = ()
    types: types.Said = types.Said()


def choose_frame(chain: Chain, context: Context, first: Leaf | None = None) -> Frame:
    """The frame of a site. A connection that is closed has no answer, so it takes any. first: an answer that is best given before a location is
    looked for, if its fields are those of the frame: in each location it would stand again."""
    below = [leaf for leaf in leaves(chain) if not isinstance(leaf.answer, Abort | Restart)]
    for leaf in below:
        said = {field.span for field in leaf.settings.fields}
        leaf.settings = replace(leaf.settings, fields=fields.joined(leaf.settings.fields))
        for span in said - {field.span for field in leaf.settings.fields}:
            context.idle.setdefault(span, "what another line says of the same field takes its place")
        if not isinstance(leaf.answer, Forward | Gateway):
            for field in leaf.settings.request_fields:
                context.idle.setdefault(field.span, "no origin is asked there that would get it")
    shared_fields = _most([leaf.settings.fields for leaf in below], lambda held: fields.own_settings(held))
    if any(conditions_in(Chain([leaf])) for leaf in below):
        shared_fields = None  # ages that some paths have make locations within the locations, which must say all for themselves
    if first is not None and shared_fields is not None and bare(first.settings.fields) != bare(shared_fields):
        if first.settings.fields and all(bare(leaf.settings.fields) == bare(first.settings.fields) or fields.own_settings(leaf.settings.fields) for leaf in below):
            shared_fields = first.settings.fields
    raising = [leaf for leaf in below if _may_raise(leaf)]
    shared_pages = _most([leaf.settings.pages for leaf in raising], lambda held: held is not None)
    sending = [leaf.settings.compress for leaf in below if isinstance(leaf.answer, ServeFiles | Forward | Gateway)]
    compress = Counter(bare(item) if item else None for item in sending).most_common(1)
    common = next((item for item in sending if item and compress and compress[0][0] == bare(item)), None)
    taking = [leaf.settings.limit for leaf in below if isinstance(leaf.answer, Forward | Gateway) or (isinstance(leaf.answer, ServeFiles) and _is_stated(leaf.settings.limit))]
    limit = Counter(taking).most_common(1)[0][0] if taking else None
    root, root_spans = _common_root(below)
    also = [span for leaf in below for item in (leaf.settings.fields, leaf.settings.compress) for inner in walk(item) if isinstance(inner, Span)
            for span in (inner,) if item and (bare(item) == bare(shared_fields) if isinstance(item, tuple) else bare(item) == bare(common))]
    if shared_pages is not None:
        also += [span for leaf in raising if leaf.settings.pages is not None and bare(leaf.settings.pages) == bare(shared_pages) for span in walk(leaf.settings.pages) if isinstance(span, Span)]
    held = {bare(leaf.settings.guard) if leaf.settings.guard and leaf.settings.exempt is None else None for leaf in below}
    guard = below[0].settings.guard if len(held) == 1 and below and below[0].settings.exempt is None else None
    return Frame(shared_fields or (), shared_pages, common, limit, guard, root, root_spans, tuple(dict.fromkeys(also)), types.of_leaves(below, None, context))


def _is_stated(limit: BodyLimit | None) -> bool:
    """Whether somebody wrote a limit, so that it counts for files as well: nginx refuses by the length alone."""
    return limit is not None and limit.span is not None


def _may_raise(leaf: Leaf) -> bool:
    return not isinstance(leaf.answer, Redirect | Abort | Restart) and not (isinstance(leaf.answer, Respond) and not leaf.answer.raises)


def _most(held: list, has_own: object):  # type: ignore[no-untyped-def,type-arg]
    """The value that most have, if all others have lines of their own; else nothing."""
    counted = Counter(bare(item) if item else item for item in held)
    # Of several, the one that comes last: that of the rest of the site.
    order = {value: number for number, value in enumerate(counted)}
    for value in sorted(counted, key=lambda item: (counted[item], order[item]), reverse=True):
        if value and all(other and (bare(other) == value or has_own(other)) for other in held):  # type: ignore[operator]
            return next(item for item in held if item and bare(item) == value)
    return None


def _common_root(below: list[Leaf]) -> tuple[Template, tuple[Span, ...]]:
    roots: Counter[Template] = Counter()
    spans: dict[Template, list[Span]] = {}
    for leaf in below:
        answer = leaf.answer
        if isinstance(answer, ServeFiles) and answer.whole_path is None and not answer.strip and literal(answer.root) is not None:
            root = trim(answer.root)
            roots[root] += 1
            if answer.root_span:
                spans.setdefault(root, []).append(answer.root_span)
    if not roots:
        return (), ()
    # Of several, the one asked for last: that of the rest of the site.
    root = max(roots, key=lambda held: (roots[held], list(roots).index(held)))
    return root, tuple(dict.fromkeys(spans.get(root, ())))


def write_frame(frame: Frame, forwards_below: bool, chain: Chain, context: Context) -> list[Node]:
    """The lines at server level."""
    nodes: list[Node] = []
    if frame.fields:
        forwards_below = forwards_below and any(isinstance(leaf.answer, Forward | Gateway) and bare(leaf.settings.fields) == bare(frame.fields) for leaf in leaves(chain))
        nodes += fields.write_fields(frame.fields, forwards_below, context, all(map(_is_refusing_text, leaves(chain))))
    if frame.pages is not None:
        nodes += errors.write_pages(frame.pages, chain, context)
    if frame.compress is not None:
        nodes += compression.write_compress(frame.compress, context)
    if frame.limit is not None and frame.limit.limit_bytes is not None:
        nodes += limits.write_limit(frame.limit, context)
    if frame.guard is not None:
        nodes += guards.write_guard(frame.guard, None, context)
    if nodes:
        nodes[0].spans = tuple(dict.fromkeys((*nodes[0].spans, *frame.also)))
    return nodes


def write_own(leaf: Leaf, frame: Frame, chain: Chain, context: Context) -> list[Node]:
    """What a leaf has besides the frame, or in its place."""
    settings = leaf.settings
    nodes: list[Node] = []
    is_forward = isinstance(leaf.answer, Forward | Gateway)
    context.unlimited |= is_forward and (settings.limit is None or settings.limit.limit_bytes is None)
    adds = isinstance(leaf.answer, Forward) and forwards.response_additions(leaf.answer)  # type: ignore[arg-type]
    texts = _is_refusing_text(leaf)
    if leads_to_page(leaf):
        for field in settings.fields:
            for span in walk(field):
                if isinstance(span, Span):
                    context.idle.setdefault(span, "the page for the error has fields of its own")
    elif bare(settings.fields) != bare(frame.fields) or adds or texts and any(field.statuses is None and not field.survives_errors for field in settings.fields):
        nodes += fields.write_fields(settings.fields, is_forward, context, texts)
    if _may_raise(leaf) and settings.pages is not None and (frame.pages is None or bare(settings.pages) != bare(frame.pages)):
        nodes += errors.write_pages(settings.pages, chain, context)
    if isinstance(leaf.answer, ServeFiles | Forward | Gateway) and bare_or_none(settings.compress) != bare_or_none(frame.compress):
        nodes += compression.write_compress(settings.compress, context)
    if (is_forward or (isinstance(leaf.answer, ServeFiles) and _is_stated(settings.limit))) and settings.limit != frame.limit and (settings.limit is not None or is_forward and frame.limit is not None and frame.limit.limit_bytes is not None):
        nodes += limits.write_limit(settings.limit, context)
    if settings.guard is not None and frame.guard is None and not isinstance(leaf.answer, Respond | Redirect | Abort | Restart):
        nodes += guards.write_guard(settings.guard, settings.exempt, context)
    if not isinstance(leaf.answer, Respond | Redirect | Abort | Restart):
        # What a rule answers is answered before anybody is asked, and in an `if` nginx takes no such line.
        nodes += asking.write_asking(leaf, context)
    if isinstance(leaf.answer, ServeFiles | Forward | Gateway):
        nodes += rates.write_limits(settings.limits, context)
    if settings.log is not None:
        nodes += logs.write_logs((settings.log,), context)
    return nodes


def leads_to_page(leaf: Leaf) -> bool:
    """Whether an answer is an error with a page inside, so that the fields of the page's place go out (ngx_http_internal_redirect; 1.22.1, probed)."""
    answer, pages = leaf.answer, leaf.settings.pages
    if not isinstance(answer, Respond) or not answer.raises or pages is None:
        return False
    page = next((page for page in pages.pages if page.statuses is None or answer.status in page.statuses), None)
    return page is not None and not page.redirect


def _is_refusing_text(leaf: Leaf) -> bool:
    """A text of the site's own, and no error to its server, whose status is one that only `always` goes with."""
    return isinstance(leaf.answer, Respond) and not leaf.answer.raises and leaf.answer.status not in SUCCESS_STATUSES


def bare_or_none(value: object) -> object:
    return bare(value) if value is not None else None  # type: ignore[arg-type]
