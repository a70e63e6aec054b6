"""nginx `access_log`, `log_format` -> LogTo.

Source:   nginx manual, log module; silence is logs/access.log in the format combined, which is no statement of the
          engineer's, so it makes no LogTo.
"""

from __future__ import annotations

from ....model import LogTo
from .context import Context, Scope


def read_logs(scope: Scope, context: Context) -> tuple[LogTo, ...]:
    """The access logs in force at a scope."""
    made = []
    for directive in scope.inherited("access_log"):
        context.use(directive)
        file, *rest = directive.args
        style = next((word for word in rest if "=" not in word), "combined")
        if style in context.formats:
            context.claims[context.formats[style]].claimed = True
        made.append(LogTo(None if file == "off" else file, style, directive.span, context.formats.get(style)))
    return tuple(made)
