"""Site, Listener -> Caddy site blocks. Mirror: reader/sites.py.

Rule:     a site on plain and TLS listeners is written once, as a snippet that both blocks import, since `tls` may not stand
          in a block for plain HTTP. The site that answers unknown hosts gets an address without a host.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from ....codes import IPV6_TOO, RESTART_LOST, TYPE_BY_NAME
from ....fitting import Branch, Chain, Fork, answer_types, hoist, kept_fields, leaves, own_types, unroll, with_keys_in_patterns, without_flags, without_impossible, without_tables
from ....fitting.aliases import without_lost_pages
from ....fitting.client_chains import join_chains
from ....fitting.closing import deciding_variables
from ....fitting.scripts import split_by_test
from ....fitting.static import asked_once
from ....fitting.every_path import without_every_path
from ....fitting.places import url_as_path
from ....fitting.preflight import answer_preflights
from ....fitting.targets import plain_targets
from ....model import (
    AnswerPlainly, Capture, Disposition, Estate, FileExists, Forward, Gateway, HostName, Listener, Lookup, Refuse, ServeFiles, SetVariable, Site, Span, Template, Var,
    Variable, literal,
)
from ....model.walk import walk
from .. import values
from ..values import quote
from . import errors, files, heads, logs, routes, tls, types
from .context import Context
from .output import Node

_BY_ORDER = ("It answers hosts that no site names, too, as before: it was the first of its port.",)


@dataclass(slots=True)
class Place:
    """A listener that a site answers on, with the addresses that its block gets there."""

    listener: Listener
    addresses: list[str]


def write_site(site: Site, context: Context) -> list[Node]:
    """A site -> its blocks, and the snippet they share if there are several."""
    context.site, context.taken, context.pattern_names, context.tables, context.made_from, context.shared = site, set(), {}, {}, {}, {}
    places = [place for listener in context.estate.listeners_of(site.key) if (place := _place(site, listener, context)).addresses]
    if not places:
        for span in (site.span, *site.also, *(name.span for name in site.names)):
            context.implied(span, "Caddy refuses a handshake for a name that it has no certificate for, and has no site for it")
        return []
    for table in walk(site.program):
        if isinstance(table, Lookup) and table.networks:
            context.implied(table.span, "its networks are asked for where its variable was")
    known = without_flags(site.program) if context.estate.dialect == "nginx" else site.program
    program = answer_types.split_tables(without_every_path(split_by_test(url_as_path(known))))
    program = with_keys_in_patterns(without_tables(asked_once(program) if context.estate.dialect == "nginx" else program, networks_only=True))
    chain, lost = unroll(program, captures_host=any(name.pattern for name in site.names), strict=context.options.strict)
    for restart in lost:
        context.note(restart.span, Disposition.UNSUPPORTED, RESTART_LOST, reason=restart.reason)
    kept_fields.as_conditions(chain)
    chain = without_impossible(without_lost_pages(chain))
    context.deciding = deciding_variables(chain)
    context.reached.update(item for item in walk(chain) if isinstance(item, Span))
    context.captured = {item.pattern for item in walk(chain) if isinstance(item, Capture)}
    source = site.client_from
    for span in (source.span, *source.also) if source is not None else ():
        context.lost(span, "where the client's address comes from", "Caddy has no setting for it until 2.6.3: rules ask for the address of the proxy in front",
                     "ask for the field with a matcher of your own, or set trusted_proxies among the servers' options of a later Caddy")
    chain.items[:0] = _empty_variables(chain)
    join_chains(chain)
    plain_targets(chain, rewrites_inside=True)
    answer_preflights(chain)
    own_types.as_fields(chain, values.text_type)
    dropped = answer_types.by_file_names(chain, lambda field: context.note(field.span, Disposition.CHANGED, TYPE_BY_NAME, field=field.name))
    context.idle.update(dict.fromkeys((field.span for field in dropped), "no answer that is written has such a type"))
    types.note_types_of(site, chain, context)
    pages = errors.choose_pages(chain)
    errors.answer_in_place(chain, pages, context)
    context.forwards = any(isinstance(leaf.answer, Forward | Gateway) for leaf in leaves(chain))
    hoist(chain)
    root, root_spans = _common_root(chain)
    context.root = root
    head: list[Node] = logs.write_logs(site.logs, context)
    if root:
        text = context.template(files.trim(root), root_spans[0] if root_spans else None)
        if isinstance(text, str):
            head.append(Node(["root", "*", quote(text)], None, root_spans, setting=True))
        else:
            context.root = ()
    body = [*head, *heads.write_names(site, context), *routes.write_chain(chain, context)]
    context.in_errors = True
    body += errors.write_pages(pages, site, context)
    context.in_errors = False
    body[len(head):len(head)] = [matcher.definition for matcher in context.shared.values()]  # type: ignore[misc]
    body[:0] = [node for _, node in context.tables.values()]  # type: ignore[misc]
    spans = tuple(span for span in (site.span, *site.also) if span)
    names = tuple(name.span for name in site.names if name.span)
    groups: dict[tuple[bool, bool], list[Place]] = {}
    for place in places:
        for address in place.addresses:
            # A block with an address without a host takes every host, before blocks with shorter names with a star: where
            # there are such, that address stands alone.
            stars = any(row.site != site.key and not row.host.is_exact for row in place.listener.rows)
            other = stars and bool(re.fullmatch(r"https?://(:.*)?", address))
            groups.setdefault((place.listener.secure, other), []).append(Place(place.listener, [address]))
    if len(groups) == 1:
        (secure, _), own = next(iter(groups.items()))
        by_order = any(place.listener.fallback == site.key and not place.listener.fallback_stated and place.listener.rows for place in own)
        comments = (*site.comments, *(_BY_ORDER if by_order else ()))
        return _blocks(own, _tls(site, context) if secure else [], body, (*spans, *names), comments, context)
    name = re.sub(r"[^\w.-]+", "-", site.key).strip("-.")
    nodes = [Node([f"({name})"], body, spans, site.comments)]
    for (secure, _), own in groups.items():
        by_order = any(re.fullmatch(r"https?://(:.*)?", address) and not place.listener.fallback_stated for place in own for address in place.addresses)
        comments = _BY_ORDER if by_order else ()
        nodes += _blocks(own, _tls(site, context) if secure else [], [Node(["import", name])], names, comments, context)
    return nodes


def _empty_variables(chain: Chain) -> list[SetVariable]:
    """What conditions ask of variables that only some requests have: unset, one is nothing to ask for, and not empty (2.6.2, probed)."""
    set_ = {item.name: None for item in _items(chain) if isinstance(item, SetVariable)}
    asked = {part.name for item in _items(chain) if isinstance(item, Fork) for part in walk(item.condition) if isinstance(part, Var) and part.variable is Variable.VARIABLE}
    asked |= {part.name for leaf in leaves(chain) for field in (*leaf.settings.fields, *leaf.settings.request_fields) for part in walk(field.when) if isinstance(part, Var) and part.variable is Variable.VARIABLE}
    return [SetVariable(name, ()) for name in set_ if name in asked]


def _items(chain: Chain) -> Iterator[object]:
    for item in chain.items:
        yield item
        if isinstance(item, Branch):
            for fork in item.forks:
                yield fork
                yield from _items(fork.chain)


def _tls(site: Site, context: Context) -> list[Node]:
    return tls.write_tls(site.tls, context) if site.tls else []


def _blocks(places: list[Place], head: list[Node], body: list[Node], spans: tuple[Span, ...], comments: tuple[str, ...], context: Context) -> list[Node]:
    addresses = list(dict.fromkeys(address for place in places for address in place.addresses))
    listened = tuple(span for place in places for span in (place.listener.span, *place.listener.also) if span)
    binds = sorted({place.listener.address for place in places} - {"", "0.0.0.0", "::"})
    everywhere = {place.listener.address for place in places}
    if everywhere == {"0.0.0.0"}:
        if context.options.strict:
            binds = ["0.0.0.0"]
        else:
            for place in places:
                context.note(place.listener.span, Disposition.CHANGED, IPV6_TOO, port=place.listener.port)
    bind = [Node(["bind", *binds], setting=True)] if binds else []
    words = [f"{address}," for address in addresses[:-1]] + addresses[-1:]
    return [Node(words, [*bind, *head, *body], tuple(dict.fromkeys((*spans, *listened))), comments)]


def _place(site: Site, listener: Listener, context: Context) -> Place:
    """The addresses of a site on one listener."""
    scheme = "https" if listener.secure else "http"
    default, others = {"http": ("80", "443"), "https": ("443", "80")}[scheme]
    port = context.port_of(listener)
    if port == others:
        # caddyconfig/httpcaddyfile/addresses.go: "scheme and port violate convention" (2.6.2, probed).
        context.lost(listener.span, f"{'TLS' if listener.secure else 'plain HTTP'} on port {port}", "Caddy takes no such address", "close the port, which is hardly meant to be open, or choose another one")
        return Place(listener, [])
    suffix = "" if port == default else f":{port}"
    lead = "" if listener.secure and not suffix else f"{scheme}://"
    addresses = []
    for row in listener.rows:
        if row.site != site.key:
            continue
        host = _host(row.host, context)
        if host is not None:
            addresses.append(f"{lead}{host}{suffix}")
    if listener.fallback == site.key and not context.has_other_default(listener):
        addresses.append(f"{scheme}://{suffix}" if suffix else f"{scheme}://")
    return Place(listener, addresses)


def says_host(name: HostName) -> bool:
    """Whether an address can hold a name: a star may only be its first label."""
    return name.pattern is None and not name.text.endswith(".*")


def _host(name: HostName, context: Context) -> str | None:
    if name.pattern is not None:
        context.lost(name.span, name.text, "an address of Caddy holds no regular expression", "list the names that it stands for, one by one or with a star for one label")
        return None
    if name.text.endswith(".*"):
        context.lost(name.span, name.text, "a star may only be the first label of an address", "list the names that it stands for")
        return None
    return name.text


def _common_root(chain: Chain) -> tuple[Template, tuple[Span, ...]]:
    """The root that most file servers and file tests of a site use, and the lines that set it."""
    roots: Counter[Template] = Counter()
    spans: dict[Template, list[Span]] = {}
    for leaf in leaves(chain):
        answer = leaf.answer
        if isinstance(answer, ServeFiles) and answer.whole_path is None and not answer.strip and literal(answer.root) is not None:
            root = files.trim(answer.root)
            roots[root] += 1
            if answer.root_span and answer.root_span not in spans.setdefault(root, []):
                spans[root].append(answer.root_span)
    for item in _conditions(chain):
        if not item.strip and literal(item.root) is not None and item.root:
            roots[files.trim(item.root)] += 1
    if not roots:
        return (), ()
    root = roots.most_common(1)[0][0]
    return root, tuple(spans.get(root, ()))


def _conditions(chain: Chain) -> list[FileExists]:
    from ....fitting import Branch

    return [inner for item in chain.items if isinstance(item, Branch) for fork in item.forks
            for inner in (*(found for found in walk(fork.condition) if isinstance(found, FileExists)), *_conditions(fork.chain))]


def options(estate: Estate, context: Context) -> Node:
    """The global options: no redirects but those written, and the certificate for clients that name no host."""
    block = [Node(["auto_https", "disable_redirects"], comments=("Redirects to HTTPS are written out below, with the status that they had.",))]
    for listener in estate.listeners:
        if listener.secure and isinstance(listener.fallback, str):
            name = next((row.host.text for row in listener.rows if row.site == listener.fallback and row.host.is_exact), None)
            name = name or next((row.host.text for row in listener.rows if row.host.is_exact), None)
            if name and not any(node.words[0] == "default_sni" for node in block):
                block.append(Node(["default_sni", name], comments=("A client that names no host, or an unknown one, gets this one's certificate.",)))
    return Node([], [*block, *heads.write_limit(estate, context)])


def file_of(site: Site) -> str:
    """The name of a site's file: its first name, or that of its listener."""
    name = next((name.text for name in site.names if name.text not in ("_", "", "*") and name.pattern is None), "")
    return re.sub(r"[^\w.-]+", "_", name.replace("*.", "any.").replace(".*", ".any")).strip("_.") or "default"


def unanswered(estate: Estate, context: Context) -> None:
    """Listeners whose unknown hosts are refused need nothing: Caddy refuses a handshake for a name it has no certificate for."""
    for listener in estate.listeners:
        if isinstance(listener.fallback, Refuse | AnswerPlainly):
            for span in (listener.span, *listener.also):
                context.implied(span, "Caddy refuses, or leaves unanswered, names that it has no site for")
