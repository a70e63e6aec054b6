"""Forward -> Caddy `reverse_proxy`. Mirror: reader/forwards.py.

Rule:     what Caddy does by itself (Host as sent, the three X-Forwarded fields, upgrades, kept connections) is not
          written; what it does besides is noted.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....codes import CLIENT_CHAIN_TRUST, ORIGIN_CONNECTION, ORIGIN_GZIP, PROXY_DEFAULTS
from ....fitting.cookies import as_edits
from ....fitting.mapping import as_received
from ....model import (
    AfterRewrite, AsReceived, Disposition, Field, Forward, Gateway, Mapped, Operation, Pool, Redirect, Side, Var, Variable, Written, join,
)
from ....model.walk import walk
from ...encodings import before_encoding
from .. import values
from ..values import Unwritable, quote
from . import rewrites
from .answers import write_redirect
from .balancing import choosing
from .context import Context
from .fields import write_operation
from .output import Node

_ERRORS = ("They are answered by the error pages below.",)
_HOP_BY_HOP = frozenset({"connection", "keep-alive", "te", "upgrade", "expect", "proxy-authorization", "trailer"})
# What Caddy sends by itself: field in lower case -> the templates that mean the same.
_HOST_AS_SENT = (Var(Variable.HOST),), (Var(Variable.AUTHORITY),), (Var(Variable.FIELD, "host"),)
_BY_ITSELF = {
    "host": _HOST_AS_SENT,
    "x-forwarded-for": ((Var(Variable.CLIENT),), (Var(Variable.CLIENT_CHAIN),)),
    "x-forwarded-proto": ((Var(Variable.SCHEME),),),
    "x-forwarded-host": _HOST_AS_SENT,
}


def write_forward(step: Forward, context: Context) -> list[Node] | Unwritable:
    """Forward -> nodes: what cuts the path, then `reverse_proxy`."""
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    pool = context.estate.pool(step.pool)
    if pool is not None and pool.span is not None and not pool.inline:  # an origin by itself has the span of the line that asks it first
        context.reached.add(pool.span)
    addresses, more = _members(pool, step, context)
    if not addresses:
        return Unwritable("an origin: there is none that can be asked")
    before, inside = _target(step, context)
    if isinstance(inside, Unwritable):
        return inside
    block = [*more, *inside, *_up(step, context), *_down(step, context), *_transport(step, context)]
    if not step.buffers:
        block.append(Node(["flush_interval", "-1"]))
    if step.http_version != "1.1":
        context.note(step.span, Disposition.KEPT, ORIGIN_CONNECTION, version=step.http_version)
    instead = _in_place(step, context)
    if isinstance(instead, Unwritable):
        return instead
    block += [*instead, *write_interception(step), *write_status(step)]
    pool_spans = tuple(span for span in (pool.span, pool.policy_span, *(member.span for member in pool.members)) if span) if pool else ()
    node = Node(["reverse_proxy", *map(quote, addresses)], block or None, (*spans, *pool_spans), (*(pool.comments if pool else ()), *step.comments))
    return [*before, node]


def _in_place(step: Forward, context: Context) -> list[Node] | Unwritable:
    """Answers in the place of the origin's, by its status."""
    made: list[Node] = []
    # What was cut off before the origin was asked is part of the path again.
    cut = step.target.prefix.removesuffix("/") if isinstance(step.target, Mapped) else ""
    for item in step.in_place:
        match item.steps:
            case (Redirect() as redirect,) if item.statuses:
                location = join(*(piece for part in redirect.location for piece in ((cut, part) if part == Var(Variable.PATH) else (part,))))
                nodes = write_redirect(replace(redirect, location=location), context)
                if isinstance(nodes, Unwritable):
                    return nodes
                codes = [str(code) for code in sorted(item.statuses)]
                name = f"@{'_'.join(codes[:3])}"
                made += [Node([name, "status", *codes], None, (item.span,) if item.span else ()), Node(["handle_response", name], nodes)]
            case _:
                return Unwritable("an answer in the place of the origin's that is no redirect")
    return made


def write_status(step: Forward | Gateway) -> list[Node]:
    """What stands in the place of the request's method, and of the origin's status."""
    spans = (step.method_span,) if isinstance(step, Forward) and step.method_span else ()
    method = [Node(["method", step.method], None, spans)] if step.method else []
    return method if step.sends_status is None else [*method, Node(["replace_status", str(step.sends_status or "{err.status_code}")])]


def write_interception(step: Forward | Gateway) -> list[Node]:
    """Errors of an origin that the error pages are for become errors of Caddy's own."""
    codes = ["4xx", "5xx"] if step.intercepted is None or len(step.intercepted) >= 200 else [str(code) for code in sorted(step.intercepted) if code >= 400]
    if not step.intercepts_errors or not codes:
        return []
    spans = (step.intercepts_span,) if step.intercepts_span else ()
    return [Node(["@errors", "status", *codes], None, spans), Node(["handle_response", "@errors"], [Node(["error", '""', "{rp.status_code}"])], spans, _ERRORS)]


def _members(pool: Pool | None, step: Forward, context: Context) -> tuple[list[str], list[Node]]:
    if pool is None:
        return [step.pool], []
    named, more = choosing(pool, step, context)
    scheme = "https://" if step.secure else "h2c://" if step.protocol == "h2c" else ""
    return [f"unix/{member.address.removeprefix('unix:')}" if member.address.startswith("unix:") else scheme + member.address for member in named], more


def _target(step: Forward, context: Context) -> tuple[list[Node], list[Node] | Unwritable]:
    """What stands before the reverse_proxy, and within it, so that the origin is asked for the right target."""
    spans = (step.span,) if step.span else ()
    match as_received(step.target):
        case AsReceived():
            return [], []
        case AfterRewrite(rewrite):
            made = rewrites.write_rewrite(rewrite, context)
            return [], made if isinstance(made, Unwritable) else [Node(["rewrite", made[0].words[-1]])]
        case Written(template, adds_query):
            if template[-1:] == (Var(Variable.TARGET),):
                # A path that is put into a target is escaped by Caddy itself, and the query stays (2.6.2, probed).
                template, adds_query = (*template[:-1], Var(Variable.ORIGINAL_PATH)), True
            behind = ""
            if template[-1:] == (Var(Variable.QUERY, "&"),) and any(isinstance(part, str) and "?" in part for part in template):
                # rewrite.go, buildQueryString (2.6.2, probed): of a query that is empty nothing comes, the sign before it neither.
                template, behind = template[:-1], "&{query}"
            if Var(Variable.TARGET) in template:
                return [], Unwritable("the target as received, within another")
            text = context.template(before_encoding(template, values.SPOILS), step.span)
            if isinstance(text, Unwritable):
                return [], text
            if adds_query or behind:
                return [], [Node(["rewrite", quote(text + behind)])]
            return [], [Node(["rewrite", quote(text if "?" in text else f"{text}?")])]
        case Mapped(prefix, replacement):
            base = context.template(before_encoding(replacement, values.SPOILS), step.span)
            if isinstance(base, Unwritable):
                return [], base
            cut = prefix
            if prefix.endswith("/") and base.endswith("/"):
                cut, base = prefix[:-1], base[:-1]
            before = [] if not cut or context.strip in (cut, prefix) else [Node(["uri", "strip_prefix", quote(cut)], None, spans)]
            return before, [Node(["rewrite", quote(base + "{uri}")])] if base else []
    raise AssertionError(step.target)


def _up(step: Forward, context: Context) -> list[Node]:
    nodes: list[Node] = []
    told = {field.name.lower() for field in step.fields if field.span or field.operation is Operation.SET}
    for field in step.fields:
        name = field.name.lower()
        if name in _HOP_BY_HOP:
            context.implied(field.span, "fields of one connection (RFC 9110 section 7.6.1) are the proxy's own affair; Caddy passes upgrades on")
            continue
        if field.operation in (Operation.SET, Operation.ADD) and field.value in _BY_ITSELF.get(name, ()) and not (field.value == (Var(Variable.HOST),) and _ports_show(context)):
            if field.value == (Var(Variable.CLIENT_CHAIN),):
                if context.options.strict:
                    nodes.append(Node(["trusted_proxies", "0.0.0.0/0", "::/0"], None, (field.span,) if field.span else ()))
                else:
                    context.note(field.span, Disposition.CHANGED, CLIENT_CHAIN_TRUST)
            else:
                context.implied(field.span, "Caddy sends this field by itself, with this value")
            continue
        if field.value == (Var(Variable.POOL),):
            text: list[str] | Unwritable = [field.name, quote(step.pool)]
        else:
            text = write_operation(field, True, context)
        if isinstance(text, Unwritable):
            context.lost(field.span, field.name, f"its value needs {text.what}, for which there is no placeholder")
            continue
        nodes.append(Node(["header_up", *text], None, (field.span,) if field.span else (), field.comments))
    added = [name for name in ("X-Forwarded-For", "X-Forwarded-Proto", "X-Forwarded-Host") if name.lower() not in told]
    if added and context.estate.dialect != "caddy":
        context.note(step.span, Disposition.KEPT, PROXY_DEFAULTS, fields=", ".join(added))
    return nodes


def _ports_show(context: Context) -> bool:
    """Whether the Host field has a port where the site answers, so that the host alone is another value."""
    return context.site is not None and any(str(listener.port) not in ("80", "443") for listener in context.estate.listeners_of(context.site.key))


def _down(step: Forward, context: Context) -> list[Node]:
    nodes = []
    for field in (*as_edits(step, "re2", context.lost), *step.response_fields):
        words = write_operation(field, True, context)
        if isinstance(words, Unwritable):
            context.lost(field.span, field.name, f"its value needs {words.what}, for which there is no placeholder")
            continue
        nodes.append(Node(["header_down", *words], None, (field.span,) if field.span else ()))
    own_host = any(field.name.lower() == "host" and field.value == (Var(Variable.POOL),) for field in step.fields)
    for mapping in step.redirects:
        if mapping.when is not None:
            context.lost(mapping.span, "the mapping of redirects", "it holds for some of these paths only")
            continue
        escaped = tuple(re.escape(part) if isinstance(part, str) else part for part in mapping.prefix)
        prefix, replacement = context.template(escaped, mapping.span), context.template(mapping.replacement, mapping.span)
        if isinstance(prefix, Unwritable) or isinstance(replacement, Unwritable):
            context.lost(mapping.span, "the mapping of redirects", "it holds a value for which there is no placeholder")
            continue
        if mapping.span is None and not own_host:
            continue  # the origin is given the public host, so that its redirects need no mapping
        comment = () if mapping.span else ("Redirects of the origin are mapped back, as before by default.",)
        nodes.append(Node(["header_down", "Location", quote("^" + prefix), quote(replacement.replace("$", "$$"))],
                          None, (mapping.span,) if mapping.span else (), comment))
    return nodes


def _transport(step: Forward, context: Context) -> list[Node]:
    lines = [Node([name, values.write_duration(seconds)]) for name, seconds in
             (("dial_timeout", step.connect_seconds), ("read_timeout", step.read_seconds), ("write_timeout", step.send_seconds)) if seconds]
    if step.secure:
        spans = tuple(span for span in (step.tls.span, *step.tls.also) if span)
        if step.tls.checks != "all":
            lines.append(Node(["tls_insecure_skip_verify"], None, spans, ("The source does not check who signed the origin's certificate.",)))
        elif step.tls.trusted:
            lines.append(Node(["tls_trusted_ca_certs", quote(step.tls.trusted)], None, spans))
        if step.tls.name:
            lines.append(Node(["tls_server_name", quote(step.tls.name)], None, spans))
    if not step.asks_gzip and not _takes_coding(step, context):
        context.note(None, Disposition.CHANGED, ORIGIN_GZIP)
    elif not step.asks_gzip:
        lines.append(Node(["compression", "off"], None, (), ("Origins are asked for no coding, as before; Caddy by itself would ask for gzip then.",)))
    pool = context.estate.pool(step.pool)
    if step.protocol == "h2c" and (step.secure or pool is not None and any(member.address.startswith("unix:") for member in pool.members)):
        lines.append(Node(["versions", *(["2"] if step.secure else ["h2c", "2"])]))
    return [Node(["transport", "http"], lines)] if lines else []


def _takes_coding(step: Forward, context: Context) -> bool:
    """Whether the origin shall not see which codings a client takes: so says the step itself, or a rule of the site."""
    items = list(walk(context.site.program)) if context.site is not None else []
    others = {field for item in items if isinstance(item, Forward) for field in item.fields}
    return any(_is_taken(field) for field in (*step.fields, *(item for item in items if isinstance(item, Field) and item not in others)))


def _is_taken(field: Field) -> bool:
    return field.side is Side.REQUEST and field.name.lower() == "accept-encoding" and (field.operation is Operation.REMOVE or field.operation is Operation.SET and not field.value)
