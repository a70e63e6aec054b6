"""Estate -> httpd tree. Mirror: reader/.

Output:   `httpd.conf` with the modules, ports and balancers, and one file a site below `sites/`, included in the order in which names are tried.
Unknown:  what cannot be written is noted with its source line; a part of the model that no module here takes shows in the
          ledger as `not-written`.
Left out: nothing is decided here: what the source says is written, or noted.
"""

from __future__ import annotations

from collections.abc import Iterator

from ....fitting.hosts import with_hosts_inside
from ....model import CONNECTIONS, REQUESTS, Estate, Span
from ....model.walk import walk
from ...dialect import WriterOptions, Writing
from .. import catalogue, values
from ..values import quote
from . import heads, sites, types
from .context import Context
from .output import Node, Output

_HEAD = (
    "Written by Young Lantern from a configuration of {dialect}.",
    "Start it with the folder of this file: apache2 -d FOLDER -f httpd.conf",
)
_MODULES = ("Where the packages put the modules: Debian here; /etc/httpd/modules on Red Hat.",)
_CLOSED = ("Nothing is open unless a site says so.",)
# What httpd does not start, or does not open a folder, without.
_ALWAYS = ("mpm_event", "authz_core")
# Modules that others need, which therefore are loaded before them.
_ORDER = ("mpm_event", "authz_core", "proxy", "slotmem_shm", "socache_shmcb", "filter")


def write(estate: Estate, options: WriterOptions) -> Writing:
    """The estate as an httpd tree, with notes on what is not simply kept."""
    context = Context(estate, options)
    # ServerAlias knows stars and question marks, no patterns.
    context.estate = estate = with_hosts_inside(context.with_constants(estate), lambda name: name.pattern is None)
    output = Output()
    context.modules.update(_ALWAYS)
    written = sites.write_sites(context)
    listens = sites.write_listens(context)
    others = sites.write_unanswered(context)
    files: dict[str, list[Node]] = {"sites/000-unknown-hosts.conf": others} if others else {}
    for number, (name, together) in enumerate(sites.in_files(written).items(), 1 if others else 0):
        nodes: list[Node] = []
        for site in together:
            shared = f"sites/shared/{site.name}.conf" if sites.needs_sharing(site) else ""
            if shared:
                files[shared] = site.body
            nodes += sites.write_hosts(site, shared, context)
        files[f"sites/{number:03}-{name}.conf"] = nodes
    head, table = _main(listens, estate, context)
    if table:
        files[types.FILE] = table
    for nodes in (head, *files.values()):
        context.modules |= set(_needed(nodes))
    output.write("httpd.conf", [*_modules(context), *head], tuple(line.format(dialect=estate.dialect) for line in _HEAD))
    for name, nodes in files.items():
        output.write(name, nodes)
    for pool in estate.pools:
        if pool.span in context.reached:
            context.reached.update(item for item in walk(pool) if isinstance(item, Span))
    context.tell_trace()
    context.lose_caches("what scripts and other applications answer here is not kept, since httpd would keep the cookies that they set", frozenset(context.caches))
    context.lose_limits(REQUESTS, CONNECTIONS)
    context.lose_the_rest(output.targets)
    told = {note.span for note in context.notes}
    for span in context.structure - told - set(output.targets):
        context.implied(span, "what it asks for is said by where the lines stand")
    context.say_idle(output.targets)
    output.files.update(context.files)
    return Writing(output.files, output.targets, context.notes, context.reached)


def _main(listens: list[Node], estate: Estate, context: Context) -> tuple[list[Node], list[Node]]:
    lines = list(listens)
    if lines:
        lines[0].apart = True
    # Hosts without a name of their own have this one, which none of the others shall have.
    taken = {name.text for site in estate.sites for name in site.names}
    lines += [context.line("ServerName", next(name for name in ("localhost", "main.invalid", "main-server.invalid") if name not in taken or name == "main-server.invalid")), context.line("TraceEnable", "Off")]
    lines += heads.write_shared(estate, context)
    closed = context.line("Directory", quote("/"), comments=_CLOSED, block=[
        context.line("AllowOverride", "None"), context.line("Require", "all", "denied")])
    lines.append(closed)
    if any(site.logs for site in estate.sites):
        lines.append(context.line("LogFormat", quote('%h %l %u %t "%r" %>s %O "%{Referer}i" "%{User-Agent}i"'), "combined"))
    said, table = types.write_types(estate, context)
    lines += said
    lines += context.proxies
    # An Include that finds no file is an error (core, Include), so that an estate without sites has none.
    if estate.sites:
        lines.append(context.line("Include", "sites/*.conf"))
        lines[-1].apart = True
    return lines, table


def _needed(nodes: list[Node]) -> Iterator[str]:
    """The modules that lines belong to."""
    for node in nodes:
        name = node.words[0].lower()
        module = catalogue.MODULES.get(f"<{name}" if node.block is not None else name)
        if module and module not in values.BUILT_IN:
            yield module
        if any("%{SSL:" in word for word in node.words):
            yield "ssl"  # the function of that name is the module's (2.4.71, probed)
        yield from _needed(node.block or [])


def _modules(context: Context) -> list[Node]:
    context.modules.add("mime")
    names = [name for name in _ORDER if name in context.modules] + sorted(context.modules - set(_ORDER))
    lines = [Node(["Define", "MODULES", "/usr/lib/apache2/modules"], comments=_MODULES, apart=True)]
    lines += [Node(["LoadModule", f"{name}_module", f"${{MODULES}}/mod_{name}.so"]) for name in names]
    return lines
