"""httpd `DirectoryIndex`, `Options Indexes`, `FallbackResource`, `ErrorDocument` -> ServeFiles, ErrorPages.

Source:   Apache HTTP Server manual, mod_dir, mod_autoindex, core (ErrorDocument); mod_dir.c fixup_dir, server/core.c default_handler.
Rule:     the last section that says something of a setting decides; Options with signs add to what was said before.
"""

from __future__ import annotations

from ....model import SITE, Disposition, ErrorPage, ErrorPages, Folders, PageStatus, Respond, ServeFiles, Span, Step
from .. import defaults, values
from .context import Context, Node
from .expressions import read_text
from .places import Place


def read_error_pages(nodes: list[Node], context: Context, merges: bool = False) -> tuple[Step, ...]:
    """The pages of some levels, the innermost last: the last one for a status counts. merges: those of the levels around stay."""
    pages: dict[int, ErrorPage] = {}
    ended: dict[int, Span] = {}
    for node in context.take(nodes, "errordocument"):
        code, *words = node.args or [""]
        if not code.isdigit() or not words:
            context.value(node, " ".join(node.args), "a status and a page were expected")
            continue
        status = int(code)
        pages.pop(status, None)
        ended.pop(status, None)
        if words[0].lower() == "default":
            ended[status] = node.span
            if (claim := context.claims.get(node.span)) is not None:
                claim.disposition, claim.why = Disposition.IMPLIED, "where no page is named, a server has words of its own"
            continue
        pages[status] = _page(status, words[0], node, context)
    spans = (*(page.span for page in pages.values()), *(ended.values() if merges else ()))
    return (ErrorPages(tuple(pages.values()), spans[0], merges, ended=frozenset(ended if merges else ())),) if spans else ()


def _page(status: int, text: str, node: Node, context: Context) -> ErrorPage:
    only = frozenset({status})
    if text.startswith("/"):
        return ErrorPage(only, context.template(text, node, by=values.TEXT), restarts=SITE, keeps_first=True, span=node.span, comments=node.comments)
    if "://" in text:
        # core, ErrorDocument: a whole URL makes the answer a redirect, so that the client does not see the status.
        return ErrorPage(only, context.template(text, node, by=values.TEXT), redirect=True, keeps_first=True, span=node.span, comments=node.comments)
    # core, ErrorDocument (since 2.4.13): a text with %{ in it is one of the expression language.
    body = read_text(text) if "%{" in text else (text,)
    return ErrorPage(only, steps=(Respond(status, context.checked(body, node.span, "ErrorDocument"), media_type=defaults.TEXT_TYPE, span=node.span),), keeps_first=True, status=PageStatus(), span=node.span, comments=node.comments)


def read_serving(nodes: list[Node], place: Place, root: Node | None, context: Context) -> ServeFiles:
    """What a place does for a file; `nodes` are all directives in force there, the innermost last."""
    names = index_names(nodes, context)
    slash = context.last(nodes, "directoryslash")
    span: Span | None = root.span if root else None
    return ServeFiles(
        root=(place.folder,), strip=place.url,
        folders=Folders(
            index=tuple((name,) for name in names), listing=lists(nodes, context), location_absolute=True, walks=True, path_info=_takes_path_info(nodes, context), restarts=SITE,
            no_index_status=403 if context.has("autoindex") else 404,
            added_slash=None if not context.has("dir") or slash is not None and slash.args[:1] != [] and slash.args[0].lower() == "off" else defaults.ADDED_SLASH,
        ),
        methods=defaults.METHODS, options_status=defaults.OPTIONS_STATUS, span=span, root_span=span, comments=root.comments if root else (),
    )


def _takes_path_info(nodes: list[Node], context: Context) -> bool:
    """core, AcceptPathInfo: `Default` leaves it to the handler, and the one for files takes none; a file with more behind its name is 404 then."""
    line = context.last(nodes, "acceptpathinfo")
    if line is not None and line.args[:1] != [] and line.args[0].lower() == "off":
        # Handlers of applications refuse it as well then, which the model does not say of them.
        context.value(line, line.args[0], "On or Default was expected; with Off applications are not asked for paths that go on behind their scripts, either")
    return line is not None and line.args[:1] != [] and line.args[0].lower() == "on"


def index_names(nodes: list[Node], context: Context) -> tuple[str, ...]:
    """The index files that are looked for; `nodes` as in read_serving."""
    # Without mod_dir nobody looks for any, nor puts a slash behind a folder's name (2.4.71, probed).
    names: tuple[str, ...] = defaults.INDEX if context.has("dir") else ()
    for node in context.take(nodes, "directoryindex"):
        # mod_dir: lines within one section have been added up, a section's replace those of the sections before; `disabled` empties the list.
        names = () if node.args == ["disabled"] else tuple(node.args)
    return names


def _options(node: Node) -> list[str]:
    return [word.lower() for word in node.args if word]


def follows_links(nodes: list[Node]) -> bool:
    """Options FollowSymLinks or SymLinksIfOwnerMatch, as silence has it: without, a folder's rules are refused with 403 (mod_rewrite.c)."""
    held = True
    for node in nodes:
        words = _options(node) if node.name == "options" else []
        if words and not any(word[0] in "+-" for word in words):
            held = bool({"followsymlinks", "symlinksifownermatch", "all"} & set(words))
        for word in words:
            if word[0] in "+-" and word[1:] in ("followsymlinks", "symlinksifownermatch", "all"):
                held = word[0] == "+"
    return held


def follows_all_links(nodes: list[Node]) -> bool:
    """Options FollowSymLinks without SymLinksIfOwnerMatch, as silence has it: no link has to be looked at."""
    held = {"followsymlinks"}
    for node in nodes:
        words = _options(node) if node.name == "options" else []
        if words and not any(word[0] in "+-" for word in words):
            held = {"followsymlinks", *words} if "all" in words else set(words)
        for word in words:
            held = held | {word[1:]} if word[0] == "+" else held - {word[1:]} if word[0] == "-" else held
    return "followsymlinks" in held and "symlinksifownermatch" not in held


def lists(nodes: list[Node], context: Context) -> bool:
    """Whether folders without an index file are listed: Options Indexes, and mod_autoindex is there."""
    held = False
    for node in context.take(nodes, "options"):
        words = _options(node)
        if not any(word[0] in "+-" for word in words):
            held = "indexes" in words or "all" in words
            continue
        for word in words:
            if word[1:] in ("indexes", "all"):
                held = word[0] == "+"
    return held and context.has("autoindex")
