"""Conditions on the type of an answer -> what else can be asked: the types they hold for, or the names of files that have those.

Rule:     what a condition asks is found by trying the types that are known: the registered ones, and those that tables of the estate say.
Used by:  Caddy, whose matchers see the request only; httpd, whose ExpiresByType names types one by one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from ..model import (
    AllOf, AnyOf, Condition, Field, Forward, Gateway, Lookup, LookupRow, MediaTypes, Not, PathGlob, Pattern, Redirect, Respond, Rewrite, ServeFiles, SetPath, Step, TextIs, TextMatches, Var, Variable, literal,
)
from ..model.media_types import of_name
from ..model.registered_types import REGISTERED
from ..model.walk import walk, with_steps
from ..patterns import search
from .tree import Branch, Chain, Leaf

TYPE = (Var(Variable.ANSWER_TYPE),)
# One that no table has, so that it tells what a condition says of all the rest.
_ODD = "x-lantern/x-odd"


def asks_type(item: object) -> bool:
    return any(found == TYPE[0] for found in walk(item))


def holds_for(condition: Condition, media_type: str) -> bool | None:
    """Whether a condition on the type holds for this one; None where it asks for something else, too."""
    match condition:
        case TextIs(template, values, ignores_case) if template == TYPE:
            return any(media_type == value or ignores_case and media_type.lower() == value.lower() for value in values)
        case TextMatches(template, pattern) if template == TYPE:
            return search(pattern, media_type) is not None
        case Not(inner):
            held = holds_for(inner, media_type)
            return None if held is None else not held
        case AllOf(parts) | AnyOf(parts):
            said = [holds_for(part, media_type) for part in parts]
            if None in said:
                return None
            return all(said) if isinstance(condition, AllOf) else any(said)
    return None


@dataclass(frozen=True, slots=True)
class Types:
    """The types that a condition holds for: `image/*` for all of a kind; others: types that nobody knows, too."""

    names: tuple[str, ...]
    others: bool


def types_where(condition: Condition, known: Iterable[str] = ()) -> Types | None:
    """None where the condition asks for something else than the type."""
    if holds_for(condition, _ODD) is None:
        return None
    names = [name for name in dict.fromkeys([*REGISTERED.values(), *_written(condition), *known]) if holds_for(condition, name)]
    kinds = [kind for kind in dict.fromkeys(name.partition("/")[0] for name in names) if holds_for(condition, f"{kind}/x-odd")]
    return Types((*(f"{kind}/*" for kind in kinds), *(name for name in names if name.partition("/")[0] not in kinds)), bool(holds_for(condition, _ODD)))


def _written(condition: Condition) -> list[str]:
    """The types that a condition names outright."""
    return [value for item in walk(condition) if isinstance(item, TextIs) and item.template == TYPE for value in item.values if "/" in value]


def divided(when: Condition | None) -> tuple[Condition | None, Condition | None]:
    """(what a condition asks of the type, what else it asks), each None where it is nothing."""
    parts = () if when is None else when.conditions if isinstance(when, AllOf) else (when,)
    asked = tuple(part for part in parts if asks_type(part))
    others = tuple(part for part in parts if not asks_type(part))
    return tuple(None if not held else held[0] if len(held) == 1 else AllOf(held) for held in (asked, others))  # type: ignore[return-value]


def split_tables(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program in which a field whose value is a table by the type is a field for each of its rows. An empty value is no field (nginx)."""
    return with_steps(program, lambda step: list(_rows(step)) if isinstance(step, Field) else [step])


def _rows(field: Field) -> list[Field]:
    match field.value:
        case (Lookup(subject=subject) as table,) if subject == TYPE and not asks_type(field.when):
            earlier: list[Condition] = []
            made: list[Field] = []
            for row in (*table.rows, LookupRow("", table.fallback)):
                asked = TextMatches(TYPE, row.value, span=table.span) if isinstance(row.value, Pattern) else TextIs(TYPE, (row.value,), table.ignores_case, table.span)
                last = len(earlier) == len(table.rows)
                parts = [*earlier] if last else [*earlier, asked]
                if literal(row.result) != "":
                    when = parts[0] if len(parts) == 1 else AllOf(tuple(parts))
                    made.append(replace(field, value=row.result, when=when if field.when is None else AllOf((field.when, when)), asked_last=True))
                earlier.append(Not(asked))
            return made
    return [field]


def by_file_names(chain: Chain, guessed: Callable[[Field], None]) -> list[Field]:
    """Gives the answers of a chain their fields by the name of the file, or the end of an origin's path; changes it in place.

    guessed: told of the latter. The result: the fields that some answer has no longer, since its type never is what they ask.
    """
    dropped: list[Field] = []
    for leaf, ending in _with_endings(chain, None):
        if not any(asks_type(field.when) for field in leaf.settings.fields):
            continue
        made = []
        for field in leaf.settings.fields:
            when = field.when
            if when is not None and asks_type(when):
                if isinstance(leaf.answer, Forward | Gateway):
                    guessed(field)
                when = _by_name(when, leaf.answer, leaf.settings.types, ending)
                if when is None:
                    dropped.append(field)
                    continue
            made.append(replace(field, when=None if when == _HOLDS else when))
        leaf.settings = replace(leaf.settings, fields=tuple(made))
    return dropped


def _with_endings(chain: Chain, ending: str | None) -> Iterator[tuple[Leaf, str | None]]:
    """Each leaf, with the ending of the path that a rewrite before it gives to every request; None where there is none."""
    for item in chain.items:
        if isinstance(item, Leaf):
            yield item, ending
        elif isinstance(item, Branch):
            for fork in item.forks:
                yield from _with_endings(fork.chain, ending)
            if any(isinstance(inner, Rewrite) for fork in item.forks for inner in _items(fork.chain)):
                ending = None  # some of what goes on behind it has another path by then
        elif isinstance(item, Rewrite) and isinstance(item.edit, SetPath):
            last = item.edit.template[-1] if item.edit.template else ""
            name = last.rpartition("/")[2] if isinstance(last, str) else ""
            ending = name.rpartition(".")[2] if "." in name else None


_HOLDS = AllOf(())
_FAILS = Not(_HOLDS)


def _items(chain: Chain) -> Iterator[object]:
    for item in chain.items:
        yield item
        if isinstance(item, Branch):
            for fork in item.forks:
                yield from _items(fork.chain)


def own_type(answer: object) -> str:
    """The type of what a server answers by itself: the words of a redirect are HTML (nginx 1.22.1, httpd 2.4.71, probed)."""
    return "text/html" if isinstance(answer, Redirect) else answer.media_type if isinstance(answer, Respond) else ""


def _by_name(when: Condition, answer: object, types: MediaTypes | None, ending: str | None) -> Condition | None:
    """None: it never holds; an empty AllOf: always. ending: of the path, where it is known."""
    parts = when.conditions if isinstance(when, AllOf) else (when,)
    asked = [part for part in parts if asks_type(part)]
    others = tuple(part for part in parts if not asks_type(part))
    own = asked[0] if len(asked) == 1 else AllOf(tuple(asked))
    if not isinstance(answer, ServeFiles | Forward | Gateway):
        held = holds_for(own, own_type(answer))
        return AllOf(others) if held and others else _HOLDS if held else None
    if ending is not None and types is not None and isinstance(answer, ServeFiles) and holds_for(own, _ODD) is not None:
        named: Condition | None = _HOLDS if holds_for(own, _asked_type(types, f"x.{ending}")) else _FAILS
    else:
        named = _names(own, answer, types)
    if named is None:
        return when
    if named is _FAILS:
        return None
    if named is _HOLDS:
        return others[0] if len(others) == 1 else AllOf(others)
    return named if not others else AllOf((*others, named))


def _asked_type(types: MediaTypes, name: str) -> str:
    """The type of a file as a condition sees it: with parameters of its own, but without the charset that is put behind it (nginx 1.22.1, httpd 2.4.71, probed)."""
    return of_name(replace(types, charset=""), name) or ""


def _names(condition: Condition, answer: object, types: MediaTypes | None) -> Condition | None:
    """The names of files whose type a condition holds for."""
    if holds_for(condition, _ODD) is None or types is None:
        return None
    rest = bool(holds_for(condition, _asked_type(types, "x")))
    table = types.table.by_extension if types.table else {}
    endings = [ending for ending in dict.fromkeys([*table, *(REGISTERED if types.registered else {})])
               if bool(holds_for(condition, _asked_type(types, f"x.{ending}"))) is not rest]
    indexes = {bool(holds_for(condition, _asked_type(types, name))) for index in (answer.folders.index if isinstance(answer, ServeFiles) else ()) if (name := literal(index))}
    if not endings:
        return _HOLDS if rest else _FAILS
    span = next((item.span for item in walk(condition) if isinstance(item, TextIs | TextMatches)), None)
    # A folder's index file is asked for by the folder's path.
    globs = [*(f"*.{ending}" for ending in endings), *(["*/"] if indexes == {not rest} else [])]
    found: Condition = PathGlob(globs[0], span=span) if len(globs) == 1 else AnyOf(tuple(PathGlob(glob, span=span) for glob in globs), span)
    return Not(found) if rest else found
