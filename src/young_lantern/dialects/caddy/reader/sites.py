"""Caddy site blocks -> Site, Listener. Mirror: writer/sites.py.

Source:   Caddy documentation, "Caddyfile Concepts" (addresses), "Automatic HTTPS"; httpcaddyfile (2.6.2, probed).
Rule:     a host without scheme is HTTPS on 443, and plain HTTP is redirected to it unless that is switched off; hosts are
          tried the more specific first; an unknown host on a plain port is 200 without content.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

from ....model import (
    AnswerPlainly, Block, Choose, ErrorPage, ErrorPages, Fallback, FileExists, HostName, HostRow, Listener, LogTo, Placeholder,
    Redirect, Refuse, ServeFiles, SetVariable, Site, Span, Step, Template, Unserved, Var, Variable, join,
)
from ....model.walk import transform
from ....patterns import host_matches
from .. import defaults
from ..syntax import Directive
from ..values import odd_stars
from .context import Context, Level
from .heads import OWN_HEADS, offers_http2, read_heads
from .routes import ERROR_ROOT, read_level
from .tables import find_tables
from .tls import read_tls, unread_clients

# Certificate authorities issue none for these; Caddy then uses its own (automatic HTTPS, "Local HTTPS"), redirects all the same.
_ADDRESS = re.compile(r"(?:(?P<scheme>https?)://)?(?P<host>\[[^\]]*\]|(?:\$?\{[^}]*\}+|[^:/{])*)(?::(?P<port>\d+|\$?\{.*\}))?(?P<path>/.*)?")


@dataclass(frozen=True, slots=True)
class Address:
    host: str
    port: int | Placeholder
    secure: bool
    explicit: bool  # scheme or port is written


def read_address(text: str, options: dict[str, list[str]]) -> Address | None:
    """`[scheme://][host][:port]` -> Address; None when it is none, has a path, or stars that are read nowhere."""
    if re.fullmatch(r"\{\$?\w+\}|\{\{.*\}\}|\$\{\w+\}", text):
        return Address(text, 443, True, False)
    found = _ADDRESS.fullmatch(text)
    if not found or found["path"] or odd_stars(found["host"]):
        return None
    plain, secure_port = (usual_port(options, name) for name in ("http_port", "https_port"))
    scheme, host, port = found["scheme"], found["host"], found["port"]
    host = host if "{" in host else host.lower()
    number: int | Placeholder = (int(port) if port.isdigit() else Placeholder(port)) if port else 0
    if not number:
        number = plain if scheme == "http" else secure_port
    off = options.get("auto_https", [""])[0] == "off"
    secure = scheme == "https" or (scheme is None and number != plain and (bool(host) or number == secure_port) and not off)
    return Address(host, number, secure, bool(scheme or port))


@dataclass(slots=True)
class Read:
    site: Site
    addresses: list[Address]
    binds: list[str]
    pages: ErrorPages | None = None
    root: Template = (".",)


def read_sites(blocks: list[Directive], context: Context) -> tuple[tuple[Site, ...], tuple[Listener, ...]]:
    """The site blocks -> sites and listeners, the automatic redirects to HTTPS among them."""
    made = [one for block in blocks if (one := _read_site(block, context))]
    sites = [_with_pages(one, made) for one in made]
    groups: dict[tuple[str, str], list[tuple[Address, Read]]] = {}
    for one in made:
        for address in one.addresses:
            for bind in one.binds or [""]:
                groups.setdefault((bind, str(address.port)), []).append((address, one))
    redirects = _automatic(made, context)
    plain = ("", str(usual_port(context.options, "http_port")))
    if redirects is not None:
        sites += redirects[0]
        groups.setdefault(plain, [])
    listeners = []
    for (bind, port), members in groups.items():
        rows = _rows(members)
        secure = any(address.secure or one.site.tls is not None for address, one in members)
        if redirects is not None and (bind, port) == plain:
            known = {row.host.text for row in rows}
            rows += [HostRow(HostName(host, one_label=True, span=span), key) for host, span, key in redirects[1] if host not in known]
        # autohttps.go (2.6.2, probed): the redirects end with one for any host, unless the port has a block that takes all.
        others: Fallback = redirects[0][0].key if redirects is not None and (bind, port) == plain else AnswerPlainly(200)
        fallback: Fallback = next((row.site for row in rows if row.host.is_any), others)
        rows = list(itertools.takewhile(lambda row: not row.host.is_any, rows))
        if secure and not isinstance(fallback, str):
            fallback = Refuse()
        number = members[0][0].port if members else usual_port(context.options, "http_port")
        span = members[0][1].site.span if members else None
        listeners.append(Listener(bind, number, secure, tuple(rows), fallback, secure and offers_http2(bind, port, context), drops_final_dot=False, heads=read_heads(bind, port, context) if members else OWN_HEADS, span=span))
    return tuple(sites), tuple(listeners)


def _rows(members: list[tuple[Address, Read]]) -> list[HostRow]:
    """The hosts in the order they are tried: block by block, the more specific block first.

    httpcaddyfile serversFromPairings (2.6.2, probed): blocks with a star or without a host come after those without; within
    each the longest host decides. A block with an address without host takes every host, at the place that its longest gives it.
    """
    blocks: dict[int, tuple[Read, list[str]]] = {}
    for address, one in members:
        blocks.setdefault(id(one), (one, []))[1].append(address.host)

    def rank(block: tuple[Read, list[str]]) -> tuple[bool, bool, int]:
        longest = max(len(host) - host.count("*") for host in block[1])
        return longest == 0, any("*" in host or not host for host in block[1]), -longest

    rows = []
    for one, hosts in sorted(blocks.values(), key=rank):
        names = ["*"] if "" in hosts else hosts
        rows += [HostRow(HostName(name, one_label=name != "*", span=one.site.span), one.site.key) for name in names]
    return rows


def _with_pages(one: Read, made: list[Read]) -> Site:
    """The site with the error pages in force: error routes belong to the server, so that those of a block for more hosts
    serve a block for fewer that has none (2.6.2, probed)."""
    hosts = [address.host for address in one.addresses]
    order = sorted(made, key=lambda other: min(address.host.count("*") - len(address.host) for address in other.addresses))
    wider = [other for other in order if other.pages and {a.port for a in other.addresses} & {a.port for a in one.addresses}
             and all(any(not a.host or host_matches(a.host, host, True) for a in other.addresses) for host in hosts)]
    # The root is a variable of the request: the wider block's error pages look where this site's root points.
    pages, before = (one.pages, one.root) if one.pages is not None or not wider else (wider[0].pages, wider[0].root)
    if pages is None:
        return replace(one.site, program=_with_roots(one.site.program, lambda root: (), one.root))
    # The same pages stand wherever the root is the same: what is asked of them is asked once.
    for_root = cache(lambda root: (_rooted(pages, before, root),))
    program = _with_roots(one.site.program, for_root, one.root)
    return replace(one.site, program=(*for_root(one.root), *program))


def _rooted(pages: ErrorPages, before: Template, after: Template) -> ErrorPages:
    """The error pages, their files looked for below another root, unless they set a root themselves."""
    return replace(pages, pages=tuple(replace(page, steps=_elsewhere(page.steps, before, after)) for page in pages.pages))


def _elsewhere(steps: tuple[Step, ...], before: Template, after: Template) -> tuple[Step, ...]:
    made: list[Step] = []
    for number, step in enumerate(steps):
        if isinstance(step, SetVariable) and step.name == ERROR_ROOT:
            return (*made, *_elsewhere(steps[number + 1:], before, before))
        if isinstance(step, Block):
            made.append(replace(step, steps=_elsewhere(step.steps, before, after)))
        elif isinstance(step, Choose):
            conditions = [transform(route.condition, lambda value: _moved(value, before, after)) for route in step.routes]
            made.append(replace(step, routes=tuple(replace(route, condition=held, steps=_elsewhere(route.steps, before, after)) for route, held in zip(step.routes, conditions, strict=True))))
        else:
            made.append(transform(step, lambda value: _moved(value, before, after)))
    return tuple(made)


def _moved(value: object, before: Template, after: Template) -> object:
    return replace(value, root=after) if isinstance(value, ServeFiles | FileExists) and value.root == before else value


def _with_roots(steps: tuple[Step, ...], pages: Callable[[Template], tuple[Step, ...]], root: Template) -> tuple[Step, ...]:
    """The steps with error pages put where the root changes."""
    made: list[Step] = []
    for step in steps:
        if isinstance(step, SetVariable) and step.name == ERROR_ROOT:
            made += pages(step.value) if step.value != root else ()
        elif isinstance(step, Choose):
            made.append(replace(step, routes=tuple(replace(route, steps=_with_roots(route.steps, pages, root)) for route in step.routes)))
        elif isinstance(step, Block):
            made.append(replace(step, steps=_with_roots(step.steps, pages, root)))
        else:
            made.append(step)
    return tuple(made)


def usual_port(options: dict[str, list[str]], name: str) -> int | Placeholder:
    """The port that `http_port` or `https_port` sets, which may be left to deployment."""
    word = options.get(name, ["80" if name == "http_port" else "443"])[0]
    return int(word) if word.isdigit() else Placeholder(word)


def _automatic(made: list[Read], context: Context) -> tuple[list[Site], list[tuple[str, Span | None, str]]] | None:
    """The sites that send clients to HTTPS, that for the usual port first; and (host, line, site) for each name that is sent there."""
    if context.options.get("auto_https", [""])[0] in ("off", "disable_redirects"):
        return None
    secure = [(address, one.site.span) for one in made for address in one.addresses if address.secure]
    if not secure:
        return None
    # autohttps.go, makeRedirRoute (2.6.2): a port is named unless it is one of the usual ones, or is set as the one for HTTPS or plain HTTP.
    usual = {80, 443, *(usual_port(context.options, name) for name in ("http_port", "https_port"))}
    sites: dict[int | Placeholder, Site] = {}
    for port in (443, *(address.port for address, _ in secure)):
        said = () if port in usual else (":", port if isinstance(port, Placeholder) else str(port))
        key = "".join((" on port ", port.spelling if isinstance(port, Placeholder) else str(port)) if said else ())
        target = join("https://", Var(Variable.HOST_SENT), said, Var(Variable.TARGET_NOW))
        sites.setdefault(port if said else 443, Site(f"automatic redirect to HTTPS{key}", (), (Redirect(308, target),), reading=defaults.READING))
    # A name on several ports is sent to the usual one, if that is among them.
    hosts: dict[str, tuple[str, Span | None, str]] = {}
    for address, span in sorted(secure, key=lambda found: found[0].port not in usual):
        if address.host:
            hosts.setdefault(address.host, (address.host, span, sites.get(address.port, sites[443]).key))
    # Of a name and a star that holds it, on ports of their own, Caddy takes one or the other, anew each time it starts (2.6.2, probed): here the name.
    return list(sites.values()), sorted(hosts.values(), key=lambda found: "*" in found[0])


def _read_site(block: Directive, context: Context) -> Read | None:
    words = [part for word in block.words for part in word.text.split(",") if part]
    addresses = []
    for word in words:
        address = read_address(word, context.options)
        if address is None:
            context.unread(block, word, "an address such as example.com, http://example.com or :8080 was expected (paths in addresses are not read, nor are stars for other labels than the first)")
        else:
            addresses.append(address)
    if not addresses:
        return None
    inner = block.block or []
    level = Level([item for item in inner if not item.name.startswith("@")], {item.name: item for item in inner if item.name.startswith("@")})
    context.lookups = {}
    find_tables(level, context)
    own = [item for item in level.directives if not context.claims[item.span].disposition]
    tls = [item for item in own if item.name == "tls"]
    binds = [word for item in own if item.name == "bind" for word in context.use(item).args]
    errors = [item for item in own if item.name == "handle_errors"]
    logs = tuple(step for item in own if item.name == "log" for step in _log(item, level, context))
    level.directives = [item for item in level.directives if item.name not in ("tls", "bind", "handle_errors", "log")]
    program = list(read_level(level, context))
    pages = _errors(errors, level, context) if errors else None
    secure = any(address.secure for address in addresses) or bool(tls)
    key = ", ".join(words)
    made = read_tls(tls, context) if secure else None
    closed = unread_clients(tls, made)
    if closed is not None:
        program = [Unserved(closed.span.directive, closed.span)]
    site = Site(
        key, tuple(HostName(address.host or "*", one_label=True, span=block.span) for address in addresses), (defaults.MEDIA_TYPES, *program),
        made, defaults.READING, logs, block.span, comments=block.comments,
    )
    return Read(site, addresses, binds, pages, level.root)


def _log(directive: Directive, level: Level, context: Context) -> tuple[LogTo, ...]:
    from .logs import read_log

    context.use(directive)
    return read_log(directive, directive.args, level, context)  # type: ignore[return-value]


def _errors(directives: list[Directive], level: Level, context: Context) -> ErrorPages:
    steps: list[Step] = []
    for directive in directives:
        context.use(directive)
        inside = level.below(directive)
        inside.in_errors = True
        steps += read_level(inside, context)
    span = directives[0].span
    return ErrorPages((ErrorPage(None, steps=tuple(steps), restores=True, span=span, comments=directives[0].comments),), span=span)
