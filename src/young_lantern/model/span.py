"""Where in a source something stands. Every element of the model carries one."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, order=True)
class Span:
    """The place of one directive.

    file:      path relative to the root of the source tree, as the engineer would name it
    line:      1-based line of the directive's first word; column likewise
    directive: the words of the directive, without its block, on one line
    end_line:  line of the last byte (closing brace or semicolon)
    """

    file: str
    line: int
    column: int = 1
    directive: str = ""
    end_line: int = 0

    def __str__(self) -> str:
        return f"{self.file}:{self.line}"
