"""nginx `types`, `default_type`, `charset`, `charset_types` -> MediaTypes.

Source:   nginx manual, core module (types, default_type), charset module. The extension of the path counts, in small letters; what `return` answers
          has its type by it, too, and so has an origin's text a charset (1.22.1, probed).
"""

from __future__ import annotations

import re

from ....model import MediaType, MediaTypes, Step, TypeTable
from .. import defaults
from .context import Context, Scope


def read_media_types(scope: Scope, context: Context) -> tuple[Step, ...]:
    """What is in force at a scope."""
    blocks = scope.inherited("types")
    default, charset, listed = (context.used(scope, name) for name in ("default_type", "charset", "charset_types"))
    said = [*(context.use(block) for block in blocks), *(item for item in (default, charset, listed) if item is not None)]
    key = tuple(item.span for item in said)
    if key not in context.types:
        own = [block.span for block in blocks if block not in context.shared_types] + ([listed.span] if listed else [])
        name = charset.args[0] if charset else "off"
        if charset and not re.fullmatch(r"[\w.:-]+", name):
            context.unread(charset, name, "the name of a charset was expected")
            name = "off"
        rows = read_table(scope, context)
        otherwise = default.args[0] if default else defaults.DEFAULT_TYPE
        context.types[key] = MediaTypes(
            TypeTable(rows), registered=False, otherwise=otherwise, forced="" if rows else otherwise,
            charset="" if name == "off" else name, charset_types=_charset_types(listed.args if listed else None), charset_on_origins=True, by_path=True,
            span=next(iter(own), None), also=tuple(own[1:]), otherwise_span=default.span if default else None,
            charset_span=charset.span if charset else None,
        )
    return (context.types[key],)


def read_table(scope: Scope, context: Context) -> tuple[MediaType, ...]:
    """The rows in force at a scope: those of its own blocks, or else of the nearest level that has some."""
    blocks = scope.inherited("types")
    rows = tuple(MediaType(extension.lower(), line.name, line.span) for block in blocks for line in context.block(block) for extension in line.args)
    return rows if blocks else tuple(MediaType(*pair) for pair in defaults.MEDIA_TYPES)


def _charset_types(listed: list[str] | None) -> tuple[str, ...]:
    return defaults.CHARSET_TYPES if listed is None else tuple(dict.fromkeys(("text/html", *listed)))

