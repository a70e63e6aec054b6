"""Several languages -> every combination of "in this one, not in that one" that some text has, each with its shortest text.

Rule:     breadth first over what is left of all of them at once; of texts of one length that of the most readable characters comes first.
Bounded:  by the number of such states; `complete` is False when the walk ended there.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

from .languages import Language, Languages, first, meet


@dataclass
class Reached:
    """texts: for each combination, as the set of the languages' numbers, its shortest text; states: how many were met."""

    texts: dict[frozenset[int], str] = field(default_factory=dict)
    complete: bool = True
    states: int = 0


def reach(languages: Languages, wanted: list[Language], within: Language, limit: int) -> Reached:
    """Every combination that a text of `within` has, unless more than `limit` states are met."""
    found = Reached()
    start = (within, tuple(enumerate(wanted)), 0)
    seen = {start}
    queue = deque([(start, "")])
    met: dict[int, str] = {}
    while queue:
        (base, live, settled), text = queue.popleft()
        if base.nullable:
            held = settled
            for number, language in live:
                if language.nullable:
                    held |= 1 << number
            met.setdefault(held, text)
        if not live and base is languages.any:
            continue
        for mask in meet([base.classes, *(language.classes for _, language in live)]):
            bit = mask & -mask
            following = languages.next(base, bit)
            if following is languages.none:
                continue
            rest, done = [], settled
            for number, language in live:
                language = languages.next(language, bit)
                if language is languages.any:
                    done |= 1 << number
                elif language is not languages.none:
                    rest.append((number, language))
            state = (following, tuple(rest), done)
            if state in seen:
                continue
            if len(seen) >= limit:
                found.complete = False
                continue
            seen.add(state)
            queue.append((state, text + first(mask)))
    found.states = len(seen)
    found.texts = {frozenset(number for number in range(len(wanted)) if held >> number & 1): text for held, text in met.items()}
    return found


def emptied(languages: Languages, language: Language, limit: int) -> bool | None:
    """Whether no text is in it; None when that took more than `limit` states."""
    seen, queue = {language}, deque([language])
    while queue:
        here = queue.popleft()
        if here.nullable:
            return False
        for mask in here.classes:
            following = languages.next(here, mask & -mask)
            if following is not languages.none and following not in seen:
                if len(seen) >= limit:
                    return None
                seen.add(following)
                queue.append(following)
    return True
