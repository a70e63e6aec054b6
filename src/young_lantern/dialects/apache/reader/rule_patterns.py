"""Patterns of rules in a folder, which are tried on the path behind it -> patterns for the whole path.

Source:   mod_rewrite.c, hook_fixup: the folder's own path is taken off first.
"""

from __future__ import annotations

import re

_AT_START_OR_SLASH = re.compile(r"(\(|\(\?:)(?:\^\|/|/\|\^)\)")


def under(text: str, prefix: str) -> str | None:
    """A pattern for the rest of a path -> one for the path; None when its anchors stand too deep to be moved."""
    front = re.escape(prefix)
    if text in ("^", ""):
        return "^" + front
    ways = _ways(text)
    if len(ways) > 1 and "^" in _bare(text) and not any(re.search(r"\((?!\?)", way) for way in ways):
        # Each with its own anchor; without groups it does not matter which of them holds.
        made = [under(way, prefix) for way in ways]
        return "|".join(way for way in made if way is not None) if None not in made else None
    inside = _bare(text)
    if text.startswith("^") and "^" not in inside[1:] and len(ways) == 1:
        return f"^{front}{text[1:]}"
    if (at_start := _AT_START_OR_SLASH.match(text)) and "^" not in _bare(text[at_start.end():]) and len(ways) == 1:
        # `(^|/)`: what follows stands at the front, or behind a slash; the group keeps its number.
        return f"^{front}(?:.*?{'(/)' if at_start[1] == '(' else '/'})??{text[at_start.end():]}"
    if "^" in inside:
        return None
    if text in (".", ".*", ".+", "(.*)", "(.+)"):
        return f"^{front}" + {".": ".", ".+": "."}.get(text, text)
    if len(ways) > 1:
        return f"^{front}.*?(?:{text})"
    return f"^{front}.*{text}" if text.endswith("$") and "(" not in text else f"^{front}.*?{text}"


def under_with_whole(text: str, prefix: str) -> str | None:
    """As `under`, with a first group for all that the pattern itself finds."""
    front, inside = re.escape(prefix), _bare(text)
    if text.startswith("^") and "^" not in inside[1:] and len(_ways(text)) == 1:
        return f"^{front}({text[1:]})"
    return None if "^" in inside else f"^{front}.*?({text})"


def _bare(text: str) -> str:
    """A pattern without its escapes and classes."""
    return re.sub(r"\\.|\[\^?\]?[^\]]*\]", "", text)


def _ways(text: str) -> list[str]:
    """The alternatives that stand outside of all groups."""
    made, depth = [""], 0
    for found in re.finditer(r"\\.|\[\^?\]?[^\]]*\]|.", text, re.DOTALL):
        sign = found[0]
        depth += (sign == "(") - (sign == ")")
        if sign == "|" and depth == 0:
            made.append("")
        else:
            made[-1] += sign
    return made


def alternates(text: str) -> bool:
    """Whether a `|` stands outside of all groups."""
    return len(_ways(text)) > 1
