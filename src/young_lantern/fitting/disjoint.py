"""Whether two conditions can hold for one request, as far as paths alone tell."""

from __future__ import annotations

from dataclasses import replace

from ..model import AllOf, AnyOf, Condition, Field, Operation, PathGlob, PathIs, PathMatches, PathStartsWith, Rewrite
from ..model.walk import walk
from ..patterns.path_languages import exclude_each_other
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


def without_impossible(chain: Chain, above: tuple[Condition, ...] = (), refused: tuple[Condition, ...] = ()) -> Chain:
    """The chain without forks that no path comes to, and fields without what is known of them already.

    above: conditions that hold for all that come here; refused: those that hold for none, since another fork has them
    """
    items = []
    for item in chain.items:
        if isinstance(item, Branch):
            forks: list[Fork] = []
            before = refused
            for fork in item.forks:
                if not _cannot_be(fork.condition, above, before):
                    forks.append(replace(fork, chain=without_impossible(fork.chain, (*above, fork.condition), before)))
                before = (*before, fork.condition)
            if not forks:
                continue
            item = Branch(forks, item.span)
        elif isinstance(item, Rewrite) and item.edit is not None:
            above = refused = ()  # what was asked before was asked of another path
        elif isinstance(item, Leaf) and (above or refused):
            item = _with_known(item, above, refused)
        items.append(item)
    return Chain(items, chain.shared)


def _cannot_be(condition: Condition, above: tuple[Condition, ...], refused: tuple[Condition, ...]) -> bool:
    return any(disjoint(known, condition) for known in above) or any(implied(known, condition) for known in refused)


def _with_known(leaf: Leaf, above: tuple[Condition, ...], refused: tuple[Condition, ...]) -> Leaf:
    settings = leaf.settings
    fields, asked = (_fields(found, above, refused) for found in (settings.fields, settings.request_fields))
    if fields == settings.fields and asked == settings.request_fields:
        return leaf
    return replace(leaf, settings=replace(settings, fields=fields, request_fields=asked))


def _fields(fields: tuple[Field, ...], above: tuple[Condition, ...], refused: tuple[Condition, ...]) -> tuple[Field, ...]:
    made: list[Field] = []
    for field in fields:
        if field.when is not None and _cannot_be(field.when, above, refused):
            continue
        if field.when is not None and any(implied(field.when, known) for known in above):
            field = replace(field, when=None)
        made.append(field)
    # Of one value that is set twice, the last stays: nothing sees the first.
    return tuple(field for number, field in enumerate(made) if not any(_again(field, later) for later in made[number + 1:]))


def _again(field: Field, later: Field) -> bool:
    return later.operation is Operation.SET and field.operation is Operation.SET and replace(field, span=None, comments=(), asked_last=False) == replace(later, span=None, comments=(), asked_last=False)
