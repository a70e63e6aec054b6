"""Small configurations as text -> readings, outcomes, translations."""

from __future__ import annotations

import re
from pathlib import Path

from young_lantern.behaviour import Outcome, decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.dialects.dialect import Reading, WriterOptions
from young_lantern.translate import Translation, translate

SITE = "http://www.fernhollow.example"


def nginx(
    server: str, http: str = "", listen: str = "listen 80;", name: str = "server_name www.fernhollow.example;"
) -> str:
    """A whole nginx.conf around the directives of one server block."""
    return f"events {{}}\nhttp {{\n{http}\nserver {{\n{listen}\n{name}\n{server}\n}}\n}}\n"


def caddy(site: str, address: str = "http://www.fernhollow.example") -> str:
    """A whole Caddyfile around the directives of one site block."""
    return f"{{\n\tauto_https disable_redirects\n}}\n{address} {{\n{site}\n}}\n"


class Reads:
    """A folder that configurations are written to and read from; `files` lie below its `root`."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.number = folder, 0
        self.root = folder / "root"
        for name in ("index.html", "a.html", "dir/index.html", "bare/x.txt", "404.html", "style.css"):
            path = self.root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(f"{name}\n")

    def write(self, dialect: str, text: str) -> Path:
        self.number += 1
        folder = self.folder / f"{dialect}-{self.number}"
        folder.mkdir()
        main = folder / named(dialect).main_file
        main.write_text(re.sub(r"(?<!_)ROOT\b", str(self.root), text))
        return main

    def read(self, dialect: str, text: str) -> Reading:
        return named(dialect).read(self.write(dialect, text))

    def decide(
        self,
        dialect: str,
        text: str,
        target: str = "/",
        method: str = "GET",
        fields: dict[str, str] | None = None,
        site: str = SITE,
    ) -> Outcome:
        estate = self.read(dialect, text).estate
        return decide(estate, request_for(site + target, method, fields), real_files())

    def translate(self, text: str, **options: object) -> Translation:
        return translate(self.write("nginx", text).parent, "caddy", options=WriterOptions(**options))  # type: ignore[arg-type]

    def caddy(self, server: str, http: str = "", **options: object) -> str:
        """The site file that one nginx server block becomes, without its first and last line."""
        files = self.translate(nginx(server, http), **options).writing.files
        name = next(name for name in files if name.startswith("sites/"))
        return files[name].replace(str(self.root), "ROOT")
