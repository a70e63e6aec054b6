"""httpd `SetOutputFilter RATE_LIMIT` -> Limits. Mirror: ../writer/rates.py.

Source:   Apache HTTP Server manual, mod_ratelimit; mod_ratelimit.c rate_limit_filter: whole KiB a second, and KiB before that, by the variables
          rate-limit and rate-initial-burst; without the first the filter does nothing.
Left out: numbers that anything but SetEnv says; a filter for some types of answers only.
"""

from __future__ import annotations

from ....model import SPEED, Limit, Limits, Step
from .context import Context, Node

FILTER = "rate_limit"
_RATE, _BURST = "rate-limit", "rate-initial-burst"
_KIB = 1024


def read_speed(nodes: list[Node], above: list[Node], context: Context) -> tuple[Step, ...]:
    """How fast the answers of one level or section go out."""
    if not any(node.name == "setoutputfilter" or _says(node) for node in nodes):
        return ()
    line = context.last([*above, *nodes], "setoutputfilter")
    filters = line.args[0].lower().split(";") if line is not None and line.args else []
    said = {node.args[0]: node for node in (*above, *nodes) if _says(node)}
    if line is None or FILTER not in filters or _RATE not in said:
        return ()
    read = {name: int(node.args[1]) * _KIB for name, node in said.items() if len(node.args) > 1 and node.args[1].isdigit()}
    for name, node in said.items():
        context.use(node)
        if name not in read:
            context.value(node, "".join(node.args[1:]), "a number of KiB was expected")
    if not read.get(_RATE):
        return ()
    return (Limits(SPEED, (Limit(SPEED, read[_RATE], burst=read.get(_BURST, 0), span=context.use(line).span, also=tuple(node.span for node in said.values()), comments=line.comments),), line.span),)


def _says(node: Node) -> bool:
    return node.name == "setenv" and node.args[:1] in ([_RATE], [_BURST])
