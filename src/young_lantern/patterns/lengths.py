"""How much longer or shorter a text becomes when what a pattern finds in it is put together anew.

Rule:     only the outermost pieces of a pattern that is anchored at its start are counted, each group as often as it is taken; what is behind the last
          piece of a pattern without an end may have any length.
Unknown:  groups within groups, parts that are no groups of the pattern: nothing is said then.
"""

from __future__ import annotations

from math import inf

from ..model import Capture, Pattern, Template
from .syntax import Alternatives, Anchor, BackReference, Characters, Group, Look, Node, PatternUnreadable, Repeat, Sequence, parse


def change(pattern: Pattern, template: Template) -> tuple[float, float]:
    """The least and the most by which the template's text is longer than the text that the pattern was found in; infinite where it is not known."""
    try:
        node = parse(pattern.text).tree
    except PatternUnreadable:
        return -inf, inf
    pieces = node.items if isinstance(node, Sequence) else (node,)
    if not pieces or pieces[0] != Anchor("start"):
        return -inf, inf
    left = {group.number for piece in pieces if (group := _group_of(piece)) is not None}
    least = most = 0.0
    for part in template:
        if isinstance(part, str):
            least, most = least + len(part), most + len(part)
        elif isinstance(part, Capture) and part.group in left and not part.encoding:
            left.discard(part.group)  # type: ignore[arg-type]
        else:
            return -inf, inf
    # What is taken is there before and afterwards; all other pieces are gone.
    for piece in pieces:
        group = _group_of(piece)
        if group is not None and group.number not in left:
            continue
        shortest, longest = lengths(piece)
        least, most = least - longest, most - shortest
    if pieces[-1] != Anchor("end") and not _takes_the_rest(pieces[-1]):
        least = -inf
    return least, most


def left_alone_without(pattern: Pattern, template: Template) -> int | None:
    """The number of a group that may be missing, without which the template says just what the pattern was found in: `^(a/)?(b.*)$` -> `$2`. None: there is no such."""
    try:
        node = parse(pattern.text).tree
    except PatternUnreadable:
        return None
    pieces = node.items if isinstance(node, Sequence) else (node,)
    if len(pieces) < 2 or pieces[0] != Anchor("start") or pieces[-1] != Anchor("end") and not _takes_the_rest(pieces[-1]):
        return None
    taken = {part.group for part in template if isinstance(part, Capture)}
    missing: list[int] = []
    said: list[str | int] = []
    for piece in pieces[1:]:
        group = _group_of(piece)
        if group is not None and isinstance(piece, Repeat) and piece.least == 0 and group.number not in taken and lengths(group)[0] > 0:
            missing.append(group.number or 0)
        elif group is not None:
            said.append(group.number or 0)
        elif isinstance(piece, Characters) and not piece.negated and len(piece.ranges) == 1 and piece.ranges[0][0] == piece.ranges[0][1]:
            said += [chr(piece.ranges[0][0])]
        elif piece != Anchor("end"):
            return None
    wanted: list[str | int] = []
    for part in template:
        if isinstance(part, str):
            wanted += part
        elif isinstance(part, Capture) and isinstance(part.group, int) and not part.encoding:
            wanted.append(part.group)
        else:
            return None
    return missing[0] if len(missing) == 1 and said == wanted and not pattern.ignores_case else None


def _group_of(piece: Node) -> Group | None:
    """The group that a piece is, or may be."""
    inner = piece.item if isinstance(piece, Repeat) and piece.most == 1 else piece
    return inner if isinstance(inner, Group) and inner.number is not None else None


def _takes_the_rest(piece: Node) -> bool:
    """Whether a piece takes all that is left, as `.*` does."""
    match piece:
        case Group(item):
            return _takes_the_rest(item)
        case Sequence(items) if items:
            return _takes_the_rest(items[-1])
        case Repeat(Characters(((10, 10),), negated=True), most=None):
            return True
    return False


def lengths(node: Node) -> tuple[float, float]:
    """The least and the most characters that a pattern takes."""
    match node:
        case Characters():
            return 1, 1
        case Anchor() | Look():
            return 0, 0
        case Group(item):
            return lengths(item)
        case Sequence(items):
            found = [lengths(item) for item in items]
            return sum(least for least, _ in found), sum(most for _, most in found)
        case Alternatives(items):
            found = [lengths(item) for item in items]
            return min(least for least, _ in found), max(most for _, most in found)
        case Repeat(item, fewest, times):
            least, most = lengths(item)
            return least * fewest, inf if times is None and most else 0 if not most else most * (times or 0)
        case BackReference():
            return 0, inf
    raise AssertionError(node)
