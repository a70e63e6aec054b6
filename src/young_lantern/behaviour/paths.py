"""Paths as the servers see them: percent-decoding, slashes, dot segments; and back again.

Source:   RFC 3986 sections 2.1, 5.2.4, 6.2.2; ngx_http_parse_complex_uri; Go net/url and path.Clean (Caddy).
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import lru_cache
from urllib.parse import unquote_to_bytes

from ..model import PathReading

_SLASH = re.compile("(%2[fF])")
_ESCAPE = re.compile(r"%(?![0-9A-Fa-f]{2})")


def split_target(target: str) -> tuple[str, str | None]:
    """raw path, and the raw query or None when there is no question mark."""
    path, mark, query = target.partition("?")
    return path, query if mark else None


@lru_cache(maxsize=1 << 14)
def read_path(raw: str, reading: PathReading) -> str | None:
    """The path that rules see, or None when the server refuses the target with 400."""
    if _ESCAPE.search(raw) or not raw.startswith("/"):
        return None
    if reading.normalises_first:
        made = normalised(_plain(raw), reading)
        if made is None or "%00" in made:
            return None
        if reading.keeps_encoded_slashes:
            return "".join(piece if piece.lower() == "%2f" else decoded(piece) for piece in _SLASH.split(made))
        # request.c, ap_process_request_internal (2.4.71, probed): what slashes and dots are then is seen to once more, unless the request is refused for them;
        # what leads above the root is left out.
        again = reading.encoded_slash_status is None and _SLASH.search(made) is not None
        return normalised(decoded(made), replace(reading, refuses_upward=False)) if again else decoded(made)
    if reading.cuts_parameters:
        return _without_parameters(raw, reading)
    path = decoded(raw)
    if "\0" in path and reading.refuses_upward:
        return None
    return normalised(path, reading) if reading.resolves_dots or reading.merges_slashes else path


# HttpParser, IS_NOT_REQUEST_TARGET (Tomcat 10.1.60, probed): with these in it a request line is none.
_NO_TARGET = re.compile(r'[\x00-\x20"#<>\[\\\]^`{|}\x7f-\U0010ffff]')


def is_no_query(query: str) -> bool:
    """Whether a query has characters in it with which a request line is none (HttpParser, IS_NOT_REQUEST_TARGET; Tomcat 10.1.60, probed)."""
    return _NO_TARGET.search(query) is not None


def _without_parameters(raw: str, reading: PathReading) -> str | None:
    """CoyoteAdapter, postParseRequest (Tomcat 10.1.60, probed): what is behind a semicolon is cut off each segment, escapes are decoded, and slashes and dots seen to last."""
    if _NO_TARGET.search(raw):
        return None
    path = decoded(re.sub(r"(?<=.);[^/]*", "", raw))
    if reading.encoded_slash_status is not None and _SLASH.search(raw):
        return None
    if "\0" in path or "\\" in path or any("\udc80" <= character <= "\udcff" for character in path):
        return None
    made = normalised(path, reading)
    return made if made is None or made == "/" or not re.search(r"/\.{1,2}$", re.sub("/{2,}", "/", path)) else made.rstrip("/") or "/"


def is_none(target: str) -> bool:
    """Whether a target's path has a percent sign before no code of an octet."""
    return _ESCAPE.search(target.partition("?")[0]) is not None


def has_zero(raw: str) -> bool:
    """Whether a path has a zero octet among its escapes, which are all escapes of one."""
    return _ESCAPE.search(raw) is None and "%00" in raw


def left_of(raw: str, reading: PathReading) -> str | None:
    """What httpd has of a path that it refuses: up to a zero octet, and without what leads above the root; escapes as they came where one is none (2.4.71, probed)."""
    made = normalised(_plain(raw), replace(reading, refuses_upward=False))
    return made if made is None or _ESCAPE.search(raw) else decoded(made).partition("\0")[0]


def _plain(raw: str) -> str:
    return re.sub(r"%([0-9A-Fa-f]{2})", lambda found: _unreserved(found[0]), "/" + raw.lstrip("/"))


def _unreserved(escape: str) -> str:
    """An escape, decoded if it stands for an unreserved character (RFC 3986 section 2.3)."""
    character = chr(int(escape[1:], 16))
    return character if character.isascii() and (character.isalnum() or character in "-._~") else escape


def normalised(path: str, reading: PathReading) -> str | None:
    """Slashes merged and dot segments resolved as the reading says; None when it leads above the root."""
    if reading.merges_slashes:
        path = re.sub("/{2,}", "/", path)
    if not reading.resolves_dots or "/." not in path:
        return path
    out: list[str] = []
    segments = path.split("/")[1:]
    for number, segment in enumerate(segments):
        last = number == len(segments) - 1
        if segment == ".." :
            if not out and reading.refuses_upward:
                return None
            if out:
                out.pop()
            if last:
                out.append("")
        elif segment == ".":
            if last:
                out.append("")
        else:
            out.append(segment)
    return "/" + "/".join(out)


@lru_cache(maxsize=1 << 14)
def clean(path: str, *, merges_slashes: bool = True) -> str:
    """The path as a Caddy matcher sees it: dots resolved, slashes merged, a final slash kept (path.Clean)."""
    reading = PathReading(merges_slashes, resolves_dots=True, refuses_upward=False)
    cleaned = normalised("/" + path.lstrip("/") if merges_slashes else path, reading) or "/"
    # Go path.Clean drops a final slash, and Caddy puts it back only if one was written: `/a/.` is `/a`.
    return cleaned if path.endswith("/") else cleaned.rstrip("/") or "/"


def clean_or_dot(path: str) -> str:
    """As `clean`, but an empty path becomes "." (Go path.Clean, which Caddy's stripping calls)."""
    if not path:
        return "."
    return clean(path) if path.startswith("/") else clean(path).lstrip("/") or "."


def without_prefix(raw: str, prefix: str) -> str:
    """The raw path without a prefix, whose characters may stand percent-encoded in it, in either case (Caddy)."""
    at = 0
    for wanted in prefix:
        seen, width = raw[at:at + 1], 1
        if seen == "%" and wanted != "%":
            seen, width = decoded(raw[at:at + 3]), 3
        if seen.lower() != wanted.lower():
            return raw
        at += width
    return raw[at:]


def without_suffix(raw: str, suffix: str) -> str:
    """The raw path without a suffix, whose letters may be in either case (Caddy 2.6.2, probed)."""
    return raw[:-len(suffix)] if suffix and raw.lower().endswith(suffix.lower()) else raw


@lru_cache(maxsize=1 << 14)
def decoded(path: str) -> str:
    """The path with its percent-encodings undone, bytes that are not UTF-8 kept (surrogateescape)."""
    return unquote_to_bytes(path.encode("utf-8", "surrogateescape")).decode("utf-8", "surrogateescape")


@lru_cache(maxsize=1 << 14)
def escaped(path: str, escapes: str) -> str:
    """The path as it goes on the wire: controls, bytes beyond ASCII and the characters in `escapes` percent-encoded."""
    out = []
    for byte in path.encode("utf-8", "surrogateescape"):
        character = chr(byte)
        out.append(f"%{byte:02X}" if byte < 33 or byte > 126 or character in escapes else character)
    return "".join(out)


_QUOTED = re.compile(r"%(?:([0-9A-Fa-f]{2})|[0-9A-Fa-f].?|(.)?)|\?", re.DOTALL)


def decoded_for_redirect(location: str) -> str:
    """A location as a `rewrite` of nginx sends it: what stands above the percent sign among ASCII characters is decoded, up to the first question mark.

    ngx_string.c, ngx_unescape_uri with NGX_UNESCAPE_REDIRECT (1.22.1, probed): a percent sign that stands before no code is lost, with the digit behind it and what was to be the second one.
    """
    made, at = "", 0
    for found in _QUOTED.finditer(location):
        made += location[at:found.start()]
        at = found.end()
        character = chr(int(found[1], 16)) if found[1] else ""
        if found[0] == "?" or character == "?":
            return made + "?" + location[at:]
        made += character if "%" < character < "\x7f" else found[0] if found[1] else found[2] or ""
    return made + location[at:]
