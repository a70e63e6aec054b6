"""httpd `AddOutputFilterByType DEFLATE`, `SetOutputFilter DEFLATE` -> Compress.

Source:   Apache HTTP Server manual, mod_deflate, mod_brotli, mod_filter: no shortest length.
"""

from __future__ import annotations

from fnmatch import fnmatchcase

from ....model import Compress, Pattern, Step
from ....model.registered_types import REGISTERED, usual_name
from ....patterns import search
from . import rates
from .content import FILTER
from .context import Context, Node

_CODINGS = {"deflate": "gzip", "brotli_compress": "br"}


def types_of(nodes: list[Node]) -> tuple[str, ...]:
    """The media types (globs) that any of the directives has compressed; all of them: `*`."""
    found: dict[str, None] = {}
    for node in nodes:
        if node.name in ("addoutputfilterbytype", "setoutputfilter") and node.args and any(name in _CODINGS for name in node.args[0].lower().split(";")):
            found |= dict.fromkeys(usual_name(item) for item in node.args[1:]) if node.name == "addoutputfilterbytype" else {"*": None}
    return tuple(found)


def named_types(nodes: list[Node]) -> dict[str, tuple[str, ...]]:
    """All types that files with an ending may have: the registered one, and what lines say."""
    found = {ending: (media_type,) for ending, media_type in REGISTERED.items()}
    for node in nodes:
        for ending in node.args[1:] if node.name == "addtype" else ():
            found[ending.lstrip(".").lower()] = (*found.get(ending.lstrip(".").lower(), ()), node.args[0])
    return found


def leaves_alone(pattern: Pattern, types: tuple[str, ...], named: dict[str, tuple[str, ...]]) -> bool:
    """Whether a pattern of paths holds only for names of files whose types are not compressed anyway."""
    names = [ending for ending in named if search(pattern, f"/x.{ending}")]
    others = search(pattern, "/x") or search(pattern, "/") or search(pattern, "/x.unheard-of")
    return bool(names) and not others and not any(fnmatchcase(usual_name(item), kind) for ending in names for item in named[ending] for kind in types)


def read_compression(nodes: list[Node], above: list[Node], context: Context) -> tuple[Step, ...]:
    """The codings that some directives switch on, for one table of media types."""
    codings: list[str] = []
    media_types: list[str] = []
    used: list[Node] = []
    # core.c, merge_core_dir_configs: the last line counts, and one in a section takes the place of those further out.
    counting, outer = context.last(nodes, "setoutputfilter"), context.last(above, "setoutputfilter")
    for node in nodes:
        if node.name not in ("addoutputfilterbytype", "setoutputfilter") or not node.args:
            continue
        context.use(node)
        if node.name == "setoutputfilter" and node is not counting:
            continue
        wanted = [_CODINGS[name] for name in node.args[0].lower().split(";") if name in _CODINGS]
        if not wanted and node is counting and outer is not None and any(name in _CODINGS for name in outer.args[0].lower().split(";")):
            context.value(node, node.args[0], "the filters of the line further out, in whose place it is, were expected beside it")
            continue
        if not wanted and node.args[0].lower() in (FILTER, rates.FILTER):
            continue
        if not wanted:
            context.value(node, node.args[0], "DEFLATE or BROTLI_COMPRESS was expected; other filters are not carried")
            continue
        codings += wanted
        media_types += node.args[1:] if node.name == "addoutputfilterbytype" else ["*"]
        used.append(node)
    if not used:
        return ()
    span, *more = (node.span for node in used)
    return (Compress(tuple(dict.fromkeys(codings)), tuple(dict.fromkeys(media_types)), 0, span, tuple(more), used[0].comments),)
