"""Content codings that a client takes. Used by: answering.py, serving.py.

Source:   RFC 9110 section 12.5.3.
"""

from __future__ import annotations

import re


def accepted(field: str) -> dict[str, float]:
    """What an Accept-Encoding names, in small letters, each with its weight; `*` is none of the servers' codings (1.22.1, 2.6.2, probed)."""
    found: dict[str, float] = {}
    for piece in field.split(","):
        name, _, weight = piece.partition(";")
        said = re.search(r"q\s*=\s*(\d+(?:\.\d*)?)", weight)
        found[name.strip().lower()] = float(said[1]) if said else 1.0
    return found
