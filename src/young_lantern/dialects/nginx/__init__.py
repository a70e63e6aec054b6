"""nginx: blocks and semicolons, includes with wildcards, one process model, names before ports.

A request finds its server block by address, port and name, runs the block's rewriting, then the location that fits its
path best, then that location's rewriting, access rules and content handler. Internal redirects begin again.
"""

from __future__ import annotations

import re
from pathlib import Path

from ..dialect import Dialect
from . import catalogue
from .abilities import ABILITIES
from .moving import move
from .reader import read
from .writer import write


def _recognises(path: Path, text: str) -> int:
    return len(re.findall(r"^\s*(?:server|http|location|upstream|events)\b[^\n;]*\{", text, re.MULTILINE)) + (path.name == "nginx.conf")


NGINX = Dialect(
    name="nginx", server="nginx", package="nginx", main_file="nginx.conf", read=read, recognises=_recognises, write=write, move=move,
    open_value="${NAME}", catalogue=lambda: catalogue.ROWS, abilities=ABILITIES,
)
