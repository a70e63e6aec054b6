"""Targets that rules make: the query of a rewrite, a path that is encoded as a whole, and one that is read anew. Used by: decide.py, redirects.py.

Source:   mod_rewrite.c (splitout_queryargs, do_expand, hook_uri2file), http_request.c (internal_internal_redirect); Caddy rewrite.go.
"""

from __future__ import annotations

from dataclasses import replace
from urllib.parse import quote_plus

from ..model import NO_VALUE, Capture, FileKind, Lookup, QueryEdit, Rewrite, SetPath, Template, Var, Variable
from . import paths
from .evaluate import is_missing, said, text
from .folder_walks import walked
from .state import State


def path_made(edit: SetPath, state: State) -> tuple[str, str | None]:
    """The path that a rewrite sets, "" where it comes to nothing; and how it goes out, if that is not how paths do."""
    made = text(edit.template, state)
    if edit.one_slash:
        # mod_rewrite.c, apply_rewrite_rule (2.4.71, probed): `/$1` never leads to two, but `//` that is written does, and so does a redirect.
        return "/" + made.lstrip("/"), None
    if edit.decodes:
        # RewriteValve, invoke (Tomcat 10.1.60, probed): it goes out as the rule has made it.
        state.rule_path = made
        return paths.normalised("/" + paths.decoded(made).lstrip("/"), state.site.reading) or "", paths.escaped(made, state.site.reading.escapes.replace("%", ""))
    return made, state.raw_path if edit.keeps_raw else None


def parted(step: Rewrite, query: str | None, raw: str, state: State) -> str | None:
    """The query where a path may bring a question mark; the state keeps the path before it. raw: the raw path before the rewrite."""
    assert isinstance(step.edit, SetPath)
    state.path, mark, behind = state.path.partition("?")
    if step.edit.splits_at_mark:
        # ngx_http_split_args (1.22.1, probed): the first one parts the whole, and what is written behind one of its own comes last.
        return (behind + (f"?{query}" if query else "")) if mark else query
    # Go URL.EscapedPath: the last raw path is in use again whenever it decodes to the path.
    state.raw_path = raw if paths.decoded(raw) == state.path else None
    # rewrite.go: it takes the place of a query of nothing (2.6.2, probed)
    return behind or query if mark and step.query is not None and not step.query.template else query


def has_blanks(query: str) -> bool:
    """Whether it has a blank or a control character."""
    return any(ord(character) <= 32 or ord(character) == 127 for character in query)


def read_anew(state: State) -> None:
    """The path as a client's target, which may be refused: without a fragment, behind which the query is lost, and decoded."""
    state.path, fragment, _ = state.path.partition("#")
    if fragment:
        state.query, state.raw_path = None, None
    if "%" not in state.path:
        return
    path = paths.read_path(state.path, state.site.reading)
    if path is None:
        state.refused = 404 if "%00" in state.path else 400
    elif "%2f" in state.path.lower():
        state.refused = state.site.reading.encoded_slash_status
    state.path, state.raw_path = path or state.path, None


def says_same_file(since: str, state: State) -> bool:
    """Whether the last rewrite says the file that the path came to when a block was entered.

    mod_rewrite.c, hook_fixup (httpd 2.4.71, probed): what is put behind the folder is compared with the file's name, without what the path has behind a file;
    a path from the root on never is.
    """
    below = state.below
    if below is None or not state.path.startswith(below.base):
        return False
    path = state.entered_at[since]
    before, kind, _ = walked(below.root, path.removeprefix(below.strip), state.facts)
    return f"{below.folder}/{state.path[len(below.base):]}" == before + ("/" if kind is FileKind.FOLDER and path.endswith("/") else "")


def brings_mark(template: Template, state: State) -> bool:
    """Whether something put into a text brings a question mark, before one that is written there (mod_rewrite.c, do_expand)."""
    for part in template:
        if isinstance(part, str):
            if "?" in part:
                return False
        elif "?" in said((replace(part, escaped=False) if isinstance(part, Capture) else Var(Variable.PATH) if part == Var(Variable.PATH_ESCAPED) else part,), state):
            state.note("a question mark from the path is refused", None)
            return not (isinstance(part, Var) and part.variable is Variable.QUERY)
    return False


def query_of(edit: QueryEdit, state: State) -> str:
    """What an edit makes of the query."""
    written = text(edit.template, state)
    if edit.encodes:
        # rewrite.go, buildQueryString (2.6.2, probed): what is not there is written out, and a whole query stays what it is but behind an equals sign.
        made = ""
        for part in edit.template:
            whole = part == Var(Variable.QUERY) and "=" not in made.rpartition("&")[2]
            made += part if isinstance(part, str) else text((part,), state) if whole else quote_plus(NO_VALUE if is_missing((part,), state) else text((part,), state))
        written = made.strip("&")
    if edit.encodes_form:
        written = quote_plus(written, safe="*-._=&%", errors="surrogateescape")  # RewriteValve, REWRITE_QUERY_ENCODER (Tomcat 10.1.60, probed)
    if edit.appends_query and state.query:
        return f"{written}&{state.query}" if written else state.query
    # mod_rewrite.c, splitout_queryargs (2.4.71, probed).
    return written.removesuffix("&") if state.dialect == "apache" else written


def encoded_path(location: Template, state: State) -> Template:
    """A Location, or an origin's target, whose path is percent-encoded as a whole, whatever it brings (mod_rewrite.c, mod_proxy_http.c; httpd 2.4.71, probed)."""
    end = next((number for number, part in enumerate(location) if isinstance(part, str) and "?" in part), len(location))
    def changes(part: object) -> bool:
        return isinstance(part, Lookup) or isinstance(part, Var) and part.variable is not Variable.PATH_ESCAPED and not (part.variable is Variable.QUERY and part.name)

    return tuple(paths.escaped(text((part,), state), state.site.reading.escapes) if number < end and changes(part) else part for number, part in enumerate(location))
