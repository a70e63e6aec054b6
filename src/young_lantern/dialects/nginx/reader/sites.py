"""nginx `server`, `listen`, `server_name` -> Site, Listener.

Source:   nginx manual, "How nginx processes a request", "Server names"; core module, listen.
Rule:     exact names, then the longest leading wildcard, then the longest trailing one, then patterns in file order; the
          default server is the one that says so, or the first of the port.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ....codes import NAME_CLAIMED_TWICE, TLS_VERSIONS_UNHEARD
from ....model import (
    SITE, Block, Disposition, HostName, HostRow, Listener, PathReading, Placeholder, Refuse, Site, Span, Step,
)
from ..syntax import Directive
from . import answers, client, fields, files, heads, logs, media_types, redirect_names, rewrites, tls
from .context import Context, Scope
from .locations import LOCATE, SiteLocations


@dataclass(slots=True, eq=False)
class Server:
    """A server block with what it says of listeners and names, before the listeners are put together."""

    key: str
    scope: Scope
    directive: Directive
    listens: list["Listen"]
    names: tuple[HostName, ...]


@dataclass(frozen=True, slots=True)
class Listen:
    address: str
    port: int | Placeholder
    secure: bool
    default: bool
    http2: bool
    span: Span


def read_servers(http: Scope, context: Context) -> list[Server]:
    """The server blocks, in file order. Keys are the first name, made unique."""
    servers: list[Server] = []
    keys: set[str] = set()
    for directive in http.own("server"):
        context.use(directive)
        scope = Scope("server", context.block(directive), http, directive)
        names = tuple(name for item in scope.own("server_name") for name in _names(context.use(item), context))
        listens = [made for item in scope.own("listen") if (made := _listen(context.use(item), context))]
        if not listens:
            # core module, listen: *:80 when the server runs with root's privileges.
            listens = [Listen("0.0.0.0", 80, False, False, False, directive.span)]
        key = base = _key(names, listens)
        number = 2
        while key in keys:
            key, number = f"{base} ({number})", number + 1
        keys.add(key)
        servers.append(Server(key, scope, directive, listens, names))
    return servers


def _key(names: tuple[HostName, ...], listens: list[Listen]) -> str:
    name = next((name.text for name in names if name.text not in ("_", "")), "any host")
    secure = any(listen.secure for listen in listens)
    plain = any(not listen.secure for listen in listens)
    return name if secure and plain else f"{name} ({'TLS' if secure else 'plain'})"


def _names(directive: Directive, context: Context) -> list[HostName]:
    made = []
    for word in directive.args:
        if word.startswith("~"):
            pattern = context.pattern(word[1:], directive, ignores_case=True)
            made.append(HostName(word, pattern, span=directive.span))
        elif word.startswith("."):
            made += [HostName(word[1:].lower(), span=directive.span), HostName(f"*{word.lower()}", span=directive.span)]
        else:
            made.append(HostName(word.lower() if "{" not in word else word, span=directive.span))
    return made


# core module, listen: what says nothing, or is read; the others change what is spoken there.
_OPTIONS = frozenset("""ssl default_server default http2 setfib fastopen backlog rcvbuf sndbuf accept_filter deferred bind ipv6only reuseport so_keepalive""".split())


def _listen(directive: Directive, context: Context) -> Listen | None:
    word, *options = directive.args
    if word.startswith("unix:"):
        context.unread(directive, word, "an address or port was expected; unix sockets are not carried")
        return None
    placeholder = re.fullmatch(r"(.*?):?(\$\{\w+\}|\{\{.*?\}\})", word)
    if placeholder:
        address, port = placeholder[1], Placeholder(placeholder[2])
    else:
        address, colon, digits = word.rpartition(":")
        if word.startswith("[") and word.endswith("]"):
            address, digits = word, ""
        elif not colon:
            address, digits = ("", word) if word.isdigit() else (word, "")
        if digits and not digits.isdigit():
            context.unread(directive, word, "an address or port was expected")
            return None
        port = int(digits) if digits else 80  # type: ignore[assignment]
    plain = {"": "0.0.0.0", "*": "0.0.0.0", "localhost": "127.0.0.1"}.get(address, address.strip("[]"))
    if plain == "::" and "ipv6only=off" in options:
        plain = "0.0.0.0"  # core module, listen: it takes connections by IPv4 as well
    for option in options:
        if option.partition("=")[0] not in _OPTIONS:
            # proxy_protocol above all: whoever stands in front sends a line that the target does not understand.
            context.unread(directive, option, "options of a plain listener, or one with TLS, were expected; the target expects no PROXY protocol, and no other than HTTP/1.1 and 2")
    return Listen(plain, port, "ssl" in options, "default_server" in options or "default" in options, "http2" in options, directive.span)


def read_site(server: Server, context: Context) -> Site:
    """A server block -> Site: what it rewrites, then the search for a location."""
    scope = server.scope
    context.ports = {("https" if listen.secure else "http", listen.port) for listen in server.listens}
    locations = SiteLocations(scope, context)
    phase = rewrites.Phase("server rewriting", LOCATE, at_server=True)

    def before_answer(inner: Scope) -> tuple[Step, ...]:
        return (*answers.read_error_pages(inner, locations.call, context), *fields.read_fields(inner, context), *media_types.read_media_types(inner, context))

    rewriting = files.with_root_said(rewrites.read_phase(scope, phase, context, before_answer, []), scope, context)
    steps: list[Step] = [Block(phase.label, rewriting)] if rewriting else []
    steps += locations.steps()
    secure = any(listen.secure for listen in server.listens)
    with context.gather() as spans:
        context.used(scope, "ssl_reject_handshake")
        reading = PathReading(merges_slashes=context.switch(scope, "merge_slashes", True), cookies_mind_case=False, escapes_in_captures="&+;", spares_plain_captures=True, spares_plain_paths=True)  # ngx_http_parse_multi_header_lines
        for line in ("absolute_redirect", "server_name_in_redirect", "port_in_redirect"):
            context.used(scope, line)
    redirect_names.use_lines(server.directive, context)
    return Site(
        key=server.key, names=server.names, program=(Block(SITE, tuple(steps)),),
        tls=tls.read_tls(scope, context, tls.read_clients(scope, context, before_answer)) if secure else None,
        reading=reading, logs=logs.read_logs(scope, context), also=tuple(spans), span=server.directive.span, comments=server.directive.comments,
        client_from=client.read_client(scope, context), heads=heads.read_heads(scope, context), early=before_answer(scope),
    )


def _groups(servers: list[Server]) -> Iterator[tuple[str, object, list[tuple[Server, Listen]], Server]]:
    """Each address and port, the servers that listen there, and the default one."""
    groups: dict[tuple[str, object], list[tuple[Server, Listen]]] = {}
    for server in servers:
        for listen in server.listens:
            groups.setdefault((listen.address, listen.port), []).append((server, listen))
    for (address, port), members in groups.items():
        yield address, port, members, next((server for server, listen in members if listen.default), members[0][0])


def with_versions(made: tuple[Site, ...], servers: list[Server], context: Context) -> tuple[Site, ...]:
    """The sites with the TLS versions that are in force for them: those of the default server of their port.

    A version is agreed on before the host is known (1.22.1, probed; also where the default server refuses the handshake).
    """
    defaults_of: dict[str, Server] = {}
    for _, _, members, default in _groups(servers):
        for server, listen in members:
            if listen.secure:
                defaults_of.setdefault(server.key, default)
    out = []
    for site, server in zip(made, servers, strict=True):
        default = defaults_of.get(server.key)
        if site.tls is None or default is None or default is server:
            out.append(site)
            continue
        versions, span = tls.read_versions(default.scope, context)
        if server.scope.own("ssl_protocols") and set(versions) != set(site.tls.protocols) and server not in defaults_of.values():
            context.say(TLS_VERSIONS_UNHEARD, site.tls.protocols_span, said=" ".join(site.tls.protocols), versions=" ".join(versions), default=str(span or default.directive.span))
            claim = context.claims[site.tls.protocols_span or server.directive.span]
            claim.disposition, claim.why = Disposition.IMPLIED, "it is in force for nobody: the default server of the port decides"
        out.append(replace(site, tls=replace(site.tls, protocols=versions, protocols_span=span)))
    return tuple(out)


def read_listeners(servers: list[Server], context: Context) -> tuple[Listener, ...]:
    """The servers -> one table of names for each address and port."""
    made = []
    for address, port, members, default in _groups(servers):
        rows = _rows([server for server, _ in members], str(port), context)
        secure = any(listen.secure for _, listen in members)
        refuses = secure and context.switch(default.scope, "ssl_reject_handshake", False)
        made.append(Listener(
            address, members[0][1].port, secure, tuple(rows), Refuse() if refuses else default.key,
            any(listen.http2 or context.switch(server.scope, "http2", False) for server, listen in members), span=members[0][1].span,
            also=tuple(listen.span for _, listen in members), fallback_stated=any(listen.default for _, listen in members), heads=heads.read_heads(default.scope, context, is_default=True),
        ))
    return tuple(made)


def _rows(servers: list[Server], port: str, context: Context) -> list[HostRow]:
    first: dict[str, tuple[HostName, Server]] = {}
    for server in servers:
        for name in server.names:
            if name.text in ("_", ""):
                continue
            if name.text in first and first[name.text][1] is not server:
                context.say(NAME_CLAIMED_TWICE, name.span, host=name.text, port=port, winner=str(first[name.text][0].span))
            first.setdefault(name.text, (name, server))
    ranked = sorted(first.values(), key=lambda pair: _rank(pair[0]))
    return [HostRow(name, server.key) for name, server in ranked]


def _rank(name: HostName) -> tuple[int, int]:
    if name.pattern is not None:
        return 3, 0
    if name.text.startswith("*"):
        return 1, -len(name.text)
    if name.text.endswith("*"):
        return 2, -len(name.text)
    return 0, 0
