"""An answer as it came, by whichever protocol.

Source:   RFC 9110 section 6.
"""

from __future__ import annotations

import gzip
import zlib
from dataclasses import dataclass

# How long a server is waited for.
SECONDS = 5.0


@dataclass(frozen=True, slots=True)
class Answer:
    """status None: the connection was closed or the handshake failed, `problem` says how."""

    status: int | None
    fields: tuple[tuple[str, str], ...] = ()
    content: bytes = b""
    problem: str = ""

    def field(self, name: str) -> str | None:
        return next((value for found, value in self.fields if found == name), None)

    @property
    def decoded(self) -> bytes:
        """The content without its content coding (RFC 9110 section 8.4)."""
        if self.field("content-encoding") != "gzip" or not self.content:
            return self.content
        try:
            return gzip.decompress(self.content)
        except (OSError, EOFError, zlib.error):
            return self.content  # a rule may say so of what is none

    def all(self, name: str) -> tuple[str, ...]:
        return tuple(value for found, value in self.fields if found == name)
