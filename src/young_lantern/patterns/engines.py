"""Regular expressions as their engine runs them, on the `regex` library with a time limit; and engine to engine.

Source:   PCRE pcrepattern page; Go regexp/syntax page (RE2).
Unknown:  PatternUnreadable for what no engine here takes; a search that runs too long counts as no match, as it does
          in nginx and httpd, whose match limit ends it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import regex

from ..model import Pattern
from .syntax import PatternUnreadable, parse

# A second is a thousand times what any sane pattern needs on a path; chosen among 0.1, 1 and 5.
_SECONDS = 1.0


@lru_cache(maxsize=4096)
def compiled(pattern: Pattern) -> regex.Pattern[str]:
    """The pattern ready to search with. Raises PatternUnreadable."""
    text = pattern.text
    if pattern.engine == "re2":
        # Go: `$` without flag m is the end of the text only, `\\z` likewise.
        text = _outside_brackets(text, {"$": r"\Z"}).replace(r"\z", r"\Z")
    else:
        text = text.replace(r"\z", "\x00z\x00").replace(r"\Z", r"(?=\n?\Z)").replace("\x00z\x00", r"\Z")
    # pcrepattern and Go's regexp/syntax: \w, \d and \s are of ASCII alone (nginx 1.22.1 probed: `\.\w+$` does not hold for `.é`); Go folds all letters, PCRE on octets those of ASCII.
    folds = pattern.ignores_case or "(?i" in text
    try:
        return regex.compile(text, (regex.IGNORECASE if pattern.ignores_case else 0) | (0 if pattern.engine == "re2" and folds else regex.ASCII))
    except (regex.error, RecursionError, OverflowError) as error:
        raise PatternUnreadable(f"{pattern.text!r} is not a regular expression: {error}") from None


def _outside_brackets(text: str, replacements: dict[str, str]) -> str:
    out, inside, escaped = [], False, False
    for character in text:
        if escaped:
            escaped = False
        elif character == "\\":
            escaped = True
        elif inside:
            inside = character != "]"
        elif character == "[":
            inside = True
        elif character in replacements:
            out.append(replacements[character])
            continue
        out.append(character)
    return "".join(out)


# The same few paths, hosts and fields meet the same patterns by the thousand where estates are compared.
@lru_cache(maxsize=1 << 16)
def search(pattern: Pattern, text: str) -> regex.Match[str] | None:
    """The first match anywhere in the text, or None; also None when the pattern cannot be read or runs too long."""
    try:
        return compiled(pattern).search(text, timeout=_SECONDS)
    except (PatternUnreadable, TimeoutError):
        return None


def problem(pattern: Pattern) -> str | None:
    """Why the pattern cannot be read, or None."""
    try:
        compiled(pattern)
    except PatternUnreadable as error:
        return str(error)
    return None


def beyond_re2(text: str) -> str | None:
    """What in a PCRE pattern RE2 does not have, in words; None when it takes it as it stands."""
    try:
        features = parse(without_lookahead(text)).features
    except PatternUnreadable as error:
        return str(error)
    return ", ".join(sorted(features)) or None


_LOOKAHEAD = regex.compile(r"\(\?!((?:[\w/-]|\\[./-])+(?:\|(?:[\w/-]|\\[./-])+)*|\((?:\?:)?(?:(?:[\w/-]|\\[./-])+\|)*(?:[\w/-]|\\[./-])+\)/?)\)(?:\.\*\$?)?$")


def without_lookahead(text: str) -> str:
    """A pattern that ends in "not followed by these words", spelt out: `/\\.(?!ab)` is `/\\.(?:$|[^a]|a(?:$|[^b]))`.

    Nothing stands behind it, so that the characters it now takes are missed by nobody. Other look-around stays as it is.
    """
    found = _LOOKAHEAD.search(text)
    if found is None or regex.search(r"\(\?[<=!]", text[:found.start()]) or not _top_level(text[:found.start()]):
        return text
    inner = found[1]
    tail = "/" if inner.endswith(")/") else ""
    words = [word.replace("\\", "") + tail for word in inner.removesuffix("/" if tail else "").removeprefix("(").removeprefix("?:").removesuffix(")").split("|")]
    return text[:found.start()] + _none_of(words)


def _top_level(text: str) -> bool:
    """Whether no group is open and no alternative was begun at the end of the text."""
    depth = 0
    for token in regex.findall(r"\\.|\[(?:\\.|[^\]])*\]|[()|]", text):
        if token == "(":
            depth += 1
        elif token == ")":
            depth -= 1
        elif token == "|" and not depth:
            return False
    return not depth


def _none_of(words: list[str]) -> str:
    """What does not begin with any of the words: the end, another character, or a first character and then none of the rest."""
    firsts = sorted({word[0] for word in words})
    out = ["$", "[^" + "".join(regex.escape(first) for first in firsts) + "]"]
    for first in firsts:
        rest = [word[1:] for word in words if word[0] == first]
        if all(rest):
            out.append(regex.escape(first) + _none_of(rest))
    return "(?:" + "|".join(out) + ")"


def to_re2(pattern: Pattern) -> Pattern:
    """The same pattern for RE2. Call beyond_re2 first.

    Named groups are `(?P<name>`; the flag for case goes into the text, since RE2 has no other place for it.
    """
    text = regex.sub(r"\(\?<(?![=!])", "(?P<", without_lookahead(pattern.text))
    if pattern.ignores_case:
        text = "(?i)" + text
    return Pattern(text, "re2")


_GO_REFERENCE = regex.compile(r"\$(?:\{(\w+)\}|(\w+)|(\$))")


def go_replacement(text: str) -> Callable[[regex.Match[str]], str]:
    """A replacement in Go's spelling (regexp.Expand: `$1`, `${name}`, `$$`) as a function for `sub`."""

    def expand(found: regex.Match[str]) -> str:
        def value(reference: regex.Match[str]) -> str:
            if reference[3]:
                return "$"
            name = reference[1] or reference[2]
            try:
                return found[int(name) if name.isdigit() else name] or ""
            except IndexError:
                return ""
        return _GO_REFERENCE.sub(value, text)

    return expand
