"""What nginx cannot say as others do: topic or directive of a source -> what becomes of it, and why. All else is kept.

Order:    of no consequence; a directive's own row counts before its topic's.
"""

from __future__ import annotations

from ...model import Disposition

ABILITIES: dict[str, tuple[Disposition, str]] = {
    "caches": (Disposition.CHANGED, "the cache begins anew; answers that say nothing of their age may be kept less"),
    "logs": (Disposition.CHANGED, "written in the format combined; a format of its own must be defined by hand"),
    "request_body": (Disposition.CHANGED, "the limit counts for every request, by its length alone"),
    "LimitRequestBody": (Disposition.CHANGED, "the limit counts for every request, by its length alone"),
    "forward_auth": (Disposition.CHANGED, "answers other than success, 401 and 403 become the error 500"),
    "LimitRequestFields": (Disposition.UNSUPPORTED, "the number of fields is not limited, only how much all of them are"),
    "CGIPassAuth": (Disposition.IMPLIED, "applications are told what clients say of themselves anyway"),
    "AddCharset": (Disposition.CHANGED, "one charset for all files of a place whose types have it"),
    "metrics": (Disposition.CHANGED, "the page is stub_status: other numbers, in another form"),
    "file_server": (Disposition.CHANGED, "the added slash is 301; other methods than GET and HEAD are 405"),
}
