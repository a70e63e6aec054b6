"""Estate -> nginx tree. Mirror: reader/.

Output:   `nginx.conf` with what all sites share, `mime.types`, and one file a site below `sites/`, included from it.
Unknown:  what cannot be written is noted with its source line; a part of the model that no module here takes shows in the
          ledger as `not-written`.
Left out: nothing is decided here: what the source says is written, or noted.
"""

from __future__ import annotations

from itertools import chain

from ....fitting.unroll import LIMIT_UNKNOWN
from ....model import WAITS, Estate, Forward, Gateway, Span
from ....model.walk import walk
from ...dialect import WriterOptions, Writing
from . import gateways, heads, sites, tables, types
from .context import Context, NotNative, TooLarge
from .output import Node, Output
from .sizes import write_sizes

_HEAD = ("Written by Young Lantern from a configuration of {dialect}.",)
_NO_LIMIT = ("No limit on request content, as before; nginx by itself takes 1 MiB at the most.",)

_LONG = ("Origins are waited for as long as they take, as before; nginx by itself gives up after a minute, and ends connections that were upgraded, too.",)


def write(estate: Estate, options: WriterOptions) -> Writing:
    """The estate as an nginx tree, with notes on what is not simply kept."""
    most_unknown, unlike = LIMIT_UNKNOWN, frozenset[str]()
    while True:
        try:
            return _write(estate, options, most_unknown, unlike)
        except NotNative as error:
            unlike |= {error.args[0]}
        except TooLarge:
            most_unknown -= 1


def _write(estate: Estate, options: WriterOptions, most_unknown: int, unlike: frozenset[str]) -> Writing:
    context = Context(estate, options, most_unknown=most_unknown, unlike=unlike)
    context.estate = estate = context.with_constants(estate)
    output = Output()
    by_file: dict[str, list[Node]] = {}
    for site in estate.sites:
        nodes = sites.write_site(site, context)
        if nodes:
            by_file.setdefault(f"sites/{sites.file_of(site)}.conf", []).extend(nodes)
    others = sites.unanswered(estate, context)
    if others:
        by_file["sites/other-names.conf"] = others
    http = [Node(["include", "mime.types"])]
    http += types.write_default(estate)
    if context.unlimited:
        http.append(Node(["client_max_body_size", "0"], None, (), _NO_LIMIT))
    http += heads.write_shared(estate)
    http += _waits(estate)
    context.http.update(tables.never_set(context, [*context.http.values(), *chain.from_iterable(by_file.values())]))
    http += write_sizes([*context.http.values(), *chain.from_iterable(by_file.values())])
    http += [*context.http.values(), Node(["include", "sites/*.conf"], apart=True)]
    for protocol in sorted(context.applications):
        output.write(gateways.FILES[protocol], gateways.common_parameters(protocol))
    output.write("mime.types", types.write_types(estate))
    output.write("nginx.conf", [Node(["events"], []), Node(["http"], http)], tuple(line.format(dialect=estate.dialect) for line in _HEAD))
    for name, found in by_file.items():
        found[0].apart = False
        output.write(name, found)
    for pool in estate.pools:
        if pool.span in context.reached:
            context.reached.update(item for item in walk(pool) if isinstance(item, Span))
    context.tell_trace()
    context.lose_the_rest({*output.targets, *context.idle})
    told = {note.span for note in context.notes}
    for span in context.structure - told - set(output.targets):
        context.implied(span, "what it asks for is said by how the locations stand")
    context.say_idle(output.targets)
    output.files.update(context.files)
    return Writing(output.files, output.targets, context.notes, context.reached)


def _waits(estate: Estate) -> list[Node]:
    """How long origins are waited for, where the source has no limit of its own."""
    if WAITS.get(estate.dialect) is not None:
        return []
    asked = {item.protocol if isinstance(item, Gateway) else "grpc" if item.protocol == "h2c" else "proxy" for site in estate.sites for item in walk(site.program) if isinstance(item, Forward | Gateway)}
    kinds = [kind for kind in ("proxy", "grpc", "fastcgi", "uwsgi", "scgi") if kind in asked]
    return [Node([f"{kind}_read_timeout", "1d"], None, (), () if number else _LONG) for number, kind in enumerate(kinds)]

