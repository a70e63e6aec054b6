"""What a section's rules and its redirects make together.

Source:   mod_rewrite.c hook_fixup, mod_alias.c fixup_redir (2.4.71, probed).
Rule:     both are fixups, rewriting first: what it answers itself ends them, but a path that it changes, or an origin that it names, is only asked
          for when they are over, so that a section's redirect still comes before that. The rules that answer stand first, then the redirects, then
          the rules that change. A redirect goes by the path as it was, and takes the query along that a rule has made: `index.php?q=$1` shows in it.
Left out: rules that change the path and let others follow, and lists that begin anew, where one of them answers or makes a query: what a redirect beside them
          is for stays open. The query that a rule with P makes is not the redirect's.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace

from ....model import (
    Block, Capture, Choose, Condition, Forward, Gateway, Leave, Pattern, Redirect, Respond, Restart, Rewrite, Rewritten, Route, SetPath, Span, Step, Template, TextMatches, Unserved,
    Var, Variable,
)
from ....model.walk import walk

_LATER = (Restart, Rewrite, Forward, Gateway)


def in_order(rewriting: list[Step], redirects: list[Step], apart: bool) -> list[Step]:
    """The steps of both, in the order in which they take place. apart: each rule stands for itself."""
    rules = tuple(rewriting)
    if not rules or not redirects:
        return [*rewriting, *redirects]
    if not any(_answers(item) for item in walk(rules)):
        return [*_each_behind(tuple(redirects), _queries(rules, "") if apart else ()), *rules]
    if not any(isinstance(item, _LATER) for item in walk(rules)):
        return [*rules, *redirects]
    changing = _without_answers(rules)
    return [*_answering(rules, ""), *_each_behind(tuple(redirects), _queries(changing, "")), *changing]


def stays_open(rewriting: list[Step], redirects: list[Step], apart: bool) -> bool:
    """Whether what rules make of a path that others of them have changed would come before a redirect of the path as it was, or show in it."""
    return bool(redirects) and not apart and any(_answers(item) or isinstance(item, Rewrite) and item.query is not None for item in walk(tuple(rewriting)))


def left_open(redirects: tuple[Step, ...]) -> tuple[Step, ...]:
    """What the redirects are for, of which nothing is foretold."""
    return tuple(
        replace(step, routes=tuple(replace(route, steps=left_open(route.steps)) for route in step.routes)) if isinstance(step, Choose)
        else Unserved(step.span.directive, step.span) if isinstance(step, Redirect | Respond) and step.span is not None else step
        for step in redirects
    )


def _answers(item: object) -> bool:
    # A rule that changes the path says 404 for an index file that is not there, and 500 where it goes round: these are no answers of its own.
    return isinstance(item, Redirect | Unserved) or isinstance(item, Respond) and item.status not in (404, 500)


def _changes(steps: tuple[Step, ...]) -> bool:
    return any(isinstance(item, (*_LATER, Respond)) and not _answers(item) for item in steps)


def _answering(steps: tuple[Step, ...], label: str) -> tuple[Step, ...]:
    """The rules that answer; those that change the path end the list, as far as others follow."""
    if not _changes(steps):
        return _as_far_as(steps, label, _answering, _answers, "answers")
    refusals = [step for step in steps if isinstance(step, Choose) and any(map(_answers, walk(step))) and not any(isinstance(item, _LATER) for item in walk(step))]
    for step in steps:
        if isinstance(step, Rewrite) and isinstance(step.edit, SetPath) and step.edit.refuses_marks:
            refusals += refuses_marks(step.edit.template, step.span)
    return (*refusals, Leave(label))


def refuses_marks(template: Template, span: Span | None) -> tuple[Choose, ...]:
    """What is refused as the rule is met: a question mark that something brings into a path (2.4.71, probed)."""
    path = itertools.takewhile(lambda part: not (isinstance(part, str) and "?" in part), template)  # a query may have marks, brought in or not
    brought = tuple(replace(part, escaped=False) if isinstance(part, Capture) else part for part in path if not isinstance(part, str) and not (isinstance(part, Var) and part.variable is Variable.QUERY))
    refusal = Route(TextMatches(brought, Pattern("\\?", "pcre"), span=span), (Respond(403, raises=True, insists=True, span=span),), span, accident=True)
    return (Choose((refusal,)),) if brought else ()


def _queries(steps: tuple[Step, ...], label: str) -> tuple[Step, ...]:
    """The queries that rules make which change the path, and leave it here."""
    if not _changes(steps):
        return _as_far_as(steps, label, _queries, lambda item: isinstance(item, Rewrite), "queries")
    edits = tuple(Rewrite(None, item.query, internal=False, span=item.span) for item in steps if isinstance(item, Rewrite) and item.query is not None)
    return (*edits, Leave(label))


def _as_far_as(
    steps: tuple[Step, ...], label: str, made_of: Callable[[tuple[Step, ...], str], tuple[Step, ...]], counts: Callable[[object], bool], name: str,
) -> tuple[Step, ...]:
    """Lists of rules made anew, up to the last of them that counts."""
    made: list[Step] = []
    for step in steps:
        if isinstance(step, Block):
            own = f"{step.label}: {name}"
            inner = made_of(step.steps, own)
            while inner and not any(counts(item) for item in walk(inner[-1])):
                inner = inner[:-1]
            made += [replace(step, label=own, steps=inner)] if inner else []
        elif isinstance(step, Choose):
            routes = tuple(replace(route, steps=made_of(route.steps, label)) for route in step.routes if not _asks_for_change(route.condition))
            made += [replace(step, routes=routes)] if any(route.steps for route in routes) else []
        else:
            made.append(replace(step, label=label) if isinstance(step, Leave) else step)
    return tuple(made)


def _asks_for_change(condition: Condition) -> bool:
    return any(isinstance(item, Rewritten) for item in walk(condition))


def _without_answers(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """The rules that change the path, or name an origin; the others did not hold."""
    made: list[Step] = []
    for step in steps:
        if isinstance(step, Block):
            made.append(replace(step, steps=_without_answers(step.steps)))
        elif isinstance(step, Choose):
            routes = tuple(replace(route, steps=_without_answers(route.steps)) for route in step.routes if not any(_answers(item) for item in route.steps))
            made += [replace(step, routes=routes)] if any(route.steps for route in routes) else []
        else:
            made.append(step)
    return tuple(made)


def _each_behind(redirects: tuple[Step, ...], rules: tuple[Step, ...]) -> tuple[Step, ...]:
    """Each redirect behind the rules that make a query."""
    if any(isinstance(step, Redirect) for step in redirects):
        return (*rules, *redirects)
    return tuple(
        replace(step, routes=tuple(replace(route, steps=_each_behind(route.steps, rules)) for route in step.routes)) if isinstance(step, Choose) else step
        for step in redirects
    )
