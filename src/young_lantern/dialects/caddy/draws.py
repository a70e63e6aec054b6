"""What is drawn anew for each request, by digits of the request's id: tables as Caddy's `map` has them, and back.

Source:   Caddy documentation, "Placeholders": `{http.request.uuid}` is a UUID; of version 4 (RFC 9562 section 5.4), whose digits but one and a part of
          another are random (2.6.2, probed: one for a request, wherever it is asked for).
Rule:     three digits make 4,096 shares, so that each is right to a fortieth of a percent.
"""

from __future__ import annotations

import re

from ...model import WHOLE, Hashed, Lookup, LookupRow, Pattern, Var, Variable, below, literal, share_table, shares_of

_DIGITS = 3
_ALL = 16 ** _DIGITS
# Where three random digits begin in the text of a UUID.
PLACES = (0, 3, 9, 24, 27, 30, 33)
_RANDOM = frozenset({*range(8), *range(9, 13), *range(15, 18), *range(20, 23), *range(24, 36)})
_DIGIT = r"(?:[0-9a-f]|\[[0-9a-f-]+\])(?:\{\d\})?"
_ROW = re.compile(rf"\^(?:\.\{{(\d+)\}})?(?:\(\?:((?:{_DIGIT})+(?:\|(?:{_DIGIT})+)*)\)|((?:{_DIGIT})+))")
_SUBJECT = (Var(Variable.REQUEST_ID),)


def salt_of(table: Lookup) -> str:
    """What tells a draw apart from others of one request."""
    subject = table.subject[0]
    assert isinstance(subject, Hashed)
    return literal(subject.template[:-1]) or ""


def by_id(table: Lookup, place: int) -> Lookup:
    """The table that asks the request's id, at a place in it, for what a table draws."""
    rows: list[LookupRow] = []
    sums = 0
    for share, result in shares_of(table)[:-1]:
        sums += share
        rows.append(LookupRow(Pattern(f"^{f'.{{{place}}}' if place else ''}(?:{below(round(sums * _ALL / WHOLE), _DIGITS, 16)})", "re2"), result))
    return Lookup(table.name, _SUBJECT, tuple(rows), shares_of(table)[-1][1], ignores_case=False, span=table.span)


def as_drawn(table: Lookup) -> Lookup:
    """A table that asks for random digits of the request's id, as one of what is drawn; another as it is."""
    found = [held for row in table.rows if isinstance(row.value, Pattern) and (held := _ROW.fullmatch(row.value.text)) is not None]
    places = {int(held[1] or 0) for held in found}
    if table.subject != _SUBJECT or len(found) != len(table.rows) or len(places) != 1 or table.nothing:
        return table
    place, asked = places.pop(), [held[2] or held[3] for held in found]
    if max(map(_longest, asked)) > _DIGITS or not _RANDOM.issuperset(range(place, place + max(map(_longest, asked)))):
        return table
    counts = [0] * len(asked)
    for number in range(_ALL):
        first = next((row for row, pattern in enumerate(asked) if re.match(pattern, f"{number:0{_DIGITS}x}")), None)
        if first is not None:
            counts[first] += 1
    shares = [(count * WHOLE // _ALL, row.result) for count, row in zip(counts, table.rows, strict=True)]
    return share_table(table.name, (str(place), *_SUBJECT) if place else _SUBJECT, shares, table.fallback, table.span)


def _longest(text: str) -> int:
    """How many digits the longest way of a pattern asks for."""
    return max(sum(int(found[1] or 1) for found in re.finditer(r"(?:[0-9a-f]|\[[0-9a-f-]+\])(?:\{(\d)\})?", way)) for way in text.split("|"))
