"""What httpd cannot say as others do: nothing is written in this dialect yet, so that the table is empty."""

from __future__ import annotations

from ...model import Disposition

ABILITIES: dict[str, tuple[Disposition, str]] = {}
