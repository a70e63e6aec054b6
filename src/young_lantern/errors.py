"""The exceptions of the package: unreadable input and misuse, each with its place and what was expected.

Unknown:  what is true *of a configuration* is never an exception but a finding (model/findings.py).
Mirror:   cli/ turns every LanternError into one line on standard error and exit status 2.
"""

from __future__ import annotations

from pathlib import Path


class LanternError(Exception):
    """Something could not be done. `str()` is one line: place, what is wrong, what to try."""

    def __init__(self, message: str, *, file: str | Path | None = None, line: int | None = None) -> None:
        self.file = str(file) if file is not None else None
        self.line = line
        self.message = message
        place = "" if file is None else f"{file}:{line}: " if line else f"{file}: "
        super().__init__(place + message)


class SourceUnreadable(LanternError):
    """A file is missing, binary, too large, in a loop of includes, or not in its dialect's syntax."""


class ValueUnreadable(LanternError):
    """A word of a directive is not the kind of value that the directive takes."""


class DialectUnknown(LanternError):
    """The dialect named does not exist, or none was recognised."""


class OutputRefused(LanternError):
    """The output folder is not empty, or cannot be written."""


class ServerMissing(LanternError):
    """A real server is not installed. The message names the Debian package that brings it."""


class ServerFailed(LanternError):
    """A real server refused the configuration or did not start; the message quotes what it said."""
