"""The dialects, found by their folders: each package under this one has exactly one public `Dialect`."""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from pathlib import Path

from ..errors import DialectUnknown, SourceUnreadable
from .dialect import Dialect


@cache
def dialects() -> dict[str, Dialect]:
    """Every dialect by its name."""
    found = {}
    for module in pkgutil.iter_modules(__path__):
        if module.ispkg:
            package = importlib.import_module(f"{__name__}.{module.name}")
            dialect = next(value for value in vars(package).values() if isinstance(value, Dialect))
            found[dialect.name] = dialect
    return found


def named(name: str) -> Dialect:
    """The dialect of that name. Raises DialectUnknown, which lists the ones there are."""
    try:
        return dialects()[name]
    except KeyError:
        raise DialectUnknown(f"there is no dialect {name!r}; there are {', '.join(sorted(dialects()))}") from None


def locate(source: Path, dialect: str | None = None) -> tuple[Dialect, Path]:
    """The dialect and main file of a source: a file, or a folder that holds one.

    Raises SourceUnreadable when nothing is there, DialectUnknown when nothing is recognised.
    """
    if not source.exists():
        raise SourceUnreadable("there is no such file or folder", file=source)
    chosen = [named(dialect)] if dialect else list(dialects().values())
    if source.is_dir():
        for candidate in chosen:
            for name in (candidate.main_file, *candidate.also_main):
                if (source / name).is_file():
                    return candidate, source / name
        names = " or ".join(name for candidate in chosen for name in (candidate.main_file, *candidate.also_main))
        raise SourceUnreadable(f"the folder has no {names}; name the main file itself", file=source)
    if dialect:
        return chosen[0], source
    try:
        text = source.read_bytes()[:65536].decode("utf-8", "replace")
    except OSError as error:
        raise SourceUnreadable(f"cannot be read: {error.strerror}", file=source) from None
    if "\0" in text:
        raise SourceUnreadable("is a binary file, not a configuration", file=source)
    scores = {candidate: candidate.recognises(source, text) for candidate in chosen}
    best = max(scores, key=lambda candidate: scores[candidate])
    if not scores[best]:
        raise DialectUnknown(f"{source}: not recognised as any dialect; name it with --dialect")
    return best, source
