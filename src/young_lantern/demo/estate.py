"""The sample estate -> a folder, as an engineer would find it on a server.

Rule:     wheels carry no links, so those of the enabled folders are made here; `newsletter` deliberately gets none.
"""

from __future__ import annotations

import shutil
from importlib.resources import as_file, files
from pathlib import Path

# Where the configuration says that the served files lie.
FILES_AT = "/srv/fernhollow"
# dialect -> folder of links: those available that get none
_LINKS: dict[str, dict[str, tuple[str, ...]]] = {
    "caddy": {},
    "tomcat": {},
    "nginx": {"sites": ("newsletter",)},
    "apache": {"sites": ("newsletter.conf",), "conf": (), "mods": ()},
}


def unpack(folder: Path, dialect: str = "nginx") -> tuple[Path, Path]:
    """Writes the estate in a dialect below `folder`; gives the folder of its configuration and that of the served files."""
    with as_file(files(__package__) / "fernhollow") as shipped:
        for name in (dialect, "files"):
            shutil.copytree(shipped / name, folder / name, dirs_exist_ok=True)
    for kind, left_out in _LINKS[dialect].items():
        enabled = folder / dialect / f"{kind}-enabled"
        enabled.mkdir(exist_ok=True)
        for file in sorted((folder / dialect / f"{kind}-available").iterdir()):
            place = enabled / file.name
            if file.name not in left_out and not place.is_symlink():
                place.symlink_to(Path("..") / f"{kind}-available" / file.name)
    return folder / dialect, folder / "files"
