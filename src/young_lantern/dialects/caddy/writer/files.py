"""ServeFiles -> Caddy `root`, `file_server`; a branch over files -> `try_files`. Mirror: reader/files.py.

Rule:     an alias is a root after the prefix was cut off; an alias of one file is a root and a rewrite to its name.
"""

from __future__ import annotations

from dataclasses import replace

from ....fitting import Branch, Fork, Leaf
from ....fitting.trying import by_files
from ....model import (
    ALWAYS, FileExists, Respond, Rewrite, ServeFiles, SetPath, Template, Var, Variable, literal,
)
from .. import defaults
from ..values import Unwritable, quote
from .context import Context
from .matchers import as_names, file_words
from .output import Node


def write_serving(step: ServeFiles, context: Context) -> list[Node] | Unwritable:
    """ServeFiles -> nodes; `root` is written only where it differs from the one in force."""
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    nodes: list[Node] = []
    root: Template = step.root
    rewrite: Template = ()
    if step.whole_path is not None:
        root, rewrite = _head_and_rest(step.whole_path)
    elif step.strip and step.strip != context.strip:
        nodes.append(Node(["uri", "strip_prefix", quote(step.strip.rstrip("/") or "/")], None, (step.root_span,) if step.root_span else ()))
    nodes = [*write_root(root, step, context), *nodes]
    if rewrite:
        text = context.template(rewrite, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["rewrite", "*", quote("/" + text.lstrip("/"))], None, spans))
    names = [context.template(name, step.span) for name in step.folders.index]
    index = [name for name in names if isinstance(name, str)]
    block = []
    if index and tuple(index) != defaults.INDEX:
        block.append(Node(["index", *map(quote, index)]))
    if step.precompressed is not None:
        block.append(Node(["precompressed", *(coding for coding, _ in step.precompressed.codings)], None, (step.precompressed.span,) if step.precompressed.span else ()))
        if step.precompressed.always:
            context.lose_packed(step, "Caddy sends compressed files to nobody who does not take them", "who takes none gets the plain file, which must be there")
    words = ["file_server", *(["browse"] if step.folders.listing else [])]
    return [*nodes, Node(words, block or None, spans, step.comments)]


def write_root(root: Template, step: ServeFiles, context: Context) -> list[Node]:
    trimmed = trim(root)
    if trimmed == trim(context.root):
        return []
    text = context.template(trimmed, step.root_span or step.span)
    if isinstance(text, Unwritable):
        context.lost(step.root_span or step.span, "root", f"its folder holds {text.what}, for which there is no placeholder")
        return []
    return [Node(["root", "*", quote(text)], None, (step.root_span,) if step.root_span else (), setting=True)]


def trim(root: Template) -> Template:
    """The root without a slash at its end."""
    last = root[-1] if root else ""
    return (*root[:-1], last.rstrip("/") or "/") if isinstance(last, str) and root else root


def exact_file(step: ServeFiles) -> ServeFiles:
    """An alias that names one file, as a root and the rest: what `location = /x { alias /srv/y; }` comes down to."""
    return replace(step, root=(), strip="", whole_path=step.root)


def _head_and_rest(path: Template) -> tuple[Template, Template]:
    """`/srv/a/$1.html` -> `/srv/a` and `$1.html`: the folder before the first variable, or before the name."""
    first = path[0] if path and isinstance(path[0], str) else ""
    head, slash, rest = first.rpartition("/")
    return (head or "/",), ((slash + rest, *path[1:]) if rest or path[1:] else ())


def write_try_files(branch: Branch, following: list[object], context: Context) -> tuple[list[Node], int] | None:
    """A branch over files before a file server -> `try_files` and how many following items it took; None if it is none.

    All forks but the last ask for a file and go on; the last goes on with another path below the same root, or raises.
    """
    words: list[str] = []
    spans = []
    branch = by_files(branch)
    for fork in branch.forks:
        if not isinstance(fork.condition, FileExists):
            break
        if fork.condition.strip:
            return None
        if fork.condition.root != _served_root(following) and trim(fork.condition.root) != trim(_served_root(following) or ()):
            return None
        candidate = file_words(fork.condition, context)
        if isinstance(candidate, Unwritable) or not goes_there(fork.condition, fork.chain.items):
            return None
        words += candidate
        spans.append(fork.span)
    rest = branch.forks[len(spans):]
    if not spans or len(rest) > 1 or (rest and rest[0].condition is not ALWAYS) or len(following) != 1:
        return None
    fallback = _fallback(rest[0].chain.items, following[0]) if rest else None
    if rest and fallback is None or any("?" in word for word in words):
        return None
    if fallback is not None:
        text = context.template(as_names(fallback[0]), branch.span) if isinstance(fallback, tuple) else fallback
        if isinstance(text, Unwritable):
            return None
        words.append(text)
    return [Node(["try_files", *map(quote, words)], None, tuple(dict.fromkeys(span for span in (*spans, branch.span) if span)))], len(spans)


def _served_root(following: list[object]) -> Template | None:
    leaf = following[0] if following else None
    return leaf.answer.root if isinstance(leaf, Leaf) and isinstance(leaf.answer, ServeFiles) and leaf.answer.whole_path is None else None


def goes_there(condition: FileExists, items: list[object]) -> bool:
    """Whether the fork does nothing but go on with the path that was found."""
    if not items:
        return condition.path in ((Var(Variable.PATH),), ())
    if len(items) != 1 or not isinstance(items[0], Rewrite) or items[0].query is not None:
        return False
    edit = items[0].edit
    return isinstance(edit, SetPath) and edit.template in (condition.path, (Var(Variable.FOUND),))


def _is_loop(items: list[object]) -> bool:
    return isinstance(items[-1], Leaf) and isinstance(items[-1].answer, Respond) and items[-1].answer.status == 500


def _fallback(items: list[object], served: object) -> tuple[Template] | str | None:
    """The last word of a try_files: a path to serve from the same place, or `=CODE`."""
    match items:
        case [Rewrite() as rewrite, Branch(forks=[Fork(condition=FileExists(path=(Var(Variable.PATH),)), chain=found), Fork(condition=ALWAYS_, chain=looped)])] if (
                ALWAYS_ is ALWAYS and [type(item) for item in found.items] == [Leaf] and _is_loop(looped.items)):
            # The page that is fallen back to meets the same test; that it is missing as well is 500 before, 404 after.
            return _fallback([rewrite, found.items[0]], served)
        case [Rewrite() as rewrite, Branch(forks=[Fork(condition=FileExists(path=(Var(Variable.PATH),)), chain=found), *_, Fork(condition=ALWAYS_, chain=looped)]), Leaf() as leaf] if (
                ALWAYS_ is ALWAYS and not found.items and _is_loop(looped.items)):
            return _fallback([rewrite, leaf], served)
        case [Leaf(answer=Respond(status=status, raises=True))]:
            return f"={status}"
        case [Rewrite(edit=SetPath(template)), Leaf() as leaf] if isinstance(served, Leaf) and isinstance(leaf.answer, ServeFiles):
            first, second = leaf, served
            same = trim(first.answer.root) == trim(second.answer.root) and first.answer.strip == second.answer.strip == "" and first.answer.whole_path is None  # type: ignore[union-attr]
            alike = (first.settings.fields, first.settings.compress, first.settings.pages) == (second.settings.fields, second.settings.compress, second.settings.pages)
            return (template,) if same and alike and literal(template) is not None else None
    return None
