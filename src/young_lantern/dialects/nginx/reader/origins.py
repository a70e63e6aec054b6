"""nginx `proxy_pass` with a variable for the origin -> a Forward for each value that it can have.

Source:   nginx manual, proxy module, proxy_pass; ngx_http_proxy_eval (1.22.1, probed).
Rule:     what the variable holds is read as if it stood there: the name of an upstream, or an address, which needs no resolver. A name that
          only a resolver finds is 502 where there is none; a value without an origin is 500.
Unknown:  a value that is made of other variables.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterator

from ....model import Choose, Condition, Forward, Lookup, Respond, Route, Step, TextIs, Var, Variable, address_in, literal
from ..syntax import Directive
from .context import Context, Scope
from .fields import asked
from .forwards import URL, read_forward

_VARYING = re.compile(r"(https?://)?\$(?:(\w+)|\{(\w+)\})((?:(?:[:/]|\$\{?(?:request_uri|uri|document_uri)\b).*)?)", re.DOTALL | re.IGNORECASE)


def read_origins(directive: Directive, scope: Scope, prefix: str | None, context: Context) -> tuple[Step, ...] | None:
    """The steps of a `proxy_pass`; None where it is not read."""
    found = _VARYING.fullmatch(directive.args[0])
    values = list(_values((found[2] or found[3]).lower(), directive, context) or ()) if found else []
    if found is None or not values or any(value is None for _, value in values):
        forward = read_forward(directive, scope, prefix, context)
        return (forward,) if forward else None
    routes: list[Route] = []
    steps: tuple[Step, ...] = ()
    for condition, value in values:
        made = _forward(f"{found[1] or ''}{value}{found[4]}", directive, scope, prefix, context)
        if made is None:
            return None
        if condition is None:
            steps = made
        else:
            routes.append(Route(condition, made, span=directive.span))
    return (Choose(tuple(routes), directive.span), *steps)


def _forward(url: str, directive: Directive, scope: Scope, prefix: str | None, context: Context) -> tuple[Step, ...] | None:
    context.use(directive)
    found = URL.fullmatch(url)
    if found is None or not found[2]:
        return (Respond(500, raises=True, span=directive.span),)
    if found[2] not in context.pools and not _is_address(re.sub(r":\d+$", "", found[2])) and context.used(scope, "resolver") is None:
        return (Respond(502, raises=True, span=directive.span),)
    forward: Forward | None = read_forward(directive, scope, prefix, context, url)
    return (forward,) if forward else None


def _is_address(host: str) -> bool:
    try:
        ipaddress.ip_address(host.strip("[]"))
    except ValueError:
        return False  # `localhost` too needs a resolver here (1.22.1, probed)
    return True


def _values(name: str, directive: Directive, context: Context) -> Iterator[tuple[Condition | None, str | None]] | None:
    """What a variable can hold, and when; the last is what it holds else. A value of None is not known."""
    table = context.table(name)
    if isinstance(table, Lookup):
        if table.span is not None:
            context.asks(table.span, directive)
        return _of_table(table)
    if name in context.set_lines:
        return _of_lines(name, context)
    return None


def _of_table(table: Lookup) -> Iterator[tuple[Condition | None, str | None]]:
    rows = table.rows
    if table.networks:
        # geo: the longest network that holds the address.
        rows = tuple(sorted(rows, key=lambda row: -ipaddress.ip_network(str(row.value), strict=False).prefixlen))
    for row in rows:
        yield (address_in(table.subject, str(row.value), table.span) if table.networks else asked(table, row)), literal(row.result)
    yield None, literal(table.fallback)


def _of_lines(name: str, context: Context) -> Iterator[tuple[Condition | None, str | None]]:
    for value in dict.fromkeys(literal(context.template(line.args[1], line)) for line in context.set_lines[name]):
        yield TextIs((Var(Variable.VARIABLE, name),), (value or "",)), value
    yield None, ""
