"""Operations on the content of answers -> httpd `Substitute`. Mirror: ../reader/content.py.

Source:   Apache HTTP Server manual, mod_substitute, mod_filter.
Left out: only the first place of an answer: httpd replaces each, which is told as a difference; values that depend on the request.
"""

from __future__ import annotations

import re

from ....codes import EVERY_PLACE
from ....model import Disposition, Field, literal
from ....patterns.plain import plain_text
from ..values import quote
from .context import Context
from .output import Node


def write_edit(edit: Field, context: Context) -> list[Node]:
    """The text's line, and the filter for its types."""
    value, plain = literal(edit.value), plain_text(edit.find) if edit.find is not None else None
    if value is None or edit.find is None:
        context.lost(edit.span, "the change of the content", "httpd replaces by texts that do not depend on the request", "change it in the application")
        return []
    if plain is None:
        value = re.sub(r"\$\{(\d)\}", r"$\1", value)
    find = plain if plain is not None else edit.find.text
    value = value.replace("$$", "$") if plain is not None else value
    sign = next((sign for sign in "/|!#~@%" if sign not in find + value), None)
    if sign is None:
        context.lost(edit.span, "the change of the content", "the text has every sign that could part it from what takes its place", "change it in the application")
        return []
    if edit.once:
        context.note(edit.span, Disposition.CHANGED, EVERY_PLACE, text=find)
    context.modules |= {"substitute", "filter"}
    flags = ("n" if plain is not None else "") + ("i" if edit.find.ignores_case else "")
    made = context.line("Substitute", quote(f"s{sign}{find}{sign}{value}{sign}{flags}"), spans=(edit.span,), comments=edit.comments)
    acts = context.line("SetOutputFilter", "SUBSTITUTE") if "*" in edit.types else context.line("AddOutputFilterByType", "SUBSTITUTE", *edit.types)
    return [acts, made]
