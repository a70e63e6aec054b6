"""Answers of origins that are kept for later requests (RFC 9111). Used by: origins.py."""

from __future__ import annotations

from dataclasses import dataclass

from .conditions import Condition
from .span import Span
from .text import Capture, Lookup, Template, Var, Variable

# What parts of a key say of a request's URL. That of the pool is the same for all requests of a place.
_OF_URL: dict[Variable, tuple[str, ...]] = {
    Variable.SCHEME: ("scheme",), Variable.HOST: ("host",), Variable.HOST_SENT: ("host",), Variable.AUTHORITY: ("host", "port"), Variable.SITE_NAME: ("site",), Variable.PORT: ("port",),
    Variable.METHOD: ("method",), Variable.METHOD_SENT: ("method",), Variable.TARGET: ("path", "query"), Variable.TARGET_NOW: ("path", "query"), Variable.PATH: ("path",),
    Variable.PATH_ESCAPED: ("path",), Variable.URL_PATH: ("path",), Variable.ORIGINAL_PATH: ("path",), Variable.QUERY: ("query",), Variable.QUERY_MARK: (), Variable.POOL: (),
}


def _names(key: Template) -> set[str]:
    names: set[str] = set()
    for part in key:
        if isinstance(part, Var):
            names.update(_OF_URL[part.variable] if part.variable in _OF_URL else (f"{part.variable.value} {part.name}".strip(),))
        elif isinstance(part, Lookup):
            names.add(f"a table of {', '.join(sorted(_names(part.subject)))}")
        elif not isinstance(part, str):
            names.add("a part of a pattern" if isinstance(part, Capture) else "a value that is not known")
    return names


@dataclass(frozen=True, slots=True)
class CacheStore:
    """Where kept answers lie.

    levels: how many characters of a key name each folder above a file
    memory: octets for the keys; size: octets on the disk at the most, 0: any number
    idle_seconds: after which an answer goes that nobody asked for; 0: never
    """

    folder: str
    name: str = ""
    levels: tuple[int, ...] = ()
    memory: int = 0
    size: int = 0
    idle_seconds: float = 0
    words: tuple[str, ...] = ()  # what else its line says, in its own dialect
    span: Span | None = None
    also: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True)
class Lifetime:
    """How many seconds answers are kept that do not say it themselves. statuses: None is any."""

    statuses: frozenset[int] | None
    seconds: float
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Guess:
    """What is made of an answer's age where nothing else says how long it holds: a part of it, within bounds (RFC 9111 section 4.2.2)."""

    part: float
    least: float
    most: float


@dataclass(frozen=True, slots=True)
class Cache:
    """Answers of origins are kept, and given to later requests in their place. What answers say of it themselves goes first, as each server reads it (behaviour/caching.py).

    key:       what a kept answer is found by
    lifetimes: for answers that say nothing; the first that holds counts
    methods:   by which requests ask for what is kept
    ignores:   names of fields of answers that are not heeded, in lower case
    plain:     answers without any sign of their age are kept as well; queried: so are those to a query (httpd)
    guess:     by the field Last-Modified
    when:      for which requests all this holds; None: all
    bypasses:  for which the origin is asked all the same; skips: for which its answers are not kept
    heeds_clients: so it is where the client says no-cache (RFC 9111 section 5.2.1)
    asks_whole: HEAD is asked for by GET, that there be something to keep (nginx)
    before_all: what is kept is given before anybody is asked who he is, and before rules change anything (httpd)
    stale:     what is overcome by answers that have had their time: `error`, `timeout`, `updating`, or a status
    locks:     of several requests for the same only one goes out
    uses:      how often something is asked for before it is kept
    revalidates: an answer that has had its time is asked for by its date and tag
    otherwise: for requests that it is not for
    background: an answer that has had its time goes out once more while another is asked for
    """

    store: CacheStore
    key: Template
    lifetimes: tuple[Lifetime, ...] = ()
    methods: tuple[str, ...] = ("GET", "HEAD")
    ignores: frozenset[str] = frozenset()
    plain: bool = True
    queried: bool = True
    guess: Guess | None = None
    when: Condition | None = None
    bypasses: Condition | None = None
    skips: Condition | None = None
    heeds_clients: bool = False
    asks_whole: bool = False
    before_all: bool = False
    stale: tuple[str, ...] = ()
    locks: bool = False
    uses: int = 1
    revalidates: bool = False
    background: bool = False
    otherwise: "Cache | None" = None
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()

    def told_apart(self) -> tuple[str, ...]:
        """What two requests must have alike for the same kept answer, in alphabetical order: parts of the URL, and the names of others."""
        return tuple(sorted(_names(self.key) - ({"method"} if set(self.methods) <= {"GET", "HEAD"} else set())))

    def by_more_than_the_url(self) -> bool:
        return any(part.variable not in _OF_URL if isinstance(part, Var) else not isinstance(part, str) for part in self.key)
