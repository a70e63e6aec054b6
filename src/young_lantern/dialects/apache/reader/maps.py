"""httpd `RewriteMap` -> tables that rules ask.

Source:   Apache HTTP Server manual, mod_rewrite, "RewriteMap"; mod_rewrite.c lookup_map_txtfile: the first line whose first word is the key, with case, counts;
          what follows the second word is no part of it. `rnd:` draws one of the values between `|` each time (select_random_value_part): where they are the
          origins that a rule with P asks, that is a pool with a member drawn at random, else a table of what is drawn for each request.
Unknown:  maps kept by programs and databases: rules that ask them are `Unserved`.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import replace

from ....model import Capture, Remade, Lookup, LookupRow, Member, Pool, Template, Var, Variable, drawn_table, join
from ....source.places import Places
from .context import Context, Map, Node

_ASKED = re.compile(r"\$\{(\w+):((?:[^{}|]|[$%]\{[^{}]*\})*)(?:\|([^{}]*))?\}")
_FUNCTIONS = {"tolower": "small", "toupper": "large", "escape": "encoded", "unescape": "decoded"}
_ANY_MAP = re.compile(r"\$\{\w+:")
# What goes into a URL as it is, so that it does not matter whether it is escaped.
_PLAIN, _ESCAPED = re.compile(r"[\w./~:+@,;=&-]*", re.ASCII), re.compile(r"[\w./~:+@,;=&%-]*", re.ASCII)


def read_maps(nodes: Iterable[Node], places: Places, context: Context) -> None:
    """All maps of a configuration, by their names."""
    for node in nodes:
        if node.name == "rewritemap" and len(node.args) >= 2:
            context.use(node)
            context.maps[node.args[0]] = _read(node, node.args[1], places, context)


def _read(node: Node, source: str, places: Places, context: Context) -> Map:
    kind, colon, name = source.partition(":")
    if not colon:
        kind, name = "txt", source
    if kind == "int" and name in _FUNCTIONS:
        return Map((), node.span, function=_FUNCTIONS[name])
    if kind not in ("txt", "rnd"):
        return Map((), node.span, f"a map of texts in a file was expected; {node.args[0]} is {kind}:{name if kind == 'int' else '…'}")
    path = context.file_at(name, places)
    if path is None:
        context.value(node, source, f"a file that is on this machine was expected; where a copy lies is said by --files-at {name.rpartition('/')[0]}=FOLDER")
        return Map((), node.span, f"the map {node.args[0]} could not be read")
    rows: dict[str, str] = {}
    for line in path.read_text("utf-8", "surrogateescape").splitlines():
        words = line.split()
        # A line that begins with a blank has no key (2.4.71, probed).
        if len(words) >= 2 and not line.startswith("#") and not line[:1].isspace():
            rows.setdefault(words[0], words[1])
    return Map(tuple(rows.items()), node.span, draws=kind == "rnd")


# An origin that a map is asked for by a key which is the same for every request.
_ORIGIN = re.compile(r"(https?|wss?)://\$\{(\w+):([\w.-]+)(?:\|([^{}$%|]*))?\}(?=/|$)", re.IGNORECASE)
_AUTHORITY = re.compile(r"[\w.-]+(?::\d+)?", re.ASCII)


def with_origin(substitution: str, node: Node, context: Context) -> str:
    """What a rule with P asks: of a map that draws one of several origins a balancer that is made for it, of another its value."""
    found = _ORIGIN.match(substitution)
    held = context.maps.get(found[2]) if found else None
    if found is None or held is None or held.function or not held.rows:
        return substitution
    value = dict(held.rows).get(found[3], found[4])
    drawn = value.split("|") if value else []
    if not drawn or not all(map(_AUTHORITY.fullmatch, drawn)):
        return substitution
    scheme, rest = found[1].lower(), substitution[found.end():]
    if len(drawn) == 1:
        return f"{scheme}://{value}{rest}"
    port = 443 if scheme in ("https", "wss") else 80
    weights = Counter(name if ":" in name else f"{name}:{port}" for name in drawn)
    name = wish = re.sub(r"\W", "_", f"{found[2]}_{found[3]}").lower()
    number = 2
    while name in context.pools and context.pools[name].span != held.span or f"balancer://{name}" in context.balancers and name not in context.pools:
        name, number = f"{wish}_{number}", number + 1
    context.pools[name] = Pool(name, tuple(Member(address, weight, span=held.span) for address, weight in weights.items()), "random", policy_span=held.span, span=held.span)
    context.balancers[f"balancer://{name}"], context.protocols[name] = name, scheme
    return f"balancer://{name}{rest}"


def asks_map(text: str) -> bool:
    return _ANY_MAP.search(text) is not None


def trouble(words: Iterable[str], substitution: str, redirects: bool, as_it_is: bool, at_server: bool, context: Context) -> str:
    """at_server: the rule is no folder's. as_it_is: what is written is not escaped (NE), so that a percent sign stays one. Why the maps that a rule's words ask cannot be told; "" if they can."""
    guarded: set[str] = set()
    for word in words:
        for found in _ASKED.finditer(word):
            held = context.maps.get(found[1])
            if held is None:
                return f"a map that is defined was expected; {found[1]} is not"
            if held.trouble:
                return held.trouble
            guarded.add(found[0].partition("|")[0])
        if asks_map(_ASKED.sub("", word)):
            return "a map that is asked for a text without maps in it was expected"
    for found in _ASKED.finditer(substitution):
        if context.maps[found[1]].function:
            if substitution.startswith(found[0]) and not found[2].startswith(("/", "%{REQUEST_URI}")) and not (redirects and at_server):
                return "a key with a slash at its front was expected: it is the whole path"
            continue
        held = context.maps[found[1]]
        # Of a key that is the same for every request one row alone counts.
        rows = [row for row in held.rows if row[0] == found[2] or "$" in found[2] or "%" in found[2]]
        values = [one for _, value in rows for one in (value.split("|") if held.draws else [value])] + ([found[3]] if found[3] else [])
        plain = _ESCAPED if redirects and as_it_is else _PLAIN
        # A redirect may have its query from the map where nothing follows that.
        queries = redirects and substitution.endswith(found[0])
        if any(not plain.fullmatch(value.partition("?")[0] if queries else value) or not _ESCAPED.fullmatch(value.partition("?")[2]) for value in values):
            return "a map whose values have neither query, but for redirects that end with them, nor characters to be escaped was expected"
        begins = substitution.startswith(found[0])
        if begins and not all(value.startswith("/") or redirects and "://" in value for value in values):
            return "a map whose values are paths, or URLs of a redirect, was expected"
        if begins and found[3] is None and found[0].removesuffix("}") not in {text.removesuffix("}") for text in guarded - _only_in(substitution, words)}:
            return "a default behind |, or a condition that the map has the key, was expected: without it what the map does not have leads nowhere"
    return ""


def with_queries(location: Template, keeps: bool, adds: bool) -> Template | None:
    """A location that ends with what a map says, whose rows may have queries; None where no row has any.

    keeps: rows without one keep the client's; adds: the others have the client's behind their own (QSA)
    """
    table = location[-1] if location else ""
    if not isinstance(table, Lookup) or not any("?" in part for row in table.rows for part in row.result if isinstance(part, str)):
        return None

    def whole(result: Template) -> Template:
        has_own = any(isinstance(part, str) and "?" in part for part in result)
        return join(result, (Var(Variable.QUERY, "&"),)) if has_own and adds else join(result, (Var(Variable.QUERY, "?"),)) if not has_own and keeps else result

    rows = tuple(replace(row, result=whole(row.result)) for row in table.rows)
    return (*location[:-1], replace(table, name=f"{table.name}_url", rows=rows, fallback=whole(table.fallback)))


def _only_in(substitution: str, words: Iterable[str]) -> set[str]:
    """What is asked in the substitution, and in no condition."""
    elsewhere = {found[0].partition("|")[0].removesuffix("}") for word in words if word is not substitution for found in _ASKED.finditer(word)}
    return {text for found in _ASKED.finditer(substitution) if (text := found[0].partition("|")[0]).removesuffix("}") not in elsewhere}


def with_maps(text: str, rule: str, context: Context, read: Callable[[str], Template], escapes: bool = False) -> Template:
    """A text that may ask maps -> template. read: what makes one of a text without maps; rule: the label of the rule whose groups keys speak of; escapes: what comes out is."""
    made: list[Template] = []
    at = 0
    for found in _ASKED.finditer(text):
        held = context.maps.get(found[1])
        if held is None or held.trouble:
            continue
        made.append(read(text[at:found.start()]))
        at = found.end()
        key = found[2]
        own = f" {rule}" if "$" in key else ""
        # What a key is made of is never escaped; what comes out of the map has nothing that would be.
        subject = tuple(replace(part, escaped=False) if isinstance(part, Capture) else part for part in read(key))
        if held.function:
            # mod_rewrite.c, rewrite_mapfunc_tolower (2.4.71, probed): letters of ASCII, and no default, for something always comes out.
            made.append((Remade(subject, held.function, escapes),))
            continue
        # select_random_value_part (2.4.71, probed): drawn anew wherever it is asked for; all of them count alike, and so does one that is not there.
        number = len(context.asked_maps.get(found[1], ())) + 1
        name = _name(found[1], f"{key}{own} {number}" if held.draws else key + own, context)
        made.append((Lookup(name, subject, tuple(LookupRow(row, _value(value, f"{name}_{place}", name, held)) for place, (row, value) in enumerate(held.rows, 1)), read(found[3] or ""), ignores_case=False, span=held.span),))
    made.append(read(text[at:]))
    return join(*made)


def _value(value: str, name: str, salt: str, held: Map) -> Template:
    """What a map has for a key: of several values between `|` one that is drawn."""
    drawn = Counter(value.split("|")) if held.draws else Counter([value])
    return (drawn_table(name, salt, drawn, held.span),) if len(drawn) > 1 else tuple(filter(None, drawn))


def _name(name: str, key: str, context: Context) -> str:
    """A name for each key that a map is asked for: a table's value is the same wherever it is used."""
    known = context.asked_maps.setdefault(name, [])
    if key not in known:
        known.append(key)
    number = known.index(key)
    return re.sub(r"\W", "_", name) + (f"_{number + 1}" if number else "")
