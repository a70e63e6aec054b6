"""A virtual host as it was read: its directives, its sections, its document root."""

from __future__ import annotations

from dataclasses import dataclass

from .context import Node
from .places import Section


@dataclass(slots=True)
class Host:
    """A virtual host, or the main server: its own directives, and those of the main server around them."""

    own: list[Node]
    main: list[Node]
    sections: list[Section]
    document_root: str
    root: Node | None
    server_name: str = ""
    secure: bool = False

    @property
    def levels(self) -> list[Node]:
        return [*self.main, *self.own]
