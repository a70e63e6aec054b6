"""The sample estate -> a folder, as an engineer would find it on a server.

Rule:     wheels carry no links, so those of the enabled folder are made here; `newsletter` deliberately gets none.
"""

from __future__ import annotations

import shutil
from importlib.resources import as_file, files
from pathlib import Path

# Where the configuration says that the served files lie.
FILES_AT = "/srv/fernhollow"
_ENABLED = {"00-other-names": "00-other-names", "former-name": "former-name", "loans": "loans", "media": "media",
            "workshops": "workshops", "www": "www"}


def unpack(folder: Path) -> tuple[Path, Path]:
    """Writes the estate below `folder`; gives the folder with nginx.conf and the folder that holds the served files."""
    with as_file(files(__package__) / "fernhollow") as shipped:
        shutil.copytree(shipped, folder, dirs_exist_ok=True)
    enabled = folder / "nginx" / "sites-enabled"
    enabled.mkdir(exist_ok=True)
    for link, target in _ENABLED.items():
        place = enabled / link
        if not place.is_symlink():
            place.symlink_to(Path("..") / "sites-available" / target)
    return folder / "nginx", folder / "files"
