"""Caddy `file_server`, `try_files` -> ServeFiles, and the Choose of a try_files. Mirror: writer/files.py.

Source:   Caddy documentation, those directives; fileserver (2.6.2, probed): the last candidate of try_files is tested
          like the others; `=CODE` at the end raises that error.
"""

from __future__ import annotations

from ....model import (
    ALWAYS, Choose, QueryEdit, Respond, Rewrite, Route, ServeFiles, SetPath, Step, Template, Var, Variable,
)
from .. import defaults
from ..syntax import Directive
from .context import Context, Level, Read
from .matchers import read_candidate


def read_file_server(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`file_server [matcher] [browse] [{ root; index; browse; disable_canonical_uris; … }]`."""
    root, index, listing, canonical, status = level.root, defaults.INDEX, "browse" in words, True, None
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
            case "hide" | "precompressed":
                pass
            case _:
                context.unread(directive, inner.name, "root, index, browse, status, hide, precompressed or disable_canonical_uris was expected")
    return (ServeFiles(
        root=root, folders=defaults.folders(index, listing, canonical), status=status, methods=defaults.METHODS, span=directive.span,
        root_span=level.root_span, comments=directive.comments,
    ),)


def read_try_files(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`try_files CANDIDATE…` -> a Choose over FileExists; nothing happens when none is found."""
    routes = []
    for word in words:
        if word.startswith("=") and word[1:].isdigit():
            routes.append(Route(ALWAYS, (Respond(int(word[1:]), raises=True, span=directive.span),), directive.span))
            continue
        path, mark, query = word.partition("?")
        found = read_candidate(path, level.root, directive, context)
        edit = QueryEdit(context.template(query, directive), encodes=True) if mark else None
        target: Template = (Var(Variable.FOUND),)
        routes.append(Route(found, (Rewrite(SetPath(target, True), edit, span=directive.span),), directive.span))
    return (Choose(tuple(routes), directive.span),)


READS: dict[str, Read] = {"file_server": read_file_server, "try_files": read_try_files}
