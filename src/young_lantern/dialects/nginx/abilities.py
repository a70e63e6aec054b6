"""What nginx cannot say as others do: topic or directive of a source -> what becomes of it, and why. All else is kept.

Order:    of no consequence; a directive's own row counts before its topic's.
"""

from __future__ import annotations

from ...model import Disposition

ABILITIES: dict[str, tuple[Disposition, str]] = {
    "logs": (Disposition.CHANGED, "written in the format combined; a format of its own must be defined by hand"),
    "request_body": (Disposition.CHANGED, "the limit counts for every request, by its length alone"),
    "LimitRequestBody": (Disposition.CHANGED, "the limit counts for every request, by its length alone"),
    "AddCharset": (Disposition.CHANGED, "one charset for all files of a place whose types have it"),
    "file_server": (Disposition.CHANGED, "the added slash is 301; other methods than GET and HEAD are 405"),
}
