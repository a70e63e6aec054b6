"""Caddyfile -> Estate. Mirror: writer/.

Source:   Caddy documentation; rules read for 2.6, confirmed on 2.6.2.
Unknown:  a directive nobody claims becomes `unsupported` (unknown) or `implied` (known, but without effect here).
Left out: the JSON form, which Caddy writes itself from the Caddyfile.
"""

from __future__ import annotations

from pathlib import Path

from ....errors import SourceUnreadable
from ....model import Estate
from ....source import SourceTree
from ....source.places import Pairs, Places
from ...dialect import Reading
from .context import Context
from . import rewrites, routes
from .load import HOME, Loader
from .sites import read_sites


def read(main: Path, files: Pairs = ()) -> Reading:
    """The configuration that begins in `main` (Caddyfile) -> Reading. Raises SourceUnreadable."""
    main = main.absolute()
    tree = SourceTree(main.parent, Places(files, main.parent, HOME))
    context = Context(read_level=routes.read_level)
    loader = Loader(tree, context)
    loaded = loader.load(main)
    if not loaded.sites and not loaded.options:
        raise SourceUnreadable("has no site, so it serves nothing", file=tree.name_of(main), line=1)
    for directive in loaded.options:
        if context.claims[directive.span].disposition is None:
            context.options[context.use(directive).name] = directive.args
    context.asks_any = any("forward_auth" in text for text in tree.texts.values())
    context.numbers = rewrites.numbers([directive for site in loaded.sites for directive in site.block or []])
    sites, listeners = read_sites(loaded.sites, context)
    context.settle()
    order = {name: number for number, name in enumerate(tree.texts)}
    context.findings.sort(key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))
    return Reading("caddy", main, tree.root, Estate("caddy", listeners, sites, tuple(context.pools.values())),
                   list(context.claims.values()), context.findings, dict(tree.texts), loader.files, files=files)
