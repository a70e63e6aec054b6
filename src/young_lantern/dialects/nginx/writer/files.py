"""ServeFiles -> nginx `root`, `alias`, `index`, `autoindex`; a branch over files -> `try_files`. Mirror: reader/files.py."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Protocol

from ....fitting import Branch, Chain, Leaf, leaves
from ....fitting.static import bare
from ....fitting.trying import by_files, without_loop
from ....model import ALWAYS, AnyOf, FileExists, FileKind, Gateway, Precompressed, Rewrite, ServeFiles, SetPath, Template, Var, Variable, literal
from ...noting import BESIDES, Unwritable
from .. import defaults
from ..values import quote
from .context import Context
from .output import Node

_PATH = (Var(Variable.PATH),)


class Location(Protocol):
    """What must be known of the location that is written: its text by kind, the one around it, and the settings above."""

    kind: str

    @property
    def prefix(self) -> str: ...
    @property
    def exact(self) -> str: ...
    @property
    def inside(self) -> str: ...
    @property
    def frame(self) -> Any: ...


# What is left of a path once the text of an alias is cut off.
_BELOW = "$below_alias"


def write_serving(step: ServeFiles, where: Location, context: Context) -> list[Node] | Unwritable:
    """ServeFiles -> nodes of a location."""
    prefix, exact, root = where.prefix, where.exact, where.frame.root
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    root_spans = tuple(span for span in (step.root_span,) if span)
    nodes: list[Node] = []
    own, strip = step.root, step.strip
    if step.whole_path is not None:
        text = context.template(step.whole_path, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["alias", quote(text)], None, root_spans or spans))
    elif strip and where.inside.startswith(strip):
        pass  # the location around has the alias, and hands it down
    elif strip and strip == exact:
        text = context.template(own, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["alias", quote(text)], None, root_spans))
    elif strip and strip == prefix:
        text = context.template(own, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["alias", quote(text)], None, root_spans))
    elif strip and prefix.startswith(strip):
        # `alias` cuts off the text of its own location: what this one has besides goes on behind the folder.
        text = context.template(own, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["alias", quote(text + prefix[len(strip):])], None, root_spans))
    elif strip and where.kind == "pattern" and isinstance(text := context.template(trim(own), step.span), str):
        # The alias of such a location is all of the file's name; with `rewrite … break` folders would be redirected, and index files looked for, at the short path.
        nodes.append(Node(["if", "($uri", "~", quote(f"^{re.escape(strip.rstrip('/'))}(.*)$") + ")"], [Node(["set", _BELOW, "$1"])], spans))
        nodes.append(Node(["alias", quote(text + _BELOW)], None, root_spans))
    else:
        if strip:
            nodes.append(Node(["rewrite", quote(f"^{re.escape(strip.rstrip('/'))}(.*)$"), "$1", "break"], None, spans))
        made = write_root(own, root, root_spans, context)
        if isinstance(made, Unwritable):
            return made
        nodes += made
    nodes += write_index(step, context)
    if nodes:
        nodes[-1].spans = tuple(dict.fromkeys((*nodes[-1].spans, *spans)))
        nodes[0].comments = (*step.comments, *nodes[0].comments)
    return nodes


def write_root(own: Template, above: Template, spans: tuple, context: Context) -> list[Node] | Unwritable:  # type: ignore[type-arg]
    if trim(own) == trim(above):
        return []
    text = context.template(trim(own), spans[0] if spans else None)
    if isinstance(text, Unwritable):
        return text
    return [Node(["root", quote(text)], None, spans)]


def write_index(step: ServeFiles, context: Context) -> list[Node]:
    names = [context.template(name, step.span) for name in step.folders.index]
    found = tuple(name for name in names if isinstance(name, str))
    nodes = []
    if not found:
        # index module: some name must be written; one that no file has.
        nodes.append(Node(["index", defaults.NO_INDEX], comments=("No index file, as before.",)))
    elif found != defaults.INDEX:
        nodes.append(Node(["index", *map(quote, found)]))
    if step.folders.listing:
        nodes.append(Node(["autoindex", "on"]))
    if step.precompressed is not None:
        nodes += _precompressed(step, step.precompressed, context)
    return nodes


def _precompressed(serving: ServeFiles, step: Precompressed, context: Context) -> list[Node]:
    """The gzip static module sends files with `.gz` at their end, and no others."""
    others = [coding for coding, ending in step.codings if (coding, ending) != ("gzip", ".gz")]
    if others:
        context.lose_packed(serving, f"nginx as packaged sends no files that lie there compressed by {' or '.join(others)}", "clients get the plain file, or the one compressed by gzip")
    return [Node(["gzip_static", "always" if step.always else "on"], None, (step.span,) if step.span else ())] if ("gzip", ".gz") in step.codings else []


def trim(root: Template) -> Template:
    """The root without a slash at its end."""
    last = root[-1] if root else ""
    return (*root[:-1], last.rstrip("/") or "/") if isinstance(last, str) and root else root


@dataclass(slots=True, eq=False)
class Tried:
    """A branch over files: the words of the candidates, what serves them, and what happens when none is there."""

    words: list[str]
    served: Leaf
    fallback: Chain | None
    spans: tuple = ()  # type: ignore[type-arg]


def as_try_files(items: list, context: Context, within: str = "", inside: str = "") -> Tried | None:  # type: ignore[type-arg]
    """Branch and what follows -> Tried; None if it is no plain search for files. within: the text of the location; inside: that of the one around."""
    if not items or not isinstance(items[0], Branch):
        return None
    branch, following = by_files(items[0]), items[1:]
    words: list[str] = []
    served: list[Leaf] = []
    spans = [branch.span]
    forks = list(branch.forks)
    while forks and (tests := _tests(forks[0].condition)):
        fork = forks[0]
        rest = [*fork.chain.items, *(following if fork.chain.falls else [])]
        if rest and isinstance(rest[0], Rewrite):
            edit = rest[0].edit
            if rest[0].query is not None or not isinstance(edit, SetPath) or edit.template not in [(Var(Variable.FOUND),), *(test.path for test in tests)]:
                break
            rest = rest[1:]
        if len(rest) != 1 or not isinstance(rest[0], Leaf) or not isinstance(rest[0].answer, ServeFiles | Gateway):
            break
        answer = rest[0].answer
        if any(trim(test.root) != trim(answer.root) or test.strip != answer.strip or getattr(answer, "whole_path", None) is not None for test in tests):
            break
        made = [_candidate(test, inside if inside and inside.startswith(test.strip) else within, context) for test in tests]
        if any(isinstance(word, Unwritable) for word in made):
            break
        words += [word for group in made for word in group]
        served.append(rest[0])
        spans += [fork.span, *fork.also, *(test.span for test in tests)]
        forks = forks[1:]
    if not words or any(bare(leaf.answer) != bare(served[0].answer) or bare(leaf.settings) != bare(served[0].settings) for leaf in served[1:]):
        return None
    if forks and forks[0].condition is ALWAYS:
        fallback = Chain([*forks[0].chain.items, *(following if forks[0].chain.falls else [])])
        spans += [forks[0].span, *forks[0].also]
    elif forks:
        fallback = Chain([Branch(forks, branch.span), *following])
    else:
        fallback = Chain(list(following))
    spans += [span for leaf in (*served, *leaves(fallback)) for span in leaf.through]
    return Tried(words, served[0], fallback, tuple(dict.fromkeys(span for span in spans if span)))


def _tests(condition: object) -> list[FileExists]:
    if isinstance(condition, FileExists):
        return [condition]
    if isinstance(condition, AnyOf) and all(isinstance(item, FileExists) for item in condition.conditions):
        return list(condition.conditions)  # type: ignore[arg-type]
    return []


def _candidate(test: FileExists, location: str, context: Context) -> list[str] | Unwritable:
    if test.kind.besides:
        return Unwritable(f"whether {BESIDES[test.kind]}, in a list of files")
    text = context.template(test.path or _PATH, test.span)
    if test.strip and isinstance(text, str) and literal(test.path):
        # Beside an alias, words without variables stand behind its folder as they are (ngx_http_try_files_handler; 1.22.1, probed).
        if not text.startswith(location) or len(text) == len(location):
            return Unwritable("a file that lies elsewhere than below the alias")
        text = text[len(location):]
    if isinstance(text, Unwritable) or test.path == (Var(Variable.FOUND),):
        return text if isinstance(text, Unwritable) else Unwritable("a test of a file that was found before")
    return {FileKind.FILE: [text], FileKind.FOLDER: [text.rstrip("/") + "/"], FileKind.ANY: [text, text.rstrip("/") + "/"]}[test.kind]


def literal_target(fallback: Chain) -> tuple[str, Leaf] | None:
    """A fallback that goes to one path and serves it as a file -> that path, and what serves it."""
    items = without_loop(fallback.items)
    if len(items) != 2 or not isinstance(items[0], Rewrite) or not isinstance(items[1], Leaf) or not isinstance(items[1].answer, ServeFiles | Gateway):
        return None
    rewrite = items[0]
    path = literal(rewrite.edit.template) if isinstance(rewrite.edit, SetPath) else None
    if path is None or (rewrite.query is not None and rewrite.query.template):
        return None
    return path, items[1]


