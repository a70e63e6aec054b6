"""A chain -> places by path, each with what is done there, for dialects whose sites are lists of places (nginx).

Rule:     a place's chain is the whole chain with all that is known at that place left out: which conditions on the path hold
          there, and which do not because another place would have been chosen. So an exact place is right whatever stood
          before it; for the others it must be settled who wins where a prefix and a pattern overlap: whichever the chain
          asks first.
Left out: conditions behind a rewrite: they ask for another path than the one that the place was chosen by.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from ..model import (
    ALWAYS, Abort, AllOf, AnyOf, Capture, Condition, Field, FileExists, FileNameMatches, FolderMatches, Not, PathForm, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern,
    Respond, Rewrite, SetPath, Span, Step, TextIs, TextMatches, Var, Variable, join,
)
from ..model.walk import transform, walk
from ..patterns import literal_start
from .static import Known, bare, narrowed, simplified, truth, without
from .every_path import EVERY_PATH, whole_path_in
from .tree import Branch, Chain, Fork, Leaf, leaves

NEVER = Not(ALWAYS)
Atom = PathIs | PathStartsWith | PathMatches


@dataclass(slots=True, eq=False)
class Place:
    """Where requests go whose path meets `atom`. None: all that no other place takes.

    beats_patterns: no pattern may take a path from it;  as_pattern: a prefix that stands among the patterns, in their order
    order:          where the chain asks for it
    """

    atom: Atom | None
    chain: Chain = field(default_factory=lambda: Chain([]))
    order: int = 0
    beats_patterns: bool = False
    as_pattern: bool = False
    span: Span | None = None
    comments: tuple[str, ...] = ()
    spans: tuple[Span, ...] = ()


def _guards(chain: Chain) -> bool:
    return any(leaf.settings.guard is not None or leaf.settings.asks for leaf in leaves(chain))


def glob_as_pattern(value: object) -> object:
    """A glob as the pattern that it amounts to; all else as it is."""
    if isinstance(value, PathGlob):
        return PathMatches(Pattern(glob_pattern(value.glob), "pcre", value.ignores_case, f"glob {value.glob}"), span=value.span)
    return value


def plain_paths(chain: Chain, minds_case: bool) -> Chain:
    """The chain with every condition on the path in one form: as decoded and cleaned by the server, globs as patterns.

    minds_case: prefixes and whole paths that ignore case become patterns that do; else they mind it from now on
    """

    def change(value: object, minds_case: bool = minds_case) -> object:
        match value:
            case PathGlob():
                return glob_as_pattern(value)
            case PathIs(path, True) if minds_case:
                return PathMatches(Pattern(f"^{re.escape(path)}$", "pcre", True, f"path {path}"), span=value.span)
            case PathStartsWith(prefix, True) if minds_case:
                return PathMatches(Pattern(f"^{re.escape(prefix)}", "pcre", True, f"prefix {prefix}"), span=value.span)
            case PathIs() | PathStartsWith():
                return replace(value, ignores_case=False, form=PathForm.CURRENT)
            case TextMatches((Var(Variable.PATH),), pattern):
                return PathMatches(pattern, span=value.span)
            case TextIs((Var(Variable.PATH),), (path,), False):
                return PathIs(path, span=value.span)
            case PathMatches():
                return replace(value, form=PathForm.CURRENT)
            case FolderMatches(looks=PathMatches() as looks):
                return looks  # where the two differ, the comparison shows it
            case AllOf(conditions) if any(isinstance(item, FileNameMatches) for item in conditions) and len(conditions) > 1:
                # Beside it stands what the path must look like for it, in the same way.
                left = tuple(item for item in conditions if not isinstance(item, FileNameMatches))
                return left[0] if len(left) == 1 else replace(value, conditions=left)
        return value

    def closed(value: object) -> object:
        # What refuses goes on refusing all that it refused, and what asks for credentials all that it asked.
        return change(value, True)

    def found_named(fork: Fork) -> Fork:
        # What a file test found is the path that it asked for.
        if not isinstance(fork.condition, FileExists) or not fork.condition.path:
            return fork
        path = fork.condition.path

        def named(value: object) -> object:
            if isinstance(value, SetPath) and Var(Variable.FOUND) in value.template:
                return replace(value, template=join(*(path if part == Var(Variable.FOUND) else part for part in value.template)))
            return value

        items = [transform(item, named) if isinstance(item, Rewrite) else item for item in fork.chain.items]
        return replace(fork, chain=Chain(items, fork.chain.shared))

    def through(one: Chain) -> Chain:
        items = []
        for item in one.items:
            if isinstance(item, Branch):
                forks = [found_named(_total(replace(fork, condition=transform(fork.condition, closed if refuses(fork.chain) or _guards(fork.chain) else change), chain=through(fork.chain)))) for fork in item.forks]
                item = Branch(forks, item.span)
            elif isinstance(item, Leaf) and any(field.when is not None for field in item.settings.fields):
                fields = tuple(field if field.when is None else replace(field, when=transform(field.when, change)) for field in item.settings.fields)
                item = Leaf(item.answer, replace(item.settings, fields=fields), item.through)
            items.append(item)
        return Chain(items, one.shared)

    return through(chain)


def structural_spans(chain: Chain) -> set[Span]:
    """The lines that routes and their conditions came from."""
    found: set[Span] = set()
    for item in chain.items:
        if isinstance(item, Branch):
            found.update(span for span in (item.span,) if span)
            for fork in item.forks:
                found.update(span for span in (fork.span, *fork.also) if span)
                found.update(span for span in walk(fork.condition) if isinstance(span, Span))
                found |= structural_spans(fork.chain)
        elif isinstance(item, Leaf):
            found.update(item.through)
    return found


def _total(fork: Fork) -> Fork:
    """A fork whose pattern every path meets holds always; its capture is the path, or what stands behind its first slash."""
    parts = fork.condition.conditions if isinstance(fork.condition, AllOf) else (fork.condition,)
    every = next((item for item in parts if isinstance(item, PathMatches) and item.pattern.text in EVERY_PATH), None)
    if every is None:
        return fork
    label = every.pattern.label
    for leaf in leaves(fork.chain):
        leaf.answer = whole_path_in(leaf.answer, every)
    used = any(isinstance(item, Capture) and item.pattern == label for item in walk([item for item in _values(fork.chain)]))
    if used:
        return replace(fork, sure=True) if len(parts) == 1 else fork
    left = tuple(item for item in parts if item is not every)
    return replace(fork, condition=ALWAYS if not left else left[0] if len(left) == 1 else AllOf(left, every.span))


def url_as_path(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program in which what asks for the path of the URL asks for the current one, for dialects that know no other; where a rule has changed the
    one and not the other, the comparison shows it."""
    def change(value: object) -> object:
        match value:
            case PathIs() | PathStartsWith() | PathMatches() | PathGlob() if value.form is PathForm.URL:
                return replace(value, form=PathForm.CURRENT)
            case Field(when=TextIs() | TextMatches() | AllOf() | AnyOf() | Not() as when):
                # What it is in a place is known there.
                return replace(value, when=transform(when, lambda item: replace(item, template=_PATH) if isinstance(item, TextIs | TextMatches) and item.template == _URL_PATH else item))
        return value

    return transform(program, change)


_PATH, _URL_PATH = (Var(Variable.PATH),), (Var(Variable.URL_PATH),)


def _values(chain: Chain) -> Iterator[object]:
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                yield fork.condition
                yield from _values(fork.chain)
        elif isinstance(item, Leaf):
            yield item.answer
            yield item.settings
        else:
            yield item


def refuses(chain: Chain) -> bool:
    """Whether all that a chain does is to refuse."""
    match chain.items:
        case [Leaf(answer=Respond(status=401 | 403 | 404 | 410, raises=True) | Abort())]:
            return True
    return False


def glob_pattern(glob: str) -> str:
    """A path glob of Caddy's as a pattern: a star at one end, or at both, is anything; elsewhere all but slashes."""
    inner = glob.strip("*")
    if "*" not in inner and not re.search(r"[?\[\\]", inner):
        return ("" if glob.startswith("*") else "^") + re.escape(inner) + ("" if glob.endswith("*") else "$")
    return "^" + re.escape(glob).replace(r"\*", "[^/]*").replace(r"\?", "[^/]") + "$"


# --- finding places ---------------------------------------------------------------------------------------------------

def find_places(chain: Chain) -> list[Place]:
    """The places of a chain: whole paths, prefixes (the longest first), patterns in order, and the rest."""
    found: dict[object, Place] = {}
    for number, (atom, nested, fork) in enumerate(_atoms(chain, False)):
        if nested and isinstance(atom, PathMatches):
            continue
        # A pattern that is asked for twice is met by the first; by which name its groups go, does not matter.
        key = (atom.pattern.text, atom.pattern.ignores_case) if isinstance(atom, PathMatches) else bare(atom)
        if key in found:
            found[key].spans += tuple(span for span in (atom.span,) if span)
        else:
            # Comments stand with the first of several places of one line.
            found[key] = Place(atom, order=number, span=atom.span or fork.span, comments=fork.comments, spans=tuple(span for span in (atom.span, fork.span, *fork.also) if span))
    rest = found.pop(bare(PathStartsWith("/")), None)
    places = list(found.values())
    _settle(places)
    places.append(replace(rest, atom=None) if rest else Place(None, order=10**9))
    for place in places:
        place.chain = specialised(chain, *_known_at(place, places))
    return places


def at_path(chain: Chain, path: str) -> Chain:
    """What a chain comes down to for one path."""
    return specialised(chain, Known(path=path, prefix=path, suffix=path), frozenset())


def _atoms(chain: Chain, nested: bool) -> Iterator[tuple[Atom, bool, Fork]]:
    for item in chain.items:
        if isinstance(item, Rewrite):
            return
        if not isinstance(item, Branch):
            continue
        for fork in item.forks:
            own = list(atoms_of(fork.condition))
            for atom in own:
                yield atom, nested, fork
            yield from _atoms(fork.chain, nested or bool(own))
        if any(isinstance(inner, Rewrite) for fork in item.forks if fork.chain.falls for inner in fork.chain.items):
            return


def atoms_of(condition: Condition) -> Iterator[Atom]:
    """The conditions on the path, one of which must hold if the condition does."""
    match condition:
        case PathIs() | PathStartsWith() | PathMatches():
            yield condition
        case AnyOf(conditions):
            parts = [list(atoms_of(item)) for item in conditions]
            if all(parts):
                for part in parts:
                    yield from part
        case AllOf(conditions):
            for item in conditions:
                if part := list(atoms_of(item)):
                    yield from part
                    return


def _settle(places: list[Place]) -> None:
    """Who wins where a prefix and a pattern overlap."""
    patterns = [place for place in places if isinstance(place.atom, PathMatches)]
    changed = True
    while changed:
        changed = False
        for place in places:
            if not isinstance(place.atom, PathStartsWith) or place.as_pattern:
                continue
            rivals = [rival for rival in patterns if _overlap(place, rival)]
            later = any(rival.order > place.order for rival in rivals)
            earlier = any(rival.order < place.order for rival in rivals)
            if later and earlier:
                place.as_pattern, changed = True, True
                patterns.append(place)
            elif later:
                place.beats_patterns = True


def _overlap(place: Place, rival: Place) -> bool:
    assert isinstance(place.atom, PathStartsWith)
    prefix = place.atom.prefix
    if isinstance(rival.atom, PathStartsWith):
        # The longer prefix, as a pattern, is asked first in any case; what matters is the shorter one.
        return prefix.startswith(rival.atom.prefix) or rival.atom.prefix.startswith(prefix)
    assert isinstance(rival.atom, PathMatches)
    start = literal_start(rival.atom.pattern)
    return not start or start.lower().startswith(prefix.lower()) or prefix.lower().startswith(start.lower())


def _known_at(place: Place, places: list[Place]) -> tuple[Known, frozenset[object]]:
    """What is known of the path at a place, and which conditions are known not to hold."""
    others = [other for other in places if other is not place and other.atom is not None]
    if isinstance(place.atom, PathIs):
        return Known(path=place.atom.path, prefix=place.atom.path, suffix=place.atom.path), frozenset()
    prefix = place.atom.prefix if isinstance(place.atom, PathStartsWith) else "/"
    false = {_asked(other.atom) for other in others if isinstance(other.atom, PathIs)}
    longer = {other.atom.prefix for other in others if isinstance(other.atom, PathStartsWith) and not other.as_pattern
              and (len(other.atom.prefix) > len(prefix) if not isinstance(place.atom, PathMatches) and not place.as_pattern else other.beats_patterns)}
    patterns = [other for other in others if isinstance(other.atom, PathMatches) or other.as_pattern]
    if isinstance(place.atom, PathMatches) or place.as_pattern:
        patterns = [other for other in patterns if other.order < place.order]
    elif place.beats_patterns:
        patterns = []
    false |= {_asked(other.atom) for other in patterns}
    known = Known(prefix=prefix, excluded=frozenset(longer))
    return (narrowed(known, place.atom) if isinstance(place.atom, PathMatches) else known), frozenset(false)


# --- what is left at a place ------------------------------------------------------------------------------------------

def specialised(chain: Chain, known: Known, false: frozenset[object]) -> Chain:
    """The chain without what cannot happen there, and without conditions that hold there anyway."""
    items: list = []
    for item in chain.items:
        if isinstance(item, Branch):
            branch = _branch(item, known, false)
            if len(branch.forks) == 1 and branch.forks[0].condition is ALWAYS:
                inner = branch.forks[0].chain
                items += _through(inner.items, tuple(span for span in (branch.forks[0].span, *branch.forks[0].also) if span))
                if not inner.falls:
                    return Chain(items, chain.shared)
                if any(isinstance(piece, Rewrite) for piece in inner.items):
                    known, false = _changed(known), frozenset()
                continue
            if branch.forks:
                items.append(branch)
                for fork in branch.forks:
                    known = without(known, fork.condition) if not fork.chain.falls else known
                if any(isinstance(piece, Rewrite) for fork in branch.forks if fork.chain.falls for piece in walk(fork.chain.items)):
                    known, false = _changed(known), frozenset()
            if branch.forks and not Chain([branch]).falls:
                return Chain(items, chain.shared)
            continue
        items.append(item)
        if isinstance(item, Rewrite) and item.edit is not None:
            known, false = _changed(known), frozenset()
        elif isinstance(item, Rewrite):
            known = replace(known, queried=frozenset())
        if isinstance(item, Leaf):
            break
    return Chain(items, chain.shared)


def _through(items: list, spans: tuple[Span, ...]) -> list:  # type: ignore[type-arg]
    """The items, the last of which knows that these lines led there."""
    if not items or not spans:
        return items
    last = items[-1]
    if isinstance(last, Leaf):
        last = Leaf(last.answer, last.settings, tuple(dict.fromkeys((*last.through, *spans))))
    elif isinstance(last, Branch) and last.forks:
        forks = [*last.forks[:-1], replace(last.forks[-1], chain=Chain(_through(last.forks[-1].chain.items, spans), last.forks[-1].chain.shared))]
        last = Branch(forks, last.span)
    return [*items[:-1], last]


def _changed(known: Known) -> Known:
    return Known(path=None, prefix="", suffix="", internal=True, settled=known.settled, variables=())


def _branch(branch: Branch, known: Known, false: frozenset[object]) -> Branch:
    forks: list[Fork] = []
    own = {pattern.label for pattern in known.matched}
    for fork in branch.forks:
        condition = _without_false(fork.condition, false)
        value = truth(condition, known)
        if value is False:
            continue
        inner = specialised(fork.chain, narrowed(known, condition), false)
        captured = {item.pattern for item in walk(fork.chain.items) if isinstance(item, Capture)} if value or isinstance(condition, AllOf) else set()
        mine = {item.pattern.label for item in walk(condition) if isinstance(item, PathMatches)}
        if value is True:
            # The captures of a pattern that holds anyway are set where the place itself is that pattern; else it stays.
            needs = bool(mine & captured - own)
            forks.append(replace(fork, condition=condition if needs else ALWAYS, sure=needs, chain=inner))
            break
        forks.append(replace(fork, condition=simplified(condition, known, frozenset(captured - own)), chain=inner))
        known = without(known, condition)
    return Branch(forks, branch.span)


def _asked(atom: object) -> object:
    """What a condition asks for, whoever asks it."""
    return bare(replace(atom, pattern=replace(atom.pattern, label="")) if isinstance(atom, PathMatches) else atom)


def _without_false(condition: Condition, false: frozenset[object]) -> Condition:
    if not false:
        return condition

    def change(value: object) -> object:
        if isinstance(value, PathIs | PathStartsWith | PathMatches) and _asked(value) in false:
            return NEVER
        if isinstance(value, AnyOf):
            left = tuple(item for item in value.conditions if item != NEVER)
            return NEVER if not left else left[0] if len(left) == 1 else replace(value, conditions=left)
        return value

    return transform(condition, change)
