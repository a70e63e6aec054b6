"""nginx `large_client_header_buffers`, `client_header_buffer_size`, `ignore_invalid_headers`, `underscores_in_headers` -> RequestHeads.

Source:   nginx manual, core module; ngx_http_process_request_line, ngx_http_process_request_headers (1.22.1, probed).
Rule:     a line must fit into one buffer with its end of two octets: the request line is 414, a field line 494, which clients see as 400 unless a
          page is for 494. What the line of a server says counts from when its name is known: for fields behind Host, and for all over TLS; the first buffer is the default server's.
          A field whose name has other letters than these, digits, hyphens, and underscores where they are allowed, is dropped.
"""

from __future__ import annotations

from ....model import RequestHeads
from .. import defaults
from ..values import read_size
from .context import Context, Scope

TOO_LARGE = 494
_END_OF_LINE = 2


def read_heads(scope: Scope, context: Context, is_default: bool = False) -> RequestHeads:
    """What is in force at a server. is_default: it is the one that requests are read for at first, so that its own first buffer counts."""
    large, own = context.used(scope, "large_client_header_buffers"), context.used(scope, "client_header_buffer_size")
    first = own if is_default or scope.parent is None else context.used(scope.parent, "client_header_buffer_size")
    count, size, least = *defaults.HEAD_BUFFERS, defaults.HEAD_FIRST
    if large is not None:
        read = read_size(large.args[1]) if len(large.args) == 2 and large.args[0].isdigit() else None
        if read is None:
            context.unread(large, " ".join(large.args), "a number and a size such as 4 16k were expected")
        else:
            count, size = int(large.args[0]), read
    if first is not None:
        read = read_size(first.args[0])
        if read is None:
            context.unread(first, first.args[0], "a size such as 4k was expected")
        else:
            least = read
    drops, allows = context.used(scope, "ignore_invalid_headers"), context.used(scope, "underscores_in_headers")
    names = "_" if allows is not None and allows.args == ["on"] else ""
    said = tuple(dict.fromkeys(item.span for item in (large, own) if item is not None))
    named = tuple(item.span for item in (drops, allows) if item is not None)
    line = max(size, least) - _END_OF_LINE
    names = None if drops is not None and drops.args == ["off"] else names  # type: ignore[assignment]
    return RequestHeads(line, line, None, least + count * size, TOO_LARGE, names, said[0] if said else None, said[1:], named, defaults.REFUSED_METHODS, defaults.REFUSED_HOSTS)
