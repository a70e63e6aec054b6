"""A source on disk -> texts with the names the engineer knows them by. Limits on size, depth and loops.

Unknown:  a file that is missing, binary or too large is SourceUnreadable with its name.
"""

from __future__ import annotations

import glob
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import SourceUnreadable

# The largest front-end configurations we know of are some 2 MB in one file; chosen among 1, 8 and 64 MiB.
LIMIT_BYTES = 8 * 1024 * 1024
LIMIT_FILES = 5000
LIMIT_DEPTH = 40


@dataclass
class SourceTree:
    """The folder that a configuration lives in, and every file read from it so far.

    root:  the folder that relative names are shown against
    texts: name -> text of each file read, in the order of reading
    """

    root: Path
    texts: dict[str, str] = field(default_factory=dict)

    def name_of(self, path: Path) -> str:
        """The path as messages show it: relative to the root where it lies below it."""
        try:
            return path.relative_to(self.root).as_posix()
        except ValueError:
            return path.as_posix()

    def read(self, path: Path) -> str:
        """The text of a file. UTF-8; bytes that are not UTF-8 come back unchanged when printed (surrogateescape)."""
        name = self.name_of(path)
        if len(self.texts) >= LIMIT_FILES:
            raise SourceUnreadable(f"more than {LIMIT_FILES} files are included", file=name)
        try:
            with open(path, "rb") as stream:
                data = stream.read(LIMIT_BYTES + 1)
        except FileNotFoundError:
            raise SourceUnreadable("there is no such file", file=name) from None
        except OSError as error:
            raise SourceUnreadable(f"cannot be read: {error.strerror}", file=name) from None
        if len(data) > LIMIT_BYTES:
            raise SourceUnreadable(f"larger than {LIMIT_BYTES // 2**20} MiB, which no configuration is", file=name)
        if b"\0" in data:
            raise SourceUnreadable("is a binary file, not a configuration", file=name)
        text = data.decode("utf-8", "surrogateescape")
        self.texts[name] = text
        return text

    def at_home(self, base: Path, pattern: str, home: str) -> str:
        """A name below the folder that packages give the server, as it lies below this one, a copy of that folder; else the name as it is.

        It is a copy if the first part of the name is there. Raises nothing.
        """
        rest = pattern.removeprefix(home.rstrip("/") + "/")
        if rest == pattern or base.as_posix() == home.rstrip("/"):
            return pattern
        first = rest.partition("/")[0]
        return rest if first and any(base.glob(first)) else pattern

    def matches(self, base: Path, pattern: str) -> list[Path]:
        """The files an include names, sorted as the servers sort them. Links are followed, folders left out."""
        full = pattern if pattern.startswith("/") else str(base / pattern)
        if not any(sign in pattern for sign in "*?["):
            return [Path(full)]
        return [Path(found) for found in sorted(glob.glob(full)) if not Path(found).is_dir()]
