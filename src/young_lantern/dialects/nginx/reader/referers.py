"""nginx `valid_referers` -> the table behind `$invalid_referer`: empty for a Referer that is valid, else 1.

Source:   nginx manual, referer module; ngx_http_referer_module.c: names without case, a port aside, each with the beginning of a path if one is written;
          a Referer that has no http or https scheme, or is too short for a name, is a blocked one.
Rule:     where no name is written, every Referer is valid.
"""

from __future__ import annotations

import re

from ....model import Lookup, LookupRow, Pattern, Unread, Var, Variable
from ..syntax import Directive
from .context import Context, Scope

# A scheme, and what is long enough behind it to be a name: eleven characters at least.
_SCHEME = r"^(?:http://.{4}|https://.{3})"
_FRONT = r"^https?://"
_END = r"(?:[:/]|$)"


def read_referers(scope: Scope, context: Context) -> Lookup | Unread:
    """The table in force at a scope."""
    lines = scope.inherited("valid_referers")
    words = [word for line in lines for word in context.use(line).args]
    own = _own_names(scope, context) if "server_names" in words else []
    name = context.referers.setdefault((*words, "", *own), f"invalid_referer{f'_{len(context.referers) + 1}' if context.referers else ''}")
    rows: list[LookupRow] = []
    named = False
    for word in words:
        if word in ("none", "blocked"):
            continue
        named = True
        if "$" in word and not word.startswith("~"):
            return Unread("$invalid_referer")
        rows += [LookupRow(_pattern(host, lines[0], context), ()) for host in (own if word == "server_names" else [word])]
    if not lines or not named:
        return Lookup(name, (Var(Variable.FIELD, "Referer"),), (), (), span=lines[0].span if lines else None)
    missing = LookupRow("", () if "none" in words else ("1",))
    # Whatever has a scheme and none of the names is invalid; what has none is blocked.
    others = [LookupRow(context.checked_pattern(Pattern(_SCHEME, "pcre", True), lines[0].span), ("1",))]
    blocked = "blocked" in words
    return Lookup(name, (Var(Variable.FIELD, "Referer"),), (missing, *rows, *(others if blocked else ())), () if blocked else ("1",), span=lines[0].span)


def _own_names(scope: Scope, context: Context) -> list[str]:
    top = scope
    while top.parent is not None and top.kind != "server":
        top = top.parent
    return [name for line in top.own("server_name") for name in line.args if name not in ("", "_")]


def _pattern(word: str, line: Directive, context: Context) -> Pattern:
    if word.startswith("~"):
        text = word[1:]
        made = f"{_FRONT}{text[1:]}" if text.startswith("^") else f"{_FRONT}.*?(?:{text})"
        return context.checked_pattern(Pattern(made, "pcre", True), line.span)
    name, slash, path = word.partition("/")
    name = name.partition(":")[0]
    if name.startswith("*."):
        host = r"[^/:]+\." + re.escape(name[2:])
    elif name.startswith("."):
        host = r"(?:[^/:]+\.)?" + re.escape(name[1:])
    elif name.endswith(".*"):
        host = re.escape(name[:-1]) + "[^/:]+"
    else:
        host = re.escape(name)
    # The path minds case.
    end = rf"(?::[^/]*)?(?-i:{re.escape(slash + path)})" if slash else _END
    return context.checked_pattern(Pattern(f"{_FRONT}{host}{end}", "pcre", True), line.span)
