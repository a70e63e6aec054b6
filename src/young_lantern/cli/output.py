"""What all commands share: where words and results go, exit statuses, and the one line that an error gets.

Rule:     results go to standard output, words about what is being done to standard error, so that `--json` stays parseable.
          0: all kept and the same; 1: done, but something is not carried or differs; 2: could not be done.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from ..errors import LanternError, OutputRefused

SAME, DIFFERS, FAILED = 0, 1, 2
# Away from a terminal no line is broken: whatever reads it has its own idea of width.
_WIDE = 4000


def show(renderable: Any) -> None:
    """A result, to standard output: in colour on a terminal, in plain lines of any length elsewhere."""
    from rich.console import Console

    console = Console(highlight=False, width=None if sys.stdout.isatty() else _WIDE)
    console.print(renderable)


def show_json(value: dict[str, Any]) -> None:
    sys.stdout.write(json.dumps(value, ensure_ascii=False, indent=2) + "\n")


def say(text: str) -> None:
    """Words about what is being done, to standard error."""
    print(text, file=sys.stderr)


@contextmanager
def progress(title: str) -> Iterator[Callable[[int, int], None]]:
    """A progress display on a terminal; otherwise a plain line when it begins."""
    from rich.console import Console

    console = Console(stderr=True)
    if not console.is_terminal:
        say(title)
        yield lambda done, of: None
        return
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

    with Progress(TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), console=console, transient=True) as bar:
        task = bar.add_task(title, total=None)
        yield lambda done, of: bar.update(task, completed=done, total=of)


def check_output_folder(folder: Path, force: bool) -> None:
    """Raises OutputRefused for a folder that is not empty (without `force`), or that cannot be written."""
    try:
        if folder.exists() and not folder.is_dir():
            raise OutputRefused("is a file, not a folder", file=folder)
        if folder.is_dir() and any(folder.iterdir()) and not force:
            raise OutputRefused("is not empty; name another folder, or say --force to write into this one", file=folder)
        existing = next(parent for parent in (folder, *folder.absolute().parents) if parent.exists())
    except OSError as error:
        raise OutputRefused(f"cannot be read: {error.strerror}", file=folder) from None
    probe = existing / ".lantern-probe"
    try:
        probe.touch()
        probe.unlink()
    except OSError as error:
        raise OutputRefused(f"cannot be written: {error.strerror}", file=folder) from None


def write_all(files: dict[str, str], folder: Path) -> None:
    """Writes all files below the folder, or none: they are made beside it and moved in when all are there."""
    import shutil
    import tempfile

    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".lantern-", dir=folder.parent) as place:
            made = Path(place) / "made"
            for name, text in files.items():
                path = made / name
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_text(text, "utf-8", "surrogateescape")
            if not folder.exists():
                made.rename(folder)
                return
            shutil.copytree(made, folder, dirs_exist_ok=True)
    except OSError as error:
        raise OutputRefused(f"cannot be written: {error.strerror}", file=folder) from None


@contextmanager
def clear_errors() -> Iterator[None]:
    """Turns what could not be done into one line on standard error and exit status 2."""
    import typer

    try:
        yield
    except LanternError as error:
        say(f"lantern: {error}")
        raise typer.Exit(FAILED) from None
    except BrokenPipeError:
        raise typer.Exit(SAME) from None
    except RecursionError:
        say("lantern: the configuration is nested too deeply to be read")
        raise typer.Exit(FAILED) from None
