"""Caddy: site blocks by address, directives run in a built-in order, certificates issued unless files are named.

A request finds its site block by listener and host, then meets the block's directives in Caddy's own order (not the
file's), each behind its matcher; `route` keeps the written order, `handle` blocks of one level exclude each other.
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
    directives = re.findall(r"^\s*(?:reverse_proxy|file_server|handle_path|handle|redir|respond|encode|tls|import|try_files)\b[^;]*$", text, re.MULTILINE)
    return len(directives) + 10 * path.name.startswith("Caddyfile")


CADDY = Dialect(
    name="caddy", server="caddy", package="caddy", main_file="Caddyfile", read=read, recognises=_recognises, write=write,
    move=move, catalogue=lambda: catalogue.ROWS, abilities=ABILITIES,
)
