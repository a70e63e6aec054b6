"""Placeholders, values that a configuration leaves to deployment: each dialect's spelling, and how they come through a translation unharmed.

Rule:     while a configuration is written, a placeholder is a word between two characters that nothing else uses, so that it is quoted, escaped and cut like
          any other word; it gets its spelling when all is written. What looks like one of Caddy's is one in Caddy only.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

from ..codes import PLACEHOLDER_OPEN, PLACEHOLDER_UNIT
from ..model import Disposition, Estate, Span, finding
from ..model.walk import transform
from ..model.placeholders import MARK, MARKED, PLACEHOLDER, OpenNumber, name_of
from .dialect import Writing, WriterNote

# The number of the spelling ends a mark.
_FIRST_END = 0xE001


class OpenValues:
    """The placeholders of an estate whose files have these texts."""

    def __init__(self, estate: Estate, texts: Iterable[str]) -> None:
        held = any(PLACEHOLDER.search(text) for text in texts)
        self._dialect, self._with_units = estate.dialect, set[tuple[str, Span | None]]()
        found = dict.fromkeys(_found(estate, None, set(), self._with_units)) if held else {}
        self._places = [place for place in found if estate.dialect == "caddy" or not _is_caddys(place[0])]
        self._numbers = {spelling: number for number, spelling in enumerate(dict.fromkeys(spelling for spelling, _ in self._places))}
        self._spellings = list(self._numbers)

    def marked(self, estate: Estate) -> Estate:
        """The estate with a mark for each of them."""
        return transform(estate, self._change) if self._places else estate

    def spelt(self, writing: Writing, target: str, style: str | None, own: str | None) -> Writing:
        """What was written for a dialect, each mark spelt as spell() says, and each line with a placeholder told so."""
        if not self._places:
            return writing
        spellings = [spell(spelling, style, own) for spelling in self._spellings]
        written: set[str] = set()

        def plain(text: str) -> str:
            return MARKED.sub(lambda found: spellings[ord(found[1]) - _FIRST_END], text)

        for text in writing.files.values():
            written.update(self._spellings[ord(end) - _FIRST_END] for end in MARKED.findall(text))
        notes = [replace(note, reason=plain(note.reason), finding=note.finding and replace(note.finding, facts=tuple((name, plain(text)) for name, text in note.finding.facts), shows=plain(note.finding.shows)))
                 for note in writing.notes]
        for spelling, span in self._places:
            if spelling in written:
                facts = {"placeholder": spelling, "written": spellings[self._numbers[spelling]]}
                if (spelling, span) in self._with_units:
                    notes.append(WriterNote(span, Disposition.MANUAL, finding(PLACEHOLDER_UNIT, span, source=self._dialect, target=target, **facts)))
                else:
                    notes.append(WriterNote(span, Disposition.KEPT, finding(PLACEHOLDER_OPEN, span, **facts)))
        return replace(writing, files={name: plain(text) for name, text in writing.files.items()}, notes=notes)

    def _mark(self, spelling: str) -> str:
        return f"{MARK}{re.sub(r'[^A-Za-z0-9]+', '_', _name(spelling)).strip('_')}{chr(_FIRST_END + self._numbers[spelling])}"

    def _change(self, value: Any) -> Any:
        if isinstance(value, Span):
            return value
        made = {}
        for field in _fields(value):
            before = getattr(value, field)
            after = self._in(before)
            if after != before:
                made[field] = after
        return replace(value, **made) if made else value

    def _in(self, value: Any) -> Any:
        if isinstance(value, str):
            return PLACEHOLDER.sub(lambda found: self._mark(found[0]) if found[0] in self._numbers else found[0], value)
        if isinstance(value, OpenNumber):
            return value.respelt(self._in(value.spelling))
        return type(value)(map(self._in, value)) if isinstance(value, tuple | frozenset) else value


def spell(spelling: str, style: str | None, own: str | None = None) -> str:
    """A placeholder in the style asked for, or kept; `own`: what Caddy's (`{$NAME}`) becomes then."""
    if style is None:
        style = own if _is_caddys(spelling) else None
    return spelling if style is None else style.replace("NAME", _name(spelling))


def _is_caddys(spelling: str) -> bool:
    return spelling.startswith(("{$", "{env."))


def _name(spelling: str) -> str:
    found = PLACEHOLDER.fullmatch(spelling)
    return name_of(found) if found else spelling


def _fields(value: Any) -> list[str]:
    """The fields whose texts may hold placeholders."""
    return [field.name for field in dataclasses.fields(value) if field.name != "comments"]


def _found(value: Any, span: Span | None, seen: set[int], with_units: set[tuple[str, Span | None]]) -> Iterator[tuple[str, Span | None]]:
    """Each placeholder with the line that it stands in; those are noted besides that are numbers whose unit is in the value."""
    if isinstance(value, str):
        for found in PLACEHOLDER.finditer(value) if "{" in value else ():
            yield found[0], span
    elif isinstance(value, OpenNumber):
        if value.factor is None:
            with_units.add((value.spelling, span))
        yield value.spelling, span
    elif isinstance(value, tuple | frozenset):
        for item in value:
            yield from _found(item, span, seen, with_units)
    elif dataclasses.is_dataclass(value) and not isinstance(value, Span) and id(value) not in seen:
        seen.add(id(value))
        for field in _fields(value):
            yield from _found(getattr(value, field), getattr(value, "span", None) or span, seen, with_units)
