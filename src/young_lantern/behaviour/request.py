"""A request, and what is known of the world while it is decided.

Source:   RFC 9110 section 7.1 (target), RFC 3986 section 3.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from ipaddress import ip_address
from pathlib import Path
from urllib.parse import urlsplit

from ..errors import LanternError
from ..model import FileKind
from ..model.placeholders import canonical


HTTP1, HTTP2 = "HTTP/1.1", "HTTP/2.0"
# An address for documentation (RFC 5737), where nobody says another one.
CLIENT = "192.0.2.10"


@dataclass(frozen=True, slots=True)
class Request:
    """target: raw path and query as they go on the wire; port: of the listener; fields: without Host; protocol: as servers name it, `HTTP/2.0` too."""

    method: str
    scheme: str
    host: str
    port: int
    target: str
    fields: tuple[tuple[str, str], ...] = ()
    client: str = CLIENT
    protocol: str = HTTP1

    @property
    def url(self) -> str:
        return f"{self.scheme}://{self.authority}{self.target}"

    @property
    def authority(self) -> str:
        """The Host field: the host, and the port unless it is the scheme's own (RFC 9110 section 7.2)."""
        return self.host if self.port == {"http": 80, "https": 443}[self.scheme] else f"{self.host}:{self.port}"

    def field(self, name: str) -> str | None:
        return next((value for found, value in self.fields if found.lower() == name.lower()), None)

    def __str__(self) -> str:
        return f"{self.method} {shortened(self.url)}{' by HTTP/2' if self.protocol == HTTP2 else ''}"


# A text longer than this is shown by its beginning and its length; so many fields are shown at the most.
_SHOWN, MOST_FIELDS = 400, 8


def shortened(text: str) -> str:
    """A text as reports show it."""
    return text if len(text) <= _SHOWN else f"{text[:60]}… ({len(text):,} characters)"


def request_for(url: str, method: str = "GET", fields: dict[str, str] | None = None, client: str | None = None) -> Request:
    """A request from its URL. Raises LanternError for anything that is no http or https URL, and for a client that is no address."""
    if found := re.search(r"[\x00-\x20\x7f]", url):
        # RFC 9112 section 3: it would end the target, or the line, and servers refuse it or take the rest for something else.
        raise LanternError(f"{url!r} is not a URL: a blank or control stands in it; write %{ord(found[0]):02X} for it")
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError as error:
        raise LanternError(f"{url!r} is not a URL: {error}") from None
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise LanternError(f"{url!r} is not an http or https URL such as https://www.fernhollow.example/path")
    target = (parts.path or "/") + (f"?{parts.query}" if parts.query or url.endswith("?") else "")
    try:
        ip_address(client or CLIENT)
    except ValueError:
        raise LanternError(f"{client!r} is no address of a client") from None
    host = f"[{parts.hostname}]" if ":" in parts.hostname else canonical(parts.hostname)
    return Request(method.upper(), parts.scheme, host, port or (443 if parts.scheme == "https" else 80), target, tuple((fields or {}).items()), client or CLIENT)


class Assumed(Enum):
    """What to take as lying below the document roots when no real folder says."""

    NOTHING = "nothing there"
    FILES = "a file"
    FOLDERS = "a folder with an index file"
    BARE_FOLDERS = "a folder without an index file"
    PROGRAMS = "a file that may be executed"
    LINKS = "a symbolic link to a file"
    PACKED = "a compressed file, and no plain one"


# What files, and folders, are besides (FileKind.besides). Only where somebody asks for that it is assumed.
PACKED_ENDINGS = (".gz", ".br", ".zst")
BESIDES = {Assumed.PROGRAMS: FileKind.PROGRAM, Assumed.LINKS: FileKind.LINK}


def one_slash(path: str) -> str:
    """A file's name as the system takes it: several slashes in a row are one (POSIX.1, section 4.16)."""
    return re.sub("/{2,}", "/", path)


@dataclass(frozen=True)
class Facts:
    """Which files exist: `lookup` answers for a full path, from a real folder or an assumption."""

    lookup: Callable[[str], FileKind | None]
    name: str = ""
    besides: Callable[[str], frozenset[FileKind]] | None = None

    def holds(self, path: str, kind: FileKind) -> bool:
        """Whether something of this kind lies there."""
        found = self.lookup(path)
        if found is None or not kind.besides:
            return found is not None and kind in (found, FileKind.ANY)
        return kind in self.besides(path) if self.besides is not None else kind is FileKind.PROGRAM and found is FileKind.FOLDER


def assumed(what: Assumed, indexes: frozenset[str], roots: frozenset[str] = frozenset()) -> Facts:
    """Facts that hold for whatever path is asked, and do not contradict each other.

    indexes: names of index files that either estate looks for
    roots:   the document roots of both; they are folders always
    """

    def lookup(path: str) -> FileKind | None:
        name = one_slash(path).rstrip("/")
        kind = FileKind.FOLDER if name in roots else _kind(name, name.rpartition("/")[2])
        return None if kind is FileKind.FILE and path.endswith("/") else kind

    def _kind(name: str, last: str) -> FileKind | None:
        if what is Assumed.NOTHING or what is Assumed.PACKED and not last.endswith(PACKED_ENDINGS):
            return None
        if what in (Assumed.FILES, Assumed.PACKED) or what in BESIDES:
            # Nothing lies below a file: an index file is there in a document root only.
            return None if last in indexes and name.rpartition("/")[0] not in roots else FileKind.FILE
        if last in indexes:
            return FileKind.FILE if what is Assumed.FOLDERS else None
        return FileKind.FILE if "." in last else FileKind.FOLDER

    if what in BESIDES:
        return Facts(lookup, what.value, lambda path: frozenset({BESIDES[what]} if lookup(path) is FileKind.FILE else {FileKind.PROGRAM}))
    return Facts(lookup, what.value)


# How the name of placed files begins.
PLACED = "there: "


def placed(files: dict[str, FileKind | None], roots: frozenset[str], reads: dict[str, None] | None = None) -> Facts:
    """Facts of which each is known: what lies at some paths, without final slash, and nothing elsewhere.

    A folder is there above everything that is. Letters of either case name the same file, since a class of requests may be in either.
    reads: is filled with the paths whose kind nothing here decides, as they are asked for
    """
    known = {one_slash(path).lower(): kind for path, kind in files.items()}
    there = [path + "/" for path, kind in known.items() if kind is not None]
    gone = tuple(path + "/" for path, kind in known.items() if kind is not FileKind.FOLDER)

    def lookup(path: str) -> FileKind | None:
        name = one_slash(path).rstrip("/")
        low = name.lower()
        if name in roots or any(other.startswith(low + "/") and other != low + "/" for other in there):
            return FileKind.FOLDER
        if low in known:
            kind = known[low]
        else:
            kind = None
            if reads is not None and not low.startswith(gone):
                reads[name] = None
        return None if kind is FileKind.FILE and path.endswith("/") else kind

    shown = [path.replace(",", "%2C") + ("/" if kind is FileKind.FOLDER else "") for path, kind in files.items() if kind is not None]
    return Facts(lookup, PLACED + ", ".join(shown) if shown else Assumed.NOTHING.value)


def placed_again(name: str, roots: frozenset[str]) -> Facts | None:
    """The facts that `placed` gave such a name; None for any other name."""
    if not name.startswith(PLACED):
        return None
    paths = [path.replace("%2C", ",") for path in name.removeprefix(PLACED).split(", ")]
    return placed({path.rstrip("/"): FileKind.FOLDER if path.endswith("/") else FileKind.FILE for path in paths}, roots)


def real_files(move: Callable[[str], Path] = Path) -> Facts:
    """Facts from this machine's file system. `move` says where a path of the configuration lies here."""

    def lookup(path: str) -> FileKind | None:
        here = move(path)
        if here.is_dir():
            return FileKind.FOLDER
        return FileKind.FILE if here.is_file() and not path.endswith("/") else None

    def besides(path: str) -> frozenset[FileKind]:
        here = move(path)
        # ngx_is_exec, apply_rewrite_cond (both probed): links are followed; httpd takes the right of anybody, nginx the owner's.
        is_program = bool(here.stat().st_mode & 0o111)
        return frozenset({FileKind.PROGRAM} if is_program else ()) | frozenset({FileKind.LINK} if here.is_symlink() and not path.endswith("/") else ())

    return Facts(lookup, "the real folders", besides)
