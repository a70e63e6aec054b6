"""nginx `limit_req`, `limit_conn`, `limit_rate` -> Limits. Mirror: ../writer/rates.py.

Source:   nginx manual, limit_req, limit_conn and core modules; ngx_http_limit_req_handler (1.22.1).
Rule:     requests and connections are counted before anybody is asked who he is, and behind the rewriting, so that what `return` answers is not
          counted. All lines of a level hold; a level inherits those of the one above only where it has none. Nothing is counted by an empty key.
Left out: a speed that a variable says.
"""

from __future__ import annotations

from ....model import CONNECTIONS, REQUESTS, SPEED, Limit, Limits, Span, Step, Template
from .. import defaults
from ..syntax import Directive
from ..values import read_rate, read_size
from .context import Context, Scope

# How the lines that limit are called, and those that say by what is counted.
_LINES = {REQUESTS: ("limit_req", "limit_req_zone"), CONNECTIONS: ("limit_conn", "limit_conn_zone")}


def read_limits(scope: Scope, context: Context) -> tuple[Step, ...]:
    """What is counted before a scope answers."""
    return tuple(made for kind in _LINES if (made := _counted(kind, scope, context)) is not None)


def _counted(kind: str, scope: Scope, context: Context) -> Limits | None:
    name, zones = _LINES[kind]
    lines = scope.inherited(name)
    for line in lines:
        context.use(line)
    said = context.used(scope, f"{name}_status")
    context.used(scope, f"{name}_log_level")
    dry = context.switch(scope, f"{name}_dry_run", False)
    status = defaults.LIMITED
    if said is not None:
        if said.args[0].isdigit():
            status = int(said.args[0])
        else:
            context.unread(said, said.args[0], "a status was expected")
    rows = [made for line in lines if (made := _READ[kind](line, _zone(line, zones, scope, context), status, said, context)) is not None]
    # A dry run counts, and refuses nobody.
    return Limits(kind, tuple(rows), lines[0].span) if rows and not dry else None


def _zone(line: Directive, name: str, scope: Scope, context: Context) -> Directive | None:
    """The line that says by what a zone counts."""
    wanted = line.args[0].removeprefix("zone=") if name == "limit_conn_zone" else next((word.removeprefix("zone=") for word in line.args if word.startswith("zone=")), "")
    top = scope
    while top.parent is not None:
        top = top.parent
    for found in top.own(name):
        if any(word.startswith(f"zone={wanted}:") for word in found.args):
            return context.use(found)
    context.unread(line, wanted, f"a zone that {name} makes was expected")
    return None


def _requests(line: Directive, zone: Directive | None, status: int, said: Directive | None, context: Context) -> Limit | None:
    if zone is None:
        return None
    words = dict(word.partition("=")[::2] for word in (*zone.args, *line.args))
    rate, burst, delay = read_rate(words.get("rate", "")), words.get("burst", "0"), words.get("delay", "0")
    if rate is None or not burst.isdigit() or not delay.isdigit():
        context.unread(line, " ".join(line.args), "a rate such as 5r/s, and whole numbers for burst and delay, were expected")
        return None
    return Limit(REQUESTS, rate, _key(zone, context), int(burst), None if "nodelay" in line.args else min(int(delay), int(burst)), status, *_memory(zone), line.span, _spans(zone, said), line.comments)


def _connections(line: Directive, zone: Directive | None, status: int, said: Directive | None, context: Context) -> Limit | None:
    if zone is None:
        return None
    if len(line.args) < 2 or not line.args[1].isdigit():
        context.unread(line, " ".join(line.args), "a zone and a number were expected")
        return None
    return Limit(CONNECTIONS, int(line.args[1]), _key(zone, context), 0, None, status, *_memory(zone), line.span, _spans(zone, said), line.comments)


_READ = {REQUESTS: _requests, CONNECTIONS: _connections}


def _key(zone: Directive, context: Context) -> Template:
    # The address in fewer octets says the same (ngx_http_variable_binary_remote_addr).
    return context.template(zone.args[0].replace("$binary_remote_addr", "$remote_addr").replace("${binary_remote_addr}", "$remote_addr"), zone)


def _memory(zone: Directive) -> tuple[str, int]:
    name, _, size = next(word for word in zone.args if word.startswith("zone=")).removeprefix("zone=").partition(":")
    return name, read_size(size) or 0


def _spans(*lines: Directive | None) -> tuple[Span, ...]:
    return tuple(line.span for line in lines if line is not None)


def read_speed(scope: Scope, context: Context) -> tuple[Step, ...]:
    """How fast the answers of a scope go out. 0 is as fast as they may."""
    line, after = context.used(scope, "limit_rate"), context.used(scope, "limit_rate_after")
    if line is None:
        return ()
    speed, first = read_size(line.args[0]), read_size(after.args[0]) if after is not None else 0
    for directive, read in ((line, speed), (after, first)):
        if directive is not None and read is None:
            context.unread(directive, directive.args[0], "a size such as 500k was expected")
    if not speed or first is None:
        return ()
    return (Limits(SPEED, (Limit(SPEED, speed, burst=first, span=line.span, also=_spans(after), comments=line.comments),), line.span),)
