"""Request files -> requests. JSON Lines, one request a line:
`{"method": "GET", "url": "https://host:port/path?query", "fields": {"Name": "value"}}`; only `url` must be there.

Unknown:  a line that is no such request is an error with file and line.
Left out: HAR and access logs (docs/comparison.md says when they come).
"""

from __future__ import annotations

import json
from pathlib import Path

from ..errors import LanternError, SourceUnreadable
from .request import Request, request_for

_KNOWN = {"method", "url", "fields", "client", "outcome"}
LIMIT_BYTES = 64 * 1024 * 1024


def read_requests(path: Path) -> list[Request]:
    """The requests of a JSON Lines file, in order. Raises SourceUnreadable with file and line."""
    try:
        if path.stat().st_size > LIMIT_BYTES:
            raise SourceUnreadable(f"larger than {LIMIT_BYTES // 2**20} MiB", file=path)
        text = path.read_text("utf-8")
    except FileNotFoundError:
        raise SourceUnreadable("there is no such file", file=path) from None
    except IsADirectoryError:
        raise SourceUnreadable("is a folder, not a file of requests", file=path) from None
    except UnicodeDecodeError:
        raise SourceUnreadable("is not UTF-8 text", file=path) from None
    except OSError as error:
        raise SourceUnreadable(f"cannot be read: {error.strerror}", file=path) from None
    return [_read(line, path, number) for number, line in enumerate(text.splitlines(), 1) if line.strip()]


def _read(line: str, path: Path, number: int) -> Request:
    def wrong(what: str) -> SourceUnreadable:
        return SourceUnreadable(f'{what}; expected {{"method": "GET", "url": "https://host/path", "fields": {{}}}}', file=path, line=number)

    try:
        row = json.loads(line)
    except json.JSONDecodeError as error:
        raise wrong(f"not JSON: {error.msg} at column {error.colno}") from None
    except RecursionError:
        raise wrong("nested too deeply") from None
    if not isinstance(row, dict) or not isinstance(row.get("url"), str):
        raise wrong("no object with a url")
    if unknown := set(row) - _KNOWN:
        raise wrong(f"unknown member {sorted(unknown)[0]!r}")
    fields = row.get("fields", {})
    if not isinstance(fields, dict) or not all(isinstance(value, str) for value in fields.values()):
        raise wrong("fields is no object of texts")
    method = row.get("method", "GET")
    if not isinstance(method, str) or not method.isalpha():
        raise wrong("method is no method")
    try:
        return request_for(row["url"], method, fields)
    except LanternError as error:
        raise wrong(str(error)) from None
