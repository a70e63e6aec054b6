"""Caddy `encode` -> Compress. Mirror: writer/compression.py.

Source:   Caddy documentation, encode; silence: the types of defaults.ENCODE_TYPES from 512 bytes.
"""

from __future__ import annotations

from ....model import Compress, Step
from .. import defaults
from ..syntax import Directive
from .context import Context, Level, Read


def read_encode(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`encode CODING… { minimum_length N; match { header Content-Type TYPE… } }`."""
    codings, types, minimum = list(words), [], defaults.ENCODE_MINIMUM
    for inner in directive.block or []:
        if inner.name in ("gzip", "zstd"):
            codings.append(inner.name)
        elif inner.name == "minimum_length" and inner.args and inner.args[0].isdigit():
            minimum = int(inner.args[0])
        elif inner.name == "match":
            lines = inner.block if inner.block is not None else [inner]
            for line in lines:
                words_of = line.args[1:] if line is inner else line.args
                if words_of[:1] == ["Content-Type"]:
                    types += words_of[1:]
                else:
                    context.unread(directive, line.name, "header Content-Type was expected")
        elif inner.name != "prefer":
            context.unread(directive, inner.name, "gzip, zstd, minimum_length or match was expected")
    return (Compress(tuple(codings), tuple(types) or defaults.ENCODE_TYPES, minimum, directive.span, comments=directive.comments),)


READS: dict[str, Read] = {"encode": read_encode}
