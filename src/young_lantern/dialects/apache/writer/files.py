"""ServeFiles -> `DocumentRoot`, `Alias`, `<Directory>`. Mirror: reader/files.py.

Source:   Apache HTTP Server manual, core (DocumentRoot, Options), mod_alias, mod_dir, mod_autoindex.
Rule:     the folder that most paths are served from is the document root; others are aliases. Each folder is opened by a section of its own.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

from ....fitting import Chain, leaves
from ....fitting.places import at_path
from ....model import ALWAYS, Condition, Folders, Forward, Not, PathIs, PathStartsWith, ServeFiles, Span, Template, Var, Variable, literal
from ...noting import Unwritable
from .. import defaults
from ..values import quote, word
from .conditions import Asked
from .context import Context
from .output import Node
from .paths import escaped, look
from .rewrites import rule


ROOT = "%{DOCUMENT_ROOT}"


def choose_root(chain: Chain, told: Iterable[Template] = ()) -> str:
    """The folder that most answers of a site are served from, or applications are told; "" if there is none."""
    counted = Counter(root.rstrip("/") or "/" for template in told if (root := literal(template)))
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles) and not leaf.answer.strip and leaf.answer.whole_path is None and (root := literal(leaf.answer.root)):
            counted[root.rstrip("/") or "/"] += 1
    # Of several that are as frequent the last one stands for all other paths.
    best = max(counted.values(), default=0)
    return next((root for root in reversed(list(counted)) if counted[root] == best), "")


def in_document_root(step: ServeFiles, context: Context) -> bool:
    root = literal(step.root)
    return step.whole_path is None and not step.strip and root is not None and (root.rstrip("/") or "/") == context.document_root and bool(context.document_root)


def front(step: ServeFiles, context: Context) -> str | None:
    """The folder that a path is named below in full; None where no name says it.

    Names are written in full: a path whose first segment happens to be there at the file system's root would be taken for a name (mod_rewrite.c,
    prefix_stat).
    """
    if in_document_root(step, context):
        return ROOT
    root = literal(step.root)
    return root.rstrip("/") if root is not None and not step.strip and step.whole_path is None and root.startswith("/") and not re.search(r"[$%\\]", root) else None


def write_alias(step: ServeFiles, parts: tuple[Condition, ...], kept_out: tuple[Condition, ...], context: Context) -> Node | None:
    """The Alias for paths that are served from elsewhere; None when no alias says it. kept_out: paths that are served from yet another place."""
    asked = [part for part in parts if part is not ALWAYS and not isinstance(part, Not)]
    root = context.plain(step.root, step.root_span)
    spans = (step.span, step.root_span, *step.also)
    if isinstance(root, Unwritable) or len(asked) > 1:
        return None
    one = asked[0] if asked else PathStartsWith("/")
    match one:
        case PathStartsWith(prefix, False) if step.whole_path is None:
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
    return None


def below(condition: Condition, prefix: str) -> str:
    """What keeps paths out of a pattern that has read the prefix already."""
    return f"(?!{_after(look(condition), prefix)})"


def _after(text: str, prefix: str) -> str:
    """A look at a whole path, for what stands behind a prefix."""
    if text.startswith(escaped(prefix)):
        return text[len(escaped(prefix)):]
    return text


def write_rule(step: ServeFiles, parts: tuple[Condition, ...], asked: Asked, context: Context) -> list[Node] | Unwritable:
    """A rule that names the file in full; what is named below the document root is named from there on."""
    exact = next((part.path for part in parts if isinstance(part, PathIs) and not part.ignores_case), None)
    text: str | Unwritable
    if step.whole_path is not None:
        text = context.in_rule(step.whole_path, step.span, asked)
    elif exact is not None and exact.startswith(step.strip):
        text = context.in_rule((*step.root, exact[len(step.strip):]), step.span, asked)
    elif step.strip:
        text = Unwritable("a prefix that is cut off a path for some requests only")
    else:
        text = context.in_rule((*step.root, Var(Variable.PATH)), step.span, asked)
    if isinstance(text, Unwritable) or not text.startswith("/"):
        return text if isinstance(text, Unwritable) else Unwritable("a folder that depends on the request")
    text = ROOT + text.removeprefix(context.document_root) if context.document_root and text.startswith(context.document_root + "/") else text
    return rule(asked, text, ["L"], context, (step.span, step.root_span, *step.also), step.comments)


# --- folders ------------------------------------------------------------------------------------------------------------------

def folder_of(step: ServeFiles) -> str:
    """The folder, or file, that files are served from, for its section."""
    root = literal(step.root) or ""
    return root.rstrip("/") or "/"


def passed_on(chain: Chain, path: str) -> bool:
    """Whether an origin may answer a path."""
    return any(isinstance(leaf.answer, Forward) for leaf in leaves(at_path(chain, path)))


def folder_lines(folders: Folders, spans: tuple[Span | None, ...], context: Context, asked: set[str] | None = None) -> list[Node]:
    """Index files, listing and the added slash. asked: index files that an origin answers there; without it, anywhere on the site."""
    lines = []
    names = [name for name in map(literal, folders.index) if name is not None and name not in (context.asked_indexes if asked is None else asked)]
    if tuple(names) != defaults.INDEX:
        lines.append(context.line("DirectoryIndex", *(map(word, names) if names else ["disabled"]), spans=spans))
    else:
        context.modules.add("dir")
    if folders.no_index_status == 403 or folders.listing:
        # Without this module a folder that has no index file is 404 rather than 403.
        context.modules.add("autoindex")
    if folders.listing:
        lines.append(context.line("Options", "+Indexes", spans=spans))
    if folders.added_slash is None:
        lines.append(context.line("DirectorySlash", "Off", spans=spans))
    return lines


def _method_lines(folder: str, found: dict[str, list[ServeFiles]], context: Context) -> list[Node]:
    """httpd answers POST like GET by itself. A folder in which a program answers takes all methods, for whatever lies in it."""
    if _limited(found[folder]):
        return [context.line("AllowMethods", *found[folder][0].methods)]
    inherits = any(_limited(steps) and folder.startswith(other.rstrip("/") + "/") for other, steps in found.items())
    return [context.line("AllowMethods", "reset")] if inherits else []


def _limited(steps: list[ServeFiles]) -> bool:
    return not any("*" in step.methods or "POST" in step.methods for step in steps)


def write_folders(served: list[tuple[ServeFiles, tuple[Condition, ...]]], chain: Chain, context: Context) -> list[Node]:
    """A section for each folder that files are served from: it is open, with its index files and listing."""
    found: dict[str, list[ServeFiles]] = {}
    for step, parts in served:
        if step.precompressed is not None:
            context.lose_packed(step, "httpd by itself sends no file that lies there compressed in the place of another", "clients get the plain files, which must be there; or write rules that ask for Accept-Encoding and for the file, and AddEncoding")
        if (folder := _opened(step, parts)) is not None:
            found.setdefault(folder, []).append(step)
    own = differing(chain)
    nodes = []
    for folder, steps in found.items():
        first = steps[0]
        spans = tuple(dict.fromkeys(span for step in steps for span in (step.root_span, step.span, *step.also) if span))
        prefixes = {part.prefix for step, parts in served if _opened(step, parts) == folder for part in parts if isinstance(part, PathStartsWith)}
        asked = {name for name in context.asked_indexes if not prefixes or any(passed_on(chain, f"{prefix.rstrip('/')}/some/{name}") for prefix in prefixes)}
        lines = [] if folder in own else folder_lines(first.folders, (first.span, *first.also), context, asked)
        if not folder.startswith("/"):
            # A folder below ServerRoot, for which a section by its whole name cannot be written.
            nodes.append(context.line("Location", quote("/"), spans=spans, block=[*lines, context.line("Require", "all", "granted")]))
            continue
        nodes.append(context.line("Directory", quote(folder), spans=spans, block=[*lines, *_method_lines(folder, found, context), context.line("Require", "all", "granted")]))
    return nodes


def _opened(step: ServeFiles, parts: tuple[Condition, ...]) -> str | None:
    """The folder that must be open for an answer."""
    exact = next((part.path for part in parts if isinstance(part, PathIs)), None)
    root, whole = literal(step.root), literal(step.whole_path) if step.whole_path is not None else None
    if whole is not None and whole.startswith("/"):
        return whole.rpartition("/")[0] or "/"
    if step.whole_path is not None and step.whole_path and isinstance(step.whole_path[0], str) and step.whole_path[0].startswith("/"):
        return step.whole_path[0].rpartition("/")[0] or "/"
    if root is not None and exact is not None and step.strip == exact:
        return root.rpartition("/")[0] or "/"
    return folder_of(step) if root else None


def differing(chain: Chain) -> set[str]:
    """Folders whose answers differ in index files or listing, so that each place says its own."""
    held: dict[str, Folders] = {}
    made = set()
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles):
            folder = folder_of(leaf.answer)
            if held.setdefault(folder, leaf.answer.folders) != leaf.answer.folders:
                made.add(folder)
    # What a folder's section says holds for the folder however it is reached, also below another one.
    made |= {folder for folder, own in held.items() for other, others in held.items() if own != others and folder.startswith(other.rstrip("/") + "/")}
    return made
