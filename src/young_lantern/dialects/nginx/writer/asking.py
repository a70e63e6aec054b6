"""AskFirst -> nginx `auth_request`, and a location inside that asks. Mirror: ../reader/asking.py.

Rule:     nginx knows three answers: success, 401 and 403; every other is an error of its own, 500. Where the source passes answers on, a redirect
          to a page for signing in above all, that is told.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from ....codes import VERDICT_LOST
from ....fitting import Chain, Leaf, leaves
from ....model import (
    AsReceived, AskFirst, Capture, Disposition, Field, Forward, ForwardTarget, Lookup, LookupRow, Mapped, Operation, Pattern, Respond, Side, Unserved, Var, Variable, Written,
)
from ....model.walk import walk
from ...noting import Unwritable
from ..undisturbed import disturbs, lines_of
from ..values import quote
from .context import Context
from .output import Node

_QUERY = Pattern(r"(\?.*)$", label="asked_query")
_INSIDE = ("Asked before requests are let in; nobody asks for it from outside.",)


def with_copies(chain: Chain) -> Chain:
    """The chain in which what is copied from the answer into the request is a field of the request; changes it in place."""
    for leaf in leaves(chain):
        if leaf.settings.asks:
            copied = tuple(field for step in leaf.settings.asks for field in step.fields)
            leaf.settings = replace(leaf.settings, request_fields=(*copied, *leaf.settings.request_fields))
        if len(leaf.settings.asks) > 1:
            leaf.answer = Unserved("what several origins are asked about first", leaf.settings.asks[0].span)
    return chain


def write_asking(leaf: Leaf, context: Context) -> list[Node]:
    """The lines of a place that is guarded so."""
    if not leaf.settings.asks or isinstance(leaf.answer, Unserved):
        return []
    step = leaf.settings.asks[0]
    path = _location(step, context)
    if isinstance(path, Unwritable):
        context.lost(step.span, "asking an origin first", f"nginx cannot say {path.what}")
        return [Node(["return", "501"], None, (), ("Not carried over: see the report.",))]
    _refusals(step, context)
    spans = tuple(span for span in (step.span, *step.also) if span)
    bare = replace(leaf.settings, asks=())
    names = dict.fromkeys(item.name.lower() for item in walk((bare, leaf.answer)) if isinstance(item, Var) and item.variable is Variable.VERDICT_FIELD)
    return [Node(["auth_request", path], None, spans, step.comments),
            *(Node(["auth_request_set", f"${name_of(name)}", f"$upstream_http_{name.replace('-', '_')}"], None, step.also) for name in names)]


def _refusals(step: AskFirst, context: Context) -> None:
    """Says what becomes of other answers than success: nginx has 401 and 403 as errors of its own, and 500 for all else."""
    others = True
    for refusal in step.forward.in_place:
        others = others and refusal.statuses is not None
        for item in refusal.steps:
            kept = isinstance(item, Field) or isinstance(item, Respond) and item.raises and (refusal.statuses or {500}) == {item.status} and item.status in (401, 403, 500)
            for span in (item.span, refusal.span) if not isinstance(item, Field) or item.span else ():
                if kept:
                    context.implied(span, "nginx makes this answer an error of its own by itself")
                else:
                    context.lost(span, "this answer", "nginx makes 401 and 403 of who is asked first errors of its own, as they are, and 500 of all others", "say what clients get with error_page")
    if others:
        context.note(step.span, Disposition.CHANGED, VERDICT_LOST)


def close_where_rewritten(nodes: list[Node], context: Context) -> None:
    """Lines of a server that would rewrite the question as well: what it guards stays closed; changes them in place."""
    asked = {node.words[2]: node for node in context.named if node.comments == _INSIDE}
    lines = lines_of(nodes)
    for path in (path for path in asked if disturbs(lines, path)):
        for node in _all(nodes):
            if node.words == ["auth_request", path]:
                for span in node.spans:
                    context.lost(span, "asking an origin first", "nginx would put the question through the rules that come before places, too", "write those rules into the places that they are for")
                node.words, node.spans, node.comments = ["return", "501"], (), ("Not carried over: see the report.",)


def _all(nodes: list[Node]) -> Iterator[Node]:
    for node in nodes:
        yield node
        yield from _all(node.block or [])


def name_of(field: str) -> str:
    """The variable that holds a field of the answer."""
    return "asked_" + re.sub(r"\W", "_", field.lower())


def _location(step: AskFirst, context: Context) -> str | Unwritable:
    """The path of the location that asks, which is written once for each question."""
    from .forwards import write_forward

    path = f"/ask-first-{1 + sum(node.words[:2] == ['location', '='] and node.comments == _INSIDE for node in context.named)}"
    length = Field(Side.REQUEST, Operation.REMOVE, "Content-Length")
    forward = replace(step.forward, target=_target(step.forward, context), fields=(*step.forward.fields, length), in_place=(), intercepts_errors=False, upgrades=False, response_fields=())
    nodes = write_forward(forward, (), "", path, [], context)
    if isinstance(nodes, Unwritable):
        return nodes
    if nodes[0].words[0] == "rewrite":
        # One line says it: the path of an exact location is replaced as it stands, the query with it (ngx_http_proxy_create_request; 1.22.1, probed).
        found = nodes.pop(0).words[2].strip('"').removesuffix("?")
        nodes[0].words[1] = quote(nodes[0].words[1].strip('"') + found)
    body = [Node(["internal"]), *nodes, Node(["proxy_pass_request_body", "off"])]
    for node in context.named:
        if node.comments == _INSIDE and [inner.words for inner in node.block or []] == [inner.words for inner in body]:
            node.spans = tuple(dict.fromkeys((*node.spans, *(span for inner in body for span in inner.spans))))
            return node.words[2]
    context.named.append(Node(["location", "=", path], body, (), _INSIDE))
    return path


def _target(forward: Forward, context: Context) -> ForwardTarget:
    """The target of the question. In a request inside, path and query are its own: those of the client are in the target as received."""
    match forward.target:
        case Mapped("", base):
            target: ForwardTarget = Written((*base, Var(Variable.TARGET)))
        case AsReceived():
            target = Written((Var(Variable.TARGET),))
        case Written(template, True) if _is_known(forward, context):
            target = Written((*template, Lookup("asked_query", (Var(Variable.TARGET),), (LookupRow(_QUERY, (Capture(1, _QUERY.label),)),))))
        case Written(template, True):
            target = Written(template)
        case _:
            target = forward.target
    return target


def _is_known(forward: Forward, context: Context) -> bool:
    """Whether the origin's name need not be looked up when a request comes, as nginx does where the URL has variables."""
    pool = context.estate.pool(forward.pool)
    return pool is not None and (not pool.inline or all(re.match(r"[\d.]+:|\[|unix:", member.address) for member in pool.members))
