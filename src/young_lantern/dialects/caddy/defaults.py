"""What silence means in Caddy 2.6, stated in its documentation, confirmed on 2.6.2."""

from __future__ import annotations

from ...model import Field, Folders, MediaTypes, Operation, PathReading, Side, TypeTable, Var, Variable

# net/url and path.Match: the path is decoded, but neither are slashes merged nor dots resolved before rules see it.
# net/url shouldEscape for paths: unreserved characters and $&+,/:;=@ stay.
READING = PathReading(merges_slashes=False, resolves_dots=False, refuses_upward=False, keeps_empty_query=True, decodes_arguments=True, escapes=" \"#%<>?[\\]^`{|}!'()*")
HTTP_PORT, HTTPS_PORT = 80, 443
# encode directive, "Response types" (2.6).
ENCODE_TYPES = (
    "text/*", "application/json*", "application/javascript*", "application/xhtml+xml*", "application/atom+xml*",
    "application/rss+xml*", "image/svg+xml*",
)
ENCODE_MINIMUM = 512
TLS_PROTOCOLS = ("TLSv1.2", "TLSv1.3")
# fileserver asks Go's mime package, which reads the system's table and puts this charset behind all that is text; a name that it does not know has
# no type (2.6.2, probed).
MEDIA_TYPES = MediaTypes(table=TypeTable(), registered=True, otherwise="", forced="", charset="utf-8", charset_types=("text/*",))
INDEX = ("index.html", "index.txt")
# request_body with reverse_proxy: 502 rather than 413 (2.6.2, probed).
BODY_STATUS = 502
# file_server (2.6.2, probed): the slash is added or removed with 308, without the query; a folder without index is 404; any
# method is served.
METHODS = ("*",)


def folders(index: tuple[str, ...] = INDEX, listing: bool = False, canonical: bool = True) -> Folders:
    return Folders(
        index=tuple((name,) for name in index), listing=listing, canonical=True, added_slash=308 if canonical else None,
        no_index_status=404,
    )


# reverse_proxy, "Defaults": Host is kept; these three are set afresh unless the client is a trusted proxy.
FORWARDED_FIELDS = (
    Field(Side.REQUEST, Operation.SET, "X-Forwarded-For", (Var(Variable.CLIENT),)),
    Field(Side.REQUEST, Operation.SET, "X-Forwarded-Proto", (Var(Variable.SCHEME),)),
    Field(Side.REQUEST, Operation.SET, "X-Forwarded-Host", (Var(Variable.AUTHORITY),)),
)
TRUSTED_CHAIN = Field(Side.REQUEST, Operation.SET, "X-Forwarded-For", (Var(Variable.CLIENT_CHAIN),))
REDIR_STATUS = 302
