"""Lookup -> nginx `map`, `geo`. Mirror: reader/tables.py.

Rule:     nginx tries texts before patterns and ignores their case; a table of another server that minds case is written with
          patterns for its texts, in its order.
"""

from __future__ import annotations

import re

from ....fitting.static import bare
from ....model import Capture, Hashed, Lookup, Pattern, Var, Variable, literal
from ....model.walk import walk
from ....patterns import problem, search
from ...noting import Unwritable
from ..values import quote, variable_name
from .context import Context
from .output import Node


def write_table(table: Lookup, context: Context) -> str | Unwritable:
    """The variable of a table; its block is noted for the http level, once."""
    wish = name = re.sub(r"\W", "_", table.name)
    number = 2
    set_elsewhere = {variable_name(other) for other in context.set_names}
    while name in set_elsewhere or name in context.tables and bare(context.tables[name]) != bare(table):
        name, number = f"{wish}_{number}", number + 1
    if name in context.tables:
        return f"${name}"
    context.tables[name] = table  # a table within it has another name
    made = _geo(name, table, context) if table.networks else _shares(name, table, table.subject[0], context) if _is_shared(table) else _map(name, table, context)
    if isinstance(made, Unwritable):
        del context.tables[name]
        return made
    context.http[f"table {name}"] = made
    return f"${name}"


def _is_shared(table: Lookup) -> bool:
    return len(table.subject) == 1 and isinstance(table.subject[0], Hashed) and len(table.subject[0].shares) == len(table.rows)


def _shares(name: str, table: Lookup, hashed: object, context: Context) -> Node | Unwritable:
    assert isinstance(hashed, Hashed)
    subject = context.template(hashed.template, table.span)
    if isinstance(subject, Unwritable):
        return subject
    lines = []
    for share, result in (*zip(hashed.shares, (row.result for row in table.rows), strict=True), (None, table.fallback)):
        value = literal(result)  # no variable is completed there
        if value is None:
            return Unwritable("a share of clients whose value depends on the request")
        if share is not None or value:
            lines.append(Node(["*" if share is None else f"{share / 100:g}%", quote(value)]))
    return Node(["split_clients", quote(subject), f"${name}"], lines, (table.span,) if table.span else ())


def _map(name: str, table: Lookup, context: Context) -> Node | Unwritable:
    subject = context.template(table.subject, table.span)
    if isinstance(subject, Unwritable):
        return subject
    lines = []
    # Texts first, then patterns, is nginx's own order: if a pattern stands before a text, or case counts, all are patterns.
    kinds = [isinstance(row.value, Pattern) for row in table.rows]
    as_patterns = kinds != sorted(kinds) or (not table.ignores_case and any(isinstance(row.value, str) and re.search("[A-Za-z]", row.value) for row in table.rows))
    before = context.pattern
    empty = next((row for row in table.rows if _holds_for_nothing(row.value)), None)
    for row in table.rows:
        if row.value == "" and row is not empty:
            continue
        if row is empty and (as_patterns or row.value != ""):
            # ngx_http_map_find: patterns are tried on a text that is not empty only (1.22.1, probed).
            nothing = context.template(tuple(part for part in row.result if not isinstance(part, Capture)), table.span)
            if isinstance(nothing, Unwritable):
                return nothing
            lines.append(Node(['""', quote(nothing)]))
            if row.value == "":
                continue
        if isinstance(row.value, Pattern):
            context.pattern = row.value.label
            word = quote(("~*" if row.value.ignores_case else "~") + row.value.text)
        elif as_patterns:
            word = quote(f"~^{re.escape(row.value)}$")
        else:
            word = _text(row.value)
        result = context.template(row.result, table.span)
        context.pattern = before
        if isinstance(result, Unwritable):
            return result
        lines.append(Node([word, quote(result)]))
    fallback = context.template(table.fallback, table.span)
    if isinstance(fallback, Unwritable):
        return fallback
    if fallback:
        lines.insert(0, Node(["default", quote(fallback)]))
    return Node(["map", quote(subject), f"${name}"], lines, (table.span,) if table.span else ())


def _holds_for_nothing(value: str | Pattern) -> bool:
    return not problem(value) and search(value, "") is not None if isinstance(value, Pattern) else value == ""


def _text(value: str) -> str:
    # map module: a text that looks like a keyword or a pattern needs a backslash before it.
    return quote("\\" + value if value in ("default", "hostnames", "include", "volatile") or value.startswith(("~", "\\")) else value)


def _geo(name: str, table: Lookup, context: Context) -> Node | Unwritable:
    lines = []
    for value, result in [("default", table.fallback), *((str(row.value), row.result) for row in table.rows)]:
        if not all(isinstance(part, str) for part in result):
            return Unwritable("a table of networks that leads to a variable")
        lines.append(Node([value, quote("".join(map(str, result)))]))
    words = [f"${name}"]
    if table.subject != (Var(Variable.CLIENT),):
        subject = context.template(table.subject, table.span)
        if isinstance(subject, Unwritable):
            return subject
        words.insert(0, subject)
    return Node(["geo", *words], lines, (table.span,) if table.span else ())


def networks(found: tuple[str, ...], context: Context, peer: bool = False) -> str:
    """The variable that is 1 for clients in one of the networks. peer: for the proxies in front that are."""
    kind = "peer" if peer else "client"
    key = f"{kind}s " + " ".join(found)
    if key not in context.http:
        name = "$" + context.name(f"from {kind} " + found[0].replace(".", " ").replace(":", " ").split("/")[0].replace(" ", ""))
        lines = [Node(["default", "0"]), *(Node([network, "1"]) for network in found if network != "unix:")]
        context.http[key] = Node(["geo", *(["$realip_remote_addr"] if peer else []), name], lines)
    return context.http[key].words[-1]


def never_set(context: Context, nodes: list[Node]) -> dict[str, Node]:
    """A table for each variable that is asked for though nothing in the configuration sets it, which nginx refuses: it is empty."""
    lines = [node.words for top in nodes for node in walk(top) if isinstance(node, Node)]
    made = {words[1] for words in lines if words[0] == "set"} | {words[-1] for words in lines if words[0] in ("map", "geo")}
    text = " ".join(word for words in lines for word in words)
    unset = {
        name for name in map(variable_name, context.set_names) if f"${name}" not in made and re.search(rf"\$(?:{name}\b|{{{name}}})", text)
    }
    return {
        f"unset {name}": Node(["map", '""', f"${name}"], [Node(["default", '""'])], comments=(f"Nothing sets ${name} where it is asked for.",))
        for name in sorted(unset)
    }
