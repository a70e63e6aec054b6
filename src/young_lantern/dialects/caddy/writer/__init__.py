"""Estate -> Caddyfile tree. Mirror: reader/.

Output:   `Caddyfile` with the global options, and one file a site below `sites/`, imported from it.
Unknown:  what cannot be written is noted with its source line; a part of the model that no module here takes shows in
          the ledger as `not-written`.
Left out: nothing is decided here: what the source says is written, or noted.
"""

from __future__ import annotations

from ....fitting.hosts import with_hosts_inside
from ....fitting.ports import without_ports
from ....model import CONNECTIONS, REQUESTS, SPEED, Estate, Span
from ....model.walk import walk
from ...dialect import WriterOptions, Writing
from . import errors, sites, snippets, types
from .context import Context
from .output import Node, Output, for_imports

_HEAD = ("Written by Young Lantern from a configuration of {dialect}.",)


def write(estate: Estate, options: WriterOptions) -> Writing:
    """The estate as a Caddyfile tree, with notes on what is not simply kept."""
    context = Context(estate, options)
    context.estate = estate = with_hosts_inside(context.with_constants(without_ports(estate)), sites.says_host)
    output = Output()
    by_file: dict[str, list[Node]] = {}
    written = {site.key: sites.write_site(site, context) for site in estate.sites}
    errors.keep_apart(written, estate)
    for site in estate.sites:
        nodes = written[site.key]
        if nodes:
            by_file.setdefault(f"sites/{sites.file_of(site)}.caddy", []).extend(nodes)
    sites.unanswered(estate, context)
    types.note_types(estate, context)
    context.lose_caches("caddy as packaged keeps no answers, so that the origin is asked every time")
    context.lose_limits(REQUESTS, CONNECTIONS, SPEED)
    head = tuple(line.format(dialect=estate.dialect) for line in _HEAD)
    shared = snippets.factor(by_file)
    for nodes in (shared, *by_file.values()):
        for_imports(nodes)
    output.write("Caddyfile", [sites.options(estate, context), *shared, Node(["import", "sites/*.caddy"], apart=True)], head)
    for name, nodes in by_file.items():
        for number, node in enumerate(nodes):
            node.apart = bool(number)
        output.write(name, nodes)
    for pool in estate.pools:
        if pool.span in context.reached:
            context.reached.update(item for item in walk(pool) if isinstance(item, Span))
    context.tell_trace()
    context.lose_the_rest(output.targets)
    context.say_idle(output.targets)
    return Writing(output.files, output.targets, context.notes, context.reached)
