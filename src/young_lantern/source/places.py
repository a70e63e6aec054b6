"""Where a path of the configuration lies on this machine: document roots, and files that lines name.

Rule:     what the engineer says counts; then the same path below the folder that holds the server's own, as in a copy of a whole machine; then the
          path as it is written, if it is there; then below the configuration's own folder, and in a copy of that alone, beside what it names so.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from ..model.placeholders import canonical

Pairs = tuple[tuple[str, Path], ...]


def moved(configured: str, pairs: Pairs) -> str:
    """The path with the prefix of the first (prefix as configured, folder here) pair that holds it replaced."""
    for prefix, folder in pairs:
        # A value that is left to deployment may have been put in one spelling by then.
        for clean in dict.fromkeys((prefix.rstrip("/"), canonical(prefix.rstrip("/")), f"/{canonical(prefix.rstrip('/'))}")):
            if configured == clean or configured.startswith(clean + "/"):
                return str(folder) + configured[len(clean):]
    return configured


def include_of_copy(text: str, root: Path, home: str, names: Iterable[str], folder: Path) -> str:
    """What a line that includes files by their whole names says in a moved copy, where each file lies below `etc` by the name that it has in `names`."""
    if not text.startswith("/"):
        return text
    for prefix in (root.as_posix(), home):
        rest = text.removeprefix(prefix.rstrip("/") + "/")
        if prefix and rest != text and (prefix != home or any(name.partition("/")[0] == rest.partition("/")[0] for name in names)):
            return f"{folder}/etc/{rest}"
    return f"{folder}/etc{text}"


@dataclass(frozen=True, slots=True)
class Places:
    """pairs: as in `moved`; near: the folder of the configuration; written: what the configuration takes that folder to be called."""

    pairs: Pairs = ()
    near: Path = Path()
    written: str = ""

    def spellings(self, configured: str) -> list[str]:
        """Where it may lie here, the likeliest first; a mask of files stays one."""
        said = moved(configured, self.pairs)
        if said != configured:
            return [said]
        tried = [configured] if configured.startswith("/") else []
        relative = configured.lstrip("/")
        if self.written and self.near.as_posix().endswith(self.written):
            tried.insert(0, (self.near.as_posix()[: -len(self.written)] or "").rstrip("/") + "/" + relative)
        own = self.written.rstrip("/") + "/"
        beside = [(self.near / configured.removeprefix(own)).as_posix()] if own != "/" and configured.startswith(own) else []
        return [*tried, (self.near / relative).as_posix(), *beside]

    def find(self, configured: str) -> Path | None:
        """The file or folder here; None when it is not there."""
        return next((path for path in map(Path, self.spellings(configured)) if path.exists()), None)
