"""httpd `Listen`, `<VirtualHost>`, `ServerName`, `ServerAlias` -> Listener, Site.

Source:   Apache HTTP Server manual, "Name-based Virtual Host Support", "An In-Depth Discussion of Virtual Host Matching"; vhost.c.
Rule:     virtual hosts for the very address come before those for any; among them names are tried in file order, a wildcard alias before
          a later exact name; if no name fits, the first one answers. Without any for the port the main server does. A host for any port answers where
          none names the port.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from ....codes import NAME_CLAIMED_TWICE, PORT_NAMED_ELSEWHERE, PORT_NOT_OPEN
from ....model import Disposition, HostName, HostRow, Listener, Pattern, Placeholder, Site, Span, TraceMethod
from ....patterns import host_matches, search
from .. import defaults
from . import client, heads, logs, own_names, tls
from .context import Context, Node
from .file_codings import with_file_codings
from .folders import with_folder_files
from .host import Host
from .mappings import folders_of_patterns, read_aliases
from .places import glob_pattern, read_sections
from .program import Program

_PORT = re.compile(r"(.*?):?(\$\{\w+\}|\{\{.*?\}\}|\d+|\*)$")


@dataclass(slots=True, eq=False)
class VirtualHost:
    """`node` None: the main server. `places`: (address or "", port or "*") pairs. `balancers`: the pools of those that it can ask, by their URL."""

    key: str
    node: Node | None
    nodes: list[Node]
    places: list[tuple[str, str]]
    names: tuple[HostName, ...]
    secure: bool
    balancers: dict[str, str] = field(default_factory=dict)


def read_hosts(nodes: list[Node], context: Context) -> list[VirtualHost]:
    """The virtual hosts in file order, the main server last."""
    hosts: list[VirtualHost] = []
    keys: set[str] = set()
    for node in nodes:
        if node.name != "<virtualhost":
            continue
        context.use(node)
        inner = node.block or []
        places = [_place(word) for word in node.args]
        hosts.append(VirtualHost("", node, inner, places, _names(inner, context), tls.is_secure([*nodes, *inner], context)))
    hosts.append(VirtualHost("", None, nodes, [], _names(nodes, context), tls.is_secure(nodes, context)))
    for host in hosts:
        name = next((name.text for name in host.names), "main server" if host.node is None else "any host")
        ports = {port for _, port in host.places}
        base = host.key = f"{name} ({'TLS' if host.secure else 'plain'})" if host.node is not None and _both(name, hosts) else name if host.node is not None or not ports else name
        number = 2
        while host.key in keys:
            host.key, number = f"{base} ({number})", number + 1
        keys.add(host.key)
    _with_main_name(hosts)
    return hosts


def _with_main_name(hosts: list[VirtualHost]) -> None:
    """vhost.c, ap_fini_vhost_config (2.4.71, probed): a virtual host for any address that has no ServerName has that of the main server.

    It is put down where it decides something: not with the host that unknown names lead to anyway, unless one behind it has the name.
    """
    own = next((node for node in hosts[-1].nodes if node.name == "servername"), None)
    main = next((name for name in hosts[-1].names if own is not None and name.span == own.span), None)
    for number, host in enumerate(hosts[:-1]):
        if main is None or any(node.name == "servername" for node in host.nodes) or any(address for address, _ in host.places):
            continue
        ports = {port for _, port in host.places}
        beside = [(at, other) for at, other in enumerate(hosts[:-1]) if other is not host and ("*" in ports or any(port in ports | {"*"} for _, port in other.places))]
        if any(at < number for at, _ in beside) or any(name.text == main.text or name.pattern is not None or "*" in name.text for at, other in beside for name in other.names):
            host.names = (main, *host.names)


def _both(name: str, hosts: list[VirtualHost]) -> bool:
    return len({host.secure for host in hosts if host.node is not None and any(item.text == name for item in host.names[:1])}) == 2


def _place(word: str) -> tuple[str, str]:
    found = _PORT.fullmatch(word)
    if word in ("*", "_default_"):
        return "", "*"
    # apr_parse_addr_port: a port stands behind a colon, or alone; the last number of `192.0.2.7` is none.
    if found is None or ":" not in word.rpartition("]")[2] and not word.isdigit() and "{" not in word:
        return "" if word == "0.0.0.0" else word.strip("[]"), "*"
    address = found[1].rstrip(":").strip("[]")
    return "" if address in ("*", "_default_", "0.0.0.0", "::", "") else address, found[2]


def _names(nodes: list[Node], context: Context) -> tuple[HostName, ...]:
    made = []
    for node in context.take(nodes, "servername", "serveralias"):
        for word in node.args[:1] if node.name == "servername" else node.args:
            text = re.sub(r"^https?://|:(\d+|\$\{\w+\})$", "", word).rstrip(".")
            text = text if "{" in text else text.lower()
            odd = "?" in text or text.count("*") > 1 or ("*" in text and not re.fullmatch(r"\*\..+|.+\.\*|\*", text))
            # ap_strcasecmp_match: a star stands for anything, dots too.
            pattern = Pattern("^" + re.sub(r"\\?\*", ".*", glob_pattern(text, anchored=False).replace("[^/]*", ".*").replace("[^/]", ".")) + "$", "pcre", True) if odd else None
            made.append(HostName(text, pattern, span=node.span))
    # ServerName is tried before the aliases, wherever it is written.
    return tuple(made)


def read_site(host: VirtualHost, main: list[Node], listeners: tuple[Listener, ...], context: Context) -> Site:
    """A virtual host -> Site."""
    context.balancers = host.balancers
    own = host.nodes if host.node is not None else [node for node in main if node.name != "<virtualhost"]
    around = [node for node in main if node.name != "<virtualhost"] if host.node is not None else []
    root = context.last(own, "documentroot") or context.last(around, "documentroot")
    folder = root.args[0] if root and root.args else defaults.DOCUMENT_ROOT
    named = context.last(own, "servername") or context.last(around, "servername")
    server_name = re.sub(r"^https?://|:\d+$", "", named.args[0]) if named and named.args else ""
    folders = [folder.rstrip("/"), *(text.rstrip("/") for nodes in (own, around) for _, _, text in read_aliases(nodes, context)), *folders_of_patterns([*own, *around])]
    sections = with_folder_files(read_sections([*around, *own], context), folders, [*around, *own], context)
    sections = with_file_codings(sections, around, own, folders, context)
    made = Host(own, around, sections, folder, root, server_name, host.secure)
    with context.gather() as spans:
        for name in ("allowencodedslashes", "mergeslashes", "usecanonicalname", "usecanonicalphysicalport"):
            context.last([*around, *own], name)
    site = Site(
        key=host.key, names=host.names, program=Program(made, context).steps(), tls=tls.read_tls([*around, *own], context) if host.secure else None,
        reading=_reading([*around, *own], context), logs=logs.read_logs(own, around, context), span=host.node.span if host.node else root.span if root else None,
        also=tuple(spans), comments=host.node.comments if host.node else (),
        client_from=client.read_client(own, around, context), trace=_trace(own, around, context),
    )
    here = [listener for listener in listeners if listener.fallback == host.key or any(row.site == host.key for row in listener.rows)]
    return own_names.with_own_names(site, own, around, here, context)


def _trace(own: list[Node], around: list[Node], context: Context) -> TraceMethod:
    """core.c, TraceEnable: on unless something is said; a virtual host's own counts for it."""
    node = context.last(own, "traceenable") or context.last(around, "traceenable")
    return TraceMethod(node is None or not node.args or node.args[0].lower() != "off", node.span if node is not None else None)


def _reading(nodes: list[Node], context: Context):  # type: ignore[no-untyped-def]
    encoded, merges = context.last(nodes, "allowencodedslashes"), context.last(nodes, "mergeslashes")
    reading = defaults.READING
    if encoded is not None and encoded.args and encoded.args[0].lower() != "off":
        reading = replace(reading, encoded_slash_status=None, keeps_encoded_slashes=encoded.args[0].lower() == "nodecode")
    if merges is not None and merges.args and merges.args[0].lower() == "off":
        reading = replace(reading, merges_slashes=False)
    return reading


def read_listeners(main: list[Node], hosts: list[VirtualHost], context: Context) -> tuple[Listener, ...]:
    """The ports that are listened on, each with its table of names."""
    made = []
    lines = context.take(main, "listen")
    opened: list[tuple[str, str, Span | None, bool]] = []
    for node in lines:
        found = _PORT.fullmatch(node.args[0]) if node.args else None
        if found is None:
            context.value(node, " ".join(node.args), "an address or port was expected")
            continue
        address = found[1].rstrip(":").strip("[]")
        opened.append(("" if address in ("0.0.0.0", "*", "::") else address, found[2], node.span, node.args[1:2] == ["https"]))
    if not opened:
        # Part of a larger configuration: the ports are those that the virtual hosts are for.
        ports = dict.fromkeys((port, host.node.span if host.node else None) for host in hosts for _, port in host.places if port != "*")
        opened = [("", port, span, False) for port, span in {port: span for port, span in reversed(list(ports))}.items()] or [("", "80", None, False)]
    _unopened(hosts, {port for _, port, _, _ in opened}, context)
    for address, port, span, _ in _distinct(opened):
        fitting = [host for host in hosts if any(place[1] in ("*", port) for place in host.places)]
        addresses = sorted({place[0] for host in fitting for place in host.places if place[0] and place[1] in ("*", port)})
        for own in ([address] if address else [*addresses, ""]):
            # vhost.c, find_ipaddr, find_default_server (2.4.71, probed): hosts that name the port keep out those for any port of the same address.
            choices = [(place, port_of) for place in ([own, ""] if own else [""]) for port_of in (port, "*")]
            here = next((found for choice in choices if (found := [host for host in fitting if choice in host.places])), [])
            for host in fitting:
                if host not in here and (own, "*") in host.places:
                    context.say(PORT_NAMED_ELSEWHERE, host.node.span if host.node is not None else None, port=port, host=host.key)
            made.append(_listener(own, port, here, _rows(here, port, context), hosts[-1], span, context))
    return tuple(made)


def with_versions(made: tuple[Site, ...], listeners: tuple[Listener, ...]) -> tuple[Site, ...]:
    """The sites with the TLS versions that are in force for them: of one that names none, those of the first host of its address (2.4.71, probed)."""
    first: dict[str, str] = {}
    for listener in listeners:
        if listener.secure and isinstance(listener.fallback, str):
            for row in listener.rows:
                first.setdefault(row.site, listener.fallback)
    by_key = {site.key: site for site in made}
    out = []
    for site in made:
        default = by_key.get(first.get(site.key, ""))
        if site.tls is not None and not site.tls.protocols and default is not None and default.tls is not None:
            site = replace(site, tls=replace(site.tls, protocols=default.tls.protocols, protocols_span=default.tls.protocols_span))
        out.append(site)
    return tuple(out)


def _distinct(opened: list[tuple[str, str, Span | None, bool]]) -> list[tuple[str, str, Span | None, bool]]:
    seen: dict[tuple[str, str], tuple[str, str, Span | None, bool]] = {}
    for item in opened:
        seen.setdefault(item[:2], item)
    return list(seen.values())


def _listener(address: str, port: str, here: list[VirtualHost], rows: list[HostRow], main: VirtualHost, span: Span | None, context: Context) -> Listener:
    secure = any(host.secure for host in here) if here else main.secure
    number: int | Placeholder = int(port) if port.isdigit() else Placeholder(port)
    # Whoever is the first for the address reads the request.
    around = [node for node in main.nodes if node.name != "<virtualhost"]
    read = heads.read_heads(here[0].nodes if here else around, around, context)
    for host in here[1:]:
        heads.tell_unheard(host.nodes, here[0].key, context)
    return Listener(address, number, secure, tuple(rows), here[0].key if here else main.key, secure and any(tls.offers_http2([*around, *host.nodes], context) for host in here or [main]), span=span, fallback_stated=not here, heads=read)


def _rows(here: list[VirtualHost], port: str, context: Context) -> list[HostRow]:
    """The names in the order they are tried. One that an earlier host has, by name or by a star, is never met."""
    rows: list[HostRow] = []
    for host in here:
        for name in host.names:
            by = next((row for row in rows if row.host.text == name.text or name.is_exact and not row.host.is_exact and _takes(row.host, name.text)), None)
            if by is None:
                rows.append(HostRow(name, host.key))
            elif by.site != host.key:
                if name.span is not None and len(name.span.directive.split()) == 2:
                    claim = context.claims[name.span]
                    claim.disposition, claim.why = Disposition.IMPLIED, f"the name is answered by the host at {by.host.span}"
                context.say(NAME_CLAIMED_TWICE, name.span, host=name.text, port=port, winner=str(by.host.span))
    return rows


def _takes(wide: HostName, host: str) -> bool:
    return search(wide.pattern, host) is not None if wide.pattern is not None else host_matches(wide.text, host, wide.one_label)


def _unopened(hosts: list[VirtualHost], ports: set[str], context: Context) -> None:
    for host in hosts:
        for _, port in host.places:
            if port != "*" and port not in ports and host.node is not None:
                context.say(PORT_NOT_OPEN, host.node.span, port=port, host=host.key)
