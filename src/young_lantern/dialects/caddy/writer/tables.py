"""Lookup -> Caddy `map`. Mirror: reader/tables.py.

Rule:     a text of letters is written as a pattern where its case does not count, since Caddy compares texts as they are; texts
          come before patterns, for Caddy tries the rows as they stand.
"""

from __future__ import annotations

import re

from ....fitting.static import bare
from ....model import Capture, Lookup, Pattern, is_drawn, literal
from ....patterns import beyond_re2, to_re2
from .. import draws
from ..values import READ, RESERVED, Unwritable, quote
from .context import Context
from .output import Node


def write_table(table: Lookup, context: Context) -> str | Unwritable:
    """The placeholder of a table; its `map` is noted for the site, once."""
    key, number = table.name, 2
    while key in context.tables and bare(context.made_from[key]) != bare(table):
        key, number = f"{table.name}_{number}", number + 1
    if key in context.tables:
        return context.tables[key][0]
    drawn = table
    if is_drawn(table):
        place = context.draws.setdefault(draws.salt_of(table), len(context.draws))
        if place >= len(draws.PLACES) or len(draws.shares_of(table)) < 2:
            return Unwritable("more that is drawn anew for each request than its id has digits for")
        table = draws.by_id(table, draws.PLACES[place])
    subject = context.template(table.subject, table.span)
    if isinstance(subject, Unwritable):
        return subject
    lines: list[Node] = []
    seen: dict[str, bool] = {}
    for row in table.rows:
        made = _row(row.value, row.result, table, context)
        if isinstance(made, Unwritable):
            return made
        # maphandler.go, Validate: no text twice, be it a pattern or not.
        text, is_pattern = made[0].removeprefix("~"), made[0].startswith("~")
        if seen.get(text) is is_pattern:
            continue  # the first one counts
        if text in seen and is_pattern:
            made = f"~(?:{text})", made[1]
        elif text in seen:
            made = f"~^(?:{re.escape(text)})$", made[1].replace("$", "$$")
        seen[text] = is_pattern
        lines.append(Node([quote(word) or '""' for word in made]))
    fallback = context.template(table.fallback, table.span)
    if isinstance(fallback, Unwritable):
        return fallback
    lines.append(Node(["default", quote(fallback)]))
    # A name of one letter is taken for something else, and Caddy does not start (2.6.2, probed).
    name = f"{key}_looked_up" if key in READ or key in RESERVED or len(key) == 1 else key
    node = Node(["map", quote(subject), f"{{{name}}}"], lines, (table.span,) if table.span else (), setting=True)
    context.tables[key] = f"{{{name}}}", node
    context.made_from[key] = drawn
    return f"{{{name}}}"


def _row(value: object, result: tuple, table: Lookup, context: Context) -> tuple[str, str] | Unwritable:  # type: ignore[type-arg]
    if table.networks:
        return Unwritable("a table of networks")
    if isinstance(value, Pattern):
        if value.engine == "pcre" and beyond_re2(value.text):
            return Unwritable(f"the pattern {value.text}")
        pattern = to_re2(value) if value.engine == "pcre" else value
        if result == table.subject:
            # maphandler.go: a pattern's value may hold groups and no placeholders; the text itself is the group of all, of a pattern that matches all of it.
            whole = pattern.text.startswith("^") and re.search(r"[^\\]\$$", pattern.text) and "|" not in pattern.text
            return "~" + (pattern.text if whole else f"(?s)^.*(?:{pattern.text}).*$"), "${0}"
        if not all(isinstance(part, str | Capture) for part in result):
            return Unwritable("a table whose pattern leads to a variable")
        text = "".join(part.replace("$", "$$") if isinstance(part, str) else f"${{{part.group}}}" for part in result)
        return "~" + pattern.text, text
    written = context.template(result, table.span)
    if isinstance(written, Unwritable):
        return written
    assert isinstance(value, str)
    if table.ignores_case and re.search("[A-Za-z]", value):
        if literal(result) is None:
            return Unwritable("a table whose text, whatever its case, leads to a variable")
        return f"~(?i)^{re.escape(value)}$", written.replace("$", "$$")
    return value, written
