"""Request files -> requests, and back. JSON Lines, one request a line, or HAR 1.2; gzipped or not.

`{"method": "GET", "url": "https://host:port/path?query", "fields": {"Name": "value"}}`; only `url` must be there. A line that was saved says besides
what was assumed of files, and the outcome.

Unknown:  a line that is no such request is an error with file and line.
Left out: of a HAR, answers and content; fields of one connection, which no request file can ask for.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import LanternError, SourceUnreadable
from ..source.opened import opened
from .outcome import Outcome
from .request import Request, request_for

_KNOWN = {"method", "url", "fields", "client", "files", "outcome"}
LIMIT_BYTES = 64 * 1024 * 1024
# RFC 9110 section 7.6.1, and what the request's own line says; names with a colon are HTTP/2's (RFC 9113 section 8.3).
_OWN = frozenset({"host", "connection", "keep-alive", "te", "transfer-encoding", "upgrade", "content-length", "proxy-connection"})


@dataclass(frozen=True)
class Saved:
    """A request as it was saved. files: what was assumed of files; outcome: what came of it then, as JSON; line: in the file."""

    request: Request
    files: str = ""
    outcome: dict[str, Any] | None = None
    line: int = 0


def read_requests(path: Path) -> list[Request]:
    """The requests of a file, in order. Raises SourceUnreadable with file and line."""
    return [row.request for row in read_saved(path)]


def read_saved(path: Path) -> list[Saved]:
    """The requests of a file, with what was saved beside them. Raises SourceUnreadable with file and line."""
    with opened(path, "a file of requests") as stream:
        data = stream.read(LIMIT_BYTES + 1)
    if len(data) > LIMIT_BYTES:
        raise SourceUnreadable(f"larger than {LIMIT_BYTES // 2**20} MiB", file=path)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise SourceUnreadable("is not UTF-8 text", file=path) from None
    if (archive := _archive(text)) is not None:
        return [_of_archive(entry, path, number) for number, entry in enumerate(archive, 1)]
    return [_read(line, path, number) for number, line in enumerate(text.splitlines(), 1) if line.strip()]


def write_saved(rows: Iterable[tuple[Request, str, Outcome | None]]) -> str:
    """Requests, with what was assumed of files and what came of them -> JSON Lines that read_saved takes."""
    out = []
    for request, files, outcome in rows:
        row: dict[str, Any] = {"method": request.method, "url": request.url}
        if request.fields:
            row["fields"] = dict(request.fields)
        row["client"] = request.client
        if files:
            row["files"] = files
        if outcome is not None:
            made = outcome.as_json()
            del made["trace"]
            row["outcome"] = made
        out.append(json.dumps(row, ensure_ascii=False))
    return "\n".join(out) + "\n"


def _read(line: str, path: Path, number: int) -> Saved:
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
    outcome, files = row.get("outcome"), row.get("files", "")
    if outcome is not None and not isinstance(outcome, dict) or not isinstance(files, str):
        raise wrong("outcome is no object, or files no text")
    try:
        return Saved(request_for(row["url"], method, fields, row.get("client")), files, outcome, number)
    except LanternError as error:
        raise wrong(str(error)) from None


# --- HAR ------------------------------------------------------------------------------------------------------------------

def _archive(text: str) -> list[Any] | None:
    """The entries of a HAR; None for any other text."""
    if not text.lstrip().startswith("{") or '"log"' not in text[:4096]:
        return None
    try:
        document = json.loads(text)
        entries = document["log"]["entries"]
    except (json.JSONDecodeError, RecursionError, KeyError, TypeError):
        return None
    return entries if isinstance(entries, list) else None


def _of_archive(entry: Any, path: Path, number: int) -> Saved:
    try:
        request = entry["request"]
        named = [(item["name"], item["value"]) for item in request.get("headers", [])]
        fields = {name: value for name, value in named if not name.startswith(":") and name.lower() not in _OWN}
        return Saved(request_for(request["url"], request["method"], fields), line=number)
    except (KeyError, TypeError, AttributeError):
        raise SourceUnreadable(f"entry {number} of the log has no request with method, url and headers", file=path) from None
    except LanternError as error:
        raise SourceUnreadable(f"entry {number} of the log: {error}", file=path) from None
