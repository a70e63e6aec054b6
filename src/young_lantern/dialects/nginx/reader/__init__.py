"""nginx configuration -> Estate. Mirror: ../writer/.

Source:   nginx manual; rules read for 1.22 to 1.27, confirmed on 1.22.1.
Unknown:  a directive nobody claims becomes `unsupported` (unknown) or `implied` (known, but without effect here).
Left out: the http block of another file than the main one is read through include only, as the server does.
"""

from __future__ import annotations

from pathlib import Path

from ....codes import SITE_NOT_ENABLED
from ....errors import SourceUnreadable
from ....model import Disposition, Estate
from ....source import SourceTree
from ....source.places import Pairs, Places
from ...dialect import Reading
from .. import defaults
from . import media_types, pools, sites, tables
from .context import Context, Scope
from .load import HOME, Loader, inactive_files, names_used


def read(main: Path, files: Pairs = ()) -> Reading:
    """The configuration that begins in `main` (nginx.conf) -> Reading. Raises SourceUnreadable."""
    main = main.absolute()
    places = Places(files, main.parent, HOME)
    tree = SourceTree(main.parent, places)
    context = Context(places=places)
    loader = Loader(tree, context)
    directives = loader.load(main)
    context.set_lines, context.captures = names_used(directives, context)
    context.set_names = frozenset(context.set_lines)
    opened = [directive for directive in directives if directive.name == "http"]
    if not opened:
        raise SourceUnreadable("has no http block, so it serves no site", file=tree.name_of(main), line=1)
    for name in ("http", "events"):
        for directive in directives:
            if directive.name == name:
                context.use(directive)
                context.claims[directive.span].disposition = Disposition.KEPT
                context.claims[directive.span].why = "what stands in it is accounted for line by line"
    http = Scope("http", context.block(opened[0]), None, opened[0])
    tables.find_tables(http, context)
    for directive in http.own("upstream"):
        pool = pools.read_pool(directive, context)
        context.pools[pool.name] = pool
    for directive in http.own("log_format"):
        if directive.args:
            context.formats[directive.args[0]] = directive.span
    context.shared_types = [context.use(directive) for directive in http.own("types")]
    servers = sites.read_servers(http, context)
    made = sites.with_versions(tuple(sites.read_site(server, context) for server in servers), servers, context)
    estate = Estate(
        "nginx", sites.read_listeners(servers, context), made, tuple(context.pools.values()),
        media_types.read_table(http, context), _default_type(http, context), next((item.span for item in http.own("types")), None),
    )
    context.settle()
    inactive = inactive_files(tree.root, loader.paths)
    for path in inactive:
        context.say(SITE_NOT_ENABLED, None, file=tree.name_of(path))
    order = {name: number for number, name in enumerate(tree.texts)}
    context.findings.sort(key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))
    return Reading("nginx", main, tree.root, estate, list(context.claims.values()), context.findings, dict(tree.texts),
                   loader.files, tuple(tree.name_of(path) for path in inactive), files=(*files, *context.found_files.items()))


def _default_type(http: Scope, context: Context) -> str:
    directive = context.used(http, "default_type")
    return directive.args[0] if directive else defaults.DEFAULT_TYPE
