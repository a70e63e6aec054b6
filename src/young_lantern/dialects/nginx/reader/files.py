"""nginx `root`, `alias`, `index`, `try_files`, `autoindex` -> ServeFiles, and the Choose of a try_files.

Source:   nginx manual, core module; index module ("an internal redirect is made"); static module for the added slash.
Rule:     in a location without other content handler, index, autoindex and static files follow each other.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ....model import (
    ALWAYS, SITE, Capture, Choose, FileExists, FileKind, Folders, PathMatches, Pattern, Pinned, Precompressed, Respond, Rewrite, Route, ServeFiles, SetPath, Step,
    Template, Unread, Var, Variable, join,
)
from ....model.walk import walk, with_part
from .. import defaults
from ..syntax import Directive
from . import aliases, redirect_names
from .context import Context, Scope


def read_root(scope: Scope, context: Context) -> tuple[Template, str, Template | None, Directive | None]:
    """root template, what is cut off the path, the whole path (alias in a pattern location), and the directive.

    A nested location inherits an alias as it inherits a root, and cuts off the text of the location that has it.
    """
    level: Scope | None = scope
    while level is not None:
        if alias := level.own("alias"):
            directive = context.use(alias[-1])
            template = context.template(directive.args[0], directive)
            if level.prefix is None:
                return (), "", template, directive
            return template, level.prefix, None, directive
        if root := level.own("root"):
            directive = context.use(root[-1])
            return _trimmed(context.template(directive.args[0], directive)), "", None, directive
        level = level.parent
    return ("html",), "", None, None


def with_root_said(steps: tuple[Step, ...], scope: Scope, context: Context) -> tuple[Step, ...]:
    """Steps in whose texts `$document_root` is the folder in force, be a file looked for there or not (ngx_http_variable_document_root; 1.22.1, probed)."""
    asked = Var(Variable.ROOT)
    if asked not in walk(steps):
        return steps
    root, _, whole, _ = read_root(scope, context)
    if whole is not None or any(isinstance(part, Capture) or part == asked for part in root):
        return steps
    if isinstance(root[0], str) and not root[0].startswith("/"):
        root = (Unread("$document_root"),)  # below the folder that the server was built for
    return with_part(steps, asked, root)


def split_of(scope: Scope, context: Context) -> Pattern | None:
    """fastcgi_split_path_info in force."""
    found = context.used(scope, "fastcgi_split_path_info")
    return context.pattern(found.args[0], found) if found else None


def _trimmed(template: Template) -> Template:
    last = template[-1] if template else ""
    return (*template[:-1], last.rstrip("/")) if isinstance(last, str) and len(template) + len(last) > 2 else template


def read_serving(scope: Scope, context: Context) -> ServeFiles:
    """What a location without another handler does."""
    root, strip, whole, directive = read_root(scope, context)
    index = [context.use(item) for item in scope.inherited("index")]
    names = tuple(context.template(word, item) for item in index for word in item.args if word != defaults.NO_INDEX)
    if not index:
        names = tuple((name,) for name in defaults.INDEX)
    opened = scope.opened_by if scope.kind == "location" else directive
    return ServeFiles(
        root=root, strip=strip, whole_path=whole,
        folders=Folders(
            index=names, restarts=SITE, listing=context.switch(scope, "autoindex", False), added_slash=defaults.ADDED_SLASH,
            location_absolute=redirect_names.absolute(scope, context),
        ),
        methods_after_lookup=("POST",), precompressed=_precompressed(scope, context),
        span=directive.span if directive else (opened.span if opened else None),
        root_span=directive.span if directive else None,
        comments=directive.comments if directive else (),
    )


def _precompressed(scope: Scope, context: Context) -> Precompressed | None:
    """Gzip static module: `on` for who takes it, `always` for all; silence: off."""
    line = context.used(scope, "gzip_static")
    if line is None or line.args[:1] == ["off"]:
        return None
    if line.args[:1] not in (["on"], ["always"]):
        context.unread(line, " ".join(line.args), "on, off or always was expected")
        return None
    return Precompressed((("gzip", ".gz"),), always=line.args[0] == "always", alone=True, span=line.span)


def read_try_files(scope: Scope, named: Callable[[str, Directive], tuple[Step, ...]], serving: ServeFiles | None, context: Context) -> tuple[Step, ...]:
    """`try_files CANDIDATE … FALLBACK;` -> a Choose over FileExists, whose last route always holds.

    `named` gives the steps of a named location; serving: what else sends files there, if anything does. Only a block's own list counts: it is not
    inherited (1.22.1, probed).
    """
    written = scope.own("try_files")
    if not written:
        return ()
    directive = context.use(written[-1])
    root, strip, whole, _ = read_root(scope, context)
    *candidates, fallback = directive.args
    # What a rewrite with `break` has made is 500 beside an alias, found or not (1.22.1, probed).
    routes = [Route(Pinned(directive.span), (Respond(500, raises=True, span=directive.span),), directive.span, accident=True)] if strip or whole is not None else []
    for candidate in candidates:
        folder = candidate.endswith("/")
        if candidate == "$fastcgi_script_name":
            # The path becomes the script's, so that no path information is left, unless it was put by before.
            split = split_of(scope, context)
            whole_path = FileExists(root, (Var(Variable.PATH),), FileKind.FILE, strip, span=directive.span)
            script = replace(whole_path, path=(Var(Variable.SCRIPT_NAME, split.text),)) if split else whole_path
            cut = (Rewrite(SetPath(script.path), internal=False, span=directive.span),) if split else ()
            if split and scope.opened_by is not None and scope.opened_by.args[-1:] and scope.opened_by.args[-1].endswith(".php$"):
                # In a place for paths that end so, there is something to split off only where the name of a script is that of a folder.
                inside = Choose((Route(script, cut, directive.span), Route(ALWAYS, read_fallback(fallback, directive, named, strip, context), directive.span)))
                routes += [Route(PathMatches(split, span=directive.span), (inside,), directive.span, accident=True), Route(whole_path, (), directive.span)]
            else:
                routes.append(Route(script, cut, directive.span))
            continue
        template = context.template(candidate.rstrip("/") if folder else candidate, directive)
        found = FileExists(whole if whole is not None else root, template, FileKind.FOLDER if folder else FileKind.FILE,
                           strip if aliases.has_variables(candidate) else "", span=directive.span)
        # The slash of `$uri/` only says that a folder is looked for; the path does not get it, so `/dir` is then
        # redirected to `/dir/` like any folder (1.22.1, probed).
        steps = aliases.found_path(candidate, template, strip, directive.span) if whole is None or not folder else ()
        if whole is not None and template and serving is not None:
            # The path stands behind the whole alias from then on.
            steps = (*steps, replace(serving, whole_path=join(*whole, Var(Variable.PATH))))
        routes.append(Route(found, steps, directive.span))
    routes.append(Route(ALWAYS, read_fallback(fallback, directive, named, strip, context), directive.span))
    return (Choose(tuple(routes), directive.span),)


def read_fallback(word: str, directive: Directive, named: Callable[[str, Directive], tuple[Step, ...]], strip: str, context: Context) -> tuple[Step, ...]:
    """`=404`, `@name` or a path with an optional query -> the steps that follow when nothing was found."""
    if word.startswith("=") and word[1:].isdigit():
        return (Respond(int(word[1:]), raises=True, span=directive.span),)
    if word.startswith("@"):
        return named(word, directive)
    # ngx_http_try_files_module: the fallback, completed, is taken apart at its first question mark, which a variable may bring. It goes on with
    # its own query only, so that the client's is lost unless $args is written.
    path, query = _apart(context.template(word, directive))
    return aliases.fallback(word, path, query, strip, directive.span, SITE)


def _apart(template: Template) -> tuple[Template, Template]:
    """What stands before the first question mark, and what stands after it."""
    for number, part in enumerate(template):
        if part == Var(Variable.QUERY_MARK):
            return template[:number], template[number + 1:]
        if part == Var(Variable.QUERY, "?"):
            return template[:number], (Var(Variable.QUERY), *template[number + 1:])
        if isinstance(part, str) and "?" in part:
            path, _, query = part.partition("?")
            return join(*template[:number], path), join(query, *template[number + 1:])
    return template, ()
