"""Caddy `file_server`, `try_files` -> ServeFiles, and the Choose of a try_files. Mirror: writer/files.py.

Source:   Caddy documentation, those directives; fileserver (2.6.2, probed): the last candidate of try_files is tested
          like the others; `=CODE` at the end raises that error.
"""

from __future__ import annotations

import re

from ....model import (
    ALWAYS, AnyOf, Choose, Condition, FileExists, FileKind, PathForm, PathMatches, Precompressed, QueryEdit, Respond, Rewrite, Route, ServeFiles, SetPath, Span, Step, Template, Var, Variable,
    join, literal,
)
from .. import defaults
from ..syntax import Directive
from ..values import status_at_end
from .context import Context, Level, Read
from .matchers import read_candidate


def read_file_server(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`file_server [matcher] [browse] [{ root; index; browse; hide; pass_thru; disable_canonical_uris; … }]`."""
    root, index, listing, canonical, status, hidden, passes = level.root, defaults.INDEX, "browse" in words, True, None, [], False
    packed: Precompressed | None = None
    for inner in directive.block or []:
        match inner.name:
            case "root" if inner.args:
                root = context.template(inner.args[0], directive)
            case "index":
                index = tuple(inner.args)
            case "browse":
                listing = True
            case "disable_canonical_uris":
                canonical = False
            case "status" if inner.args and inner.args[0].isdigit():
                status = int(inner.args[0])
            case "hide":
                hidden += inner.args
            case "pass_thru":
                passes = True
            case "precompressed":
                packed = _precompressed(inner, directive, context)
            case _:
                context.unread(directive, inner.name, "root, index, browse, status, hide, pass_thru or disable_canonical_uris was expected")
    served = ServeFiles(
        root=root, folders=defaults.folders(tuple(name for name in index if not any(re.search(_component(word), "/" + name) for word in hidden if "/" not in word)), listing, canonical),
        status=status, methods=defaults.METHODS, precompressed=packed, span=directive.span, root_span=level.root_span, comments=directive.comments,
    )
    away = _hidden(hidden, root, directive, context)
    if not passes:
        return (*((Choose((Route(away, (Respond(404, raises=True, span=directive.span),), directive.span),), directive.span),) if away is not None else ()), served)
    # staticfiles.go, notFound (2.6.2, probed): what is not there, or hidden, or a folder without an index file, is left to what follows.
    routes = [Route(_there(served, directive.span), (served,), directive.span)]
    return (Choose((*((Route(away, (), directive.span),) if away is not None else ()), *routes), directive.span),)


# caddyhttp/encode: the codings that files may lie there in, and how their names end (2.6.2, probed).
_ENDINGS = {"br": ".br", "zstd": ".zst", "gzip": ".gz"}


def _precompressed(line: Directive, served: Directive, context: Context) -> Precompressed | None:
    if not line.args:
        context.unread(served, "precompressed", "the codings were expected: without them Caddy 2.6 sends no such file, and later versions all")
        return None
    for word in line.args:
        if word not in _ENDINGS:
            context.unread(served, word, f"one of {', '.join(_ENDINGS)} was expected")
            return None
    return Precompressed(tuple((word, _ENDINGS[word]) for word in dict.fromkeys(line.args)), span=served.span)


def _there(served: ServeFiles, span: Span) -> Condition:
    path: Template = (Var(Variable.PATH),)
    found = [FileExists(served.root, path, FileKind.FILE, cleans=True, span=span),
             *(FileExists(served.root, join(path, "/", *name), FileKind.FILE, cleans=True, span=span) for name in served.folders.index)]
    return AnyOf((*found, *((FileExists(served.root, path, FileKind.FOLDER, cleans=True, span=span),) if served.folders.listing else ())), span)


def _component(word: str) -> str:
    """A word of `hide` without a slash -> a pattern for paths: it names files and folders at any depth (path.Match)."""
    return rf"/(?:{_shell(word)})(?:/|$)"


def _shell(word: str) -> str:
    """A shell pattern as one of ours: a star and a question mark hold no slash."""
    pieces = re.findall(r"\\.|\[\^?[^\]]+\]|.", word, re.DOTALL)
    return "".join("[^/]*" if piece == "*" else "[^/]" if piece == "?" else piece if piece[0] == "[" and len(piece) > 1 else re.escape(piece[-1]) for piece in pieces)


def _hidden(words: list[str], root: Template, directive: Directive, context: Context) -> Condition | None:
    """What `hide` keeps from clients, as a condition on the path; None where it is nothing.

    staticfiles.go, fileHidden (2.6.2, probed): a word without a slash is asked of every part of the file's whole name, those of the root as well; one with a slash is a
    file or a folder with all below it, or a pattern for the whole name. Letters' case counts.
    """
    if not words:
        return None
    folder = literal(root)
    patterns = []
    for word in words:
        if "{" in word or "/" in word and (not word.startswith("/") or folder is None):
            # Where it lies is not known here: all is closed, rather than one file open.
            context.unread(directive, word, "a name, or the whole name of a file or folder below a root that is written out, was expected")
            return ALWAYS
        if "/" not in word:
            patterns.append("^.*" if folder is not None and re.search(_component(word), folder) else _component(word))
            continue
        front = (folder or "").rstrip("/")
        if (front + "/").startswith(word.rstrip("/") + "/") or word.rstrip("/") == "":
            patterns.append("^.*")
        elif word.startswith(front + "/"):
            patterns.append(rf"^{_shell(word[len(front):].rstrip('/'))}(?:/|$)" if not re.search(r"[*?\[]", word) else rf"^{_shell(word[len(front):])}/?$")
    if not patterns:
        return None
    return PathMatches(context.pattern("|".join(dict.fromkeys(patterns)), directive), PathForm.CLEAN, span=directive.span)


def read_try_files(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`try_files CANDIDATE…` -> a Choose over FileExists; nothing happens when none is found."""
    routes = []
    for word in words:
        if (status := status_at_end(word)) is not None:
            routes.append(Route(ALWAYS, (Respond(status, raises=True, span=directive.span),), directive.span))
            continue
        path, mark, query = word.partition("?")
        found = read_candidate(path, level.root, directive, context)
        edit = QueryEdit(context.template(query, directive), encodes=True) if mark else None
        target: Template = (Var(Variable.FOUND),)
        routes.append(Route(found, (Rewrite(SetPath(target, True), edit, span=directive.span),), directive.span))
    return (Choose(tuple(routes), directive.span),)


READS: dict[str, Read] = {"file_server": read_file_server, "try_files": read_try_files}
