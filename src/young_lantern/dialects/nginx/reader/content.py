"""nginx `sub_filter*` -> operations on the content of answers. Mirror: ../writer/content.py.

Source:   nginx manual, sub module; ngx_http_sub_filter_module: letters of either case are the same, text/html is always among the types.
Unknown:  a text to look for that depends on the request, which is told.
Left out: Last-Modified, which the server takes away from what it may change (sub_filter_last_modified).
"""

from __future__ import annotations

import re

from ....model import CONTENT, Field, Operation, Pattern, Side, literal
from .context import Context, Scope

_ALWAYS = "text/html"


def read_edits(scope: Scope, context: Context) -> tuple[Field, ...]:
    """The texts that are replaced in answers of a scope; lines at a level hide those above."""
    lines = scope.inherited("sub_filter")
    if not lines:
        return ()
    once = context.switch(scope, "sub_filter_once", True)
    listed = context.used(scope, "sub_filter_types")
    types = ("*",) if listed and "*" in listed.args else tuple(dict.fromkeys((_ALWAYS, *(listed.args if listed else ()))))
    made = []
    for line in lines:
        context.use(line)
        find = literal(context.template(line.args[0], line))
        if find is None:
            context.unread(line, line.args[0], "a text that does not depend on the request was expected")
            continue
        made.append(Field(Side.RESPONSE, Operation.EDIT, CONTENT, context.template(line.args[1], line), find=Pattern(re.escape(find), "pcre", True), once=once, types=types, span=line.span, comments=line.comments))
    return tuple(made)
