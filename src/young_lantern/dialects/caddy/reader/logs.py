"""Caddy `log` -> LogTo. Mirror: writer/logs.py.

Source:   Caddy documentation, log; silence for the output is standard error, in JSON or for a terminal.
"""

from __future__ import annotations

from ....model import LogTo, Step
from ..syntax import Directive
from .context import Context, Level, Read


def read_log(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`log { output file PATH; format … }`."""
    file, style = "", "json"
    for inner in directive.block or []:
        if inner.name == "output":
            file = inner.args[1] if inner.args[:1] == ["file"] and len(inner.args) > 1 else (inner.args or [""])[0]
        elif inner.name == "format" and inner.args:
            style = inner.args[0]
    return (LogTo(file, style, directive.span),)


READS: dict[str, Read] = {"log": read_log, "skip_log": lambda directive, words, level, context: (LogTo(None, "", directive.span),)}
