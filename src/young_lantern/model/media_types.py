"""What Content-Type answers get, and the name of a file, or the last segment of a path -> its type by what is in force.

Source:   nginx core and charset modules; httpd mod_mime.c find_ct; Go's mime.TypeByExtension as Caddy's fileserver asks it. Probed (nginx 1.22.1,
          httpd 2.4.71, Caddy 2.6.2).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from .registered_types import REGISTERED
from .span import Span


@dataclass(frozen=True, slots=True)
class MediaType:
    """The media type of files whose names end in this extension; "": none."""

    extension: str
    media_type: str
    span: Span | None = None


class TypeTable:
    """Rows by extension, in small letters; a later row of an extension counts.

    No dataclass, so that walks over a program do not go through its hundred rows at every place; two are equal if they say the same, wherever
    the lines stand.
    """

    __slots__ = ("_hash", "by_extension", "rows")

    def __init__(self, rows: Iterable[MediaType] = ()) -> None:
        self.rows: tuple[MediaType, ...] = tuple(rows)
        self.by_extension: dict[str, str] = {item.extension.lower(): item.media_type for item in self.rows}
        self._hash = hash(frozenset(self.by_extension.items()))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, TypeTable) and self.by_extension == other.by_extension

    def __hash__(self) -> int:
        return self._hash

    def __repr__(self) -> str:
        return f"TypeTable({len(self.rows)} rows)"

    def __add__(self, other: "TypeTable") -> "TypeTable":
        return TypeTable((*self.rows, *other.rows)) if other.rows else self


_EMPTY = TypeTable()


@dataclass(frozen=True, slots=True)
class MediaTypes:
    """What Content-Type answers get (RFC 9110 section 8.3). None: as it was said before.

    table:      by extension. adds: beside those in force
    registered: extensions that no row has are looked up in the system's own table
    otherwise:  where neither knows the name; "": no Content-Type is sent
    forced:     of every file, whatever its name; "": no longer
    charset:    put behind a type among `charset_types` (names, or `text/*`) that has none; "": nothing is
    charset_on_origins: what an origin sends gets it, too
    charsets:   of files by extension, whatever their type (httpd)
    by_path:    the extension of the current path counts, not the file's, and texts have their types by it, too (nginx)
    each:       every extension of a name counts, the last one that is known (httpd)
    """

    table: TypeTable | None = None
    adds: bool = False
    registered: bool | None = None
    otherwise: str | None = None
    forced: str | None = None
    charset: str | None = None
    charset_types: tuple[str, ...] | None = None
    charset_on_origins: bool = False
    charsets: TypeTable = _EMPTY
    by_path: bool = False
    each: bool = False
    span: Span | None = None
    also: tuple[Span, ...] = ()
    otherwise_span: Span | None = None
    charset_span: Span | None = None

    def onto(self, before: "MediaTypes | None") -> "MediaTypes":
        """What is in force after this step, `before` being in force before it."""
        if before is None or not self.adds and None not in (self.table, self.registered, self.otherwise, self.forced, self.charset, self.charset_types):
            return self

        def last(name: str) -> Any:
            said = getattr(self, name)
            return getattr(before, name) if said is None else said

        table = before.table if self.table is None else (before.table or _EMPTY) + self.table if self.adds else self.table
        # httpd: where the first line has given one, a later one finds it (2.4.71, probed).
        otherwise = before.otherwise if before.each and self.adds and before.otherwise else last("otherwise")
        return MediaTypes(
            table, False, last("registered"), otherwise, last("forced"), last("charset"), last("charset_types"), self.charset_on_origins or before.charset_on_origins,
            before.charsets + self.charsets, self.by_path or before.by_path, self.each or before.each,
            self.span or before.span, (*before.also, *self.also), last("otherwise_span"), last("charset_span"))

    @property
    def spans(self) -> tuple[Span, ...]:
        """Every line that says something of it, but for those of a table that all sites share."""
        return tuple(dict.fromkeys(span for span in (self.span, *self.also, self.otherwise_span, self.charset_span) if span))


# Systems' tables differ in whether these are text (RFC 7303 section 9.2), and so in whether a charset follows.
_TEXT_OR_NOT = frozenset({"application/xml"})


def of_name(types: MediaTypes, name: str, again: bool = False) -> str | None:
    """The Content-Type of a file, or path, with this last segment; "" for none, None where only a system's own table knows. again: as in extensions()."""
    if types.forced:
        return _with_charset(types, types.forced)
    endings = extensions(name, types, again)
    found: str | None = ""
    known = False
    for ending in endings:
        made = types.table.by_extension.get(ending) if types.table else None
        if made is None and types.registered:
            made = REGISTERED.get(ending)
            if made in _TEXT_OR_NOT and "text/*" in (types.charset_types or ()):
                return None
        if made is not None:
            found, known = made, True
        elif types.registered:
            # mod_mime: what it does not know is passed over, but whether it knows this one is the system's affair.
            found, known = (found, known) if known else (None, True)
    known = known and found != ""  # what was removed is as if nobody knew it
    if not known:
        found = types.otherwise or ""
    charset = next((types.charsets.by_extension[ending] for ending in reversed(endings) if ending in types.charsets.by_extension), "")
    if found is None or not found:
        return found
    # mod_mime puts a charset behind what it knows, in the place of one that the type brings; what a field line says comes later (2.4.71, probed).
    if charset and not (types.each and not known):
        return re.sub(r";\s*charset=[^;]*", "", found) + f"; charset={charset}"
    return _with_charset(types, found)


def extensions(name: str, types: MediaTypes, again: bool = False) -> list[str]:
    """What of a name counts as its extensions, in small letters; what stands before the first dot never does. again: the path is not the client's any more."""
    last = name.rpartition("/")[2].lower()
    # A name that begins with a dot: httpd and nginx take what follows for the name itself, Go for an extension (all probed).
    if types.each:
        # mod_mime.c, find_ct: of `.html` and `..html` the leading dots are part of the name.
        return [ending for ending in last.lstrip(".").split(".")[1:] if ending]
    # ngx_http_parse_complex_uri (1.22.1, probed): up to three dots behind a slash are looked at as such, and begin no extension.
    # ngx_http_set_exten, for a path that was changed (1.22.1, probed): only the first of them does not.
    ending = (re.sub(r"^\." if again else r"^\.{1,3}", "", last) if types.by_path else last).rpartition(".")
    return [ending[2]] if ending[1] and ending[2] else []


def _with_charset(types: MediaTypes, made: str) -> str:
    if types.charset and made and "charset=" not in made.lower() and has_charset(types, made):
        return f"{made}; charset={types.charset}"
    return made


def has_charset(types: MediaTypes, media_type: str) -> bool:
    """Whether a type is among those that get the charset."""
    bare = media_type.partition(";")[0].strip().lower()
    return any(bare == held or held == "*" or held.endswith("/*") and bare.startswith(held[:-1]) for held in types.charset_types or ())
