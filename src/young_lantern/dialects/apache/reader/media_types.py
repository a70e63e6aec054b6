"""httpd `AddType`, `ForceType`, `RemoveType`, `AddCharset`, `AddDefaultCharset`, `TypesConfig` -> MediaTypes.

Source:   Apache HTTP Server manual, mod_mime, core (AddDefaultCharset, ForceType); mod_mime.c find_ct.
Rule:     what a section says is put onto what was said around it; what it removes is removed after what it adds. Of a file's extensions the last known
          one counts, and a charset is put behind text/html and text/plain of origins, too (2.4.71, probed).
"""

from __future__ import annotations

from dataclasses import replace

from ....model import MediaType, MediaTypes, Step, TypeTable
from .. import defaults
from .context import Context, Node
from .fields import default_types

_NAMES = frozenset({"addtype", "forcetype", "removetype", "addcharset", "removecharset", "adddefaultcharset", "typesconfig"})
# Words for files that go to an application, which has its own say on what it answers.
_HANDLERS = "httpd-php"


def read_media_types(nodes: list[Node], at_server: bool, context: Context) -> tuple[Step, ...]:
    """What one level or section says. at_server: it is the server's own, on which all others come."""
    said = [node for node in nodes if node.name in _NAMES and node.args and _HANDLERS not in node.args[0]]
    by_default = default_types(nodes)
    defaults_to = [(node, value) for node in nodes if (value := by_default.get(id(node)))]
    if not said and not defaults_to and not at_server:
        return ()
    rows: list[MediaType] = []
    charsets: list[MediaType] = []
    gone: list[MediaType] = []
    made = MediaTypes(table=TypeTable(), adds=True)
    if at_server:
        known = context.has("mime")
        made = replace(made, adds=False, registered=known, otherwise="", forced="", charset="", charset_types=defaults.CHARSET_TYPES, charset_on_origins=True, each=True)
    for node in said:
        context.use(node)
        first, *words = node.args
        endings = [word.lstrip(".") for word in words]
        match node.name:
            case "addtype":
                rows += [MediaType(ending, first, node.span) for ending in endings]
            case "addcharset":
                charsets += [MediaType(ending, first, node.span) for ending in endings]
            case "removetype":
                gone += [MediaType(word.lstrip("."), "", node.span) for word in node.args]
            case "removecharset":
                charsets += [MediaType(word.lstrip("."), "", node.span) for word in node.args]
            case "forcetype":
                made = replace(made, forced="" if first.lower() == "none" else first)
            case "adddefaultcharset":
                made = replace(made, charset={"off": "", "on": "iso-8859-1"}.get(first.lower(), first), charset_span=node.span)
            case "typesconfig":
                if first == "/dev/null":
                    made = replace(made, registered=False)
                elif not first.endswith("mime.types"):
                    context.value(node, first, "the system's table was expected; its own is not read, and the registered types are taken for it")
    for node, value in defaults_to[:1]:
        context.use(node)
        made = replace(made, otherwise=value, otherwise_span=node.span)
    for node, _ in defaults_to[1:]:
        context.use(node)
        made = replace(made, also=(*made.also, node.span))
    own = tuple(node.span for node in said if node.name != "adddefaultcharset" and node.span not in context.shared_types)
    return (replace(made, table=TypeTable((*rows, *gone)), charsets=TypeTable(charsets), span=next(iter(own), None), also=(*own[1:], *made.also)),)
