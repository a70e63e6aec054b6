"""httpd configuration -> Estate. Mirror: ../writer/.

Source:   Apache HTTP Server manual 2.4, confirmed on 2.4.71.
Unknown:  a directive nobody claims becomes `unsupported` (unknown) or `implied` (known, but without effect here).
Left out: ways to say who one is other than basic credentials of a file: what they guard is not answered.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ....codes import SITE_NOT_ENABLED
from ....model import Estate, MediaType, Var, Variable
from ....model.walk import with_part
from ....source.places import Pairs
from ...dialect import Reading
from .. import values
from . import balancing, compression, endings, environment, forwards, maps, sites
from .context import Context, Node
from .folders import FolderFiles
from .load import Loader


def read(main: Path, files: Pairs = ()) -> Reading:
    """The configuration that begins in `main` (httpd.conf, apache2.conf) -> Reading. Raises SourceUnreadable.

    files: where document roots lie on this machine, so that the `.htaccess` files in them are read
    """
    main = main.absolute()
    context = Context(modules=set())
    loader = Loader(main, context, files)
    nodes = loader.load(main)
    if not loader.loads:
        # No LoadModule anywhere: this is part of a larger configuration, which has the modules.
        context = Context()
        loader = Loader(main, context, files)
        nodes = loader.load(main)
    context.folders = FolderFiles(loader, loader.tree.places, context)
    for node in context.take(nodes, "logformat"):
        if len(node.args) > 1:
            context.formats[node.args[1]] = node.span
            context.claims[node.span].claimed = False
    environment.with_one_case(list(_all(nodes)))
    maps.read_maps(_all(nodes), loader.tree.places, context)
    context.environment, context.maybe_empty = environment.names_set(list(_all(nodes))), environment.may_be_empty(list(_all(nodes)))
    context.compressed, context.named_types = compression.types_of(list(_all(nodes))), compression.named_types(list(_all(nodes)))
    shared = _media_types(nodes, context)
    context.shared_types = {item.span for item in shared if item.span}
    hosts = sites.read_hosts(nodes, context)
    # What the main server, the last, says of balancers is there for all others.
    common = balancing.read_balancers(hosts[-1].nodes, balancing.Balancers(), context)
    hosts[-1].balancers = context.balancers
    for host in hosts[:-1]:
        balancing.read_balancers(host.nodes, common, context)
        host.balancers = context.balancers
    listeners = sites.read_listeners(nodes, hosts, context)
    used = {row.site for listener in listeners for row in listener.rows} | {listener.fallback for listener in listeners}
    made = tuple(sites.read_site(host, nodes, listeners, context) for host in hosts if host.key in used)
    made = sites.with_versions(made, listeners)
    if context.modules is not None and "unique_id" in context.modules and values.UNIQUE_ID not in context.environment:
        # mod_unique_id.c, set_unique_id (2.4.71, probed): rules and expressions know it, too.
        made = with_part(made, Var(Variable.VARIABLE, values.UNIQUE_ID), (Var(Variable.REQUEST_ID),))
    estate = Estate("apache", listeners, made, tuple(context.pools.values()), shared, "")
    forwards.tell_of_places(context)
    forwards.tell_of_proxy_sections(nodes, context)
    endings.tell_endings(made, loader.tree.places, context)
    context.settle()
    inactive = _inactive(loader)
    for path in inactive:
        context.say(SITE_NOT_ENABLED, None, file=loader.tree.name_of(path))
    order = {name: number for number, name in enumerate(loader.tree.texts)}
    context.findings.sort(key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))
    return Reading("apache", main, loader.here, estate, list(context.claims.values()), context.findings, dict(loader.tree.texts),
                   loader.files, tuple(loader.tree.name_of(path) for path in inactive), context.folders.beside, (*files, *context.folders.tops.items(), *context.found_files.items()),
                   loader.given, frozenset(loader.defined))


def _all(nodes: list[Node]) -> Iterator[Node]:
    for node in nodes:
        yield node
        yield from _all(node.block or [])


def _media_types(nodes: list[Node], context: Context) -> tuple[MediaType, ...]:
    return tuple(
        MediaType(extension.lstrip("."), node.args[0], node.span) for node in nodes if node.name == "addtype" and node.args and "httpd-php" not in node.args[0]
        for extension in context.use(node).args[1:]
    )



def _inactive(loader: Loader) -> list[Path]:
    """Files beside the enabled ones that no include reached: those in a folder named `*-available`, but for modules' own."""
    found = []
    for folder in sorted(loader.here.glob("sites-available")):
        found += [path for path in sorted(folder.iterdir()) if path.is_file() and path.resolve() not in loader.paths]
    return found
