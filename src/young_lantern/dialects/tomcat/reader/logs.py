"""Tomcat `AccessLogValve` -> LogTo. Mirror: none.

Source:   Tomcat documentation, "Access Logging".
"""

from __future__ import annotations

from ....model import LogTo
from ..syntax import Element
from .context import Context

_FORMATS = {"common": "common", "combined": "combined", '%h %l %u %t "%r" %s %b': "common", '%h %l %u %t "%r" %s %b "%{Referer}i" "%{User-Agent}i"': "combined"}


def read_log(valve: Element, context: Context) -> LogTo:
    """The valve -> where it writes. Silence: logs/access_log. in the server's folder, in the common format; each day has a file of its own, which no other server makes by itself."""
    context.use(valve)
    for name in valve.attributes:
        context.said(valve, name)
    folder = context.path(context.value(valve, "directory", "logs"))
    name = context.value(valve, "prefix", "access_log").rstrip(".") + (context.value(valve, "suffix", "") or "")
    pattern = context.value(valve, "pattern", "common")
    return LogTo(f"{folder}/{name}", _FORMATS.get(pattern, ""), valve.span, valve.attributes["pattern"].span if "pattern" in valve.attributes else None)
