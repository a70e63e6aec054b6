"""Caddyfile -> Estate. Mirror: writer/.

Source:   Caddy documentation; rules read for 2.6, confirmed on 2.6.2.
Unknown:  a directive nobody claims becomes `unsupported` (unknown) or `implied` (known, but without effect here).
Left out: the JSON form, which Caddy writes itself from the Caddyfile.
"""

from __future__ import annotations

import re
from pathlib import Path

from ....errors import SourceUnreadable
from ....model import Estate
from ....model.placeholders import is_open
from ....source import SourceTree
from ....source.places import Pairs, Places
from ...dialect import Reading
from .context import Context
from . import rewrites, routes
from .load import HOME, Loader
from .sites import read_sites

# Global options that are read by what they say: its form, and in words.
_PORT = (r"\d{1,5}", "a port such as 8080")
_EXPECTED = {"http_port": _PORT, "https_port": _PORT, "auto_https": (r"off|disable_redirects|ignore_loaded_certs|disable_certs", "off, disable_redirects, disable_certs or ignore_loaded_certs")}


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
            expected = _EXPECTED.get(context.use(directive).name)
            if expected and not (directive.args and (re.fullmatch(expected[0], directive.args[0]) or is_open(directive.args[0]))):
                context.unread(directive, " ".join(directive.args), f"{expected[1]} was expected")
                continue
            context.options[directive.name] = directive.args
    context.asks_any = any("forward_auth" in text for text in tree.texts.values())
    context.numbers = rewrites.numbers([directive for site in loaded.sites for directive in site.block or []])
    sites, listeners = read_sites(loaded.sites, context)
    context.settle()
    order = {name: number for number, name in enumerate(tree.texts)}
    context.findings.sort(key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))
    return Reading("caddy", main, tree.root, Estate("caddy", listeners, sites, tuple(context.pools.values())),
                   list(context.claims.values()), context.findings, dict(tree.texts), loader.files, files=files)
