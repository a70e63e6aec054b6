"""Site, Listener -> `<VirtualHost>`. Mirror: reader/sites.py.

Source:   Apache HTTP Server manual, "An In-Depth Discussion of Virtual Host Matching": names are tried in the order of the files, gateways, and the first host of
          a port answers unknown ones.
Rule:     hosts stand in an order in which every name comes to the site that it came to; the one that answers unknown hosts comes first.
          A site on plain and TLS listeners is a host for each, whose common lines stand in a file that both include.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from itertools import groupby

from ....codes import CLIENT_BEHIND_ALL, IPV6_TOO, NO_COUNTERPART, RESTART_LOST
from ....fitting import Branch, Chain, Leaf, answer_types, kept_fields, leaves, own_types, unroll, with_redirects_by_row, without_flags, without_impossible, without_tables
from ....fitting.closing import deciding_variables, of_paths
from ....fitting.every_path import without_every_path
from ....fitting.guards import close_asked, close_unguarded, exempt_clients
from ....fitting.conditional import with_conditions, without_idle_changes
from ....fitting.own_names import of_slashes
from ....fitting.places import plain_paths
from ....fitting.scripts import spelt_out
from ....fitting.aliases import without_idle_cuts, without_lost_pages
from ....fitting.spread import spread
from ....fitting.static import asked_once
from ....fitting.targets import plain_targets
from ....fitting.trying import without_loops
from ....model import SYSTEM_TRUST, AnswerPlainly, AskFirst, Disposition, Estate, Forward, Gateway, HostName, Listener, Redirect, Rewrite, ServeFiles, Site, SiteTls, Span, Var, Variable
from ....model.walk import walk
from ....patterns import host_matches
from ..values import quote, word
from . import applications, files, gateways, heads, logs, plans, routes, settings, tls, waits
from .context import Context
from .kept_connections import closed_after_pages
from .output import Node
from .tables import empty_at_times, tables_as_variables

_BY_ORDER = "First of its port, so that it answers hosts that no site names, as before."


@dataclass
class Host:
    """A virtual host to be: a site on one listener, with the names it has there."""

    site: Site
    listener: Listener
    names: tuple[str, ...]
    spans: tuple[Span, ...]
    is_default: bool


@dataclass
class Written:
    """The lines of a site that all its hosts share; `name` is that of its files."""

    name: str
    body: list[Node]
    hosts: list[Host] = field(default_factory=list)


def write_sites(context: Context) -> list[Written]:
    """The sites in the order in which they must be read."""
    estate = context.estate
    hosts = [host for listener in estate.listeners for host in _hosts(listener, context)]
    made: list[Written] = []
    for site in _ordered(hosts, estate):
        own = [host for host in hosts if host.site is site]
        if not own:
            for span in (site.span, *site.also, *(name.span for name in site.names)):
                context.implied(span, "no listener leads to it")
            continue
        name, number = file_of(site), 2
        while name in {other.name for other in made}:
            name, number = f"{file_of(site)}-{number}", number + 1
        made.append(Written(name, write_body(site, context), own))
    return made


def in_files(written: list[Written]) -> dict[str, list[Written]]:
    """Sites of one name in one file, where the order in which names are tried allows for it."""
    together: dict[str, list[Written]] = {}
    for item in written:
        together.setdefault(file_of(item.hosts[0].site), []).append(item)
    if _holds([host for items in together.values() for item in items for host in item.hosts]):
        return together
    return {item.name: [item] for item in written}


def _holds(hosts: list[Host]) -> bool:
    """Whether on each listener the first host is the one for unknown names, and no name with a star comes before another site's that it holds."""
    for listener in dict.fromkeys(host.listener for host in hosts):
        here = [host for host in hosts if host.listener == listener]
        if any(host.is_default for host in here[1:]) and not here[0].is_default:
            return False
        for number, host in enumerate(here):
            wide = [name for name in host.names if "*" in name]
            if any(host_matches(name, other, False) for name in wide for later in here[number + 1:] for other in later.names):
                return False
    return True


def write_body(site: Site, context: Context) -> list[Node]:
    """What a site does with its requests, the same on all its listeners."""
    context.site, context.variables, context.rewritten = site, set(), False
    # nginx sends no field of an answer whose value is empty.
    context.empty_at_times = empty_at_times(site.program) if context.estate.dialect == "nginx" else set()
    captures_host = any(name.pattern for name in site.names)
    known = without_flags(site.program) if context.estate.dialect == "nginx" else site.program
    by_row = with_redirects_by_row(answer_types.split_tables(without_every_path(spelt_out(known))))
    program = without_tables(asked_once(by_row) if context.estate.dialect == "nginx" else by_row)
    chain, lost = unroll(tables_as_variables(with_conditions(program)), captures_host=captures_host, own_requests=True, strict=context.options.strict)
    for restart in lost:
        context.note(restart.span, Disposition.UNSUPPORTED, RESTART_LOST, reason=restart.reason)
    kept_fields.as_conditions(chain)
    chain = without_idle_cuts(chain, context.cut_in_vain)
    plain_targets(chain, rewrites_inside=False)
    passing: set[int] = set()
    chain = plain_paths(without_lost_pages(chain), context.options.strict)
    chain = without_loops(spread(exempt_clients(without_idle_changes(without_impossible(chain, lambda field: False)), methods=True), passing))
    chain = close_unguarded(close_asked(chain, lambda step, leaf: _asked(step, leaf, context)))
    context.deciding = deciding_variables(chain)
    own_types.defaults_as_settings(chain)
    waits.choose_wait(chain, context)
    applications.as_origins(chain, context)
    scripts = gateways.as_files(chain, context)
    # What was left out by then decides nothing, and is told to be idle.
    context.reached.update(item for item in walk(chain) if isinstance(item, Span))
    context.document_root = files.choose_root(chain, context.told_roots)
    context.asked_indexes = routes.indexes_of_origins(chain)
    if _asks_by_rules(chain, passing):
        passing.clear()
    plan = routes.write_plan(chain, passing, context)
    plans.settle_passed(plan, context)
    head, sections = settings.write_settings(plan, chain, context)
    logged = logs.write_logs(site.logs, logs.unlogged(plan.cases, context), context)
    plans.finish(plan, [*head, *sections, *logged], context)
    nodes: list[Node] = []
    if context.document_root:
        roots = tuple(leaf.answer.root_span for leaf in leaves(chain) if isinstance(leaf.answer, ServeFiles) and files.in_document_root(leaf.answer, context))
        nodes.append(context.line("DocumentRoot", quote(context.document_root), spans=roots))
    if site.reading.encoded_slash_status is None:
        nodes.append(context.line("AllowEncodedSlashes", "On"))
    if not site.reading.merges_slashes:
        nodes.append(context.line("MergeSlashes", "Off"))
    nodes += [*heads.write_heads(site, context), *waits.write_wait(context), *_client(site, context), *logged]
    nodes += head
    if (line := _redirect_all(plan, context)) is not None:
        nodes.append(line)
    elif plan.events:
        nodes += [context.line("RewriteEngine", "On"), *(node for event in plan.events for node in event.nodes)]
        nodes[-sum(len(event.nodes) for event in plan.events) - 1].apart = True
    if any(isinstance(item, Forward) for item in walk(chain)):
        nodes += _proxy(plan, chain, context)
    nodes += plan.aliases
    served = [(case.leaf.answer, case.parts) for case in plan.cases if isinstance(case.leaf.answer, ServeFiles)]
    closed = closed_after_pages([*nodes, *sections], plan.mappings, context)
    return [*nodes, *files.write_folders(served, chain, context), *sections, *closed, *scripts]


def _asks_by_rules(chain: Chain, passing: set[int], by_rule: bool = False) -> bool:
    """Whether a rule asks an origin, for what is more than a path: what is passed on to be mapped would not come to it."""
    for item in chain.items:
        if isinstance(item, Rewrite):
            by_rule = by_rule or id(item) not in passing
        elif isinstance(item, Branch):
            if any(_asks_by_rules(fork.chain, passing, by_rule or not of_paths(fork.condition)) for fork in item.forks):
                return True
        elif isinstance(item, Leaf) and isinstance(item.answer, Forward) and by_rule:
            return True
    return False


def _asked(step: AskFirst, leaf: Leaf, context: Context) -> None:
    """What would be let in by an origin is closed, and what it would be is lost."""
    context.lost(step.span, "asking an origin first", "httpd asks no origin whether a request may go on", "let the application that is guarded ask it, or keep this part behind the old server")
    if not isinstance(leaf.answer, ServeFiles):  # files may be served elsewhere, too, by the same line
        context.left.update(item for item in walk((leaf.answer, step)) if isinstance(item, Span))


# A network of all addresses is none that httpd takes (2.4.71, probed), and without a list nobody's word counts for private addresses.
_HALVES = {"0.0.0.0/0": ("0.0.0.0/1", "128.0.0.0/1"), "::/0": ("::/1", "8000::/1")}


def _client(site: Site, context: Context) -> list[Node]:
    """Where the client's address is taken from. Mirror: reader/client.py."""
    source = site.client_from
    if source is None:
        return []
    spans = tuple(span for span in (source.span, *source.also) if span)
    if not source.walks:
        context.note(source.span, Disposition.CHANGED, CLIENT_BEHIND_ALL, field=source.field)
    internal = source.networks if source.internal is None else source.internal
    lines = [context.line("RemoteIPHeader", source.field, spans=spans)]
    for is_internal, networks in groupby(source.networks, lambda network: network in internal):
        words = [part for network in networks for part in _HALVES.get(network, (network,))]
        lines.append(context.line("RemoteIPInternalProxy" if is_internal else "RemoteIPTrustedProxy", *words, spans=spans))
    return lines


def _redirect_all(plan: plans.Plan, context: Context) -> Node | None:
    """A host that does nothing but send everybody elsewhere, path and query included."""
    match plan.cases:
        case [plans.Case(leaf=Leaf(answer=Redirect(status=status, location=(str() as url, Var(Variable.TARGET | Variable.TARGET_NOW)))), parts=())] if (
                len(plan.events) == 1 and "://" in url and url.count("/") == 2 and not context.options.strict):
            word = {301: ["permanent"], 302: []}.get(status, [str(status)])
            made = context.line("Redirect", *word, quote("/"), quote(f"{url}/"), spans=plan.events[0].nodes[-1].spans, comments=plan.events[0].nodes[0].comments)
            plan.events[0].nodes = []
            return made
    return None


def _proxy(plan: plans.Plan, chain: object, context: Context) -> list[Node]:
    """Whose Host goes on, and that no field is added by itself."""
    lines = [context.line("ProxyPreserveHost", "On"), context.line("ProxyAddHeaders", "Off")]
    lines[0].apart = True
    if any(isinstance(item, Forward) and item.secure for item in walk(chain)):
        lines += _origin_tls([item for item in walk(chain) if isinstance(item, Forward) and item.secure], context)
    reverses = {tuple(node.words): node for node in plan.reverses}
    return [*lines, *plan.mappings, *reverses.values()]


def _origin_tls(forwards: list[Forward], context: Context) -> list[Node]:
    """What is checked of origins' certificates: for all of a host alike, and so as much as any of its places asks for."""
    lines = [context.line("SSLProxyEngine", "On")]
    spans = tuple(dict.fromkeys(span for step in forwards for span in (step.tls.span, *step.tls.also) if span))
    checked = [step.tls for step in forwards if step.tls.checks == "all"]
    if checked:
        why = () if checked[0].trusted else ("The system's own list, where Debian has it; /etc/pki/tls/certs/ca-bundle.crt on Red Hat.",)
        lines += [context.line("SSLProxyVerify", "require", spans=spans), context.line("SSLProxyCACertificateFile", quote(checked[0].trusted or SYSTEM_TRUST[0]), spans=spans, comments=why)]
    elif all(step.tls.checks == "nothing" for step in forwards):
        why = ("The source does not check the origin's certificate; httpd would check its name and dates.",)
        lines += [context.line("SSLProxyCheckPeerName", "Off", spans=spans, comments=why), context.line("SSLProxyCheckPeerExpire", "Off", spans=spans)]
    for step in forwards:
        if step.tls.name:
            context.lost(step.tls.span, "the name that is asked of the origin", "httpd asks for the name of its address")
    return lines


# --- hosts -----------------------------------------------------------------------------------------------------------------------

def _hosts(listener: Listener, context: Context) -> list[Host]:
    made = []
    for site in context.estate.sites:
        names: list[str] = []
        spans: list[Span] = []
        for number, row in enumerate(listener.rows):
            if row.site != site.key or row.host.is_any or _winner(row.host, listener, number) != site.key:
                continue
            text = _name(row.host, context)
            if text:
                names.append(text)
            spans += [row.host.span] if row.host.span and row.host.span not in spans else []
        is_any = next((row.site for row in listener.rows if row.host.is_any), None)
        default = listener.fallback == site.key if is_any is None else is_any == site.key
        for name in site.names if default else ():
            if name.is_exact and name.text not in ("_", "") and name.text not in names:
                names.append(name.text)
                spans += [name.span] if name.span and name.span not in spans else []
        if names or default:
            made.append(Host(site, listener, tuple(dict.fromkeys(names)), tuple(spans), default))
    return made


def _winner(host: HostName, listener: Listener, number: int) -> str:
    for row in listener.rows[:number + 1]:
        if row.host is host or row.host.is_any:
            return row.site
        if host.pattern is None and row.host.pattern is None and host_matches(row.host.text, host.text.replace("*", "a"), row.host.one_label):
            return row.site
    return listener.rows[number].site


def _name(host: HostName, context: Context) -> str:
    if host.pattern is not None:
        context.lost(host.span, host.text, "httpd knows stars and question marks in names, no patterns", "name the hosts, or ask for the host in a rule of the first site")
        return ""
    return host.text


def _ordered(hosts: list[Host], estate: Estate) -> list[Site]:
    """Sites in the order of their files: whoever answers unknown hosts first, then exact names before those with stars."""
    def rank(site: Site) -> tuple[int, int, int]:
        own = [host for host in hosts if host.site is site]
        wide = [name for host in own for name in host.names if "*" in name]
        return (0 if any(host.is_default for host in own) else 1, 1 if wide else 0, -min((len(name) for name in wide), default=0))

    return sorted(estate.sites, key=rank)


def write_hosts(written: Written, shared: str, context: Context) -> list[Node]:
    """The virtual hosts of a site; `shared`: the file they include, "" when there is one host only."""
    nodes = []
    groups: dict[tuple[tuple[str, ...], bool], list[Host]] = {}
    for host in written.hosts:
        groups.setdefault((host.names, host.listener.secure), []).append(host)
    for (names, secure), own in groups.items():
        site = own[0].site
        context.site = site
        places = [_address(host.listener, context) for host in own]
        head = [context.line("ServerName", word(names[0]), spans=tuple(span for host in own for span in host.spans))] if names else []
        if names and "*" in names[0]:
            head = [context.line("ServerName", word(_stem(names[0]))), context.line("ServerAlias", *map(word, names), spans=tuple(span for host in own for span in host.spans))]
        elif names[1:]:
            head.append(context.line("ServerAlias", *map(word, names[1:]), spans=tuple(span for host in own for span in host.spans)))
        head += _own_name(site, context)
        if secure:
            head += tls.write_tls(site.tls or SiteTls(), file_of(site), any(host.listener.http2 for host in own), context)
        by_order = any(host.is_default and not host.listener.fallback_stated and host.listener.rows for host in own)
        comments = (*site.comments, *((_BY_ORDER,) if by_order else ()))
        body = [context.line("Include", quote(shared))] if shared else written.body
        spans = tuple(span for span in (site.span, *site.also) if span)
        nodes.append(context.line("VirtualHost", *dict.fromkeys(places), spans=spans, comments=comments, block=[*head, *body]))
    return nodes


def _own_name(site: Site, context: Context) -> list[Node]:
    """Mirror: reader/own_names.py. It counts for variables and for what an origin's redirects become, too: not where there are any."""
    front = of_slashes(site)
    if front is None or not front.host or front.port not in ("", "*") or any(isinstance(item, Forward | Gateway) or item == Var(Variable.HOST) for item in walk(site.program)):
        return []
    lines = [context.line("UseCanonicalName", "On", comments=("The slash that is added to a folder's path goes out with this name, as before.",))]
    return lines + ([context.line("UseCanonicalPhysicalPort", "On")] if front.port else [])


def needs_sharing(written: Written) -> bool:
    return len({(host.names, host.listener.secure) for host in written.hosts}) > 1


def _stem(name: str) -> str:
    # One that the star stands for: ServerName must be none that no name was.
    return re.sub(r"^\*", "any", re.sub(r"\*$", "invalid", name))


def _address(listener: Listener, context: Context) -> str:
    return f"{_host(listener.address) or '*'}:{context.port_of(listener)}"


def _host(address: str) -> str:
    return "" if address in ("", "0.0.0.0", "::") else f"[{address}]" if ":" in address else address


def write_listens(context: Context) -> list[Node]:
    """The ports that are opened, each once; httpd opens a port without an address for IPv4 and IPv6 alike."""
    made: dict[str, Node] = {}
    everywhere = {context.port_of(listener) for listener in context.estate.listeners if listener.address in ("", "0.0.0.0")}
    for listener in context.estate.listeners:
        port = context.port_of(listener)
        host = "" if port in everywhere else "[::]" if listener.address == "::" else _host(listener.address)
        text = f"{host}:{port}" if host else port
        context.has_other_default(listener)
        if listener.address == "0.0.0.0" and not any(str(other.port) == str(listener.port) and other.address == "::" for other in context.estate.listeners):
            context.note(listener.span, Disposition.CHANGED, IPV6_TOO, port=listener.port)
        if text in made:
            made[text].spans = tuple(dict.fromkeys((*made[text].spans, *(span for span in (listener.span, *listener.also) if span))))
        else:
            made[text] = context.line("Listen", text, spans=(listener.span, *listener.also))
    return list(made.values())


def write_unanswered(context: Context) -> list[Node]:
    """Hosts for names that no site has, on listeners where they were refused or answered plainly; they are the first of their port."""
    nodes: list[Node] = []
    for listener in context.estate.listeners:
        if isinstance(listener.fallback, str) or any(row.host.is_any for row in listener.rows):
            continue
        head: list[Node] = []
        if listener.secure:
            source = next((context.estate.site(row.site) for row in listener.rows), None)
            head += tls.write_tls(source.tls or SiteTls() if source else SiteTls(), file_of(source) if source else "default", False, context)
        if isinstance(listener.fallback, AnswerPlainly):
            status, why = listener.fallback.status, f"Hosts that no site names get {listener.fallback.status} without content, as before."
            body = [context.line("AllowEncodedSlashes", "On"), context.line("RewriteEngine", "On"), context.line("RewriteRule", quote("^"), "-", f"[R={status},L]"), context.line("ErrorDocument", str(status), quote("%{ENV:none}"))]
        else:
            why = "Hosts that no site names were refused without an answer; httpd sends 403."
            body = [context.line("RewriteEngine", "On"), context.line("RewriteRule", quote("^"), "-", "[F]")]
            context.note(listener.span, Disposition.CHANGED, NO_COUNTERPART, directive="hosts that no site names", reason="httpd sends an answer whatever happens: 403", advice="drop them in the firewall")
        nodes.append(context.line("VirtualHost", _address(listener, context), comments=(why,), block=[*head, *body]))
    return nodes


def file_of(site: Site) -> str:
    name = next((name.text for name in site.names if name.text not in ("_", "", "*") and name.pattern is None), "")
    return re.sub(r"[^\w.-]+", "_", name.replace("*.", "any.").replace(".*", ".any")).strip("_.") or "default"
