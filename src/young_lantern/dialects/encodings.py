"""Paths that a server percent-encodes by itself -> the text that it makes them of. Used by: the writers.

Source:   RFC 3986 section 2.1; what a server spares is written where it is read.
"""

from __future__ import annotations

from urllib.parse import quote, unquote

from ..model import Part, Template

# What is left as it is in a path, besides letters, digits and `-._~` (ngx_escape_uri, ap_os_escape_path; Go's net/url encodes the last five as well).
SPARED = "$&+,/:;=@!'()*"


def encoded(path: str) -> str:
    """A path as it goes on the wire."""
    return quote(path, SPARED, errors="surrogateescape")


def before_encoding(template: Template, spoils: str = "?") -> Template:
    """The template with `/a b` for `/a%20b` up to its query, as far as such a text would become what is written. spoils: signs that mean something else there."""
    made: list[Part] = []
    ended = False
    for part in template:
        if isinstance(part, str) and not ended:
            path, mark, rest = part.partition("?")
            ended = bool(mark)
            plain = unquote(path, errors="surrogateescape")
            part = (plain if encoded(plain) == path and not any(sign in plain for sign in spoils) else path) + mark + rest
        made.append(part)
    return tuple(made)
