"""What is written of a location: where it stands, its lines in the order in which nginx runs them, and changes of the path among them.

Source:   nginx development guide, "Phases"; rewrite module, "rewrite": `last` looks the path up again, `break` keeps it where it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ....fitting import Branch, Chain, Fork
from ....fitting.closing import must_close
from ....model import Rewrite, SetVariable, Span
from ....model.walk import walk
from ...noting import Unwritable
from . import rewrites
from .context import Context
from .frames import Frame
from .output import Node

ERROR_501 = ["return", "501"]
WHY_501 = ("Not carried over: see the report.",)


@dataclass(frozen=True, slots=True)
class Where:
    """The location that is written: its kind (exact, prefix, pattern, named, server) and text, and the settings above it.

    inside: the text of the location by prefix around it, if it is nested in one
    """

    kind: str
    text: str
    frame: Frame
    chain: Chain
    inside: str = ""

    @property
    def prefix(self) -> str:
        return self.text if self.kind == "prefix" else ""

    @property
    def exact(self) -> str:
        return self.text if self.kind == "exact" else ""


@dataclass(slots=True)
class Body:
    """Lines that run first, the content, and whether a rewrite must be kept from a new search."""

    phase: list[Node]
    settings: list[Node]
    content: list[Node]
    jumps: list[Node]
    changes: bool = False


def write_effect(item: Rewrite | SetVariable, body: Body, context: Context) -> None:
    made = rewrites.write_rewrite(item, context) if isinstance(item, Rewrite) else rewrites.write_variable(item, context)
    if isinstance(made, Unwritable):
        context.lost(item.span, "this", f"nginx has no variable for {made.what}")
        body.phase.append(Node(ERROR_501, None, (), WHY_501))
        return
    body.phase.append(made)
    if isinstance(item, Rewrite):
        body.changes = True
        context.rewritten = "path" if item.edit is not None else context.rewritten or "query"


def look_up_again(body: Body) -> None:
    """The path as it is now goes through the locations once more: rewrite module, `last`."""
    last = body.phase[-1] if body.phase else None
    if last is not None and last.words[0] == "rewrite" and len(last.words) == 3:
        last.words.append("last")
    else:
        body.phase.append(Node(["rewrite", "^", "$uri", "last"]))
    body.changes = False


def items_of(chain: Chain) -> Iterator[object]:
    """All items of a chain, and of those within."""
    for item in chain.items:
        yield item
        for fork in item.forks if isinstance(item, Branch) else ():
            yield from items_of(fork.chain)


def lose(fork: Fork, what: Unwritable, body: Body, context: Context) -> None:
    context.lost(fork.span, "this route", f"nginx has no condition for {what.what}")
    if must_close(fork, context.deciding):
        # Whom it keeps out cannot be said: all are, rather than nobody.
        body.phase.append(Node(ERROR_501, None, (), WHY_501))
    context.left.update(item for item in walk(fork) if isinstance(item, Span))
