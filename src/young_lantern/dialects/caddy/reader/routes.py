"""A level of Caddy directives -> steps: Caddy's order, its groups, and what it consolidates. Mirror: writer/routes.py.

Source:   Caddy documentation, "Directive order"; httpcaddyfile sortRoutes, buildSubroute, consolidateRoutes (2.6.2).
Order:    matters: catalogue.ORDER, then the longer single path first, then what has a matcher before what has none.
Rule:     `handle`, `rewrite` and `root` of a sorted level exclude each other; in a `route` they do not. Neighbours with
          the same matcher and no group become one, so that the matcher is asked once. `route` does neither.
"""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import dataclass

from ....model import ALWAYS, Capture, Choose, Condition, Route, SetVariable, Step, Template, Unread, Unserved, Var, Variable
from ....model.walk import with_part
from ..catalogue import POSITION
from ..order import positions, routes_of, sort_items
from ..syntax import Directive
from . import access, answers, asking, compression, fields, files, forwards, gateways, limits, logs, rewrites
from .context import Context, Level, Read
from .matchers import take_matcher
from .tables import find_tables

GROUPED = frozenset({"handle", "rewrite", "root"})


@dataclass(slots=True)
class Item:
    """A directive of a level. `kind` is its name for sorting; `paths` those of its one path matcher; `matched`: it has any."""

    directive: Directive
    kind: str
    paths: tuple[str, ...]
    matched: bool

    @property
    def routes(self) -> int:
        inside = [line.name for line in self.directive.block or []]
        args = [word for word in self.directive.args if not word.startswith(("/", "@", "*"))] if self.kind == "header" else self.directive.args
        return routes_of(self.kind, [*args[:1], *inside] if self.kind == "header" else args)


def read_level(level: Level, context: Context, *, ordered: bool = True) -> tuple[Step, ...]:
    """The steps of a site block, handle or handle_errors (ordered) or of a route (as written)."""
    outside = dict(context.lookups)
    if level.is_inner:
        find_tables(level, context)
    steps = _in_order(level, context, ordered)
    context.lookups = outside
    return steps


def _in_order(level: Level, context: Context, ordered: bool) -> tuple[Step, ...]:
    items = [make_item(directive, level) for directive in level.directives if directive.name in READS or directive.name in POSITION]
    if ordered:
        # Every line that makes a route counts for how they are sorted, whether it is read here or not (stable_sort.py).
        items = sort_items(items, places=positions(context.order))
    items = [item for item in items if item.directive.name in READS and (not context.claims[item.directive.span].disposition or item.directive.name in UNREAD)]
    counts = Counter(item.kind for item in items)

    def togetherness(item: Item) -> tuple[str, str]:
        if not ordered:
            return "", f"#{id(item)}"
        if item.kind == "rewrite" or (item.kind in GROUPED and counts[item.kind] > 1):
            return item.kind, ""
        return "", _matcher(item)

    out: list[Step] = []
    for _, members in itertools.groupby(items, togetherness):
        for is_root, part in itertools.groupby(members, lambda item: item.kind == "root"):
            group = list(part)
            out += _roots([item.directive for item in group], level, context) if is_root else _group(group, level, context)
    return tuple(out)


def make_item(directive: Directive, level: Level) -> Item:
    kind = "handle" if directive.name == "handle_path" else directive.name
    words = directive.args
    first = words[0] if words else ""
    if directive.name == "try_files":
        return Item(directive, kind, (), True)
    if first.startswith("/"):
        return Item(directive, kind, (first,), True)
    if first.startswith("@") and first in level.matchers:
        definition = level.matchers[first]
        lines = [definition.words[1:]] if len(definition.words) > 1 else [line.words for line in definition.block or []]
        paths = tuple(word.text for line in lines if line and line[0].text == "path" for word in line[1:])
        return Item(directive, kind, paths, True)
    return Item(directive, kind, (), False)


def _matcher(item: Item) -> str:
    first = item.directive.args[0] if item.directive.args else ""
    if item.kind == "try_files":
        return f"#{id(item)}"
    return first if first.startswith(("/", "@")) else "*"


def _group(items: list[Item], level: Level, context: Context) -> list[Step]:
    routes: list[tuple[str, Condition, list[Step], Item]] = []
    for item in items:
        context.use(item.directive)
        condition, words = (ALWAYS, item.directive.args) if item.kind == "try_files" else take_matcher(item.directive, level, context)
        steps = list(READS[item.directive.name](item.directive, words, level, context))
        if level.root_span:
            root = _said(level.root)
            condition, steps = with_part(condition, Var(Variable.ROOT), root), list(with_part(tuple(steps), Var(Variable.ROOT), root))
        if routes and routes[-1][0] == _matcher(item):
            routes[-1][2].extend(steps)
        else:
            routes.append((_matcher(item), condition, steps, item))
    if len(routes) == 1 and routes[0][1] is ALWAYS:
        return routes[0][2]
    return [Choose(tuple(
        Route(condition, tuple(steps), item.directive.span, item.directive.comments, _name(item.directive))
        for _, condition, steps, item in routes
    ), items[0].directive.span)]


def _name(directive: Directive) -> str:
    words = directive.words[:2] if directive.args[:1] and directive.args[0][:1] in "/@*" else directive.words[:1]
    return " ".join(word.raw for word in words)


# What always has a value, so that a root with it says the same in any text.
_ALWAYS_THERE = frozenset({Variable.HOST_SENT, Variable.AUTHORITY, Variable.SCHEME, Variable.METHOD, Variable.VARIABLE})


def _said(root: Template) -> Template:
    """What `{http.vars.root}` says where a root is in force."""
    return root if all(not isinstance(part, Var) or part.variable in _ALWAYS_THERE for part in root) and not any(isinstance(part, Capture) for part in root) else (Unread("{http.vars.root}"),)


# Marks where the root changes: it is a variable of the request, so that error pages are looked for there from then on (2.6.2, probed).
ERROR_ROOT = "root of errors"


def _roots(directives: list[Directive], level: Level, context: Context) -> list[Step]:
    """`root [matcher] FOLDER`: changes level.root for what follows; steps only where it depends on the request."""
    routes: list[Route] = []
    for directive in directives:
        context.use(directive)
        condition, words = take_matcher(directive, level, context)
        if not words:
            context.unread(directive, "", "a folder was expected")
            continue
        folder = context.template(words[-1], directive)
        if condition is ALWAYS and not routes and directive is directives[-1]:
            level.root, level.root_span = folder, directive.span
            return [SetVariable(ERROR_ROOT, folder, directive.span)] if level.is_inner else []
        if condition is ALWAYS and not routes:
            continue  # the next one without a matcher is consolidated with it, and sets the root last
        routes.append(Route(condition, (SetVariable("root", folder, directive.span),), directive.span))
    before = SetVariable("root", level.root)
    level.root, level.root_span = (Var(Variable.VARIABLE, "root"),), directives[0].span
    return [before, Choose(tuple(routes))]


def _handle(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    if words:
        return _no_matcher(directive, words, context)
    return read_level(level.below(directive), context)


def _no_matcher(directive: Directive, words: list[str], context: Context) -> tuple[Step, ...]:
    # Caddyfile, "Matcher token": only a star, a path from its slash on, or a named one may stand there; the server refuses others.
    context.unread(directive, " ".join(words), "a matcher such as /path/*, * or @name was expected")
    return (Unserved(directive.span.directive, directive.span),)


def _handle_path(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    prefix = directive.args[0].removesuffix("*").removesuffix("/") if directive.args else ""
    if not prefix.startswith("/"):
        context.unread(directive, prefix, "a path such as /api/* was expected")
        return ()
    return (rewrites.strip_prefix(prefix, directive), *read_level(level.below(directive), context))


def _route(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    if words:
        return _no_matcher(directive, words, context)
    return read_level(level.below(directive), context, ordered=False)


def _unserved(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    return (Unserved(" ".join(word.raw for word in directive.words), directive.span),)


# Handlers and protections that are not read: what they answer, or guard, is not known, and must not be taken for open.
UNREAD: frozenset[str] = frozenset()
READS: dict[str, Read] = {
    **dict.fromkeys(UNREAD, _unserved),
    "handle": _handle, "handle_path": _handle_path, "route": _route,
    "metrics": lambda directive, words, level, context: (Unserved("metrics", directive.span, "status"),),
    "root": lambda directive, words, level, context: (),
    **access.READS, **answers.READS, **asking.READS, **compression.READS, **fields.READS, **files.READS, **forwards.READS, **gateways.READS, **limits.READS, **logs.READS, **rewrites.READS,
}
