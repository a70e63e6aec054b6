"""httpd `CustomLog`, `LogFormat` -> LogTo.

Source:   Apache HTTP Server manual, mod_log_config. A virtual host with a log of its own does not use the main server's.
"""

from __future__ import annotations

from ....model import LogTo
from .context import Context, Node


def read_logs(own: list[Node], main: list[Node], context: Context) -> tuple[LogTo, ...]:
    """The access logs of a site."""
    nodes = context.take(own, "customlog", "transferlog") or context.take(main, "customlog", "transferlog")
    made = []
    for node in nodes:
        file, *rest = node.args or [""]
        style = rest[0] if rest and not rest[0].startswith(("env=", "expr=")) else "common"
        if style in context.formats:
            context.claim(context.formats[style])
        made.append(LogTo(None if file == "/dev/null" else file, style, node.span, context.formats.get(style)))
    return tuple(made)
