"""What answers -> the Content-Type lines that go out with it.

Source:   nginx core and charset modules; httpd mod_mime, core (AddDefaultCharset), mod_headers; Caddy fileserver, staticresp. All probed
          (nginx 1.22.1, httpd 2.4.71, Caddy 2.6.2).
Rule:     the name of a file, or of the path, has the type by its extension; a charset follows for some types. Field operations on Content-Type see
          what the handler put there, each server in its own way.
Unknown:  types of the words that a server makes up for errors and redirects, and of extensions that only a system's own table knows, are
          not foretold (None).
"""

from __future__ import annotations

from dataclasses import replace

from ..model import Field, MediaTypes, Operation
from ..model.media_types import has_charset, of_name
from ..patterns import compiled
from ..patterns.engines import go_replacement
from .evaluate import text, with_placeholders
from .origin_answers import USUAL_TYPE
from .outcome import OWN_WORDS
from .state import State

# An origin's answer has its own type, which nobody here knows; it begins so in an outcome.
ORIGINS = "(the origin's"


def handlers_own(types: MediaTypes | None, state: State, *, status: int, file: str | None, listing: bool, body: str | None, media_type: str, origin: bool) -> str | None:
    """The Content-Type that the handler itself puts on its answer; "": none; None: nobody here knows."""
    if types is None or status in (204, 304) or 300 <= status < 400 and not origin:
        return None
    if origin:
        if types.charset and types.charset_on_origins:
            return f"{ORIGINS}, with charset={types.charset} where it says none of {', '.join(sorted(types.charset_types or ()))})"
        return f"{ORIGINS})"
    if listing:
        return None
    if file is not None:
        return of_name(types, state.path if types.by_path else file, state.internal)
    if media_type:
        return media_type
    if not body:
        return None
    return of_name(types, state.path, state.internal) if types.by_path else None


def before_charset(types: MediaTypes | None) -> MediaTypes | None:
    """The types as conditions see them: with parameters of their own, but the charset comes behind all that asks (nginx 1.22.1, httpd 2.4.71, probed)."""
    return replace(types, charset="") if types is not None and types.charset else types


# ngx_http_error_pages (1.22.1, probed): statuses that nginx has no words for, so that their answers have no content, and no type.
_PAGELESS = frozenset({407, *range(417, 421), *range(422, 429), *range(430, 494), 506, *range(508, 600)})


def before_operations(own: str | None, state: State, types: MediaTypes | None, *, status: int, origin: bool, is_error: bool, listing: bool, body: str | None) -> str:
    """What an answer's type is taken for by conditions that ask for it; "" where there is none, or nobody here knows."""
    if origin:
        return next((value for name, value in state.sent if name == "content-type"), USUAL_TYPE)
    if own is not None:
        return own
    told = state.dialect == "apache" and bool(body)  # httpd: the text of an ErrorDocument is the server's own answer, too
    if state.dialect == "nginx" and is_error and body is None and status in _PAGELESS:
        return ""
    if listing or (status not in (204, 304) or status == 304 and is_error and state.dialect == "nginx") and (300 <= status < 400 or is_error and status >= 400 or body == OWN_WORDS or told):
        return "text/html"  # words of the server's own, whatever status they come with (nginx 1.22.1, httpd 2.4.71, probed), where it has any
    if types is not None and types.by_path and body == "" and status != 304:
        return of_name(types, state.path, state.internal) or ""  # ngx_http_send_response: what has no content has a type nevertheless (1.22.1, probed)
    return ""


def sent(own: str | None, operations: list[Field], state: State, *, listing: bool = False) -> tuple[str, ...] | None:
    """The Content-Type lines of an answer. operations: those on this field that take place, in order. listing: it is a folder's."""
    types = state.types
    lines: list[str | None] = [own] if own != "" else []
    if types is None:
        return None
    if not types.by_path and not types.each:
        # Caddy: what stands there beforehand stays for files and texts, unless it is empty (Go's Header.Get); an origin's comes beside it, and a listing's
        # in its place (2.6.2, probed).
        now = [item for item in operations if not item.deferred]
        before: list[str | None] = []
        for item in now:
            before = _changed(before, item, state)
        lines = [*before, *lines] if before and own is not None and own.startswith(ORIGINS) else lines if listing or not before or before[0] == "" else before
        operations = [item for item in operations if item.deferred]
    beside: list[str | None] = []
    settled = False  # whether a rule has put it in the place of the handler's
    # Whether it stands in one of both tables, or in that of `always`: a rule has put it there, or an origin that is asked by HTTP.
    held = {False: bool(own) and state.answered_by is not None and not state.by_script, True: False}
    for item in operations:
        if types.each:
            if item.operation is Operation.DEFAULT and held[item.apart]:
                continue  # mod_headers.c, hdr_setifempty: what a rule has set is there; what a handler has is kept apart (2.4.71, probed)
            held[item.apart] = item.operation is not Operation.REMOVE if item.operation is not Operation.EDIT else held[item.apart]
            # Where the handler has none, and no rule has set one, what is added is there, as often as it is added.
            lines = [*lines, text(item.value, state)] if own == "" and item.operation is Operation.ADD and lines and not settled else _of_httpd(lines, item, state)
            settled = item.operation in (Operation.SET, Operation.DEFAULT) or settled and item.operation is not Operation.REMOVE
            if item.apart and item.operation in (Operation.SET, Operation.REMOVE):
                beside = lines
            elif item.apart and item.operation is not Operation.EDIT and not beside:
                beside = [text(item.value, state)]
            elif item.operation is Operation.REMOVE:
                # mod_headers.c: `always set` puts it among the other fields as well, where a later `unset` of the usual table leaves it (2.4.71, probed).
                lines = beside
        else:
            lines = _changed(lines, item, state)
    return None if None in lines else tuple(line for line in lines if line)


def _changed(lines: list[str | None], item: Field, state: State) -> list[str | None]:
    value = with_placeholders(item.value, state)
    match item.operation:
        case Operation.SET:
            return [value]
        case Operation.REMOVE:
            # Go's net/http looks into the content for a type that was taken away (2.6.2, probed).
            return [None]
        case Operation.DEFAULT:
            return lines or [value]
        case Operation.EDIT if item.find is not None:
            pattern = compiled(item.find)
            return [None if line is None else line if line.startswith(ORIGINS) else pattern.sub(go_replacement(value), line) for line in lines]
    return [*lines, value] if value else lines


def _of_httpd(lines: list[str | None], item: Field, state: State) -> list[str | None]:
    # mod_headers.c: the type is kept apart from the other fields, so that `setifempty` always finds it empty, and what is added to it is lost.
    # core.c: the default charset comes last of all, behind what the type is by then (2.4.71, probed).
    late = f"; charset={state.types.charset}" if state.types is not None and state.types.charset else ""

    def completed(line: str) -> str:
        return line + late if state.types is not None and "charset=" not in line and has_charset(state.types, line) else line

    of_origin = lines != [] and lines[0] is not None and lines[0].startswith(ORIGINS)
    if item.operation is Operation.SET or item.operation is Operation.DEFAULT and not of_origin:
        return [completed(text(item.value, state))]
    if item.operation is Operation.REMOVE:
        return []
    if item.operation is Operation.EDIT:
        bare = [line.removesuffix(late) if line is not None and late else line for line in lines]
        made = _changed(bare, item, state)
        return [line if line is None or before == plain else completed(line) for line, before, plain in zip(made, lines, bare, strict=True)]
    return lines or [completed(text(item.value, state))]


def forced(state: State) -> str:
    """The type that all files are said to have, with the charset that it gets."""
    types = state.types
    if types is None or not types.forced:
        return ""
    charset = f"; charset={types.charset}" if types.charset and "charset=" not in types.forced and has_charset(types, types.forced) else ""
    return types.forced + charset
