"""A source on disk -> texts with the names the engineer knows them by. Limits on size, depth and loops.

Unknown:  a file that is missing, binary or too large is SourceUnreadable with its name.
"""

from __future__ import annotations

import glob
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import SourceUnreadable
from .places import Places

# The largest front-end configurations we know of are some 2 MB in one file; chosen among 1, 8 and 64 MiB.
LIMIT_BYTES = 8 * 1024 * 1024
LIMIT_FILES = 5000
LIMIT_DEPTH = 40


@dataclass
class SourceTree:
    """The folder that a configuration lives in, and every file read from it so far.

    root:   the folder that relative names are shown against
    places: where what is included by its whole name lies on this machine
    texts:  name -> text of each file read, in the order of reading
    named:  what the configuration calls the files that lie elsewhere here
    """

    root: Path
    places: Places = Places()
    texts: dict[str, str] = field(default_factory=dict)
    named: dict[Path, str] = field(default_factory=dict)

    def name_of(self, path: Path) -> str:
        """The path as messages show it: relative to the root where it lies below it; as the configuration has it where it was found elsewhere."""
        if path in self.named:
            return self.named[path]
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
            hint = "" if path.is_relative_to(self.root) else f"; where a copy lies is said by --files-at {path.parent}=FOLDER"
            raise SourceUnreadable("there is no such file" + hint, file=name) from None
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
        spellings = self.places.spellings(pattern) if pattern.startswith("/") else [str(base / pattern)]
        mask = any(sign in pattern for sign in "*?[")
        for full in spellings:
            found = [Path(path) for path in sorted(glob.glob(full) if mask else [full] if Path(full).exists() else []) if not (mask and Path(path).is_dir())]
            if found:
                self._call(found, full, pattern)
                return found
        return [] if mask else [Path(pattern if pattern.startswith("/") else spellings[0])]

    def strange(self, pattern: str, found: list[Path], home: str) -> bool:
        """Whether what an include names in full was taken from where this machine has it, though the configuration is a copy: its folder is not `home`."""
        return self.root.as_posix() != home.rstrip("/") and pattern.startswith("/") and any(
            path.exists() and path not in self.named and not path.is_relative_to(self.root) for path in found)

    def _call(self, found: list[Path], full: str, pattern: str) -> None:
        """Remembers the names that the configuration has for files found elsewhere."""
        if not pattern.startswith("/") or full == pattern or any(path.is_relative_to(self.root) for path in found):
            return
        here, there = (text.partition("*")[0].partition("?")[0].partition("[")[0].rpartition("/")[0] for text in (full, pattern))
        for path in found:
            self.named[path] = there + path.as_posix().removeprefix(here)
