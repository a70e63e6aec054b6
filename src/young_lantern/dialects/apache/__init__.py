"""Apache httpd 2.4: lines and sections, modules that are loaded or not, settings merged from many sections.

A request finds its virtual host by address, port and name; then server-level rewriting, proxy mapping, redirects and aliases
give it a place; then Directory, Files and Location sections are merged, in this order, into the settings it is answered with.
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
    sections = re.findall(r"^\s*</?(?:VirtualHost|Directory|Location|Files|IfModule|Proxy)\b[^\n]*>", text, re.MULTILINE | re.IGNORECASE)
    lines = re.findall(r"^\s*(?:DocumentRoot|ServerName|RewriteRule|ProxyPass|LoadModule|Listen)\s", text, re.MULTILINE)
    return len(sections) + len(lines) + 10 * (path.name in ("httpd.conf", "apache2.conf"))


APACHE = Dialect(
    name="apache", server="apache2", package="apache2", main_file="httpd.conf", also_main=("apache2.conf", "conf/httpd.conf"),
    read=read, recognises=_recognises, write=write, move=move, open_value="${NAME}", catalogue=lambda: catalogue.ROWS, abilities=ABILITIES,
)
