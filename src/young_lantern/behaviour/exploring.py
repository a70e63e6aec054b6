"""One path -> requests for every combination of what its two decisions look at: the other parts of the request, and files.

Rule:     a decision depends on nothing but what it looked at. Of what it looked at, one part after the other is given each of its values (aspects.py), and
          decided again, until nothing is left that was not given. Files, likewise, are there or not, as files or folders.
Bounded:  by a number of decisions for each path; `complete` is False where it did not suffice.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from ..model import Estate, FileKind
from .aspects import CLIENT_ADDRESS, HOST, LENGTH, METHOD, QUERY, Aspects, Part
from .decide import decide
from .endings import MOST_ENDINGS, endings_apart
from .outcome import Outcome
from .request import Facts, Request, placed
from .route_index import RouteIndex

# Decisions for one path, and for all of two sites, each in both estates; chosen among 60, 200 and 1,000, and 1,000, 2,000 and 6,000. A path of a usual
# site takes 10 to 40, and all of its paths a few hundred.
LIMIT_DECISIONS, LIMIT_FOR_SITE = 200, 2_000
_LEAST_DECISIONS = 4
# Files whose being there is tried for one request: what a chain of fallbacks with its index files asks for.
LIMIT_FILES = 5


@dataclass(frozen=True, slots=True)
class Explored:
    """A request, what is known of files, and what both estates do."""

    request: Request
    facts: Facts
    outcomes: tuple[Outcome, Outcome]


@dataclass
class Explorer:
    """Explores paths of two estates. paths: how many there will be, which share what may be decided."""

    estates: tuple[Estate, Estate]
    aspects: Aspects
    roots: frozenset[str]
    paths: int = 1
    complete: bool = True
    index: RouteIndex = field(default_factory=RouteIndex)
    _left: int = field(default=0, init=False)

    def explore(self, request: Request) -> Iterator[Explored]:
        """All that differs for requests that are like this one but for parts that conditions ask about."""
        self._left = min(LIMIT_DECISIONS, max(_LEAST_DECISIONS, LIMIT_FOR_SITE // max(1, self.paths)))
        yield from self._go(request, {}, {}, None)

    def _go(self, plain: Request, chosen: dict[Part, str | None], files: dict[str, FileKind | None], known: "_Decided | None") -> Iterator[Explored]:
        """known: what was decided already, where the last part given, or file placed, changes nothing."""
        here = known or self._decided(given(plain, chosen), files)
        if here is None:
            return
        part = next((part for part in here.reads if part not in chosen and len(self.aspects.values.get(part, ())) > 1), None)
        path = next((path for path in here.asked if path not in files), None) if part is None and len(files) < LIMIT_FILES else None
        if part is not None:
            for value in self.aspects.values[part]:
                now = {**chosen, part: value}
                yield from self._go(plain, now, files, here if given(plain, now) == here.request else None)
        elif path is not None:
            for kind in _kinds(path, plain):
                yield from self._go(plain, chosen, {**files, path: kind}, here if kind is None else None)
        else:
            if part is None and any(path not in files for path in here.asked):
                self.complete = False
            yield Explored(here.request, here.facts, here.outcomes)
            yield from self._by_endings(plain, files, here)

    def _by_endings(self, plain: Request, files: dict[str, FileKind | None], here: "_Decided") -> Iterator[Explored]:
        """The same request for neighbours of a file that it is answered with, whose names end otherwise."""
        path, _, query = plain.target.partition("?")
        folder, _, name = path.rpartition("/")
        sent = [outcome.file for outcome in here.outcomes if outcome.file and not outcome.listing]
        one, other = (outcome.by_name for outcome in here.outcomes)
        if here.request != plain or not name or "%" in name or one is None or other is None or not any(file.rpartition("/")[2] == name for file in sent):
            return
        start = name.partition(".")[0] or name
        endings = endings_apart(one, other)
        if len(endings) > MOST_ENDINGS:
            self.aspects.loose.add(f"media types by the names of files: {len(endings)} kinds of endings differ on {plain.host}, of which {MOST_ENDINGS} are asked for")
        for ending in endings[:MOST_ENDINGS]:
            neighbour = f"{start}.{ending}" if ending else start
            if neighbour == name:
                continue
            there = {(key[: -len(name)] + neighbour if key.rpartition("/")[2] == name else key): kind for key, kind in files.items()}
            made = self._decided(replace(plain, target=f"{folder}/{neighbour}" + (f"?{query}" if query else "")), there)
            if made is None:
                return
            yield Explored(made.request, made.facts, made.outcomes)

    def _decided(self, request: Request, files: dict[str, FileKind | None]) -> "_Decided | None":
        if self._left <= 0:
            self.complete = False
            return None
        self._left -= 1
        reads: dict[Part, None] = {}
        asked: dict[str, None] = {}
        facts = placed(files, self.roots, asked)
        one, other = (decide(estate, request, facts, reads, self.index) for estate in self.estates)
        return _Decided(request, facts, (one, other), reads, asked)


@dataclass(frozen=True, slots=True)
class _Decided:
    request: Request
    facts: Facts
    outcomes: tuple[Outcome, Outcome]
    reads: dict[Part, None]
    asked: dict[str, None]


def _kinds(path: str, request: Request) -> tuple[FileKind | None, ...]:
    """What may lie at a path; a name with a dot is taken for no folder's, unless it is the one that the client asks for."""
    own = request.target.rstrip("/").endswith("/" + path.rpartition("/")[2])
    return (None, FileKind.FILE) if "." in path.rpartition("/")[2] and not own else (None, FileKind.FILE, FileKind.FOLDER)


def given(plain: Request, chosen: dict[Part, str | None]) -> Request:
    """The request with the values given to some of its parts."""
    path, _, query = plain.target.partition("?")
    pieces = [query] if query else []
    cookies: list[str] = []
    fields = list(plain.fields)
    changes: dict[str, str] = {}
    for part, value in chosen.items():
        if value is None:
            continue
        kind, name = part
        if part == METHOD:
            changes["method"] = value
        elif part == CLIENT_ADDRESS:
            changes["client"] = value
        elif part == HOST:
            changes["host"] = value
        elif part == LENGTH:
            fields.append(("Content-Length", value))
        elif part == QUERY:
            pieces.insert(0, value)
        elif kind == "argument":
            pieces.append(f"{name}={value}")
        elif kind == "cookie":
            cookies.append(f"{name}={value}")
        else:
            fields.append((name.title(), value))
    if cookies:
        # RFC 6265 section 5.4: a client sends one such field.
        whole = [value for name, value in fields if name == "Cookie"]
        fields = [*(pair for pair in fields if pair[0] != "Cookie"), ("Cookie", "; ".join(dict.fromkeys([*whole, *cookies])))]
    if chosen.get(LENGTH) is not None and changes.get("method", plain.method) in ("GET", "HEAD"):
        changes["method"] = "POST"
    return replace(plain, target=path + ("?" + "&".join(pieces) if pieces else ""), fields=tuple(fields), **changes)  # type: ignore[arg-type]
