"""The fitted form of a program: a chain of effects and branches, with an answer at each end.

Chain   items in order; it falls through to what follows when no answer ends it
Branch  its forks exclude each other: the first whose condition holds is taken, and may fall through
Leaf    an answer with every setting in force there
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from ..model import (
    Abort, AskFirst, BodyLimit, ClientIn, Compress, Condition, Credentials, ErrorPages, Field, Forward, Gateway, Limits, LogTo, MediaTypes, MethodIn, Redirect, Respond, Restart, Rewrite, ServeFiles,
    SetVariable, Span, Unserved,
)

# A restart only where unroll was told that the target makes requests of its own.
Answer = Redirect | Respond | Abort | Forward | Gateway | ServeFiles | Unserved | Restart
Effect = Rewrite | SetVariable


@dataclass(frozen=True, slots=True)
class Settings:
    fields: tuple[Field, ...] = ()
    request_fields: tuple[Field, ...] = ()
    pages: ErrorPages | None = None
    compress: Compress | None = None
    limit: BodyLimit | None = None
    log: LogTo | None = None
    also: tuple[Span, ...] = ()  # lines that say the same as these settings, elsewhere
    guard: Credentials | None = None
    asks: tuple[AskFirst, ...] = ()
    exempt: ClientIn | MethodIn | None = None  # who, or what, needs none of them
    types: MediaTypes | None = None
    limits: tuple[Limits, ...] = ()


@dataclass(slots=True, eq=False)
class Leaf:
    answer: Answer
    settings: Settings
    through: tuple[Span, ...] = ()  # lines of the blocks that led here without a condition


@dataclass(slots=True, eq=False)
class Fork:
    condition: Condition
    chain: "Chain"
    span: Span | None = None
    comments: tuple[str, ...] = ()
    label: str = ""
    also: tuple[Span, ...] = ()
    sure: bool = False  # it always holds there, and stands for its captures


@dataclass(slots=True, eq=False)
class Branch:
    forks: list[Fork]
    span: Span | None = None


@dataclass(slots=True, eq=False)
class Chain:
    """`shared`: settings that hold for every leaf below; a leaf's own come on top of them."""

    items: list["Effect | Branch | Leaf"]
    shared: Settings = field(default_factory=Settings)

    @property
    def falls(self) -> bool:
        """Whether a request may come out at its end without an answer."""
        from ..model import ALWAYS

        if not self.items:
            return True
        last = self.items[-1]
        if isinstance(last, Leaf):
            return False
        if isinstance(last, Branch):
            total = last.forks[-1].condition is ALWAYS or last.forks[-1].sure
            return not total or any(fork.chain.falls for fork in last.forks)
        return True


def leaves(chain: Chain) -> Iterator[Leaf]:
    """All leaves below a chain."""
    for item in chain.items:
        if isinstance(item, Leaf):
            yield item
        elif isinstance(item, Branch):
            for fork in item.forks:
                yield from leaves(fork.chain)
