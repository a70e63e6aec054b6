"""Young Lantern: moves web front ends between server configuration dialects, and shows that requests get the same answer.

    >>> import young_lantern
    >>> reading = young_lantern.read("nginx/")
    >>> young_lantern.translate("nginx/", to="caddy").comparison.causes
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

from .behaviour import Facts, Outcome, Request, decide, real_files, request_for
from .behaviour.compare import Comparison, compare_estates
from .behaviour.deployment import as_deployed
from .dialects.dialect import Reading, WriterOptions
from .errors import LanternError
from .source.places import Pairs, moved
from .support import Support
from .support import support as _support
from .translate import Translation
from .translate import read as _read
from .translate import translate as _translate

__all__ = ["Comparison", "Facts", "LanternError", "Outcome", "Reading", "Request", "Support", "Translation", "compare", "read", "support", "survey", "trace", "translate"]


def read(source: str | Path, dialect: str | None = None, *, files: Mapping[str, str | Path] | None = None) -> Reading:
    """A configuration, from its main file or the folder that holds it.

    files: document roots as configured -> folders of this machine that stand for them

    Raises LanternError, whose text is one line with file and line, if it cannot be read.
    """
    return _read(Path(source), dialect, _pairs(files))


def translate(source: str | Path, *, to: str, dialect: str | None = None, strict: bool = False, placeholder: str | None = None,
              files: Mapping[str, str | Path] | None = None) -> Translation:
    """A configuration in another dialect, read back and compared with its source. Nothing is written to disk.

    strict:      reproduce even accidents of the source
    placeholder: how values left to deployment are spelt, NAME standing for the name
    files:       document roots as configured -> folders of this machine that stand for them
    """
    return _translate(Path(source), to, dialect=dialect, options=WriterOptions(strict, placeholder), files=_pairs(files))


def _pairs(files: Mapping[str, str | Path] | None) -> Pairs:
    return tuple((root, Path(os.path.abspath(folder))) for root, folder in (files or {}).items())


def compare(before: Reading, after: Reading) -> Comparison:
    """How the behaviour of two configurations differs, over requests at every boundary of both."""
    return compare_estates(before.estate, after.estate)


def trace(reading: Reading, url: str, *, method: str = "GET", fields: dict[str, str] | None = None) -> Outcome:
    """What happens to one request, with the trace that led there; files are looked for on this machine."""
    return decide(as_deployed(reading.estate), request_for(url, method, fields), real_files(lambda path: Path(moved(path, reading.files))))


def support(dialect: str | None = None, directive: str | None = None) -> list[Support]:
    """Which directives are carried how, to which dialect: all, or those of one dialect or name, in every block where they may stand."""
    return _support(dialect, directive)


def survey(reading: Reading) -> dict[str, object]:
    """What a configuration holds, and what is wrong with it, as the JSON document `survey`."""
    from .health import check_health
    from .report.documents import survey_document

    return survey_document(reading, check_health(reading))
