"""Gateway -> Caddy `reverse_proxy` with `transport fastcgi`. Mirror: ../reader/gateways.py.

Rule:     the root is the one in force; a path is taken apart at .php, as the source did, or nearly so: the comparison shows where not.
Left out: applications that are asked by uWSGI's protocol or SCGI, for which Caddy has no transport; scripts below an alias, whose name Caddy would send without the prefix; parameters that the source did not send at all.
"""

from __future__ import annotations

from ....model import Gateway, Operation
from .. import defaults
from ..values import Unwritable, quote, write_duration
from .balancing import choosing
from .context import Context
from .fields import write_operation
from .files import write_root
from .forwards import write_interception, write_status
from .output import Node


_NAMES = {"uwsgi": "uWSGI's protocol", "scgi": "SCGI"}


def write_gateway(step: Gateway, context: Context) -> list[Node] | Unwritable:
    """Gateway -> nodes: the root where it differs, then `reverse_proxy`."""
    if step.protocol != "fastcgi":
        return Unwritable(f"an application that is asked by {_NAMES[step.protocol]}")
    if step.strip:
        return Unwritable("a script below an alias")
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    pool = context.estate.pool(step.pool)
    if pool is not None and pool.span is not None and not pool.inline:  # an origin by itself has the span of the line that asks it first
        context.reached.add(pool.span)
    named, choice = choosing(pool, step, context) if pool else ([], [])
    addresses = [_address(member.address) for member in named] if pool else [_address(step.pool)]
    if not addresses:
        return Unwritable("an origin: there is none that can be asked")
    # fastcgi.go, splitPos: without a word to split at, nothing would be the script and all of the path its information.
    transport: list[Node] = [Node(["split", ".php"])]
    for name, value in step.parameters:
        if not value:
            continue
        text = context.template(value, step.span)
        if isinstance(text, Unwritable):
            context.lost(step.span, f"the parameter {name}", f"Caddy has no placeholder for {text.what}")
            continue
        transport.append(Node(["env", name, quote(text)]))
    if step.read_seconds:
        transport.append(Node(["read_timeout", write_duration(step.read_seconds)]))
    block = [*choice, *_up(step, context), Node(["transport", "fastcgi"], transport or None)]
    for field in step.response_fields:
        words = write_operation(field, True, context)
        if isinstance(words, Unwritable):
            context.lost(field.span, field.name, f"its value needs {words.what}, for which there is no placeholder")
        else:
            block.append(Node(["header_down", *words], None, (field.span,) if field.span else ()))
    block += [*write_interception(step), *write_status(step)]
    pool_spans = tuple(span for span in (pool.span, pool.policy_span, *(member.span for member in pool.members)) if span) if pool else ()
    words = ["reverse_proxy", *map(quote, addresses)]
    return [*write_root(step.root, step, context), Node(words, block, (*spans, *pool_spans), (*(pool.comments if pool else ()), *step.comments))]


def _address(address: str) -> str:
    """`unix:/run/php.sock` -> `unix//run/php.sock`."""
    return "unix/" + address.removeprefix("unix:") if address.startswith("unix:") else address


def _up(step: Gateway, context: Context) -> list[Node]:
    nodes = []
    for item in step.fields:
        if item in defaults.FORWARDED_FIELDS or item.span is None:
            continue
        words = write_operation(item, True, context)
        if isinstance(words, Unwritable) or item.operation is Operation.EDIT:
            context.lost(item.span, item.name, "what the application gets of it cannot be said")
            continue
        nodes.append(Node(["header_up", *words], None, (item.span,)))
    return nodes
