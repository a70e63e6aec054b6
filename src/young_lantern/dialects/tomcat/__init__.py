"""Tomcat: connectors that listen, an engine with hosts, and in each host contexts, which answer the paths below a prefix.

A request finds its host by name, and its context by the longest prefix; then valves act, from the engine's to the context's, then the constraints of web.xml,
and what is left goes to a servlet: the file server, or an application. Read only: what runs in Tomcat stays there, and its front end moves.
"""

from __future__ import annotations

import re
from pathlib import Path

from ..dialect import Dialect
from . import catalogue
from .abilities import ABILITIES
from .moving import move
from .reader import read


def _recognises(path: Path, text: str) -> int:
    return 20 * bool(re.search(r"<Server\b[^>]*>", text) and re.search(r"<(?:Service|Connector|Engine)\b", text)) + 10 * (path.name == "server.xml")


TOMCAT = Dialect(
    name="tomcat", server="tomcat10", package="tomcat10", main_file="conf/server.xml", also_main=("server.xml",), read=read, recognises=_recognises,
    move=move, in_place=True, catalogue=lambda: catalogue.ROWS, abilities=ABILITIES,
)
