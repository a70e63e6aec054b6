"""nginx `map`, `geo`, `split_clients` -> Lookup, where the variable they make is used.

Source:   nginx manual, map module (texts ignore case and come before patterns, wherever they stand), geo module (the longest
          network that holds the address).
Rule:     a table costs nothing until its variable is asked for, and is looked up once for a request.
Unknown:  what a row says beyond that (proxy, ranges, delete) makes the whole variable unread.
"""

from __future__ import annotations

import ipaddress
import re

from ....codes import VALUE_UNREAD
from ....model import WHOLE, Lookup, LookupRow, Pattern, Template, Unread, Var, Variable, share_table
from ....patterns import problem, search
from ..syntax import Directive
from .context import Context, Scope

_FLAGS = frozenset({"hostnames", "volatile"})


def find_tables(http: Scope, context: Context) -> None:
    """Notes which variables the tables of the http block make; they are read when somebody asks."""
    for directive in (*http.own("map"), *http.own("geo"), *http.own("split_clients")):
        variable = directive.args[-1]
        if context.claims[directive.span].disposition is None and variable.startswith("$"):
            context.tables[variable[1:].lower()] = directive


def read_table(name: str, context: Context) -> Lookup | Unread | None:
    """The table that makes a variable; Unread for one that cannot be read or needs itself; None if no table makes it."""
    directive = context.tables.get(name)
    if directive is None:
        return None
    if name not in context.lookups:
        context.lookups[name] = Unread(f"${name}")  # a table that asks for itself finds this
        context.use(directive)
        context.lookups[name] = _READ[directive.name](name, directive, context)
    elif isinstance(context.lookups[name], Lookup):
        context.use(directive)
    return context.lookups[name]


def _subject(directive: Directive, context: Context) -> Template:
    if len(directive.args) == 1:
        return (Var(Variable.CLIENT),)
    return context.template(directive.args[0], directive)


def _read_map(name: str, directive: Directive, context: Context) -> Lookup:
    texts: list[LookupRow] = []
    stars: list[tuple[int, LookupRow]] = []
    patterns: list[LookupRow] = []
    fallback: Template = ()
    lines = context.block(directive)
    hostnames = any(line.name == "hostnames" and not line.args for line in lines)
    for line in lines:
        context.claim(line.span)
        if line.name in _FLAGS and not line.args:
            continue
        if len(line.args) != 1:
            context.blame(VALUE_UNREAD, line.span, value=line.span.directive, directive=directive.name, expected="a value and what it becomes were expected")
            continue
        result = context.template(line.args[0], line)
        if line.name == "default" and not line.words[0].quoted:
            fallback = result
        elif line.name.startswith("~"):
            text = line.name[1:]
            pattern = context.checked_pattern(Pattern(text.removeprefix("*"), "pcre", text.startswith("*")), line.span)
            patterns.append(LookupRow(pattern, result))
        elif hostnames and (line.name.startswith((".", "*.")) or line.name.endswith(".*")):
            stars.append((-len(line.name) if not line.name.endswith(".*") else 10**6 - len(line.name), LookupRow(_star(line.name), result)))
        else:
            texts.append(LookupRow(line.name.removeprefix("\\"), result))
    if not any(row.value == "" for row in texts) and any(not problem(row.value) and search(row.value, "") for row in patterns):
        # ngx_http_map_find: patterns are tried on a text that is not empty only (1.22.1, probed).
        texts.append(LookupRow("", fallback))
    rows = (*texts, *(row for _, row in sorted(stars, key=lambda pair: pair[0])), *patterns)
    return Lookup(name, _subject(directive, context), rows, fallback, span=directive.span)


def _star(name: str) -> Pattern:
    # map module, "hostnames": `.a.example` is the name itself and all below it, `*.` all below, `a.*` all that begin so.
    if name.startswith("."):
        return Pattern(rf"(^|\.){re.escape(name[1:])}$", "pcre", True)
    if name.startswith("*."):
        return Pattern(rf".\.{re.escape(name[2:])}$", "pcre", True)
    return Pattern(rf"^{re.escape(name[:-1])}", "pcre", True)


def _read_geo(name: str, directive: Directive, context: Context) -> Lookup | Unread:
    rows: list[LookupRow] = []
    fallback: Template = ()
    for line in context.block(directive):
        context.claim(line.span)
        network = "127.0.0.1/32" if line.name == "localhost" else line.name
        if line.name == "default" and len(line.args) == 1:
            fallback = (line.args[0],) if line.args[0] else ()
        elif len(line.args) != 1 or line.name in ("proxy", "include", "delete") or not _is_network(network):
            context.blame(VALUE_UNREAD, line.span, value=line.span.directive, directive="geo", expected="a network and its value were expected")
            return Unread(f"${name}")
        else:
            rows.append(LookupRow(network, (line.args[0],) if line.args[0] else ()))
    rows.sort(key=lambda row: -ipaddress.ip_network(str(row.value), strict=False).prefixlen)
    return Lookup(name, _subject(directive, context), tuple(rows), fallback, networks=True, span=directive.span)


def _read_shares(name: str, directive: Directive, context: Context) -> Lookup | Unread:
    """ngx_conf_split_clients_block, ngx_http_split_clients_variable (1.22.1, probed): shares one after the other; what is left goes to `*`, or has no value."""
    shares: list[tuple[int, Template]] = []
    fallback: Template = ()
    for line in context.block(directive):
        context.claim(line.span)
        found = re.fullmatch(r"(\d+)(?:\.(\d{1,2}))?%", line.name)
        # What stands there is a text: no variable in it is completed (1.22.1, probed).
        result: Template = (line.args[0],) if line.args and line.args[0] else ()
        if found is not None:
            shares.append((int(found[1]) * 100 + int((found[2] or "").ljust(2, "0")), result))
        else:
            fallback = result
        if len(line.args) != 1 or found is None and line.name != "*" or sum(share for share, _ in shares) > WHOLE:
            context.blame(VALUE_UNREAD, line.span, value=line.span.directive, directive=directive.name, expected="a share such as 12.5%, or *, and its value were expected")
            return Unread(f"${name}")
    return share_table(name, context.template(directive.args[0], directive), shares, fallback, directive.span)


_READ = {"map": _read_map, "geo": _read_geo, "split_clients": _read_shares}


def _is_network(text: str) -> bool:
    try:
        ipaddress.ip_network(text, strict=False)
    except ValueError:
        return False
    return True
