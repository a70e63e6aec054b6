"""What Tomcat cannot say as others do: nothing is written for it yet, so that there is nothing to say."""

from __future__ import annotations

from ...model import Disposition

ABILITIES: dict[str, tuple[Disposition, str]] = {}
