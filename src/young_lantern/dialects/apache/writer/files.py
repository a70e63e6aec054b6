"""ServeFiles -> `DocumentRoot`, `Alias`, `<Directory>`. Mirror: reader/files.py.

Source:   Apache HTTP Server manual, core (DocumentRoot, Options), mod_alias, mod_dir, mod_autoindex.
Rule:     the folder that most paths are served from is the document root; others are aliases. Each folder is opened by a section of its own.
"""

from __future__ import annotations

import re
from collections import Counter

from ....fitting import Chain, leaves
from ....model import ALWAYS, Condition, Folders, Not, PathIs, PathMatches, PathStartsWith, ServeFiles, Span, Var, Variable, literal
from ...noting import Unwritable
from .. import defaults
from ..values import quote, word
from .conditions import Asked
from .context import Context
from .output import Node
from .paths import escaped, look
from .rewrites import rule


def choose_root(chain: Chain) -> str:
    """The folder that most answers of a site are served from; "" if there is none."""
    counted: Counter[str] = Counter()
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles) and not leaf.answer.strip and leaf.answer.whole_path is None and (root := literal(leaf.answer.root)):
            counted[root.rstrip("/") or "/"] += 1
    # Of several that are as frequent the last one stands for all other paths.
    best = max(counted.values(), default=0)
    return next((root for root in reversed(list(counted)) if counted[root] == best), "")


def in_document_root(step: ServeFiles, context: Context) -> bool:
    root = literal(step.root)
    return step.whole_path is None and not step.strip and root is not None and (root.rstrip("/") or "/") == context.document_root and bool(context.document_root)


def write_alias(step: ServeFiles, parts: tuple[Condition, ...], kept_out: tuple[Condition, ...], context: Context) -> Node | None:
    """The Alias for paths that are served from elsewhere; None when no alias says it. kept_out: paths that are served from yet another place."""
    asked = [part for part in parts if part is not ALWAYS and not isinstance(part, Not)]
    root = context.plain(step.root, step.root_span)
    spans = (step.span, step.root_span, *step.also)
    if isinstance(root, Unwritable) or len(asked) > 1:
        return None
    one = asked[0] if asked else PathStartsWith("/")
    whole = context.plain(step.whole_path, step.span) if step.whole_path is not None else None
    match one:
        case PathStartsWith(prefix, False):
            if whole is not None:
                return None
            strip = step.strip
            if not prefix.startswith(strip):
                return None
            folder = root + prefix[len(strip):]
            if kept_out and prefix.endswith("/") and folder.endswith("/"):
                pattern = "^" + escaped(prefix) + "".join(below(item, prefix) for item in kept_out) + "(.*)$"
                return context.line("AliasMatch", quote(pattern), quote(f"{folder}$1"), spans=spans, comments=step.comments)
            if prefix == "/":
                return context.line("Alias", quote("/"), quote(folder.rstrip("/") + "/"), spans=spans, comments=step.comments)
            if prefix.endswith("/") != folder.endswith("/"):
                prefix, folder = prefix.rstrip("/"), folder.rstrip("/")
            return context.line("Alias", quote(prefix), quote(folder), spans=spans, comments=step.comments)
        case PathIs(path, False):
            file = whole if whole is not None else root + path.removeprefix(step.strip)
            if isinstance(file, Unwritable) or path.endswith("/"):
                return None
            return context.line("Alias", quote(path), quote(file), spans=spans, comments=step.comments)
        case PathMatches(pattern) if not step.strip and step.whole_path is None and not pattern.ignores_case:
            return None
    return None


def below(condition: Condition, prefix: str) -> str:
    """What keeps paths out of a pattern that has read the prefix already."""
    return f"(?!{_after(look(condition), prefix)})"


def _after(text: str, prefix: str) -> str:
    """A look at a whole path, for what stands behind a prefix."""
    if text.startswith(escaped(prefix)):
        return text[len(escaped(prefix)):]
    return text


def write_rule(step: ServeFiles, asked: Asked, context: Context) -> list[Node] | Unwritable:
    """A file that is named whatever the path is."""
    whole = literal(step.whole_path) if step.whole_path is not None else None
    if whole is not None and context.document_root and whole.startswith(context.document_root + "/"):
        return rule(asked, whole[len(context.document_root):], ["L"], context, (step.span, step.root_span))
    if step.whole_path is not None:
        text = context.in_rule(step.whole_path, step.span, asked)
    elif step.strip:
        text = Unwritable("a prefix that is cut off a path for some requests only")
    else:
        text = context.in_rule((*step.root, Var(Variable.PATH)), step.span, asked)
    if isinstance(text, Unwritable) or not text.startswith("/"):
        return text if isinstance(text, Unwritable) else Unwritable("a folder that depends on the request")
    return rule(asked, text, ["L"], context, (step.span, step.root_span, *step.also), step.comments)


# --- folders ------------------------------------------------------------------------------------------------------------------

def folder_of(step: ServeFiles) -> str:
    """The folder, or file, that files are served from, for its section."""
    root = literal(step.root) or ""
    return root.rstrip("/") or "/"


def folder_lines(folders: Folders, spans: tuple[Span | None, ...], context: Context) -> list[Node]:
    """Index files, listing and the added slash."""
    lines = []
    names = [name for name in map(literal, folders.index) if name is not None]
    if tuple(names) != defaults.INDEX:
        lines.append(context.line("DirectoryIndex", *(map(word, names) if names else ["disabled"]), spans=spans))
    else:
        context.modules.add("dir")
    if folders.listing:
        context.modules.add("autoindex")
        lines.append(context.line("Options", "+Indexes", spans=spans))
    if folders.added_slash is None:
        lines.append(context.line("DirectorySlash", "Off", spans=spans))
    return lines


def method_lines(step: ServeFiles, context: Context) -> list[Node]:
    """httpd answers POST like GET by itself."""
    if "*" in step.methods or "POST" in step.methods:
        return []
    return [context.line("AllowMethods", *step.methods)]


def write_folders(chain: Chain, context: Context) -> list[Node]:
    """A section for each folder that files are served from: it is open, with its index files and listing."""
    found: dict[str, list[ServeFiles]] = {}
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles) and literal(leaf.answer.root):
            found.setdefault(folder_of(leaf.answer), []).append(leaf.answer)
            whole = literal(leaf.answer.whole_path) if leaf.answer.whole_path is not None else None
            if whole and re.match(r"/", whole):
                found.setdefault(whole.rpartition("/")[0] or "/", []).append(leaf.answer)
    nodes = []
    for folder, steps in found.items():
        first = steps[0]
        spans = tuple(dict.fromkeys(span for step in steps for span in (step.root_span, *step.also) if span))
        lines = [*folder_lines(first.folders, (first.span, *first.also), context), *method_lines(first, context), context.line("Require", "all", "granted")]
        nodes.append(context.line("Directory", quote(folder), spans=spans, block=lines))
    return nodes


def differing(chain: Chain) -> set[str]:
    """Folders whose answers differ in index files or listing, so that each place says its own."""
    held: dict[str, Folders] = {}
    made = set()
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles):
            folder = folder_of(leaf.answer)
            if held.setdefault(folder, leaf.answer.folders) != leaf.answer.folders:
                made.add(folder)
    return made
