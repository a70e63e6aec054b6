"""What a dialect is, and what its reader and writer hand over. Each dialect package makes one `Dialect`.

Unknown:  a directive that the catalogue does not list becomes the finding `directive-unknown` and the disposition
          unsupported; reading goes on.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..model import Disposition, Estate, Finding, Span

Takes = tuple[int, int | None]


def exactly(count: int) -> Takes:
    return count, count


def between(least: int, most: int) -> Takes:
    return least, most


def at_least(count: int) -> Takes:
    return count, None


@dataclass(frozen=True, slots=True)
class Row:
    """A directive of the catalogue: its name, where it may stand, how many words follow, and what becomes of it.

    topic:       the reader module that claims it; or else
    disposition: what becomes of it without being read, with the reason why
    harmless:    a pattern of all its words for which that holds; with others it is unsupported, because of `else_why`
    """

    name: str
    within: frozenset[str]
    takes: Takes
    topic: str = ""
    disposition: Disposition | None = None
    why: str = ""
    shape: str = ""
    harmless: str = ""
    else_why: str = ""

    def settled(self, words: Sequence[str]) -> tuple[Disposition | None, str]:
        """What becomes of it with these words."""
        if self.harmless and not re.fullmatch(self.harmless, " ".join(words), re.IGNORECASE):
            return Disposition.UNSUPPORTED, self.else_why
        return self.disposition, self.why


@dataclass(slots=True)
class Claim:
    """A source directive as the ledger sees it. `claimed` by a reader; `disposition` when the catalogue decides."""

    span: Span
    name: str
    within: str
    claimed: bool = False
    disposition: Disposition | None = None
    why: str = ""
    finding: Finding | None = None
    follows: Span | None = None  # the directive whose fate it shares, when it has none of its own
    asked_by: tuple[Span, ...] = ()  # directives whose effect it became part of; its fate is theirs then


@dataclass(frozen=True, slots=True)
class Beside:
    """A part of the configuration that lies among the files that are served: `path` below the folder `here`, which is `top` as configured."""

    top: str
    here: Path
    path: Path

    @property
    def folder(self) -> str:
        """Its folder, as configured."""
        below = self.path.parent.relative_to(self.here).as_posix()
        return self.top if below == "." else f"{self.top}/{below}"


@dataclass
class Reading:
    """What a reader hands over: the estate, a claim for every directive in source order, findings, and the texts.

    main:   the path of the first file
    inactive: files that are there but not part of the configuration (a site that is not enabled)
    tree:   the dialect's own syntax tree by file, for moving copies and for reports
    beside: texts that lie among the files that are served, by name
    files:  (prefix as configured, folder here): where the engineer said that paths of the configuration lie
    given:  values of `${NAME}` that a file beside the configuration gives
    defines: names of `${NAME}` that the configuration gives a value itself
    """

    dialect: str
    main: Path
    root: Path
    estate: Estate
    claims: list[Claim]
    findings: list[Finding]
    texts: dict[str, str]
    tree: Any = None
    inactive: tuple[str, ...] = ()
    beside: dict[str, Beside] = field(default_factory=dict)
    files: tuple[tuple[str, Path], ...] = ()
    given: dict[str, str] = field(default_factory=dict)
    defines: frozenset[str] = frozenset()


@dataclass
class Writing:
    """What a writer hands over: files by name, and for each source span the target lines made from it.

    reached: spans that some answer depends on; a directive that is not among them may be left out
    """

    files: dict[str, str]
    targets: dict[Span, list[tuple[str, int, int]]] = field(default_factory=dict)
    notes: list["WriterNote"] = field(default_factory=list)
    reached: set[Span] = field(default_factory=set)


@dataclass(frozen=True, slots=True)
class WriterNote:
    """The writer's word on a source directive that is not simply kept; span None: on no single one."""

    span: Span | None
    disposition: Disposition
    finding: Finding | None = None
    reason: str = ""


@dataclass(frozen=True, slots=True)
class WriterOptions:
    """strict: reproduce even accidents. placeholder: how one is spelt, NAME standing for its name; None keeps the spelling."""

    strict: bool = False
    placeholder: str | None = None


@dataclass(frozen=True, slots=True)
class Dialect:
    """One server's configuration language.

    main_file:  name of the first file of a tree; also_main: other names for it that distributions have
    read:       a main file, and where paths of the configuration lie here (source/places.py) -> Reading
    recognises: whether a text looks like this dialect, as a number to compare (0: no)
    abilities:  topic or directive of a source -> what becomes of it here, if it is not simply kept
    open_value: how a value left to deployment is said, NAME standing for its name, where the server would take Caddy's spelling for something else
    move:       makes a copy that runs unprivileged on loopback; see lab/
    in_place:   parts of a configuration lie among what is served, by names that go by where it lies, so that it is moved from there
    """

    name: str
    server: str
    package: str
    main_file: str
    read: Callable[..., Reading]
    recognises: Callable[[Path, str], int]
    write: Callable[[Estate, WriterOptions], Writing] | None = None
    move: Callable[..., Any] | None = None
    open_value: str | None = None
    in_place: bool = False
    catalogue: Callable[[], Iterable[Row]] = lambda: ()
    also_main: tuple[str, ...] = ()
    abilities: Mapping[str, tuple[Disposition, str]] = field(default_factory=dict, hash=False)


def likely(name: str, names: Iterable[str]) -> str | None:
    """The known name that a misspelt one most likely stands for."""
    close = difflib.get_close_matches(name, list(names), n=1, cutoff=0.8)
    return close[0] if close else None
