"""Operations on the content of answers -> nginx `sub_filter*`. Mirror: ../reader/content.py.

Source:   nginx manual, sub module.
Left out: patterns: nginx looks for plain texts, and minds no case, which is told.
"""

from __future__ import annotations

from ....codes import ANY_CASE
from ....model import Disposition, Field
from ....patterns.plain import plain_text
from ...noting import Unwritable
from ..values import quote
from .context import Context
from .output import Node

_ALWAYS = "text/html"


def write_edits(edits: list[Field], context: Context) -> list[Node]:
    """The lines of one place."""
    nodes: list[Node] = []
    written: list[Field] = []
    for edit in edits:
        find = plain_text(edit.find) if edit.find is not None else None
        value = context.template(edit.value, edit.span)
        if edit.when is not None:
            context.lost(edit.span, "the change of the content", "nginx changes it in a whole location, or not at all", "move what it is for into a location of its own")
            continue
        if find is None or isinstance(value, Unwritable):
            context.lost(edit.span, "the change of the content", "nginx looks for plain texts in the content of answers", "change it in the application")
            continue
        if edit.find is not None and not edit.find.ignores_case and find.lower() != find.upper():
            context.note(edit.span, Disposition.CHANGED, ANY_CASE, text=find)
        written.append(edit)
        nodes.append(Node(["sub_filter", quote(find), quote(value)], None, (edit.span,) if edit.span else (), edit.comments))
    if not written:
        return nodes
    if len({edit.once for edit in written}) > 1 or len({edit.types for edit in written}) > 1:
        context.lost(written[-1].span, "the change of the content", "nginx has one list of types, and one way of counting, for a place")
    if not written[0].once:
        nodes.append(Node(["sub_filter_once", "off"]))
    types = [name for name in written[0].types if name != _ALWAYS]
    if types:
        nodes.append(Node(["sub_filter_types", *types]))
    return nodes
