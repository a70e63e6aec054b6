"""What of a fork an `if` can say, and what needs a location: asked by routes.py, which writes them.

Source:   nginx manual, rewrite module, "if"; core module: the type of a text is said for a whole location.
"""

from __future__ import annotations

from dataclasses import replace

from ....fitting import Branch, Chain, Fork, Leaf, leaves
from ....fitting.guards import is_behind
from ....fitting.places import atoms_of
from ....fitting.static import bare
from ....model import ALWAYS, Abort, Redirect, Respond, Restart, Rewrite, ServeFiles
from . import frames
from .frames import Frame


def is_place(fork: Fork) -> bool:
    """Whether a fork asks for paths, so that it may be a location."""
    return bool(list(atoms_of(fork.condition))) and not fork.chain.falls


def is_short(fork: Fork, frame: Frame) -> bool:
    """Whether an `if` can say it: effects, or a redirect or plain answer with the settings of the frame."""
    for item in fork.chain.items:
        if isinstance(item, Leaf):
            return isinstance(item.answer, Redirect | Respond | Abort | Restart) and not is_behind(item) and as_frame(item, frame)
        if isinstance(item, Branch):
            return False
    return True


def as_frame(leaf: Leaf, frame: Frame) -> bool:
    """Whether an answer has the fields and error pages of what stands around it; that a path is looked up again needs none."""
    if isinstance(leaf.answer, Abort | Restart):
        return True
    pages = leaf.settings.pages if isinstance(leaf.answer, Respond) and leaf.answer.raises else frame.pages
    return (bare(leaf.settings.fields) == bare(frame.fields) or frames.leads_to_page(leaf)) and frames.bare_or_none(pages) == frames.bare_or_none(frame.pages)


def is_answer(fork: Fork) -> bool:
    """Whether a fork is one answer of a line, with fields of its own."""
    items = fork.chain.items
    return len(items) == 1 and isinstance(items[0], Leaf) and isinstance(items[0].answer, Redirect | Respond | Abort) and not is_behind(items[0]) and bool(items[0].settings.fields)


def is_text_beside_files(fork: Fork, later: list[Fork], rest: list) -> bool:  # type: ignore[type-arg]
    """Whether a fork answers with a text where others serve files: what type the one has is said for a whole location."""
    texts = any(isinstance(leaf.answer, Respond) and leaf.answer.body for leaf in leaves(fork.chain))
    return texts and any(isinstance(leaf.answer, ServeFiles) for leaf in leaves(Chain([*(item for other in later for item in other.chain.items), *rest])))


def ends_alike(fork: Fork, later: list[Fork], rest: list) -> Fork | None:  # type: ignore[type-arg]
    """A fork that changes the path and serves a file as all others do -> the changes alone, after which all go on alike."""
    match fork.chain.items, [*(item for other in later for item in other.chain.items), *rest]:
        case [*changes, Leaf(answer=ServeFiles()) as own], [Leaf() as other] if (
                changes and all(isinstance(item, Rewrite) for item in changes) and all(item.condition is ALWAYS for item in later) and bare((own.answer, own.settings)) == bare((other.answer, other.settings))):
            return replace(fork, chain=Chain(list(changes)))
    return None
