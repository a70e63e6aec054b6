"""Operations on the content of an answer -> what they are, and what they make of a text.

Source:   nginx manual, sub module (letters of either case are the same; each text is replaced once unless told otherwise; all are looked for in
          one go, and what took a text's place is not looked at again); Apache HTTP Server manual, mod_substitute (line by line, each place of a
          line; one text after the other).
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..model import CONTENT, Field
from ..patterns import compiled
from ..patterns.engines import go_replacement
from ..patterns.plain import plain_text
from .evaluate import text
from .outcome import Edit
from .state import State


def edits_of(operations: Iterable[Field], state: State) -> tuple[Edit, ...]:
    """The edits of an answer of the type that is known by now, in order."""
    kind = state.answer_type.partition(";")[0].strip().lower()
    return tuple(Edit(item.find, text(item.value, state), item.once, state.dialect == "nginx") for item in operations
                 if item.name == CONTENT and item.find is not None and ("*" in item.types or kind in (held.lower() for held in item.types)))


def edited(content: str, edits: tuple[Edit, ...]) -> str:
    """What becomes of a text."""
    if edits and edits[0].together:
        return _in_one_go(content, edits)
    for edit in edits:
        content = compiled(edit.find).sub(go_replacement(edit.value), content, count=1 if edit.once else 0)
    return content


def _in_one_go(content: str, edits: tuple[Edit, ...]) -> str:
    done: set[int] = set()

    def instead(found: re.Match[str]) -> str:
        number = next(number for number, group in enumerate(found.groups()) if group is not None)
        if edits[number].once and number in done:
            return found[0]
        done.add(number)
        return edits[number].value

    return re.sub("|".join(f"({re.escape(plain_text(edit.find) or edit.find.text)})" for edit in edits), instead, content, flags=re.IGNORECASE)


def come_to_the_same(one: tuple[Edit, ...], other: tuple[Edit, ...]) -> bool:
    """Whether two lists of edits do the same to texts in which each of the texts stands once: what is looked for, beside itself and what took its place.

    Of patterns that hold for more than one text no such sample says it all: they are the same, in the same order, or they are not.
    """
    if any(plain_text(edit.find) is None for edit in (*one, *other)):
        return [(edit.find, edit.value) for edit in one] == [(edit.find, edit.value) for edit in other]
    texts = [plain_text(edit.find) or edit.find.text for edit in (*one, *other)]
    values = [edit.value for edit in (*one, *other)]
    if [(edit.find.text, edit.find.ignores_case) for edit in one] == [(edit.find.text, edit.find.ignores_case) for edit in other] and [edit.value for edit in one] != [edit.value for edit in other]:
        return False
    samples = [*texts, *values, *(first + second for first in texts for second in texts if first != second)]
    return all(edited(sample, one) == edited(sample, other) for sample in dict.fromkeys(samples))
