"""Site, Listener -> nginx `server` blocks. Mirror: reader/sites.py.

Source:   nginx manual, "Server names", "How nginx processes a request".
Rule:     nginx ranks names by their kind, so a name goes to the site that the source's own order gives it; hosts that no site
          names go where they went, if need be to a block made for that.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ....codes import CLIENT_PRIVATE, RESTART_LOST
from ....fitting import Branch, Chain, Fork, Leaf, LostRestart, leaves, own_types, unroll, without_impossible
from ....fitting.anew import parts_of, stays
from ....fitting.client_chains import join_chains
from ....fitting.closing import deciding_variables
from ....fitting.conditional import with_conditions
from ....fitting.every_path import without_every_path
from ....fitting.aliases import with_roots, without_idle_cuts
from ....fitting.guards import exempt_clients, open_elsewhere
from ....fitting.inside import told_by_target
from ....fitting.keyed_tables import with_tables_of_paths
from ....fitting.own_names import behind_tls, of_slashes
from ....fitting.places import atoms_of, glob_as_pattern, plain_paths, structural_spans, url_as_path
from ....fitting.preflight import answer_preflights
from ....fitting.scripts import by_places
from ....fitting.static import lasting_text, of_query
from ....fitting.targets import plain_targets
from ....model import (
    ALWAYS, Abort, AnswerPlainly, AnyOf, Block, Choose, Condition, Disposition, Estate, Field, FileExists, Forward, Gateway, HostName, Listener, PathIs, PathMatches, PathStartsWith, Redirect, Refuse, Respond, Restart, Rewrite, ServeFiles, SetPath, SetVariable, Site, Span, SiteTls, Step, StripPrefix,
)
from ....model.walk import transform, walk
from ....patterns import host_matches
from ..values import quote
from . import asking, files, frames, heads, logs, page_loops, routes, tls, types
from .bodies import Body, Where
from .context import Context, NotNative
from .early import with_early_tables
from .fields import by_condition
from .forks import is_short
from .forwards import with_location_edits
from .inherited import hidden_as_above, not_said_again, only_where_they_act, shared_by_files, shared_by_forwards
from .output import Node

_BY_ORDER = "It answers hosts that no site names, too, as before: it was the first of its port."


@dataclass(slots=True)
class Place:
    """A listener that a site answers on, and the names it has there."""

    listener: Listener
    names: tuple[str, ...]
    spans: tuple[Span, ...]
    is_default: bool


def write_site(site: Site, context: Context) -> list[Node]:
    """A site -> its server blocks: one for each set of names that it has on its listeners."""
    context.site, context.named, context.named_texts, context.names = site, [], {}, set()
    context.pattern, context.asked, context.rewritten = "", frozenset(), ""
    context.by_name, context.forgotten, context.whole, context.texts, context.of_paths = set(), set(), set(), {}, set()
    if not context.options.strict and context.estate.dialect != "nginx":
        site = by_places(site)
    places = [place for listener in context.estate.listeners_of(site.key) if (place := _place(site, listener, context)).names or place.is_default]
    if not places:
        for span in (site.span, *site.also, *(name.span for name in site.names)):
            context.implied(span, "no listener leads to it")
        return []
    captures_host = any(name.pattern for name in site.names)
    program = with_tables_of_paths(without_every_path(url_as_path(with_roots(site.program))))
    if context.estate.dialect != "nginx":
        program = told_by_target(program)
        program = with_early_tables(program) if _rewrites(program) else with_conditions(program, _as_table)
        context.set_names |= {item.name for item in program if isinstance(item, SetVariable)}
    chain, lost = _unrolled(program, captures_host, site, context)
    if captures_host:
        context.asked = frozenset({"host"})
    for restart in lost:
        context.note(restart.span, Disposition.UNSUPPORTED, RESTART_LOST, reason=restart.reason)
    chain = without_impossible(chain, _has_place)
    context.reached.update(item for item in walk(chain) if isinstance(item, Span))
    chain = _as_nginx(chain, context)
    context.deciding = deciding_variables(chain)
    structure = structural_spans(chain)
    body = _write_program(chain, site, context)
    known: tuple[set[str], set[str]] = set(), set()
    while (context.by_name, context.forgotten) != known:
        # Some captures need names, which stand in patterns that were written before: once more, with them.
        known = set(context.by_name), set(context.forgotten)
        context.named, context.named_texts, context.names, context.pattern, context.asked, context.rewritten = [], {}, set(), "", context.asked & {"host"}, ""
        body = _write_program(_as_nginx(without_impossible(_unrolled(program, captures_host, site, context)[0], _has_place), context), site, context)
    context.structure |= structure
    groups: dict[tuple[tuple[str, ...], bool], list[Place]] = {}
    for place in places:
        groups.setdefault((place.names, False), []).append(place)
    nodes = []
    for own in groups.values():
        nodes.append(_server(own, body, site, context))
    return nodes


def _unrolled(program: tuple[Step, ...], captures_host: bool, site: Site, context: Context) -> tuple[Chain, list[LostRestart]]:
    chain, lost = unroll(program, captures_host=captures_host, strict=context.options.strict, own_indexes=True, most_unknown=context.most_unknown, natively=site.key not in context.unlike)
    context.set_names |= {item.name for item in _effects_of(chain) if isinstance(item, SetVariable)}
    return chain, lost


def _as_nginx(chain: Chain, context: Context) -> Chain:
    """The chain as nginx can say it."""
    chain = without_idle_cuts(chain, context.cut_in_vain)
    own_types.as_settings(chain)
    answer_preflights(chain)
    join_chains(chain)
    plain_targets(chain, rewrites_inside=False)
    with_location_edits(chain)
    return open_elsewhere(asking.with_copies(exempt_clients(plain_paths(chain, context.options.strict))))


def _has_place(field: Field) -> bool:
    """Whether a field that some paths get would stand in a location of theirs, and not in a table."""
    return not any(isinstance(item, PathMatches) for item in walk(field.when))


def _rewrites(steps: tuple[Step, ...]) -> bool:
    """Whether a rule gives a path that is found another one, so that a table by the path asks too late. What a file test leads to, or a prefix cut off, does not count."""
    for step in steps:
        if isinstance(step, Rewrite) and step.edit is not None and not isinstance(step.edit, StripPrefix):
            return True
        if isinstance(step, Block) and _rewrites(step.steps):
            return True
        if isinstance(step, Choose) and any(_rewrites(route.steps) for route in step.routes if not any(isinstance(item, FileExists) for item in walk(route.condition))):
            return True
    return False


def _as_table(field: Field) -> Field | None:
    """A field that only some paths get, where a table by the path can say it; one for plain paths and their starts has a location."""
    made = replace(field, when=transform(field.when, glob_as_pattern))
    asked = made.when.conditions if isinstance(made.when, AnyOf) else (made.when,)
    places = all(isinstance(item, PathIs | PathStartsWith) for item in asked)
    return made if not places and by_condition(made) is not None else None


def _write_program(chain: Chain, site: Site, context: Context) -> list[Node]:
    frame = frames.choose_frame(chain, context, _first_answer(chain))
    head: list[Node] = [*logs.write_logs(site.logs, context), *heads.write_heads(site, context), *_client(site, context)]
    if frame.root:
        text = context.template(frame.root, frame.root_spans[0] if frame.root_spans else None)
        if isinstance(text, str):
            head.append(Node(["root", quote(text)], None, frame.root_spans))
    if site.reading.encoded_slash_status is not None:
        why = ("An encoded slash in a path is refused, as before.",)
        head.append(Node(["if", '($request_uri ~* "^[^?]*%2f")'], [Node(["return", str(site.reading.encoded_slash_status)])], (), why))
    before, after = _server_phase(chain, frame, context)
    if any(isinstance(leaf.answer, Restart) for leaf in leaves(chain)) and not _never_again(before, chain):
        raise NotNative(site.key)
    chain = Chain(after)
    forwards = any(isinstance(leaf.answer, Forward | Gateway) for leaf in leaves(chain))
    if _relative_redirects(chain, before):
        head.append(Node(["absolute_redirect", "off"], None, (), ("Redirects to a path go out as they are written, as before.",)))
    elif behind_tls(site):
        head.append(Node(["absolute_redirect", "off"], None, (), ("What speaks HTTPS for it is where a path alone leads back to.",)))
    head += _own_name(site)
    phase = Body([], [], [], [])
    if before:
        routes._walk(before, Where("server", "", frame, Chain([*before, *after])), phase, context)
        phase.content = []
    routes._current.append((frame, chain))
    try:
        settings = frames.write_frame(frame, forwards, chain, context)
        settings += types.write(frame.types, types.Said(default=types.base_default(context.estate)), leaves(chain), context)
    finally:
        routes._current.pop()
    locations = page_loops.ended(settings, routes.write_chain(chain, frame, context), context.named)
    slash = [node for node in head if node.words[0] == "if"]
    head = [node for node in head if node.words[0] != "if"]
    made = [*head, *settings, *slash, *phase.phase, *shared_by_forwards(shared_by_files([*locations, *context.named]))]
    asking.close_where_rewritten(made, context)
    hidden_as_above(made)
    not_said_again(made)
    for node in only_where_they_act(made):
        for span in node.spans:
            context.idle.setdefault(span, "no origin of the kind whose fields it takes away is asked there")
    return made


def _client(site: Site, context: Context) -> list[Node]:
    """Where the client's address is taken from. Mirror: reader/client.py."""
    source = site.client_from
    if source is None:
        return []
    spans = tuple(span for span in (source.span, *source.also) if span)
    if source.internal is not None and source.internal != source.networks or source.internal == ():
        context.note(source.span, Disposition.CHANGED, CLIENT_PRIVATE, field=source.field)
    nodes = [Node(["set_real_ip_from", network], None, spans) for network in source.networks or ("0.0.0.0/0", "::/0")]
    return [*nodes, Node(["real_ip_header", source.field], None, spans), *([Node(["real_ip_recursive", "on"], None, spans)] if source.walks else [])]


def _own_name(site: Site) -> list[Node]:
    """Mirror: reader/redirect_names.py."""
    front = of_slashes(site)
    if front is None or front.host and (not site.names or front.host != site.names[0].text) or front.port not in ("", "*"):
        return []
    lines = ([Node(["server_name_in_redirect", "on"])] if front.host else []) + ([] if front.port else [Node(["port_in_redirect", "off"])])
    lines[0].comments = ("The slash that is added to a folder's path goes out with these, as before.",)
    return lines


def _relative_redirects(chain: Chain, before: list) -> bool:  # type: ignore[type-arg]
    found = [leaf.answer for leaf in [*leaves(chain), *leaves(Chain(before))]]
    return any(
        isinstance(answer, Redirect) and not answer.absolute and answer.location and isinstance(answer.location[0], str) and answer.location[0].startswith("/")
        or isinstance(answer, ServeFiles) and answer.folders.added_slash is not None and not answer.folders.location_absolute
        for answer in found
    )


# --- what runs before a location is looked for ------------------------------------------------------------------------

# A pattern that asks for how paths begin.
_OF_A_START = re.compile(r"\^/(?:\(\?:)?[\w-]")


def _server_phase(chain: Chain, frame: frames.Frame, context: Context) -> tuple[list, list]:  # type: ignore[type-arg]
    """The items of a chain, split: what must run before the search for a location, and the rest.

    Only what asks for something other than the path, or changes it, must; what stands before that goes along.
    """
    items = _opened(chain.items)
    last = -1
    for number, item in enumerate(items):
        if isinstance(item, Rewrite | SetVariable):
            last = number if any(isinstance(other, Branch) for other in items[number + 1:]) else last
        elif isinstance(item, Branch) and all(is_short(fork, frame) for fork in item.forks) and files.as_try_files(items[number:], context) is None:
            if any(_must_run_first(fork) for fork in item.forks) and items[number + 1:] and not any(isinstance(leaf.answer, Restart) for fork in item.forks for leaf in leaves(fork.chain)):
                last = number
        else:
            break
    return items[:last + 1], items[last + 1:]


def _never_again(before: list, chain: Chain) -> bool:  # type: ignore[type-arg]
    """Whether what runs before a location is looked for has nothing to say to a path that is looked up again: it ends a request, or sets a variable, by what
    stays the same."""
    query_stays = not any(isinstance(item, Rewrite) and (item.query is not None or isinstance(item.edit, SetPath) and item.edit.cuts_at_mark) for item in _effects_of(chain))

    def is_same(item: object) -> bool:
        match item:
            case SetVariable(value=value):
                return lasting_text(value)
            case Leaf(answer=answer):
                return isinstance(answer, Redirect | Respond | Abort)
            case Branch(forks):
                return all((fork.condition is ALWAYS or _stays(fork.condition, query_stays)) and all(map(is_same, fork.chain.items)) for fork in forks)
        return False

    return all(map(is_same, before))


def _stays(condition: Condition, query_stays: bool) -> bool:
    return stays(condition) or query_stays and all(stays(item) or of_query(item) for item in parts_of(condition))


def _effects_of(chain: Chain) -> Iterator[Rewrite | SetVariable]:
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                yield from _effects_of(fork.chain)
        elif not isinstance(item, Leaf):
            yield item


def _first_answer(chain: Chain) -> Leaf | None:
    """A redirect or an answer that asks for no path, and is given before any path is asked for."""
    for item in _opened(chain.items)[:1]:
        if isinstance(item, Branch) and len(item.forks) == 1 and _must_run_first(item.forks[0]):
            match item.forks[0].chain.items:
                case [Leaf(answer=Redirect() | Respond()) as leaf]:
                    return leaf
    return None


def _opened(items: list) -> list:  # type: ignore[type-arg]
    """Leading short forks of a branch as branches of their own, so that they may be taken alone."""
    out = []
    for item in items:
        if isinstance(item, Branch) and len(item.forks) > 1:
            number = 0
            while number < len(item.forks) - 1 and not item.forks[number].chain.falls and not item.forks[number].sure:
                number += 1
            if all(not fork.chain.falls for fork in item.forks[:number]):
                out += [Branch([fork], item.span) for fork in item.forks[:number]]
                item = Branch(item.forks[number:], item.span)
                if len(item.forks) == 1 and _is_always(item.forks[0]):
                    out += _opened(item.forks[0].chain.items)
                    continue
        out.append(item)
    return out


def _is_always(fork: Fork) -> bool:
    from ....model import ALWAYS

    return fork.condition is ALWAYS


def _must_run_first(fork: Fork) -> bool:
    """Whether a location cannot say it: it asks for something other than the path alone, or goes on with another path."""
    if any(isinstance(item, Rewrite | SetVariable) for item in fork.chain.items):
        return not any(isinstance(item, Leaf) for item in fork.chain.items)
    asked = list(atoms_of(fork.condition))
    # A pattern for paths of all kinds beside something else is no place of its own: as a location it would hide those that come after.
    return not asked or any(isinstance(item, PathMatches) and not _OF_A_START.match(item.pattern.text) for item in asked) and any(not isinstance(item, PathIs | PathStartsWith | PathMatches) for item in parts_of(fork.condition))


# --- server blocks ----------------------------------------------------------------------------------------------------

def _server(places: list[Place], body: list[Node], site: Site, context: Context) -> Node:
    head: list[Node] = []
    for place in places:
        head += _listen(place, context)
    names = places[0].names
    if names:
        head.append(Node(["server_name", *names], None, tuple(dict.fromkeys(span for place in places for span in place.spans))))
    if any(place.listener.secure for place in places):
        made = tls.write_tls(context.versions_of_all((place.listener for place in places), site.tls or SiteTls()), _file_name(site), context)
        head += made
    by_order = any(place.is_default and not place.listener.fallback_stated and place.listener.rows for place in places)
    comments = (*site.comments, *((_BY_ORDER,) if by_order else ()))
    spans = tuple(dict.fromkeys(span for span in (site.span, *site.also) if span))
    return Node(["server"], [*head, *body], spans, comments, apart=True)


def _listen(place: Place, context: Context) -> list[Node]:
    listener = place.listener
    port = context.port_of(listener)
    options = [*(["ssl"] if listener.secure else []), *(["http2"] if listener.http2 else []), *(["default_server"] if place.is_default else [])]
    spans = tuple(dict.fromkeys(span for span in (listener.span, *listener.also) if span))
    address = f"[{listener.address}]" if ":" in listener.address else listener.address
    texts = [port] if address in ("", "0.0.0.0") else [f"{address}:{port}"]
    if address == "":
        texts.append(f"[::]:{port}")
    return [Node(["listen", text, *options], None, spans) for text in texts]


def _place(site: Site, listener: Listener, context: Context) -> Place:
    """The names that lead to a site on a listener, by the source's own order."""
    names: list[str] = []
    spans: list[Span] = []
    for number, row in enumerate(listener.rows):
        winner = _winner(row.host, listener, number)
        if winner != site.key or row.host.is_any:
            continue
        names.append(_name(row.host, context))
        if row.host.span and row.host.span not in spans:
            spans.append(row.host.span)
    for name in site.names:
        # A name beside an address for any host is part of that: it is still worth to be read.
        first = next((row.site for row in listener.rows if name.is_exact and (row.host.is_any or host_matches(row.host.text, name.text, row.host.one_label))), listener.fallback)
        if name.is_exact and name.text not in ("_", "") and name.text not in names and first == site.key:
            names.append(name.text)
            spans += [name.span] if name.span and name.span not in spans else []
    is_any = next((row.site for row in listener.rows if row.host.is_any), None)
    default = listener.fallback == site.key if is_any is None else is_any == site.key
    return Place(listener, tuple(dict.fromkeys(names)), tuple(spans), default)


def _winner(host: HostName, listener: Listener, number: int) -> str:
    """The site that a name leads to: the first row that takes it."""
    for row in listener.rows[:number + 1]:
        if row.host is host or row.host.is_any:
            return row.site
        if host.pattern is None and row.host.pattern is None and host_matches(row.host.text, host.text.replace("*", "a"), row.host.one_label):
            return row.site
    return listener.rows[number].site


def _name(host: HostName, context: Context) -> str:
    if host.pattern is not None:
        return quote("~" + host.pattern.text)
    if host.one_label and host.text.startswith("*."):
        # A star of nginx stands for any number of labels.
        return quote("~^[^.]+" + re.escape(host.text[1:]) + "$")
    return host.text


def unanswered(estate: Estate, context: Context) -> list[Node]:
    """Blocks for hosts that no site names, on listeners where they were refused or answered plainly."""
    nodes: list[Node] = []
    for listener in estate.listeners:
        if isinstance(listener.fallback, str) or any(row.host.is_any for row in listener.rows):
            continue
        place = Place(listener, (), (), True)
        body = _listen(place, context)
        if isinstance(listener.fallback, Refuse):
            body.append(Node(["ssl_reject_handshake", "on"]) if listener.secure else Node(["return", "444"]))
            # What this block says of versions counts for the others of its port (1.22.1, probed).
            shared = context.versions_of_all([listener], next((site.tls for site in estate.sites if site.tls and any(row.site == site.key for row in listener.rows)), SiteTls()))
            body += [Node(["ssl_protocols", *shared.protocols])] if listener.secure and shared.protocols else []
            why = "Hosts that no site names are refused, as before."
        else:
            assert isinstance(listener.fallback, AnswerPlainly)
            body.append(Node(["return", str(listener.fallback.status)]))
            why = f"Hosts that no site names get {listener.fallback.status} without content, as before."
        nodes.append(Node(["server"], body, (), (why,), apart=True))
    return nodes


def _file_name(site: Site) -> str:
    name = next((name.text for name in site.names if name.text not in ("_", "", "*") and name.pattern is None), "")
    return re.sub(r"[^\w.-]+", "_", name.replace("*.", "any.").replace(".*", ".any")).strip("_.") or "default"


file_of = _file_name
