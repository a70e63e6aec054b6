"""Media types -> nginx `mime.types`, and `types`, `default_type`, `charset` of places that differ. Mirror: reader/media_types.py.

Rule:     nginx knows three types by itself, so a table is always written: the source's own, or the registered types of what web sites have with the
          lines of the source. What a site's files have stands at its server; a place says what it has besides, or in its stead.
Left out: a charset by the ending of a file's name, and files without a type among others that have one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace

from ....codes import CHARSET_BY_ENDING
from ....fitting.tree import Leaf
from ....model import Disposition, Estate, Forward, Gateway, MediaType, MediaTypes, Respond, ServeFiles, Span
from ....model.media_types import has_charset
from ....model.registered_types import REGISTERED
from ..values import quote
from .context import Context
from .output import Node

_NO_TYPE = ("Files whose names say nothing of their type are sent without one, as before.",)


@dataclass(frozen=True, slots=True)
class Said:
    """What nginx is told at one level; of the table, the types by extension that differ from mime.types (None: all of it)."""

    types: tuple[tuple[str, str], ...] = ()
    whole: bool = False
    default: str = ""
    charset: str = ""
    charset_types: frozenset[str] = frozenset()


def base_table(estate: Estate) -> dict[str, str]:
    """What `mime.types` says, by extension."""
    stated = {item.extension.lower(): item.media_type for item in estate.media_types}
    return stated if estate.dialect == "nginx" or estate.dialect == "tomcat" and stated else {**REGISTERED, **stated}


def write_types(estate: Estate) -> list[Node]:
    """The lines of `mime.types`."""
    kinds: dict[str, list[str]] = {}
    for extension, kind in base_table(estate).items():
        kinds.setdefault(kind, []).append(extension)
    spans: dict[str, list[Span]] = {}
    for item in estate.media_types:
        if item.span:
            spans.setdefault(item.media_type, []).append(item.span)
    lines = [Node([quote(kind), *names], None, tuple(dict.fromkeys(spans.get(kind, ())))) for kind, names in kinds.items()]
    return [Node(["types"], lines, (estate.media_types_span,) if estate.media_types_span else ())]


def base_default(estate: Estate) -> str:
    """The type of names that tell nothing, for all sites: the source's, or that of most of its files."""
    return estate.media_type_default


def write_default(estate: Estate) -> list[Node]:
    return [Node(["default_type", quote(base_default(estate)) if base_default(estate) else '""'], None, (), () if base_default(estate) else _NO_TYPE)]


# --- places -----------------------------------------------------------------------------------------------------------

def of_leaves(found: Iterable[Leaf], above: Said | None, context: Context, path: str = "") -> Said:
    """What a place should be told for its answers. above: what it is told already; None: for a whole site, what most of its files have. path: the one that comes there, if it is one."""
    cares = list(found)
    files = [leaf for leaf in cares if isinstance(leaf.answer, ServeFiles) and leaf.settings.types is not None]
    passing = [leaf for leaf in cares if isinstance(leaf.answer, Forward | Gateway) and leaf.settings.types is not None]
    texts = [leaf for leaf in cares if isinstance(leaf.answer, Respond) and leaf.answer.body and leaf.answer.media_type]
    common, base = above is None, above or Said(default=base_default(context.estate))
    if not common and not files and cares and isinstance(cares[-1].answer, ServeFiles):
        return base  # pages of errors: their files have the types of the site, and texts a location of their own
    if files:
        counted = Counter(_of_files(leaf.settings.types, context) for leaf in files)  # type: ignore[arg-type]
        # Of several, the one that comes last: that of the rest of the site.
        order = {said: number for number, said in enumerate(counted)}
        said = max(counted, key=lambda item: (counted[item] if common else 0, order[item]))
    elif passing:
        types = passing[-1].settings.types
        assert types is not None
        charset = types.charset or "" if types.charset_on_origins else ""
        said = replace(base, charset=charset, charset_types=_charset_types(types, context) if charset else frozenset())
    else:
        said = base
    if texts and (not common or not files and not passing):
        said = _of_text(texts[-1].answer.media_type, said, bool(files))  # type: ignore[union-attr]
        if not files and not passing and not _tells_nothing(path, texts[-1].answer.media_type, context):  # type: ignore[union-attr]
            said = replace(said, types=(), whole=True)
    return said


def _tells_nothing(path: str, media_type: str, context: Context) -> bool:
    """Whether a path is one whose ending does not give a text another type."""
    by_ending = base_table(context.estate).get(path.rpartition("/")[2].rpartition(".")[2].lower()) if "." in path else None
    return bool(path) and (by_ending is None or by_ending == media_type)


def _of_files(types: MediaTypes, context: Context) -> Said:
    charset = types.charset or ""
    listed = _charset_types(types, context) if charset else frozenset()
    by_ending = {kind for kind in types.charsets.by_extension.values() if kind}
    if len(by_ending) == 1 and by_ending | {charset} <= {"", *by_ending}:
        # Nothing here goes by the ending but the type: all files of these types get what some have.
        charset = by_ending.pop()
        table = {**base_table(context.estate), **(types.table.by_extension if types.table else {})}
        listed |= {table[extension] for extension in types.charsets.by_extension if table.get(extension)} | {"text/html"}
    elif by_ending:
        by_span: dict[Span | None, list[MediaType]] = {}
        for row in types.charsets.rows:
            by_span.setdefault(row.span, []).append(row)
        for span, rows in by_span.items():
            context.note(span, Disposition.CHANGED, CHARSET_BY_ENDING, endings=", ".join(f".{row.extension}" for row in rows), charset=rows[0].media_type)
    if types.forced:
        return Said((), True, types.forced, charset, listed)
    base = base_table(context.estate)
    rows = types.table.by_extension if types.table else {}
    table = {**(REGISTERED if types.registered else {}), **rows}
    gone = [extension for extension, kind in base.items() if kind and not table.get(extension)]
    changed = tuple((extension, kind) for extension, kind in table.items() if kind and (gone or base.get(extension) != kind))
    return Said(changed, bool(gone), types.otherwise or "", charset, listed)


def _charset_types(types: MediaTypes, context: Context) -> frozenset[str]:
    table = {**base_table(context.estate), **(types.table.by_extension if types.table else {})}
    return frozenset({*(kind for kind in table.values() if kind and "charset=" not in kind and has_charset(types, kind)), *(kind for kind in types.charset_types or () if "*" not in kind), "text/html"})


def _of_text(media_type: str, said: Said, keeps: bool) -> Said:
    """A text's type as the one of names that tell nothing, since its path has no extension that the table knows."""
    kind, _, rest = media_type.partition(";")
    charset = rest.strip().removeprefix("charset=") if rest.strip().startswith("charset=") else ""
    if keeps or charset == said.charset and (not charset or kind in said.charset_types):
        return replace(said, default=kind if charset == said.charset and (not charset or kind in said.charset_types) else media_type)
    # Nothing but texts: a charset that they do not have is switched off.
    return replace(said, default=media_type, charset=said.charset if charset else "", charset_types=said.charset_types if charset else frozenset())


def write(said: Said, above: Said, found: Iterable[Leaf], context: Context) -> list[Node]:
    """The lines of a level, whose settings above are known."""
    nodes: list[Node] = []
    if (said.types, said.whole) != (above.types, above.whole):
        kinds: dict[str, list[str]] = {}
        for extension, kind in said.types:
            kinds.setdefault(kind, []).append(extension)
        if not said.whole:
            nodes.append(Node(["include", "mime.types"]))
        if kinds or said.whole:
            nodes.append(Node(["types"], [Node([quote(kind), *names]) for kind, names in kinds.items()]))
    if said.default != above.default:
        nodes.append(Node(["default_type", quote(said.default) if said.default else '""']))
    if said.charset != above.charset:
        nodes.append(Node(["charset", quote(said.charset or "off")]))
    if said.charset and said.charset_types != above.charset_types:
        listed = sorted(said.charset_types - {"text/html"})
        nodes.append(Node(["charset_types", *map(quote, listed or ["text/html"])]))
    spans = dict.fromkeys(span for leaf in found if leaf.settings.types is not None for span in leaf.settings.types.spans)
    if nodes:
        nodes[-1].spans = tuple(spans)
    for span in spans if not nodes else ():
        context.idle.setdefault(span, "what it says of media types is in force there, written further up or by silence")
    return nodes

