"""What may stand behind a known beginning: `^/srv/[^/]+/private` behind `/srv/www` is `/private`.

Rule:     a pattern is a row of pieces. The beginning ends between two of them, or within one that takes any number of one kind of sign, which
          then goes on behind it. The pattern may hold in several of these ways.
          Where it has ended before the beginning has, it holds for whatever follows.
Left out: beginnings that end within a group, or within a piece that is counted; a tie to the beginning within a group, but for
          `(^|/)` and its like; look-ahead from within the beginning out of it.
"""

from __future__ import annotations

import regex

from ..model import Pattern
from .engines import compiled
from .syntax import PatternUnreadable
from .tokens import REPEATS, Unclosed, alternatives, closing, tokens_of


NOWHERE = "(?!)"
_ANY = ".*"


def behind(pattern: Pattern, start: str) -> str | None:
    """A pattern for what stands behind `start`, from there on, in the texts that `pattern` is found in: NOWHERE if it is in none; None where it cannot be said. start: the name of a folder."""
    try:
        made = _ways(pattern, start)
    except (PatternUnreadable, Unclosed, TimeoutError):
        return None
    # What is found anywhere is found at the beginning, too.
    if made is None or _ANY in made or "" in made:
        return None if made is None else _ANY
    made = [way for way in made if f".*{way}" not in made]
    return NOWHERE if not made else made[0] if len(made) == 1 else f"(?:{'|'.join(made)})"


def _ways(pattern: Pattern, start: str) -> list[str] | None:
    flags = found[0] if (found := regex.match(r"(?:\(\?[a-z-]+\))+", pattern.text)) else ""
    made: list[str] = []
    for tokens in alternatives(tokens_of(pattern.text[len(flags):])):
        if _is_tied_within(tokens):
            return None
        # One that is not tied to the beginning of the text has anything before it.
        pieces = _pieces(tokens[1:] if tokens[:1] == ["^"] else [".", "*", *tokens])
        if _looks_out(pieces, flags, start, pattern):
            return None
        if _ends_before(flags + "".join(pieces), start, pattern):
            made.append(_ANY)
        elif (rests := _behind(pieces, start, pattern, flags)) is not None:
            # Behind a folder's name there is a slash, or nothing.
            made += [flags + rest for rest in rests if compiled(Pattern(flags + rest, ignores_case=pattern.ignores_case)).match("/", partial=True, timeout=_SECONDS)]
        else:
            return None
    return [*dict.fromkeys(made)]


def _is_tied_within(tokens: list[str]) -> bool:
    """Whether more than an alternative of its own is tied to the beginning of the text within a group."""
    return any(token in ("^", r"\A", r"\G") and tokens[number + 1:number + 2] not in (["|"], [")"]) for number, token in enumerate(tokens) if number)


def _looks_out(pieces: list[str], flags: str, start: str, pattern: Pattern) -> bool:
    """Whether what is looked for ahead, somewhere in a folder's own name, may be there or not by what follows that."""
    for number, piece in enumerate(pieces):
        if piece.startswith(("(?=", "(?!")):
            sought = compiled(Pattern(flags + piece[3:-1], ignores_case=pattern.ignores_case))
            before = flags + "".join(pieces[:number])
            if any(_takes(before, start[:place], pattern) and sought.fullmatch(start[place:], partial=True, timeout=_SECONDS) is not None for place in range(len(start))):
                return True
    return False


def _ends_before(text: str, start: str, pattern: Pattern) -> bool:
    """Whether an alternative is found in a folder's own name, before that ends: what is in the folder makes no difference then."""
    made = compiled(Pattern(f"(?:{text})(?=.)", ignores_case=pattern.ignores_case))
    return made.match(start, timeout=_SECONDS) is not None


_SECONDS = 1.0  # as for a search
_PLAIN_GROUP = regex.compile(r"\((?:\?:|\?P?<\w+>)?")
# What asks, and takes no sign.
_TAKES_NOTHING = regex.compile(r"\$|\\[zZbB]|\(\?<?[!=]")


def _pieces(tokens: list[str]) -> list[str]:
    """Signs, classes and groups, each with how often it may come."""
    made: list[str] = []
    place = 0
    while place < len(tokens):
        end = closing(tokens, place) if tokens[place].startswith("(") else place
        repeated = end + 1 < len(tokens) and REPEATS.match(tokens[end + 1]) is not None
        if _PLAIN_GROUP.fullmatch(tokens[place]) and not repeated and len(alternatives(tokens[place + 1:end])) == 1:
            made += _pieces(tokens[place + 1:end])
        else:
            # How eagerly it takes makes no other texts.
            often = regex.sub("(?<=[*+?}])[+?]$", "", tokens[end + 1]) if repeated else ""
            made.append("".join(tokens[place:end + 1]) + often)
        end += repeated
        place = end + 1
    return made


def _behind(pieces: list[str], start: str, pattern: Pattern, flags: str) -> list[str] | None:
    found: list[str] = []
    for number, piece in enumerate((*pieces, "")):
        if number and _TAKES_NOTHING.match(pieces[number - 1]):
            continue  # what asks stands with what follows it
        before = "".join(pieces[:number])
        if _takes(flags + before, start, pattern):
            found.append("".join(pieces[number:]))
        if piece[-1:] in ("*", "+") and len(piece) > 1 and piece not in (r"\*", r"\+") and not piece.startswith("(") and _takes(flags + before + piece, start, pattern):
            # What takes no slash goes on behind a folder's name with nothing.
            more = piece[:-1] + "*" if _takes(flags + piece[:-1], "/", pattern) else ""
            found.append(more + "".join(pieces[number + 1:]))
        elif (piece.startswith("(") or piece.endswith("}")) and _ends_within(flags + before, piece, flags, start, pattern):
            return None
    return found


def _takes(text: str, start: str, pattern: Pattern) -> bool:
    return compiled(Pattern(text, ignores_case=pattern.ignores_case)).fullmatch(start, timeout=_SECONDS) is not None


def _ends_within(before: str, piece: str, flags: str, start: str, pattern: Pattern) -> bool:
    """Whether `start` may end after the first sign of a piece and before its last; it is a folder, so that a slash follows."""
    made = compiled(Pattern(flags + piece, ignores_case=pattern.ignores_case))
    return any(_takes(before, start[:place], pattern) and made.fullmatch(start[place:] + "/", partial=True, timeout=_SECONDS) is not None
               for place in range(len(start)))
