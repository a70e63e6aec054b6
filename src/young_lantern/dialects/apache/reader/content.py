"""httpd `Substitute` -> operations on the content of answers. Mirror: ../writer/content.py.

Source:   Apache HTTP Server manual, mod_substitute; mod_substitute.c: each line by itself, and each place in it; `n` a plain text, `i` either case.
Rule:     it acts where the filter is, on the answers that the filter's line is for.
Left out: a filter whose line stands in another section than the text's, further in, which is told.
"""

from __future__ import annotations

import re

from ....model import CONTENT, Field, Operation, Pattern, Side, Step
from .context import Context, Node

FILTER = "substitute"


def read_edits(nodes: list[Node], above: list[Node], context: Context) -> tuple[Step, ...]:
    """The texts of one level or section that are replaced."""
    lines = [node for node in nodes if node.name == "substitute" and node.args]
    if not lines:
        return ()
    types: list[str] = []
    for node in (*above, *nodes):
        if node.name in ("addoutputfilterbytype", "setoutputfilter") and FILTER in node.args[0].lower().split(";"):
            types += node.args[1:] if node.name == "addoutputfilterbytype" else ["*"]
    made: list[Step] = []
    for line in lines:
        found = _parts(line.args[0])
        if found is None or not types:
            context.value(line, line.args[0], "a filter SUBSTITUTE beside it, or further out, was expected" if found else "s/TEXT/REPLACEMENT/ was expected")
            continue
        find, value, flags = found
        context.use(line)
        plain = "n" in flags
        pattern = Pattern(re.escape(find), "pcre", "i" in flags) if plain else Pattern(find, "pcre", "i" in flags)
        made.append(Field(Side.RESPONSE, Operation.EDIT, CONTENT, (value.replace("$", "$$") if plain else re.sub(r"\$(\d)", r"${\1}", value),) if value else (), find=pattern, types=tuple(dict.fromkeys(types)), before_others=True, span=line.span, comments=line.comments))
    # mod_substitute.c, merge_substitute_dcfg: what an inner section says comes first; within it, the lines are in order.
    return tuple(reversed(made))


def _parts(text: str) -> tuple[str, str, str] | None:
    """`s|text|replacement|flags`: whatever follows the s parts them."""
    if len(text) < 4 or text[0] != "s":
        return None
    pieces = text[2:].split(text[1])
    return (pieces[0], pieces[1], pieces[2].lower()) if len(pieces) == 3 and set(pieces[2].lower()) <= set("infq") else None
