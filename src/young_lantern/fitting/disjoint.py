"""Whether two conditions can hold for one request, as far as paths alone tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from ..model import (
    AllOf, AnyOf, ClientIn, Condition, Field, HostIs, Not, Operation, PathGlob, PathIs, PathMatches, PathStartsWith, PeerIn, Rewrite, Rewritten, SchemeIs, TextIs, TextMatches, Var, Variable,
)
from ..model.walk import walk
from ..patterns.path_languages import exclude_each_other
from .static import bare
from .tree import Branch, Chain, Fork, Leaf


def disjoint(one: Condition, other: Condition) -> bool:
    """Whether no request can meet both, as far as paths alone tell; letters of either case count as the same."""
    if len({item.form for item in walk((one, other)) if isinstance(item, PathIs | PathStartsWith | PathGlob | PathMatches)}) > 1:
        return False  # they look at different paths
    if any(isinstance(item, PathMatches | PathGlob) for item in walk((one, other))):
        return exclude_each_other(one, other)
    ones, others = _claims(one), _claims(other)
    return ones is not None and others is not None and not any(_overlap(a, b) for a in ones for b in others)


def _claims(condition: Condition) -> list[tuple[str, bool]] | None:
    """(text, whole) of the paths a condition is limited to, in lower case; None when it is not limited by paths."""
    match condition:
        case PathIs(path):
            return [(path.lower(), True)]
        case PathStartsWith(prefix):
            return [(prefix.lower(), False)]
        case AnyOf(conditions):
            found = [_claims(item) for item in conditions]
            return None if None in found else [claim for claims in found if claims for claim in claims]
        case AllOf(conditions):
            return next((claims for item in conditions if (claims := _claims(item)) is not None), None)
    return None


def _overlap(one: tuple[str, bool], other: tuple[str, bool]) -> bool:
    (a, a_whole), (b, b_whole) = one, other
    if a_whole and b_whole:
        return a == b
    if a_whole:
        return a.startswith(b)
    return b.startswith(a) if b_whole else a.startswith(b) or b.startswith(a)


def implied(wanted: Condition, known: Condition) -> bool:
    """Whether who meets `known` meets `wanted`, as far as plain paths and their starts tell."""
    paths = [item for item in walk((wanted, known)) if isinstance(item, PathIs | PathStartsWith | PathGlob | PathMatches)]
    if len({item.form for item in paths}) > 1 or len({item.ignores_case for item in paths if isinstance(item, PathIs | PathStartsWith)}) > 1:
        return False
    wide, narrow = _spelt(wanted), _spelt(known)
    return wide is not None and narrow is not None and all(any(_within(one, other) for other in wide) for one in narrow)


def _spelt(condition: Condition) -> list[tuple[str, bool]] | None:
    """As `_claims`, letters as they are, and only where the condition is nothing but that."""
    match condition:
        case PathIs(path):
            return [(path, True)]
        case PathStartsWith(prefix):
            return [(prefix, False)]
        case AnyOf(conditions):
            found = [_spelt(item) for item in conditions]
            return None if None in found else [claim for claims in found if claims for claim in claims]
    return None


def _within(one: tuple[str, bool], other: tuple[str, bool]) -> bool:
    return one == other or not other[1] and one[0].startswith(other[0])


@dataclass(frozen=True, slots=True)
class _Known:
    """What is known of the path where a chain stands. holds: conditions that all who come there meet; fails: those that nobody meets, since another fork
    has them; moved: whether the path may be another one than fields were asked for; rewritten: whether a rule may have acted."""

    holds: tuple[Condition, ...] = ()
    fails: tuple[Condition, ...] = ()
    moved: bool = False
    rewritten: bool = False

    def elsewhere(self) -> "_Known":
        """What is still known of another path: what asks for none."""
        return _Known(tuple(filter(_of_client, self.holds)), tuple(filter(_of_client, self.fails)), True, True)


# What no rewriting changes.
_OF_CLIENT = frozenset({Variable.HOST, Variable.HOST_SENT, Variable.AUTHORITY, Variable.SCHEME, Variable.PORT, Variable.METHOD, Variable.CLIENT, Variable.PEER, Variable.FIELD, Variable.COOKIE})


def _of_client(condition: Condition) -> bool:
    """Whether a condition asks for what a request keeps, whatever becomes of its path."""
    match condition:
        case Not(inner):
            return _of_client(inner)
        case AllOf(parts) | AnyOf(parts):
            return all(map(_of_client, parts))
        case TextIs(template) | TextMatches(template):
            return all(isinstance(part, str) or isinstance(part, Var) and part.variable in _OF_CLIENT for part in template)
    return isinstance(condition, HostIs | SchemeIs | ClientIn | PeerIn)


def without_impossible(chain: Chain, settles: Callable[[Field], bool] = lambda field: True, known: _Known = _Known()) -> Chain:
    """The chain without forks that no path comes to, and fields without what is known of them already. settles: whether a field shall be told what is known; one
    that the target says once for all had better stay what it is everywhere."""
    items = []
    for item in chain.items:
        if isinstance(item, Branch):
            forks: list[Fork] = []
            here = known
            for fork in item.forks:
                if not _cannot_be(fork.condition, here):
                    forks.append(replace(fork, chain=without_impossible(fork.chain, settles, replace(here, holds=(*here.holds, fork.condition)))))
                here = replace(here, fails=(*here.fails, fork.condition))
            if any(fork.chain.falls and any(_moves(inner) for inner in _all_items(fork.chain)) for fork in forks):
                known = known.elsewhere()
            elif any(isinstance(inner, Rewrite) for fork in forks for inner in _all_items(fork.chain)):
                known = replace(known, rewritten=True)
            if not forks:
                continue
            item = Branch(forks, item.span)
        elif _moves(item):
            known = known.elsewhere()  # what was asked before was asked of another path
        elif isinstance(item, Rewrite):
            known = replace(known, rewritten=True)
        elif isinstance(item, Leaf):
            item = _with_known(item, settles, known)
        items.append(item)
    return Chain(items, chain.shared)


def _moves(item: object) -> bool:
    return isinstance(item, Rewrite) and item.edit is not None


def _all_items(chain: Chain) -> Iterator[object]:
    for item in chain.items:
        yield item
        if isinstance(item, Branch):
            for fork in item.forks:
                yield from _all_items(fork.chain)


def _cannot_be(condition: Condition, known: _Known) -> bool:
    parts = {bare(part) for part in (condition.conditions if isinstance(condition, AllOf) else (condition,))}
    if not known.rewritten and any(isinstance(part, Rewritten) and part.label for part in parts):
        return True
    if any(bare(failed) in parts for failed in known.fails if _of_client(failed)):
        return True
    return any(disjoint(held, condition) for held in known.holds) or any(implied(failed, condition) for failed in known.fails)


def _with_known(leaf: Leaf, settles: Callable[[Field], bool], known: _Known) -> Leaf:
    settings = leaf.settings
    fields, asked = (_fields(found, settles, known) for found in (settings.fields, settings.request_fields))
    if fields == settings.fields and asked == settings.request_fields:
        return leaf
    return replace(leaf, settings=replace(settings, fields=fields, request_fields=asked))


def _fields(fields: tuple[Field, ...], settles: Callable[[Field], bool], known: _Known) -> tuple[Field, ...]:
    made: list[Field] = []
    for field in fields:
        if field.when is not None and (field.asked_last or not known.moved) and settles(field):
            if _cannot_be(field.when, known):
                continue
            if any(implied(field.when, held) for held in known.holds):
                field = replace(field, when=None)
        made.append(field)
    # Of one value that is set twice, the last stays: nothing sees the first.
    return tuple(field for number, field in enumerate(made) if not any(_again(field, later) for later in made[number + 1:]))


def _again(field: Field, later: Field) -> bool:
    return later.operation is Operation.SET and field.operation is Operation.SET and replace(field, span=None, comments=(), asked_last=False) == replace(later, span=None, comments=(), asked_last=False)
