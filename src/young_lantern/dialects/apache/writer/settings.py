"""The settings of all answers -> lines of the virtual host, and sections for those that only some answers have. Mirror: reader/program.py (_settings).

Rule:     what all answers that care have is said once, for the host. Of the rest, answers with the same lines get one section, whose pattern
          keeps out the paths that come to answers with other lines. Where more than the path decides, the rule that answers sets a
          variable, and the lines ask for it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

from ....fitting import Chain, answer_types, leaves
from ....fitting.closing import of_paths
from ....fitting.cookies import as_edits
from ....fitting.mapping import location_mapping
from ....fitting.static import bare
from ....model import ALWAYS, UNDERSCORED, Abort, Capture, Condition, Field, Forward, Gateway, Not, Redirect, Respond, ServeFiles, Span, Var, Variable
from ....model.walk import walk
from ...noting import Unwritable
from ..values import quote
from . import access, caches, compression, errors, fields, files, forwards, rates, types
from .conditions import write_conditions
from .context import Context
from .output import Node
from .paths import apart, fragment, section
from .rewrites import rule
from .plans import Case, Event, Plan, wish_of


@dataclass(frozen=True)
class Said:
    """A line that an answer needs. key: what it comes to; name: of the field, where it is one; when: only for requests that meet it."""

    node: Node = field(compare=False)
    key: tuple[object, ...]
    name: str = ""
    when: Condition | None = None


Lines = tuple[Said, ...]
Gives = Callable[[Case, Chain, Context], Lines | None]


def write_settings(plan: Plan, chain: Chain, context: Context) -> tuple[list[Node], list[Node]]:
    """Lines for the whole host, and sections."""
    head: list[Node] = []
    last: dict[tuple[str, str], list[Node]] = {}
    own = forwards.contradicting(plan.reverses, [case.leaf.answer for case in plan.cases if isinstance(case.leaf.answer, Forward)], context)
    plan.reverses = [node for node in plan.reverses if tuple(node.words) not in own]
    sections: dict[tuple[str, str], list[Node]] = {}
    head += _texts_for_all(plan, chain, context)
    for topic, gives in (*_page_topics(plan, chain, context), *_TOPICS, ("redirects of origins", partial(_redirects, own))):
        held: dict[int, Lines] = {}
        for case in plan.cases:
            context.moved = case.moved or case.changed
            if (made := gives(case, chain, context)) is not None:
                held[id(case)] = made
        caring = [case for case in plan.cases if id(case) in held]
        if topic == "requests" and any("%{HTTP_HOST}" in word for case in caring for said in held[id(case)] if said.name != "host" for word in said.node.words):
            # Whatever comes after the line that sets the Host would see that one, not the client's (2.4.71, probed): it stands last of all.
            hosts = {id(case): tuple(said for said in held[id(case)] if said.name == "host") for case in caring}
            _place(topic, caring, hosts, last, plan, context)
            held = {id(case): tuple(said for said in held[id(case)] if said.name != "host") for case in caring}
        shared = _shared([held[id(case)] for case in caring])
        whole = _joined([said.node for said in shared if said.when is None], [held[id(case)] for case in caring])
        if topic == "access" and whole:
            sections[("Location", "/")] = whole  # a host itself does not say who may come in
        else:
            head += whole
        for when in dict.fromkeys(said.when for said in shared if said.when is not None):
            _conditional(when, [said.node for said in shared if said.when == when], plan, sections, context)
        names = {said.key for said in shared}
        for case in caring:
            held[id(case)] = tuple(said for said in held[id(case)] if said.key not in names)
        _place(topic, caring, held, sections, plan, context)
    head += context.marked
    context.marked = []
    for line in head:
        if line.words == ["CacheEnable", "disk"]:
            line.words.append(quote("/"))  # a host says which paths (mod_cache, CacheEnable)
    head += caches.write_host([case.leaf.answer.cache for case in plan.cases if isinstance(case.leaf.answer, Forward | Gateway) and case.leaf.answer.cache is not None], context)
    made = [context.line(name, quote(word), block=[forwards.in_section(line, name, word) for line in lines]) for (name, word), lines in (*sections.items(), *((("Location", "/") if place == ("LocationMatch", "^") else place, lines) for place, lines in last.items()))]
    return head, made


def _shared(lists: list[Lines]) -> list[Said]:
    """What all have alike: lines of one name go up together or not at all, since their order decides."""
    if not lists:
        return []
    first = lists[0]
    names = {said.name for said in first}
    alike = {name for name in names if all([s.key for s in other if s.name == name] == [s.key for s in first if s.name == name] for other in lists)}
    return [said for said in first if said.name in alike]


def _joined(nodes: list[Node], lists: list[Lines]) -> list[Node]:
    """The lines, with the places of all that say the same."""
    for node in nodes:
        for lines in lists:
            for said in lines:
                if said.node.words == node.words:
                    node.spans = tuple(dict.fromkeys((*node.spans, *said.node.spans)))
    return nodes


# --- what each answer needs ------------------------------------------------------------------------------------------------------

def _known(fields_: tuple[Field, ...], case: Case, context: Context) -> tuple[Field, ...]:
    """Fields whose captures are variables that the case's rule sets."""
    event = case.event
    made = []
    for item in fields_:
        parts = []
        for part in item.value:
            if isinstance(part, Capture) and event is not None and event.asked is not None and event.nodes and isinstance(text := context.in_rule((part,), item.span, event.asked), str):
                name = context.groups.setdefault((id(event), text), "") or context.name(f"group {part.group}")
                if not context.groups[id(event), text]:
                    event.mark(name, context, text)
                    context.groups[id(event), text] = name
                parts.append(Var(Variable.VARIABLE, name))
            else:
                parts.append(part)
        made.append(replace(item, value=tuple(parts)))
    return tuple(made)


def _said(nodes: list[tuple[Node, Field]], context: Context) -> Lines:
    context.structure.update(span for _, item in nodes if item.when is not None for span in walk(item.when) if isinstance(span, Span))
    return tuple(Said(node, (*node.words, bare(item.when) if item.when else None), item.name.lower(), item.when) for node, item in nodes)


def _fields(case: Case, chain: Chain, context: Context) -> Lines | None:
    """Lines of the table `always`."""
    return None if isinstance(case.leaf.answer, Abort) else tuple(said for said in _all_fields(case, context) if not _of_handlers(said.node) and not said.node.words[0].startswith("Expires"))


def _handled(case: Case, chain: Chain, context: Context) -> Lines | None:
    """Lines that only files and origins' answers get: what a rule answers does not come by them."""
    if not isinstance(case.leaf.answer, Forward | ServeFiles):
        return None
    return tuple(said for said in _all_fields(case, context) if _of_handlers(said.node))


def _all_fields(case: Case, context: Context) -> Lines:
    leaf = case.leaf
    own: tuple[Field, ...] = ()
    if isinstance(leaf.answer, Forward):
        own = (*as_edits(leaf.answer, "pcre", context.lost), *(item for item in leaf.answer.response_fields if location_mapping(item) is None))
    return _said(fields.write_fields(_known((*own, *leaf.settings.fields), case, context), isinstance(leaf.answer, Forward), not isinstance(leaf.answer, Forward | ServeFiles), context, answer_types.own_type(leaf.answer)), context)


def _expiry(case: Case, chain: Chain, context: Context) -> Lines | None:
    """How long an answer may be kept: all that is no error has it, redirects of the server's own too."""
    answer = case.leaf.answer
    if isinstance(answer, Abort) or isinstance(answer, Respond) and answer.status >= 400:
        for item in case.leaf.settings.fields:
            if isinstance(answer, Respond) and (not item.survives_errors or item.statuses is not None and answer.status not in item.statuses):
                context.idle.setdefault(item.span, "it does not go with the error that is answered there")
        return None
    return tuple(said for said in _all_fields(case, context) if said.node.words[0].startswith("Expires"))


def _of_handlers(node: Node) -> bool:
    return node.words[0] == "Header" and node.words[1] != "always" or node.words[0] == "Substitute" or "SUBSTITUTE" in node.words[:2]


def _pages(status: str, case: Case, chain: Chain, context: Context) -> Lines | None:
    """The page for one status, for answers that may have it."""
    answer = case.leaf.answer
    if isinstance(answer, Abort | Redirect) or isinstance(answer, Respond) and not (answer.raises and str(answer.status) == status):
        return None
    nodes = errors.write_pages(case.leaf.settings.pages, chain, context)
    return tuple(Said(node, tuple(node.words), node.words[1]) for node in nodes if node.words[1] == status)


def _page_topics(plan: Plan, chain: Chain, context: Context) -> list[tuple[str, Gives]]:
    statuses = {node.words[1] for case in plan.cases for node in errors.write_pages(case.leaf.settings.pages, chain, context)}
    return [("pages", partial(_pages, status)) for status in sorted(statuses)]


def _requests(case: Case, chain: Chain, context: Context) -> Lines | None:
    leaf = case.leaf
    if isinstance(leaf.answer, Forward):
        answer = replace(leaf.answer, fields=_known(leaf.answer.fields, case, context))
        return _said(forwards.request_fields(answer, _known(leaf.settings.request_fields, case, context), context), context)
    if id(leaf) in context.scripts:
        # What is set for origins would be told to the application, too: it has lines of its own, or none.
        own = tuple(item for item in _known(leaf.settings.request_fields, case, context) if item.name != UNDERSCORED)
        return _said(forwards.request_fields(Forward(""), own, context), context)
    for item in leaf.settings.request_fields:
        context.idle.setdefault(item.span, "no origin is asked there")
    return None


def _compress(case: Case, chain: Chain, context: Context) -> Lines | None:
    """The filters of an answer: what an inner section says of them takes the place of all that an outer one says (core, SetOutputFilter)."""
    speed = rates.write_speed(case.leaf.settings.limits, context)
    if not isinstance(case.leaf.answer, Forward | ServeFiles):
        return tuple(Said(node, tuple(node.words), "compress") for node in speed) if speed and isinstance(case.leaf.answer, Gateway) else None
    nodes = [*compression.write_compress(case.leaf.settings.compress, context), *speed]
    filters = [node for node in nodes if node.words[0] == "SetOutputFilter"]
    for node in filters[1:]:
        filters[0].words[1] += f";{node.words[1]}"
        filters[0].spans = tuple(dict.fromkeys((*filters[0].spans, *node.spans)))
        nodes.remove(node)
    return tuple(Said(node, tuple(node.words), "compress") for node in nodes)


def _types(case: Case, chain: Chain, context: Context) -> Lines | None:
    answer = case.leaf.answer
    nodes = types.write_own(case.leaf.settings.types, answer, context)
    if not isinstance(answer, Forward | Gateway | ServeFiles):
        return None
    # An origin's answers have nothing to do with the table of files, so that its place does not say of it.
    return tuple(Said(node, tuple(node.words), node.words[0]) for node in nodes)


def _default_type(case: Case, chain: Chain, context: Context) -> Lines | None:
    types_ = case.leaf.settings.types
    if not isinstance(case.leaf.answer, ServeFiles) or types_ is not None and types_.forced:
        return None
    beside = any(isinstance(leaf.answer, Forward | Gateway) for leaf in leaves(chain))
    return tuple(Said(node, tuple(node.words), "default type") for node in types.write_default(types_, beside, context))


def _folders(case: Case, chain: Chain, context: Context) -> Lines | None:
    answer = case.leaf.answer
    if not isinstance(answer, ServeFiles):
        return None
    if files.folder_of(answer) not in files.differing(chain):
        return ()
    nodes = files.folder_lines(answer.folders, (answer.span,), context)
    return tuple(Said(node, tuple(node.words), node.words[0]) for node in nodes)


def _texts(case: Case, chain: Chain, context: Context) -> Lines | None:
    answer = case.leaf.answer
    if not isinstance(answer, Respond) or answer.raises or answer.status in (204, 304) or answer.status not in errors.STATUSES or id(case) in context.told:
        return ()
    return tuple(Said(node, tuple(node.words), "text") for node in errors.text_page(answer, case.moved, context))


def _intercepts(case: Case, chain: Chain, context: Context) -> Lines | None:
    answer = case.leaf.answer
    if not isinstance(answer, Forward | Gateway):
        return None
    codes = sorted(code for code in answer.intercepted or () if code >= 400) if len(answer.intercepted or ()) < 100 else []
    nodes = [context.line("ProxyErrorOverride", "On", *map(str, codes), spans=(answer.intercepts_span,))] if answer.intercepts_errors and (codes or answer.intercepted is None or len(answer.intercepted) >= 100) else []
    return tuple(Said(node, tuple(node.words), "intercepts") for node in nodes)


def _told_besides(case: Case, chain: Chain, context: Context) -> Lines | None:
    """What an application behind a line for origins is told."""
    if not isinstance(case.leaf.answer, Forward):
        return None
    return tuple(Said(node, tuple(node.words), " ".join(node.words[:2])) for node in context.told_by.get(id(case.leaf), ()))


def _redirects(own: set[tuple[str, ...]], case: Case, chain: Chain, context: Context) -> Lines | None:
    if not isinstance(case.leaf.answer, Forward):
        return None
    return tuple(Said(node, tuple(node.words), "redirects") for node in forwards.write_own_reverses(case.leaf.answer, own, context))


def _access(case: Case, chain: Chain, context: Context) -> Lines | None:
    if not isinstance(case.leaf.answer, Forward | ServeFiles):
        return None  # rules answer before anybody is asked who they are
    guard = case.leaf.settings.guard
    if case.denied is None and guard is None:
        return ()
    nodes = access.write_access(case.denied, case.denied_span, context) if case.denied is not None else []
    if guard is not None:
        nodes = access.write_guard(guard, case.leaf.settings.exempt, nodes, context)
    return tuple(Said(node, ("access", str(node.words), str([line.words for line in node.block or []])), "access") for node in nodes)


def _caches(case: Case, chain: Chain, context: Context) -> Lines | None:
    """What is kept of origins' answers; what else answers says that nothing is, so that it is not said for the whole host."""
    answer = case.leaf.answer
    nodes = caches.write_cache(answer.cache, context, isinstance(answer, Gateway)) if isinstance(answer, Forward | Gateway) else []
    return tuple(Said(node, tuple(node.words), "cache") for node in nodes)


# In the order in which the lines stand.
_TOPICS = (
    ("access", _access), ("folders", _folders), ("texts", _texts), ("default type", _default_type), ("fields", _fields), ("handled", _handled), ("expiry", _expiry), ("compression", _compress), ("types", _types), ("requests", _requests), ("caches", _caches), ("errors of origins", _intercepts), ("applications", _told_besides),
)


# --- sections ---------------------------------------------------------------------------------------------------------------------

def _texts_for_all(plan: Plan, chain: Chain, context: Context) -> list[Node]:
    """Texts of answers that are no errors: where a status has one text only, it stands for the whole host, since nothing else has the status."""
    made: dict[int, tuple[Node, ...]] = {}
    mixed: set[int] = set()
    for case in plan.cases:
        answer = case.leaf.answer
        if isinstance(answer, Respond) and not answer.raises and 200 <= answer.status < 300:
            nodes = tuple(said.node for said in _texts(case, chain, context) or ())
            held = made.setdefault(answer.status, nodes)
            if [node.words for node in held] != [node.words for node in nodes] or len(nodes) > 1:
                mixed.add(answer.status)
            elif held and nodes and held is not nodes:
                held[0].spans = tuple(dict.fromkeys((*held[0].spans, *nodes[0].spans)))
    for case in plan.cases:
        if isinstance(case.leaf.answer, Respond) and case.leaf.answer.status in made and case.leaf.answer.status not in mixed:
            context.told.add(id(case))
    return [node for status, nodes in made.items() if status not in mixed for node in nodes]


def _spans_of(node: Node) -> list[Span]:
    return [*node.spans, *(span for inner in node.block or [] for span in _spans_of(inner))]


def _closed(caring: list[Case], held: dict[int, Lines], sections: dict[tuple[str, str], list[Node]], context: Context) -> bool:
    """Who may come in differs, and not by paths alone: sections that overlap would let some in by the wrong list. All of it stays closed."""
    keys = {id(case): tuple(said.key for said in held[id(case)]) for case in caring}
    guarded = [case for case in caring if keys[id(case)]]
    if len({keys[id(case)] for case in guarded}) < 2 or all(_region(case, keys[id(case)], held) is not None for case in guarded):
        return False
    for case in guarded:
        for span in dict.fromkeys(span for said in held[id(case)] for span in _spans_of(said.node)):
            context.lost(span, "who may come in", "that depends on more than the path there; all of it is closed")
    found = [tuple(part for part in case.parts if of_paths(part)) for case in guarded]
    place = None if any(not parts for parts in found) else _union(found)
    sections.setdefault(place or ("LocationMatch", "^"), []).append(context.line("Require", "all", "denied"))
    return True


def _place(topic: str, caring: list[Case], held: dict[int, Lines], sections: dict[tuple[str, str], list[Node]], plan: Plan, context: Context) -> None:
    if topic == "access" and _closed(caring, held, sections, context):
        return
    for name in dict.fromkeys(said.name for case in caring for said in held[id(case)]):
        own = {id(case): tuple(said for said in held[id(case)] if said.name == name) for case in caring}
        groups: dict[tuple[object, ...], list[Case]] = {}
        for case in caring:
            if own[id(case)]:
                groups.setdefault(tuple(said.key for said in own[id(case)]), []).append(case)
        for key, cases in groups.items():
            lines = list(own[id(cases[0])])
            _joined([said.node for said in lines], [own[id(case)] for case in cases])
            for when in dict.fromkeys(said.when for said in lines):
                _group(topic, [said.node for said in lines if said.when == when], when, cases, key, own, sections, plan, context)


def _group(topic: str, nodes: list[Node], when: Condition | None, cases: list[Case], key: tuple[object, ...], held: dict[int, Lines], sections: dict[tuple[str, str], list[Node]],
           plan: Plan, context: Context) -> None:
    regions = [(case, _region(case, key, held)) for case in cases]
    if topic == "access":
        # What cannot be told apart by paths stays closed: too much of it rather than too little.
        for node in nodes if any(region is None for _, region in regions) else ():
            context.lost(node.spans[0] if node.spans else None, node.words[0], "it holds for some requests of a path only, and is asked for all of that path")
        regions = [(case, region if region is not None else tuple(part for part in case.parts if of_paths(part))) for case, region in regions]
    if topic == "texts":
        # The type of a text is for this answer alone.
        typing = [node for node in nodes if node.words[0] == "Header"]
        if typing and (loose := [case for case, region in regions if region is None]):
            _by_variable(topic, [replace(node, words=list(node.words)) for node in typing], when, loose, plan, context)
            exact = [region for _, region in regions if region is not None]
            if exact:
                sections.setdefault((section(exact[0]) if len(exact) == 1 else _union(exact)) or ("LocationMatch", "^"), []).extend(typing)
            nodes = [node for node in nodes if node.words[0] != "Header"]
        # A status is all that a text goes by: what else is asked matters only where two have the same one.
        regions = [(case, region if region is not None else tuple(part for part in case.parts if of_paths(part))) for case, region in regions]
    if when is not None and not of_paths(when):
        regions = [(case, None) for case in cases]
    if unsaid := [case for case, region in regions if region is None]:
        _by_variable(topic, [replace(node, words=list(node.words)) for node in nodes], when, unsaid, plan, context)
    found = [(*region, *((when,) if when is not None else ())) for _, region in regions if region is not None and not (when is not None and any(apart(when, part) for part in region))]
    if not found:
        return
    place = section(found[0]) if len(found) == 1 else _union(found)
    sections.setdefault(place or ("LocationMatch", "^"), []).extend(nodes)


def _conditional(when: Condition, nodes: list[Node], plan: Plan, sections: dict[tuple[str, str], list[Node]], context: Context) -> None:
    """Lines that all answers have, for requests that meet a condition as it was asked at the start."""
    if of_paths(when):
        sections.setdefault(section((when,)) or ("LocationMatch", "^"), []).extend(nodes)
        return
    name = _asked_at_start(when, nodes, plan, context)
    if name is None:
        for node in nodes:
            context.lost(node.spans[0] if node.spans else None, node.words[1], "httpd has no condition for it there")
        return
    context.marked += [_asking(node, name) for node in nodes]


def _asked_at_start(when: Condition, nodes: list[Node], plan: Plan, context: Context) -> str | None:
    """The variable that a rule sets first of all where a condition holds; None where no rule can ask it, or the lines cannot ask for a variable."""
    asked = write_conditions((when,), (), context)
    if isinstance(asked, Unwritable) or any(node.words[0] not in ("Header", "RequestHeader") for node in nodes):
        return None
    if bare(when) not in plan.asked:
        name = plan.asked[bare(when)] = context.name("asked")
        plan.events.insert(0, Event((when,), rule(asked, "-", [f"E={name}:1"], context, tuple(nodes[0].spans)), needed=True))
    return plan.asked[bare(when)]


def _asking(node: Node, name: str) -> Node:
    if node.words[-1].startswith(('"expr=%{REQUEST_STATUS}', '"expr=%{CONTENT_TYPE}', '"expr=reqenv')):
        node.words[-1] = node.words[-1].replace('"expr=', f"\"expr=reqenv('{name}') == '1' && ", 1)
    elif node.words[-1].startswith("env="):
        node.words[-1] = f"\"expr=reqenv('{name}') == '1' && reqenv('{node.words[-1][4:]}') != ''\""
    else:
        node.words.append(f"env={name}")
    return node


def _within(region: tuple[Condition, ...], wide: tuple[Condition, ...]) -> bool:
    """Whether a region lies in one that only keeps some paths out."""
    return all(part in region or any(apart(part.condition, own) for own in region) for part in wide if isinstance(part, Not))


def _union(regions: list[tuple[Condition, ...]]) -> tuple[str, str] | None:
    wide = next((region for region in regions if all(isinstance(part, Not) for part in region)), None)
    if wide is not None:
        regions = [wide, *(region for region in regions if region is not wide and not _within(region, wide))]
        if len(regions) == 1:
            return section(wide)
    if any(not [part for part in region if part is not ALWAYS] for region in regions):
        return None
    return "LocationMatch", f"^(?:{'|'.join(dict.fromkeys(fragment(region) for region in regions))})"


def _region(case: Case, key: tuple[object, ...], held: dict[int, Lines]) -> tuple[Condition, ...] | None:
    """The conditions on the path that tell a case from those with other lines; None when the path alone does not."""
    parts = tuple(part for part in case.parts if of_paths(part))
    if not case.by_path and any(id(other) in held and tuple(said.key for said in held[id(other)]) != key for other in case.peers):
        return None
    refused: list[Condition] = []
    for condition, before in case.before:
        if all(tuple(said.key for said in held.get(id(other), ())) == key or id(other) not in held for other in before):
            continue
        if any(apart(condition, part) for part in parts):
            continue
        if not of_paths(condition):
            return None
        refused.append(Not(condition))
    return (*refused, *parts)


def _by_variable(topic: str, nodes: list[Node], when: Condition | None, cases: list[Case], plan: Plan, context: Context) -> None:
    """Lines that ask for a variable which the cases' rules set; and for one besides, where they have a condition of their own."""
    first = _asked_at_start(when, nodes, plan, context) if when is not None else ""
    if first is None or topic not in ("fields", "handled", "requests", "texts", "redirects of origins") or any(node.words[0] not in ("Header", "RequestHeader") for node in nodes):
        for node in nodes:
            span = node.spans[0] if node.spans else None
            context.lost(span, node.words[0], "it holds for some requests of a path only, and httpd has no condition for it there")
        return
    marked = [case for case in cases if case.event is not None and case.event.nodes]
    group = tuple(id(case) for case in marked)
    name = context.marks.get(group) or context.name(wish_of(cases[0]))
    for case in marked if group not in context.marks else ():
        case.event.mark(name, context)  # type: ignore[union-attr]
    context.marks[group] = name
    context.marked += [_asking(_asking(node, first) if first else node, name) for node in nodes]
