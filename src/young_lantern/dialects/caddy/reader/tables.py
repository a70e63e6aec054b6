"""Caddy `map` -> Lookup, where the placeholder it makes is used. Mirror: writer/tables.py.

Source:   Caddy documentation, "map"; caddyhttp map.go (2.6.2): rows are tried in the order written, letter case counts, and
          what a pattern's row gives is completed with its groups only.
Left out: tables behind a matcher: the placeholder would be another one for other requests.
"""

from __future__ import annotations

import re

from ....model import Capture, Lookup, LookupRow, Template, Var, join
from .. import values
from ..draws import as_drawn
from ..syntax import Directive
from .context import Context, Level

_GROUP = re.compile(r"\$(?:(\d+|\w+)|\{(\w+)\})")


def find_tables(level: Level, context: Context) -> None:
    """The tables written at a level; what they make is known in all that is read afterwards."""
    for directive in level.directives:
        if directive.name == "map" and context.claims[directive.span].disposition is None:
            context.use(directive)
            _read(directive, context)


def _read(directive: Directive, context: Context) -> None:
    words = directive.args
    if len(words) < 2 or words[0].startswith(("/", "@")) or not all(re.fullmatch(r"\{[\w.\-]+\}", word) for word in words[1:]):
        context.unread(directive, " ".join(words), "a text and the placeholders to be made were expected, without a matcher")
        return
    # map.go (2.6.2, probed): here what is not known is nothing, and not the placeholder itself.
    subject = tuple(Var(part.variable) if isinstance(part, Var) and part.variable in values.CERTIFICATE else part for part in context.template(words[0], directive))
    for number, made in enumerate(words[1:]):
        name = made.strip("{}")
        rows: list[LookupRow] = []
        fallback: Template = ()
        nothing = True  # without a line that says what else, there is no value at all
        for line in directive.block or []:
            context.claim(line.span)
            results = line.args
            result = results[number] if number < len(results) else ""
            if line.name == "default":
                fallback, nothing = context.template(result, line), False
            elif result == "-":
                continue  # it stands for no answer of this row
            elif line.name.startswith("~"):
                label = f"map.{name}.{len(rows)}.{directive.span.file}.{directive.span.line}"
                rows.append(LookupRow(context.pattern(line.name[1:], line, label), _expanded(result, label)))
            else:
                rows.append(LookupRow(line.name, context.template(result, line)))
        # map.go (2.6.2, probed): of several tables that make one placeholder it is the first that a request meets which says what it is.
        context.lookups.setdefault(name, as_drawn(Lookup(name, subject, tuple(rows), fallback, ignores_case=False, span=directive.span, nothing=nothing)))


def _expanded(result: str, label: str) -> Template:
    parts: list[str | Capture] = []
    at = 0
    for found in _GROUP.finditer(result):
        group = found[1] or found[2]
        parts += [result[at:found.start()], Capture(int(group) if group.isdigit() else group, label)]
        at = found.end()
    return join(*parts, result[at:])
