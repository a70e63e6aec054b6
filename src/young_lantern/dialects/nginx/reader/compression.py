"""nginx `gzip*` -> Compress.

Source:   nginx manual, gzip module: text/html is always among the types; silence for the length is 20 bytes.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import Compress, Step
from .. import defaults, values
from .context import Context, Scope


def read_compression(scope: Scope, context: Context) -> tuple[Step, ...]:
    """The compression in force at a scope, or nothing when `gzip` is off."""
    with context.gather() as spans:
        made = _read(scope, context)
    return (replace(made, also=tuple(spans)),) if made else ()


def _read(scope: Scope, context: Context) -> Compress | None:
    directive = context.used(scope, "gzip")
    types = context.used(scope, "gzip_types")
    length = context.used(scope, "gzip_min_length")
    if directive is None or directive.args != ["on"]:
        return None
    listed = tuple(types.args) if types else ()
    minimum = values.read_size(length.args[0]) if length else defaults.GZIP_MINIMUM
    if minimum is None:
        assert length is not None
        context.unread(length, length.args[0], "a length in bytes was expected")
        minimum = defaults.GZIP_MINIMUM
    media_types = ("*",) if "*" in listed else tuple(dict.fromkeys((*defaults.GZIP_TYPES, *listed)))
    return Compress(("gzip",), media_types, minimum, directive.span, comments=directive.comments)
