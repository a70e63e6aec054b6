"""Words of the command line -> values of the core."""

from __future__ import annotations

import os
from dataclasses import replace
from ipaddress import ip_address
from pathlib import Path

from ..behaviour.client_certificates import CERTIFICATE, NAMES
from ..behaviour.request import Assumed, Facts, Request, assumed, real_files, request_for
from ..dialects import dialects
from ..dialects.dialect import Reading, likely
from ..errors import LanternError
from ..model import Disposition, ServeFiles, literal
from ..model.walk import walk
from ..source.places import moved
from ..source.plan import Plan
from ..translate import Translation, read


def places(words: list[str]) -> tuple[tuple[str, Path], ...]:
    """`ROOT=FOLDER` words -> pairs. Raises LanternError for a word of another form or a folder that is not there."""
    made = []
    for word in words:
        root, equals, folder = word.partition("=")
        if not equals or not root.startswith("/"):
            raise LanternError(f"--files-at {word}: expected ROOT=FOLDER, such as /srv/www=./www")
        if not Path(folder).is_dir():
            raise LanternError("there is no such folder (named with --files-at)", file=folder)
        made.append((root, Path(os.path.abspath(folder))))
    return tuple(made)


def read_besides(translation: Translation, folder: Path) -> tuple[str, ...]:
    """The files that a new configuration reads in a folder which was not empty, beside those that were written: a site that had another name, say."""
    try:
        reading = read(folder, translation.target, translation.reading.files)
    except LanternError as error:
        raise LanternError(f"the new configuration cannot be read with what was there before: {error}") from None
    return tuple(sorted(set(reading.texts) - set(translation.read_back.texts)))


def facts_for(reading: Reading) -> Facts:
    """What lies below the document roots: the folders named, this machine's own if one is there, else a file everywhere."""
    estate, pairs = reading.estate, reading.files
    roots = {text for site in estate.sites for item in walk(site.program) if isinstance(item, ServeFiles) and (text := literal(item.root)) and text.startswith("/")}
    if any(Path(moved(root, pairs)).is_dir() for root in roots) or any(moved(root, pairs) != root for root in roots):
        plan = Plan(Path("/"), lambda: 0, files=pairs)
        return real_files(lambda path: Path(plan.path(path)))
    return assumed(Assumed.FILES, frozenset({"index.html"}), frozenset(root.rstrip("/") for root in roots))


def one_request(url: str, method: str, fields: list[str], client: str, certificate: str | None = None) -> Request:
    """The request that the words describe. Raises LanternError."""
    made = {}
    for word in fields:
        name, colon, value = word.partition(":")
        if not colon or not name.strip():
            raise LanternError(f"--field {word}: expected NAME:VALUE")
        made[name.strip()] = value.strip()
    try:
        ip_address(client)
    except ValueError:
        raise LanternError(f"--client {client}: is no address") from None
    if certificate is not None and certificate not in NAMES:
        raise LanternError(f"--certificate {certificate}: expected {' or '.join(NAMES)}")
    return replace(request_for(url, method, made | ({CERTIFICATE: certificate} if certificate else {})), client=client)


def clean(translation: Translation) -> bool:
    """Whether all is kept or implied, and nothing differs."""
    settled = all(entry.disposition in (Disposition.KEPT, Disposition.IMPLIED) for entry in translation.ledger)
    return settled and not translation.comparison.causes and not translation.comparison.undecided


def unknown_directive(name: str, dialect: str | None) -> LanternError:
    """The error for a directive that no catalogue has, with the likely one."""
    known = {row.name for found in dialects().values() if dialect in (None, found.name) for row in found.catalogue()}
    close = likely(name, known)
    return LanternError(f"{name}: " + (f"{dialect} has no such directive" if dialect else "there is no such directive in any dialect") + (f"; did you mean {close}?" if close else ""))
