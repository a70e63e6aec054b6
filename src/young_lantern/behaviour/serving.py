"""ServeFiles for one request -> what is found, or where to go on. Two manners: nginx's and Caddy's (Folders.canonical).

Source:   nginx index and static modules; Caddy fileserver (2.6.2, probed).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..model import FileKind, ServeFiles
from . import paths
from .codings import accepted
from .evaluate import text
from .folder_walks import walked
from .state import State


@dataclass(frozen=True, slots=True)
class Found:
    """The file or, when `listing`, the folder that is sent."""

    file: str
    listing: bool = False
    packed: tuple[str, str] | None = None  # the content coding, and the file that is sent in the place of this one


@dataclass(frozen=True, slots=True)
class Missing:
    """An error of the file server's own."""

    status: int


@dataclass(frozen=True, slots=True)
class Moved:
    """A redirect that adds or removes a final slash."""

    status: int
    location: str


@dataclass(frozen=True, slots=True)
class GoOn:
    """An internal redirect to the index file: the block with this label is entered again with this path."""

    label: str
    path: str


@dataclass(frozen=True, slots=True)
class Methods:
    """An answer to OPTIONS without content, which says what the server takes. `named`: what has its type by its name, there or not; "": a folder."""

    status: int
    named: str


@dataclass(frozen=True, slots=True)
class AskIndexes:
    """Requests of their own for these paths, in turn; `otherwise` when each is 404."""

    paths: tuple[str, ...]
    otherwise: "Found | Missing | Methods"


# http_protocol.c, ap_method_registry_init.
KNOWN_METHODS = frozenset("""GET PUT POST DELETE CONNECT OPTIONS TRACE PATCH PROPFIND PROPPATCH MKCOL COPY MOVE LOCK UNLOCK VERSION-CONTROL CHECKOUT UNCHECKOUT
    CHECKIN UPDATE LABEL REPORT MKWORKSPACE MKACTIVITY BASELINE-CONTROL MERGE HEAD""".split())

Served = Found | Missing | Moved | GoOn | Methods | AskIndexes


def ranges(state: State) -> str:
    """Why it is not known what a request for a part gets (RFC 9110 section 14.2); "" for one that gets the whole. What is no range is passed over by nginx and httpd; Caddy answers 416 (2.6.2, probed)."""
    asked = state.request.field("Range") or ""
    return "what part of a file a Range gets is not known" if asked and (state.dialect == "caddy" or asked.lower().startswith("bytes=")) else ""


def serve(step: ServeFiles, state: State) -> Served:
    """What the file server does with the state's path."""
    state.root = text(step.root, state)
    state.looked_at("method")
    if step.folders.canonical:
        return _canonical(step, state)
    if step.folders.walks:
        return _walked(step, state)
    if state.method not in step.methods and state.method not in step.methods_after_lookup and "*" not in step.methods:
        return Missing(step.wrong_method_status)
    if state.pinned and (step.strip or step.whole_path is not None):
        # nginx (1.22.1, probed): an alias in a location whose path was rewritten by `break` is 500.
        return Missing(500)
    rest = state.path[len(step.strip):] if step.strip and state.path.startswith(step.strip) else state.path
    full = text(step.whole_path, state) if step.whole_path is not None else state.root + rest
    kind = state.facts.lookup(full)
    state.note("file", step.span, full, kind is not None)
    if state.path.endswith("/"):
        return _folder(step, state, full)
    if state.method in ("GET", "HEAD") and (packed := _packed(step, state, full)) is not None:
        return Found(full, packed=packed)
    if kind is FileKind.FOLDER:
        if step.folders.added_slash is None:
            return Missing(step.missing_status)
        query = f"?{state.query}" if state.query else ""
        # DefaultServlet, doDirectoryRedirect (Tomcat 10.1.60, probed): several slashes at the start are one.
        path = "/" + state.escaped_path.lstrip("/") if step.folders.slash_as_sent else paths.escaped(state.path, state.site.reading.escapes)
        return Moved(step.folders.added_slash, path + "/" + query)
    return Missing(step.missing_status) if kind is None else _file(step, state, full)


def _packed(step: ServeFiles, state: State, full: str) -> tuple[str, str] | None:
    """ngx_http_gzip_static_handler (1.22.1, probed): it asks for no other file than the compressed one. staticfiles.go, ServeHTTP (2.6.2, probed)."""
    if step.precompressed is None:
        return None
    state.looked_at("field", "Accept-Encoding")
    asked = accepted(state.request.field("Accept-Encoding") or "")
    offered = step.precompressed.codings if step.precompressed.always else sorted(
        (pair for pair in step.precompressed.codings if asked.get(pair[0], 0) > 0), key=lambda pair: -asked[pair[0]])
    return next(((coding, full + ending) for coding, ending in offered if state.facts.lookup(full + ending) is FileKind.FILE), None)


def _file(step: ServeFiles, state: State, full: str) -> Served:
    if step.folders.canonical and (packed := _packed(step, state, full)) is not None:
        return Found(full, packed=packed)
    return Found(full) if state.method in step.methods or "*" in step.methods else Missing(wrong_method(step, state.method))


def wrong_method(step: ServeFiles, method: str) -> int:
    """The status for a method that files are not for. core.c, default_handler (2.4.71, probed): one that httpd has no number for is 501."""
    return 501 if step.folders.walks and method not in KNOWN_METHODS else step.wrong_method_status


def _folder(step: ServeFiles, state: State, full: str) -> Served:
    folders = step.folders
    is_folder = state.facts.lookup(full) is FileKind.FOLDER
    for template in folders.index:
        name = text(template, state)
        # nginx index module: a name with a slash in front is gone to untested, be there a folder or not.
        if name.startswith("/") and folders.restarts:
            return GoOn(folders.restarts, name)
        if not is_folder:
            break
        if state.facts.lookup(full + name) is FileKind.FILE:
            if folders.restarts is None:
                return _file(step, state, full + name)
            state.note("index file", step.span, full + name)
            return GoOn(folders.restarts, state.path + name)
    if not is_folder:
        return Missing(step.missing_status)
    listing = folders.listing and state.method in step.methods
    if listing and not full.endswith("/") and state.facts.lookup(full[:-1]) is not FileKind.FOLDER:
        # ngx_http_autoindex_module takes one character off the end, slash or not (an alias may lack it): it opens
        # `/srv/doc` for `/srv/docs` (1.22.1, probed).
        return Missing(step.missing_status)
    if listing:
        return Found(full, listing=True)
    return Missing(folders.no_index_status)


def _walked(step: ServeFiles, state: State) -> Served:
    folders = step.folders
    full, kind, left = walked(state.root, state.path.removeprefix(step.strip) if step.strip else state.path, state.facts)
    state.note("file", step.span, full, kind is not None)
    reads = state.method in ("GET", "HEAD")
    missing = Missing(step.missing_status if state.method in step.methods else wrong_method(step, state.method))
    # core.c, default_handler: it asks for the method before it looks for the file (2.4.71, probed), but mod_dir has added the slash by then.
    methods = Methods(step.options_status, "" if kind is FileKind.FOLDER else full) if state.method == "OPTIONS" and step.options_status is not None else None
    if kind is not FileKind.FOLDER:
        return methods or (missing if kind is None or left and not folders.path_info else _file(step, state, full))
    url = state.path if state.url is None else state.url
    if not url.endswith("/") and folders.added_slash is not None:
        return Moved(folders.added_slash, paths.escaped(url, state.site.reading.escapes) + "/" + state.query_part)
    # mod_autoindex answers GET alone; the default handler then has no file (httpd 2.4.71, probed).
    otherwise = methods or (Found(full + "/", listing=True) if folders.listing and reads else Missing(folders.no_index_status) if reads else missing)
    if not url.endswith("/"):
        return otherwise
    return AskIndexes(tuple(name if name.startswith("/") else url + name for name in (text(item, state) for item in folders.index)), otherwise)


def _canonical(step: ServeFiles, state: State) -> Served:
    folders = step.folders
    full = state.root.rstrip("/") + paths.clean(state.path)
    if full.endswith("/") and paths.clean(state.path) == "/" and state.facts.lookup(full[:-1]) is FileKind.FILE:
        full = full[:-1]  # a file as the root is sent for `/` as well (2.6.2, probed)
    kind = state.facts.lookup(full)
    state.note("file", step.span, full, kind is not None)
    if kind is None or (kind is FileKind.FILE and full.endswith("/")):
        return Missing(step.missing_status)
    index = next(_indexes(step, state, full), None) if kind is FileKind.FOLDER else None
    if kind is FileKind.FOLDER and index is None and not folders.listing:
        return Missing(folders.no_index_status)
    original = paths.decoded(paths.split_target(state.request.target)[0])
    # A folder that is listed gets its slash as well when stripping left nothing of the path (2.6.2, probed).
    emptied = not state.path and kind is FileKind.FOLDER and index is None
    if folders.added_slash and (emptied or _base(original) == _base(state.path)):
        if kind is FileKind.FOLDER and not original.endswith("/"):
            return Moved(folders.added_slash, paths.clean(original.lstrip("/")).rstrip("/") + "/")
        if kind is FileKind.FILE and original.endswith("/"):
            return Moved(folders.added_slash, paths.clean(original.lstrip("/")).rstrip("/"))
    if kind is FileKind.FOLDER and index is None:
        return Found(full, listing=True)
    return _file(step, state, index or full)


def _indexes(step: ServeFiles, state: State, full: str) -> Iterator[str]:
    for template in step.folders.index:
        candidate = full.rstrip("/") + "/" + text(template, state)
        if state.facts.lookup(candidate) is not None:
            yield candidate


def _base(path: str) -> str:
    # Go path.Base: trailing slashes do not count; "." of an empty one, "/" of nothing but slashes.
    trimmed = path.rstrip("/")
    return trimmed.rpartition("/")[2] if trimmed else ("/" if path else ".")
