"""Chains -> nginx `location` blocks and what stands in them. Mirror: reader/locations.py.

Source:   nginx manual, core module, location; rewrite module, "if": its lines run in the order written, before anything else.
Rule:     a place by path is a location; what else a route asks is an `if` if its answer is one line, else a jump to a named
          location by a status that no server sends.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....fitting import Branch, Chain, Fork, Leaf, leaves
from ....fitting.aliases import stripped_below
from ....fitting.guards import is_behind
from ....fitting.places import NEVER, Place, at_path, atoms_of, find_places
from ....codes import STATUS_PAGE
from ....fitting.static import bare
from ....model import (
    ALWAYS, SUCCESS_STATUSES, Abort, Condition, Disposition, Forward, Gateway, PathIs, PathMatches, PathStartsWith, Redirect, Respond, Restart, Rewrite, ServeFiles, SetPath, SetVariable,
    Span, StripPrefix, TextIs, Unserved, Var, Variable, join,
)
from ....model.walk import walk
from ...noting import Unwritable
from ..values import quote
from . import answers, asking, files, forwards, frames, gateways, guards, types
from .addresses import content_follows, denies, deny
from .bodies import ERROR_501, WHY_501, Body, Where, items_of, look_up_again, lose, write_effect
from .conditional import at_whole_path, conditions_in, holding, not_holding
from .conditions import guarded
from .context import Context, TooLarge
from .forks import as_frame, ends_alike, is_answer, is_place, is_short, is_text_beside_files
from .frames import Frame
from .ifs import MOST_ALTERNATIVES, asked_again, single_rewrite, write_asked, write_if
from .inherited import HIDES, without_inherited
from .output import Node

_FIRST_JUMP = 470
_WHY_JUMP = ("No error: the way to rules for some of these requests.",)
_WHY_EXACT = ("nginx would add the slash here by itself.",)


_current: list[tuple[Frame, Chain]] = []


def write_chain(chain: Chain, frame: Frame, context: Context) -> list[Node]:
    """The whole chain of a site -> its locations."""
    _current.append((frame, chain))
    try:
        if _is_one_answer(chain, frame):
            return _body(chain, Where("server", "", frame, chain), context)
        return write_places(chain, frame, context)
    finally:
        _current.pop()


def _is_one_answer(chain: Chain, frame: Frame) -> bool:
    """Whether a site answers everything with one line and the settings of the site, so that it needs no location."""
    return len(chain.items) == 1 and isinstance(chain.items[0], Leaf) and isinstance(chain.items[0].answer, Redirect | Respond | Abort) and not is_behind(chain.items[0]) and as_frame(chain.items[0], frame)


# --- places -----------------------------------------------------------------------------------------------------------

def write_places(chain: Chain, frame: Frame, context: Context, inside: str = "") -> list[Node]:
    """The locations of a level, in the order of the source, with the rest at the end."""
    places = find_places(chain)
    if not inside:
        # What no place has is met by no path.
        there = {item for place in places for item in walk(place) if isinstance(item, Span)}
        context.reached -= {item for item in walk(chain) if isinstance(item, Span)} - there
    bodies: list[tuple[Place, list[Node]]] = []
    for place in places:
        if inside and place.atom is None:
            continue
        bodies.append((place, _place_body(place, frame, chain, context, inside)))
    bodies += _slashless(chain, bodies, frame, context)
    kept = [(place, body) for place, body in bodies if not _redundant(place, body, bodies)]
    nodes = []
    for place, body in sorted(kept, key=lambda pair: (pair[0].atom is None, pair[0].order)):
        nodes.append(Node(_words(place, context), body, tuple(dict.fromkeys(span for span in (place.span, *place.spans) if span)), place.comments))
    return nodes


def _words(place: Place, context: Context) -> list[str]:
    match place.atom:
        case None:
            return ["location", "/"]
        case PathIs(path):
            return ["location", "=", quote(path)]
        case PathStartsWith(prefix) if place.as_pattern:
            return ["location", "~", quote("^" + re.escape(prefix))]
        case PathStartsWith(prefix):
            return ["location", *(["^~"] if place.beats_patterns else []), quote(prefix)]
        case PathMatches(pattern):
            text, ignores_case = context.pattern_text(pattern), pattern.ignores_case
            text, ignores_case = (text[4:], True) if text.startswith("(?i)") else (text, ignores_case)
            return ["location", "~*" if ignores_case else "~", quote(text)]
    raise AssertionError(place.atom)


def _where(place: Place, frame: Frame, chain: Chain, inside: str) -> Where:
    match place.atom:
        case None:
            return Where("prefix", "/", frame, chain)
        case PathIs(path):
            return Where("exact", path, frame, chain, inside)
        case PathStartsWith(prefix) if not place.as_pattern:
            return Where("prefix", prefix, frame, chain, inside)
    return Where("pattern", "", frame, chain, inside)


def _place_body(place: Place, frame: Frame, chain: Chain, context: Context, inside: str = "") -> list[Node]:
    before = context.pattern, context.asked, context.rewritten, context.jumps
    context.jumps = 0
    if isinstance(place.atom, PathMatches):
        context.matched(place.atom.pattern)
    body = _body(place.chain, _where(place, frame, chain, inside), context)
    context.pattern, context.asked, context.rewritten, context.jumps = before
    return body


def _slashless(chain: Chain, bodies: list[tuple[Place, list[Node]]], frame: Frame, context: Context) -> list[tuple[Place, list[Node]]]:
    """core module, location: a proxied prefix `/x/` redirects `/x` there. Where the source did not, `/x` has its own place."""
    exact = {place.atom.path for place, _ in bodies if isinstance(place.atom, PathIs)}
    prefixes = {place.atom.prefix for place, _ in bodies if isinstance(place.atom, PathStartsWith)}
    made = []
    for place, body in bodies:
        if not isinstance(place.atom, PathStartsWith) or place.as_pattern or not place.atom.prefix.endswith("/") or len(place.atom.prefix) < 2:
            continue
        bare_path = place.atom.prefix[:-1]
        if bare_path in exact or bare_path in prefixes or not any(node.words[0] in HIDES.values() for node in body):
            continue
        own = at_path(chain, bare_path)
        if _adds_slash(own, place.atom.prefix):
            continue
        extra = Place(PathIs(bare_path), own, place.order, comments=_WHY_EXACT)
        made.append((extra, _place_body(extra, frame, chain, context)))
    return made


def _adds_slash(chain: Chain, prefix: str) -> bool:
    """Whether a chain does what nginx does there by itself."""
    match chain.items:
        case [Leaf(answer=Redirect(status=301, location=location))]:
            return location in ((prefix, Var(Variable.QUERY, "?")), (prefix,))
    return False


def _redundant(place: Place, body: list[Node], bodies: list[tuple[Place, list[Node]]]) -> bool:
    """Whether the location that would be chosen without this one does the same."""
    if not isinstance(place.atom, PathIs) or place.comments == _WHY_EXACT or any(isinstance(other.atom, PathMatches) or other.as_pattern for other, _ in bodies):
        return False
    path = place.atom.path
    around = [(other, its) for other, its in bodies if other is not place and (other.atom is None or (isinstance(other.atom, PathStartsWith) and path.startswith(other.atom.prefix)))]
    if not around:
        return False
    nearest = max(around, key=lambda pair: len(pair[0].atom.prefix) if isinstance(pair[0].atom, PathStartsWith) else 0)
    return _text(nearest[1]) == _text(body)


def _text(nodes: list[Node]) -> str:
    return "".join(" ".join(node.words) + ("{" + _text(node.block) + "}" if node.block is not None else ";") for node in nodes)


# More named locations than these are no configuration that a person reads, or that is compared in minutes. Chosen among 50, 100, 400.
_MOST_NAMED = 100


# --- what stands in a location ----------------------------------------------------------------------------------------

def write_named(wish: str, chain: Chain, context: Context) -> str:
    """A chain as a named location of the site; gives its name with the sign before it."""
    name = "@" + context.name(wish)
    frame, whole = _current[-1] if _current else (Frame(), chain)
    before = context.pattern, context.asked, context.rewritten, context.jumps
    # What was asked on the way to it had its numbers; only names last.
    context.pattern, context.jumps = "", 0
    body = _body(chain, Where("named", "", frame, whole), context)
    context.pattern, context.asked, context.rewritten, context.jumps = before
    text = _text(body)
    same = context.named_texts.get(text)
    if same is not None and same.block is not None and _text(same.block) == text:
        context.names.discard(name[1:])
        same.spans = tuple(dict.fromkeys((*same.spans, *_spans_of(chain))))
        return same.words[1]
    context.named.append(Node(["location", name], body))
    if len(context.named) > _MOST_NAMED and context.most_unknown:
        raise TooLarge
    context.named_texts[text] = context.named[-1]
    return name


def _spans_of(chain: Chain) -> tuple[Span, ...]:
    return tuple(item for item in walk([leaf.answer for leaf in leaves(chain)]) if isinstance(item, Span))


def _body(chain: Chain, where: Where, context: Context) -> list[Node]:
    """What stands in a location: fields that some of its paths get first make locations within it."""
    if where.kind == "exact":
        return _plain_body(at_whole_path(chain, where.text), where, context)
    asked = conditions_in(chain) if where.kind in ("prefix", "pattern") else []
    if not asked:
        return _plain_body(chain, where, context)
    nested: list[Node] = []
    for atom in {bare(atom): atom for condition in asked for atom in atoms_of(condition)}.values():
        if not isinstance(atom, PathMatches) and not (where.kind == "prefix" and _text_of(atom).startswith(where.text)):
            continue  # core module: what is nested in a location must begin with its text
        place = Place(atom, holding(chain, atom), span=atom.span, spans=(atom.span,) if atom.span else ())
        nested.append(Node(_words(place, context), _place_body(place, where.frame, where.chain, context, where.prefix or where.inside), place.spans))
    own = _plain_body(not_holding(chain, asked), where, context)
    for node in nested:
        node.block = without_inherited(node.block or [], own)  # type: ignore[arg-type]
    return [*own, *nested]


def _text_of(atom: PathIs | PathStartsWith) -> str:
    return atom.path if isinstance(atom, PathIs) else atom.prefix


def _plain_body(chain: Chain, where: Where, context: Context) -> list[Node]:
    body = Body([], [], [], [])
    _walk(list(chain.items), where, body, context)
    answers_there = bool(body.content) and body.content[0].words[0] in ("return", "if", "rewrite")
    last = body.phase[-1] if body.phase else None
    # Where an earlier line has changed the path, one whose pattern is not found ends nothing, and a location would be looked for anew.
    ends = last is not None and (last.words[:2] == ["rewrite", "^"] or not any(word == "rewrite" for node in body.phase[:-1] for word in _words_of(node)))
    if body.changes and not answers_there and not (last is not None and last.words[-1] == "break" and ends):
        if last is not None and last.words[0] == "rewrite" and len(last.words) == 3 and ends:
            last.words.append("break")
        else:
            body.phase.append(Node(["break"]))
    pages = [node for node in body.settings if node.words[0] == "error_page"]
    if body.jumps and not pages and where.frame.pages is not None and not context.in_pages:
        from .errors import write_pages

        body.settings = [*body.settings, *write_pages(where.frame.pages, where.chain, context)]
    body.settings = [node for node in body.settings if node.words[0] != "recursive_error_pages"] if body.jumps else body.settings
    again = any(isinstance(leaf.answer, Restart) for leaf in leaves(where.chain))
    if body.jumps and (again or where.frame.pages is not None or any(_has_pages(node.words[-1], context) for node in body.jumps)):
        # core module: whether an error behind the jump has a page is said where the jump is made.
        body.jumps.insert(0, Node(["recursive_error_pages", "on"]))
    _without_repeated(body)
    # A path that is changed on the way may have another ending.
    path = where.text if where.kind == "exact" and not any(isinstance(item, Rewrite) for item in items_of(chain)) else ""
    said = types.write(types.of_leaves(leaves(chain), where.frame.types, context, path), where.frame.types, leaves(chain), context) if where.kind != "server" else []
    return [*body.settings, *said, *body.jumps, *body.phase, *body.content]


def _words_of(node: Node) -> list[str]:
    return [node.words[0], *(word for inner in node.block or () for word in _words_of(inner))]


_SENT = ("add_header", "expires", *HIDES)


def _without_repeated(body: Body) -> None:
    """Answers of an `if` have no fields of their own where the location's give the same: what goes with success only does not tell a refusal."""
    own = [node for node in body.settings if node.words[0] in _SENT]
    if not any(node.words[0] == "add_header" for node in own):
        return
    for node in body.phase:
        inner = node.block or []
        there = [line for line in inner if line.words[0] in _SENT]
        if node.words[0] != "if" or not there or inner[-1].words[0] != "return" or not inner[-1].words[1].isdigit():
            continue
        status = int(inner[-1].words[1])
        if _sent_with(there, status) == _sent_with(own, status):
            node.block = [line for line in inner if line not in there]
            for line in there:
                for other in own:
                    if other.words == line.words:
                        other.spans = tuple(dict.fromkeys((*other.spans, *line.spans)))


def _sent_with(lines: list[Node], status: int) -> list[list[str]]:
    """The fields that go with a status."""
    return sorted(line.words[:3] for line in lines if status in SUCCESS_STATUSES or line.words[0] == "add_header" and line.words[-1] == "always" if line.words[0] not in HIDES)


def _has_pages(name: str, context: Context) -> bool:
    """Whether a named location has error pages of its own, or serves index files, whose paths are looked up again."""
    for node in context.named:
        if node.words[1] == name:
            heads = {inner.words[0] for inner in node.block or ()}
            return "error_page" in heads or not heads & {"proxy_pass", "return"}
    return False


def _walk(items: list, where: Where, body: Body, context: Context) -> None:  # type: ignore[type-arg]
    effects: list[Rewrite] = []
    while items:
        item, rest = items[0], items[1:]
        if isinstance(item, Rewrite) and _belongs_to_forward(item, rest):
            effects.append(item)
        elif isinstance(item, Rewrite) and (below := stripped_below(item, rest, where.prefix)) is not None:
            rest = below
            context.implied(item.span, "the prefix is cut off by the alias")
        elif isinstance(item, Rewrite) and (folded := _redirect_there(item, rest)) is not None:
            context.idle.setdefault(item.span, "the redirect that follows says where to")
            rest = folded
        elif isinstance(item, Rewrite | SetVariable):
            write_effect(item, body, context)
        elif isinstance(item, Leaf):
            _leaf(item, effects, where, body, context)
            return
        else:
            tried = files.as_try_files(items, context, where.prefix, where.inside)
            if tried is not None:
                _tried(tried, where, body, context)
                return
            if _nests(item, where, body):
                nested = write_places(Chain(items), where.frame, context, inside=where.text)
                left = [fork for fork in item.forks if not is_place(fork)]
                items = [*([Branch(left, item.span)] if left else []), *rest]
                body.content += nested
                continue
            items = _branch(item, rest, where, body, context)
            continue
        items = rest
    # nothing answers: an empty 200, as the model says of a program that ends
    body.content.append(Node(["return", "200"]))


def _belongs_to_forward(item: Rewrite, rest: list) -> bool:  # type: ignore[type-arg]
    """Whether a change of the path can be said in the origin's URL: a prefix cut off, another put before what is left."""
    if item.query is not None or not rest:
        return False
    cuts = isinstance(item.edit, StripPrefix)
    if not cuts and forwards.put_before(item) is None:
        return False
    if isinstance(rest[0], Leaf):
        return len(rest) == 1 and isinstance(rest[0].answer, Forward)
    return cuts and isinstance(rest[0], Rewrite) and forwards.put_before(rest[0]) is not None and _belongs_to_forward(rest[0], rest[1:])


def _redirect_there(item: Rewrite, rest: list) -> list | None:  # type: ignore[type-arg]
    """A path that is set only to be redirected to, query and all -> the redirect with the path in it."""
    if len(rest) != 1 or not isinstance(rest[0], Leaf) or not isinstance(rest[0].answer, Redirect) or not isinstance(item.edit, SetPath) or item.query is not None:
        return None
    answer = rest[0].answer
    if Var(Variable.TARGET_NOW) not in answer.location or any(part == Var(Variable.PATH) for part in item.edit.template):
        return None
    location = join(*(join(item.edit.template, Var(Variable.QUERY, "?")) if part == Var(Variable.TARGET_NOW) else part for part in answer.location))
    return [Leaf(replace(answer, location=location), rest[0].settings, rest[0].through)]


def _leaf(leaf: Leaf, effects: list[Rewrite], where: Where, body: Body, context: Context) -> None:
    answer = leaf.answer
    through = tuple(span for span in leaf.through if span)
    if isinstance(answer, Restart):
        look_up_again(body)
        return
    if is_behind(leaf) and where.kind != "server":
        _behind(leaf, where, body, context)
        return
    made: list[Node] | Unwritable
    if isinstance(answer, Unserved) and answer.page == "status":
        context.note(answer.span, Disposition.CHANGED, STATUS_PAGE)
        made = [Node(["stub_status"], None, (answer.span,) if answer.span else ())]
    elif isinstance(answer, Unserved):
        made = Unwritable(f"what {answer.spelling} answers")
    elif isinstance(answer, Forward):
        made = forwards.write_forward(answer, leaf.settings.request_fields, where.prefix, where.exact, effects, context)
    elif isinstance(answer, Gateway):
        made = gateways.write_gateway(answer, leaf.settings.request_fields, where, context)
    elif isinstance(answer, ServeFiles):
        made = files.write_serving(answer, where, context)
    else:
        made = answers.WRITES[type(answer)](answer, context)  # type: ignore[index]
    if not isinstance(answer, Abort) and where.kind != "server":
        body.settings += frames.write_own(leaf, where.frame, where.chain, context)
    if isinstance(made, Unwritable):
        context.lost(answer.span, "this", f"nginx cannot say {made.what}")
        context.left.update(item for item in walk(leaf) if isinstance(item, Span))
        body.content.append(Node(ERROR_501, None, (), WHY_501))
        return
    while made and (made[0].words[0] == "rewrite" and made[0].words[-1] == "break" or made[0].words[0] == "if"):
        node = made.pop(0)
        body.phase.append(node)
        body.changes = body.changes and node.words[:2] != ["rewrite", "^"]
    through = (*through, *(item.span for item in effects if item.span))
    if made:
        made[-1].spans = tuple(dict.fromkeys((*made[-1].spans, *through)))
    elif through and body.settings:
        body.settings[-1].spans = (*body.settings[-1].spans, *through)
    spans = tuple(span for span in (answer.span, *getattr(answer, "also", ()), *through, getattr(answer, "root_span", None)) if span)
    for span in spans:
        if not any(span in node.spans for node in made):
            context.implied(span, "what it says is in force there, written further up or by silence")
    body.content += made


_WHY_BEHIND = ("Who may come in is asked before files are looked for; the root is none, so that the answer follows.",)


def _behind(leaf: Leaf, where: Where, body: Body, context: Context) -> None:
    """An answer of nginx's own after somebody was asked: the phases of the http module, of which `try_files` has one behind the questions, and `return` one before."""
    settings = leaf.settings
    body.settings += frames.write_own(leaf, where.frame, where.chain, context)  # refusals have them, too
    if settings.guard is not None and where.frame.guard is None:
        body.settings += guards.write_guard(settings.guard, settings.exempt, context)
    body.settings += asking.write_asking(leaf, context)
    name = write_named("answer", Chain([replace(leaf, settings=replace(settings, guard=None, asks=(), exempt=None))]), context)
    body.content.append(Node(["try_files", '""', name], None, tuple(span for span in leaf.through if span), _WHY_BEHIND))


def _tried(tried: files.Tried, where: Where, body: Body, context: Context) -> None:
    leaf = tried.served
    body.settings += frames.write_own(leaf, where.frame, where.chain, context)
    made = gateways.write_gateway(leaf.answer, leaf.settings.request_fields, where, context) if isinstance(leaf.answer, Gateway) else files.write_serving(leaf.answer, where, context)  # type: ignore[arg-type]
    if isinstance(made, Unwritable):
        context.lost(leaf.answer.span, "this", f"nginx cannot say {made.what}")
        body.content.append(Node(ERROR_501, None, (), WHY_501))
        return
    assert tried.fallback is not None
    body.content += made
    body.content.append(Node(["try_files", *map(quote, tried.words), _fallback(tried.fallback, leaf, where, context)], None, tried.spans))


def _fallback(fallback: Chain, served: Leaf, where: Where, context: Context) -> str:
    """The last word of a try_files: `=CODE`, a path that is looked up again, or a named location."""
    match fallback.items:
        case [Leaf(answer=Respond(status=status, raises=True))]:
            return f"={status}"
        case [Leaf(answer=ServeFiles() as answer)] if bare(answer) == bare(served.answer):
            # What is not there is missing all the same.
            return f"={answer.missing_status}"
    found = files.literal_target(fallback)
    if found is not None and found[0].startswith("/"):
        path, leaf = found
        there = at_path(where.chain, path)
        # Who may enter here was asked before files are looked for; a place that asks nobody lets him through.
        asked = bare(leaf.settings.guard) == bare(served.settings.guard) and bare(leaf.settings.asks) == bare(served.settings.asks)
        if _serves(there, replace(leaf, settings=replace(leaf.settings, guard=None, asks=(), exempt=None)) if asked else leaf):
            # core module, try_files: the client's query is lost unless it is written; files do not ask for it, applications do.
            return quote(path + "$is_args$args" if isinstance(leaf.answer, Gateway) else path)
    return write_named("fallback", fallback, context)


def _serves(there: Chain, leaf: Leaf) -> bool:
    """Whether a path is served by the same files, with the same settings, when it is looked up again."""
    ends = [end for end in leaves(there) if not (isinstance(end.answer, Respond) and end.answer.status == 500)]
    if isinstance(leaf.answer, Gateway):
        return bool(ends) and all(bare((end.answer, end.settings)) == bare((leaf.answer, leaf.settings)) for end in ends)
    return bool(ends) and all(
        isinstance(end.answer, ServeFiles) and (end.answer.root, end.answer.strip, end.answer.whole_path) == (leaf.answer.root, leaf.answer.strip, leaf.answer.whole_path)  # type: ignore[union-attr]
        and bare((end.settings.fields, end.settings.pages, end.settings.compress)) == bare((leaf.settings.fields, leaf.settings.pages, leaf.settings.compress))
        for end in ends
    )


# --- branches ---------------------------------------------------------------------------------------------------------

def _nests(branch: Branch, where: Where, body: Body) -> bool:
    """Whether the branch asks for paths within a location by prefix, before anything was changed there."""
    if where.kind != "prefix" or body.phase or where.text == "/":
        return False
    return any(is_place(fork) for fork in branch.forks) and all(is_place(fork) or fork.condition is ALWAYS for fork in branch.forks)


def _branch(branch: Branch, rest: list, where: Where, body: Body, context: Context) -> list:  # type: ignore[type-arg]
    """Writes the forks; gives what is left to be written after them."""
    before: list[Condition] = []
    forks = list(branch.forks)
    for number in range(len(forks)):
        fork, later = forks[number], forks[number + 1:]
        if fork.condition is ALWAYS or fork.sure:
            if fork.sure and isinstance(fork.condition, PathMatches):
                first = fork.chain.items[0] if len(fork.chain.items) > 1 else None
                if isinstance(first, Rewrite) and (line := single_rewrite(fork.condition, first, where, body, context)) is not None:
                    line.spans, line.comments = tuple(dict.fromkeys((*(span for span in (fork.span, *fork.also) if span), *line.spans))), (*fork.comments, *line.comments)
                    body.phase.append(line)
                    return [*fork.chain.items[1:], *(rest if fork.chain.falls else [])]
                if is_short(fork, where.frame) or is_answer(fork):
                    write_if(fork, [], where, body, context)
                    return [] if not fork.chain.falls else rest
            return [*fork.chain.items, *(rest if fork.chain.falls else [])]
        if fork.condition == NEVER:
            continue
        if number == 0 and denies(fork) and content_follows([*branch.forks[1:]], rest) and where.kind != "server":
            body.content += deny(fork)
            continue
        falls = fork.chain.falls
        if _goes_without(fork, later, rest):
            context.implied(fork.span, "what follows answers the same")
            continue
        if not fork.chain.items and len(acting := [other for other in later if other.chain.items]) == 1:
            # Nothing happens there but that the other one is not asked.
            place = forks.index(acting[0])
            forks[place] = replace(acting[0], condition=guarded(acting[0].condition, (fork.condition,)), sure=False, also=(*acting[0].also, *((fork.span,) if fork.span else ())))
            continue
        if (changes := ends_alike(fork, later, rest)) is not None and where.kind != "server":
            write_if(changes, [], where, body, context)
            continue
        if (is_short(fork, where.frame) or (is_answer(fork) and where.kind not in ("server",))) and not (context.in_pages and is_text_beside_files(fork, later, rest)):
            extra = _went(before, number, forks, falls, body, context)
            write_if(fork, extra, where, body, context)
            continue
        if where.kind == "server":
            context.lost(fork.span, "this route", "it holds for some requests of all paths, and no `if` at this level can say what it does", "write it into the locations concerned")
            context.left.update(item for item in walk(fork) if isinstance(item, Span))
            continue
        _jump(replace(fork, chain=Chain([*fork.chain.items, *(rest if falls else [])])), where, body, context)
    return rest


def _goes_without(fork: Fork, later: list[Fork], rest: list) -> bool:  # type: ignore[type-arg]
    """Whether a fork answers as all do that it leaves."""
    left = [*(item for other in later for item in other.chain.items), *rest]
    match fork.chain.items, left:
        case [Leaf(answer=Respond() | Redirect() | Abort()) as own], [Leaf() as other] if all(item.condition is ALWAYS for item in later):
            return bool(bare((own.answer, own.settings)) == bare((other.answer, other.settings)))
    return False


def _went(before: list[Condition], number: int, forks: list[Fork], falls: bool, body: Body, context: Context) -> list[Node]:
    """A fork that goes on keeps the later ones from being asked: it says so in a variable."""
    later = forks[number + 1:]
    if not falls or not later or not any(fork.chain.items for fork in later):
        return []
    if not before:
        name = context.name("went on")
        context.set_names |= {name}
        body.phase.append(Node(["set", f"${name}", '""']))
        before.append(TextIs((Var(Variable.VARIABLE, name),), ("1",)))
        forks[number + 1:] = [replace(other, condition=guarded(other.condition, (before[0],)), sure=False) for other in later]
    assert isinstance(before[0], TextIs) and isinstance(before[0].template[0], Var)
    return [Node(["set", f"${before[0].template[0].name}", "1"])]


def _jump(fork: Fork, where: Where, body: Body, context: Context) -> None:
    """Requests that meet a condition go to a named location, by a status that its error page catches."""
    asked = write_asked(fork, MOST_ALTERNATIVES, context)
    if isinstance(asked, Unwritable):
        lose(fork, asked, body, context)
        return
    status = _FIRST_JUMP + context.jumps
    context.jumps += 1
    jumps = context.jumps
    name = write_named(fork.label or (fork.span.directive if fork.span else "some"), asked_again(fork), context)
    context.jumps = jumps
    spans = tuple(dict.fromkeys(span for span in (fork.span, *fork.also) if span))
    # A page goes out with the status of its error, unless it says another one.
    own = any(isinstance(leaf.answer, Forward | Gateway) or isinstance(leaf.answer, Respond) and leaf.answer.status != context.in_pages for leaf in leaves(fork.chain))
    body.jumps.append(Node(["error_page", str(status), f"={context.in_pages}" if context.in_pages and not own else "=", name], None, spans, _WHY_JUMP))
    for number, (lines, words) in enumerate(asked):
        body.phase += [*lines, Node(["if", words], [Node(["return", str(status)])], spans, () if number else fork.comments)]
