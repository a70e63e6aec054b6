"""Conditions on paths -> the language of the paths that meet them; and what follows from several of them for another.

Rule:     an over-large language is never taken for the condition itself: it can say that two conditions exclude each other, not that one follows.
"""

from __future__ import annotations

from functools import lru_cache

from ..model import AllOf, AnyOf, Condition, PathForm, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern
from .languages import ALL, Language, Languages, characters
from .reach import emptied
from .regular import Found, Reading
from .syntax import PatternUnreadable

# Chosen among 200, 1,000 and 5,000: what writers ask of takes a dozen.
_LIMIT_STATES = 1_000


def prefix(made: Languages, text: str, ignores_case: bool = False) -> Language:
    """All paths that begin with a text."""
    return made.join(made.word(text, ignores_case), made.any)


def path_language(condition: Condition, reading: Reading, ignores_case: bool = False) -> Found | None:
    """The paths that meet a condition on the path alone; None for any other. Raises PatternUnreadable. ignores_case: even if the condition does not."""
    made = reading.languages
    match condition:
        case PathIs(path):
            return Found(_dotted(made, made.word(path, ignores_case or condition.ignores_case), condition.form), True)
        case PathStartsWith(text):
            return Found(prefix(made, text, ignores_case or condition.ignores_case), True)
        case PathGlob(glob):
            return Found(_dotted(made, _glob(made, glob, ignores_case or condition.ignores_case), condition.form), "[" not in glob)
        case PathMatches(pattern):
            return reading.found_in(Pattern(pattern.text, pattern.engine, ignores_case or pattern.ignores_case))
    return None


def _dotted(made: Languages, language: Language, form: PathForm) -> Language:
    """As Caddy compares paths: without the dots and blanks at their end (behaviour/evaluate.py)."""
    return made.join(language, made.many(made.one_of(characters(". ")))) if form is PathForm.CLEAN else language


def _glob(made: Languages, glob: str, ignores_case: bool) -> Language:
    """caddyhttp MatchPath, as evaluate.py has it: a star at an end is any text, one within stays in its segment."""
    if glob.count("*") == 2 and glob.startswith("*") and glob.endswith("*"):
        return made.join(made.any, prefix(made, glob.strip("*"), ignores_case))
    if glob.count("*") == 1 and glob.startswith("*"):
        return made.join(made.any, made.word(glob[1:], ignores_case))
    if glob.count("*") == 1 and glob.endswith("*"):
        return prefix(made, glob[:-1], ignores_case)
    segment = made.one_of(ALL & ~characters("/"))
    out = made.empty
    for character in reversed(glob):
        piece = made.many(segment) if character == "*" else segment if character == "?" else made.word(character, ignores_case)
        out = made.join(piece, out)
    return made.any if "[" in glob else out


@lru_cache(maxsize=8192)
def exclude_each_other(one: Condition, other: Condition) -> bool:
    """Whether no path meets both, in whatever case its letters are."""
    languages = Languages()
    reading = Reading(languages)
    sides = _limits(one, reading), _limits(other, reading)
    return emptied(languages, languages.both(*sides), _LIMIT_STATES) is True


def _limits(condition: Condition, reading: Reading) -> Language:
    """Paths among which all that meet a condition are, as far as it speaks of paths."""
    made = reading.languages
    match condition:
        case AllOf(conditions):
            return made.both(*(_limits(item, reading) for item in conditions))
        case AnyOf(conditions):
            return made.either(*(_limits(item, reading) for item in conditions))
    try:
        found = path_language(condition, reading, True)
    except PatternUnreadable:
        return made.any
    return found.language if found is not None and found.seen else made.any


def _told(pattern: Pattern, reading: Reading, matches: bool) -> Language | None:
    """The texts among which all that match a pattern are, or all that do not; None where that cannot be said."""
    try:
        found = reading.found_in(Pattern(pattern.text, pattern.engine, pattern.ignores_case))
    except PatternUnreadable:
        return None
    if not found.seen or not matches and not found.exact:
        return None
    return found.language if matches else reading.languages.other(found.language)


@lru_cache(maxsize=8192)
def follows(pattern: Pattern, start: str, end: str, matched: tuple[Pattern, ...], stem: tuple[tuple[Pattern, ...], tuple[Pattern, ...]] | None = None) -> bool | None:
    """Whether a path that begins and ends with some texts, and matches some patterns, matches another one: it does, it does not, or both may be.

    stem: what stands before its last segment, with the slash, matches the first, and does not match the second
    """
    languages = Languages()
    reading = Reading(languages)
    try:
        asked, *known = (reading.found_in(Pattern(item.text, item.engine, item.ignores_case)) for item in (pattern, *matched))
    except PatternUnreadable:
        return None
    if not all(found.seen for found in (asked, *known)):
        return None
    front = languages.any
    if stem is not None:
        folders = languages.both(languages.any, languages.join(languages.any, languages.word("/")))
        for said, patterns in zip((True, False), stem, strict=True):
            for item in patterns:
                if (language := _told(item, reading, said)) is not None:
                    folders = languages.both(folders, language)
        front, end = folders, end.removeprefix("/")
    here = languages.both(prefix(languages, start), languages.join(front, languages.word(end)), *(found.language for found in known))
    if emptied(languages, languages.both(here, asked.language), _LIMIT_STATES) is True:
        return False
    if asked.exact and emptied(languages, languages.both(here, languages.other(asked.language)), _LIMIT_STATES) is True:
        return True
    return None
