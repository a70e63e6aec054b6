"""The pipeline: read, fit and write, read back, account, compare."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path

from .behaviour.compare import Comparison, compare_estates
from .behaviour.request import Request
from .codes import OWN_LINE_UNREAD
from .dialects import locate, named
from .dialects.dialect import Reading, WriterOptions, Writing
from .dialects.spelling import OpenValues
from .errors import DialectUnknown
from .fitting.accidents import without_accidents
from .fitting.authorization import with_plain_authorization
from .fitting.certificates import with_certificates
from .fitting.endings_added import with_plain_names
from .fitting.environment import without_environment
from .fitting.escaped_paths import with_read_paths
from .fitting.in_place import as_pages
from .fitting.unreachable import with_unreachable
from .fitting.users import with_known_users
from .ledger import findings_of, make_ledger
from .model import Disposition, Entry, Finding, finding
from .source.places import Pairs


@dataclass(frozen=True)
class Translation:
    """A translation with its evidence.

    reading:    the source as it was read
    writing:    the files to be, by name
    read_back:  the new configuration, read by its own dialect's reader
    ledger:     what became of every source directive
    findings:   of reading and of translation, in source order
    comparison: both estates over every class of request that was found
    """

    reading: Reading
    target: str
    writing: Writing
    read_back: Reading
    ledger: tuple[Entry, ...]
    findings: tuple[Finding, ...]
    comparison: Comparison


def read(source: Path, dialect: str | None = None, files: Pairs = ()) -> Reading:
    """A configuration: a main file, or a folder that holds one.

    files: (prefix as configured, folder here): where document roots lie on this machine

    Raises SourceUnreadable or DialectUnknown, with file and line where there is one.
    """
    found, main = locate(source, dialect)
    return found.read(main, files)


def read_beside(source: Path, dialect: str | None, files: Pairs, before: Reading) -> Reading:
    """As `read`, for a configuration that another one becomes: files that both name (of users, say) are the other one's where it has none of its own."""
    reading = read(source, dialect, files)
    own = {configured for configured, _ in reading.files}
    lacking = tuple((configured, path) for configured, path in before.files if configured not in own and any(configured in text for text in reading.texts.values()))
    return read(source, dialect, (*files, *lacking)) if lacking else reading


def translate(source: Path, to: str, *, dialect: str | None = None, options: WriterOptions = WriterOptions(),
              requests: tuple[Request, ...] = (), files: Pairs = ()) -> Translation:
    """A configuration in another dialect, read back and compared with its source. Writes nothing outside a temporary folder."""
    target = named(to)
    if target.write is None:
        raise DialectUnknown(f"{to} cannot be written yet; it can only be read")
    reading = read(source, dialect, files)
    intended = reading.estate if options.strict or target.name == reading.dialect else with_plain_names(without_accidents(reading.estate))
    if target.name != reading.dialect:
        intended = with_read_paths(intended)
        intended = with_known_users(without_environment(with_plain_authorization(intended), options.strict))
        intended = with_certificates(intended, target.name)
        intended = with_unreachable(intended, target.name)
        intended = intended if target.name == "caddy" else as_pages(intended)
    open_values = OpenValues(intended, reading.texts.values())
    writing = open_values.spelt(target.write(open_values.marked(intended), options), target.name, options.placeholder, target.open_value)
    with tempfile.TemporaryDirectory(prefix="lantern-") as folder:
        save(writing.files, Path(folder))
        read_back = target.read(Path(folder) / target.main_file, reading.files)
    ledger = make_ledger(reading, writing, to)
    comparison = compare_estates(reading.estate, read_back.estate, requests)
    unread = [finding(OWN_LINE_UNREAD, claim.span, reason=claim.finding.message if claim.finding else claim.why) for claim in read_back.claims if claim.disposition is Disposition.UNSUPPORTED]
    findings = tuple(dict.fromkeys([*reading.findings, *findings_of(ledger, writing), *unread]))
    return Translation(reading, to, writing, read_back, ledger, findings, comparison)


def save(files: dict[str, str], folder: Path) -> None:
    """Writes the files of a configuration below a folder."""
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, "utf-8", "surrogateescape")
