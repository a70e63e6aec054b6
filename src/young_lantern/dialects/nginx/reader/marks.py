"""A variable that `if` lines of a server set, as the condition under which it holds something.

Source:   nginx manual, rewrite module; the usual way to say which requests a cache leaves alone: `set $skip 0; if (…) { set $skip 1; }`.
Rule:     the lines of a server count in their order; they run again for whatever the server asks for inside.
Left out: variables that other lines set, or to something that is not written out; conditions on what a rewrite may have changed meanwhile.
"""

from __future__ import annotations

from collections.abc import Iterator

from ....model import ALWAYS, AllOf, AnyOf, Condition, Not, TextIs, TextMatches, Var, Variable
from ....model.walk import walk
from ..syntax import Directive
from .context import Context, Scope
from .rewrites import read_condition

_NOTHING = ("", "0")
# What stays the same from the rewriting of the server to the origin.
_STEADY = frozenset({
    Variable.METHOD, Variable.METHOD_SENT, Variable.TARGET, Variable.FIELD, Variable.COOKIE, Variable.ARGUMENT, Variable.QUERY, Variable.HOST, Variable.HOST_SENT, Variable.AUTHORITY, Variable.SCHEME,
    Variable.CLIENT, Variable.PEER, Variable.PORT,
})


def condition_of(name: str, scope: Scope, context: Context) -> Condition | None:
    """When a variable is more than nothing, and not 0; None where that is not to be seen."""
    server: Scope | None = scope
    while server is not None and server.kind != "server":
        server = server.parent
    if server is None:
        return None
    found: list[tuple[Condition, str]] = []
    lines: list[Directive] = []
    for directive in server.directives:
        if _sets(directive, name):
            found.append((ALWAYS, directive.args[1]))
            lines.append(directive)
        elif directive.name == "if":
            inside = context.block(directive)
            last = next((line for line in reversed(inside) if _sets(line, name)), None)
            if last is not None and not any(line.name == "if" for line in inside):
                found.append((read_condition(directive, server, context), last.args[1]))
                lines += [directive, *(line for line in inside if _sets(line, name))]
    everywhere = [line for line in _all(server.directives, context) if _sets(line, name)]
    if not found or len(everywhere) != sum(1 for line in lines if line.name == "set") or any("$" in value for _, value in found) or not all(_is_steady(condition) for condition, _ in found):
        return None
    for line in lines:
        context.use(line)
    held: Condition | None = None
    for condition, value in found:
        if condition is ALWAYS:
            held = None if value in _NOTHING else ALWAYS
        elif value in _NOTHING:
            held = held and AllOf((held, Not(condition)))
        else:
            held = condition if held is None else held if held is ALWAYS else AnyOf((*(held.conditions if isinstance(held, AnyOf) else (held,)), condition))
    return held


def _sets(line: Directive, name: str) -> bool:
    return line.name == "set" and len(line.args) == 2 and line.args[0].lstrip("$").lower() == name


def _all(directives: list[Directive], context: Context) -> Iterator[Directive]:
    for directive in directives:
        yield directive
        yield from _all(context.block(directive), context)


def _is_steady(condition: Condition) -> bool:
    if condition is ALWAYS:
        return True
    asked = condition.condition if isinstance(condition, Not) else condition
    return isinstance(asked, TextIs | TextMatches) and all(part.variable in _STEADY for part in walk(asked) if isinstance(part, Var)) and not any(type(part).__name__ in ("Capture", "Lookup", "Unread") for part in walk(asked))
