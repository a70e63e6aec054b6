"""Forks -> `if`, with a line each for the tests of which one is enough, or a `rewrite` whose pattern is the condition. Mirror: reader/rewrites.py.

Source:   nginx manual, rewrite module, "if", "rewrite".
"""

from __future__ import annotations

from ....fitting import Branch, Chain, Fork, Leaf
from ....fitting.inside import FOR_A_FOLDER
from ....model import Abort, AllOf, Capture, PathMatches, Pattern, Redirect, Restart, Rewrite, SetPath, SetVariable, Span, StripPrefix, TextMatches, Var, Variable, fixed
from ....model.walk import walk
from ...noting import Unwritable
from . import answers, frames, rewrites
from .bodies import ERROR_501, WHY_501, Body, Where, items_of, look_up_again, lose, write_effect
from .conditions import alternatives, write_condition
from .context import Context
from .forks import as_frame
from .output import Node


def write_if(fork: Fork, extra: list[Node], where: Where, body: Body, context: Context) -> None:
    """An `if` with the fork's effects or answer, or a single `rewrite` where its pattern is the whole condition."""
    spans = tuple(dict.fromkeys(span for span in (fork.span, *fork.also) if span))
    if not fork.chain.items and not extra:
        context.implied(fork.span, "nothing happens there that an answer depends on")
        return
    item = fork.chain.items[0] if fork.chain.items else None
    if isinstance(fork.condition, PathMatches) and (len(fork.chain.items) == 1 or looked_up_again(fork)) and not extra:
        before = body.changes, context.rewritten
        line = single_rewrite(fork.condition, item, where, body, context)
        if line is not None:
            if looked_up_again(fork):
                line.words.append("last")
                body.changes, context.rewritten = before
            line.spans, line.comments = tuple(dict.fromkeys((*spans, *line.spans))), (*fork.comments, *line.comments)
            body.phase.append(line)
            return
    if isinstance(fork.condition, AllOf) and (len(fork.chain.items) == 1 or looked_up_again(fork)) and not extra and _rewrite_within(fork, spans, where, body, context):
        return
    items = fork.chain.items
    constant = len(items) == 1 and (isinstance(items[0], Leaf) or isinstance(items[0], SetVariable) and fixed(items[0].value) is not None)
    several = 1 if items and (extra or not constant) else MOST_ALTERNATIVES if not isinstance(item, Leaf) or as_frame(item, where.frame) else MOST_ALTERNATIVES // 2
    asked = write_asked(fork, several, context)
    if isinstance(asked, Unwritable):
        lose(fork, asked, body, context)
        return
    inner = Body([], [], [], [])
    rewritten = context.rewritten
    for piece in fork.chain.items:
        if isinstance(piece, Leaf) and isinstance(piece.answer, Restart):
            look_up_again(inner)
        elif isinstance(piece, Leaf):
            answer = answers.WRITES[type(piece.answer)](piece.answer, context)  # type: ignore[index]
            if isinstance(answer, Unwritable):
                context.lost(piece.answer.span, "this", f"nginx has no variable for {answer.what}")
                answer = [Node(ERROR_501, None, (), WHY_501)]
            if answer[0].words[0] == "if":
                before, answer = answers.asked_before(answer[0], context)
                asked[0] = ([*before, *asked[0][0]], asked[0][1])
            if where.kind != "server" and not isinstance(piece.answer, Abort):
                inner.settings += frames.write_own(piece, where.frame, where.chain, context)
            inner.content += answer
        else:
            write_effect(piece, inner, context)
            body.changes = body.changes or inner.changes and fork.chain.falls
    if not fork.chain.falls:
        context.rewritten = rewritten
    for number, (lines, words) in enumerate(asked):
        body.phase += [*lines, Node(["if", words], [*inner.settings, *inner.phase, *extra, *inner.content], spans, () if number else fork.comments)]


def asked_again(fork: Fork) -> Chain:
    """The chain of a fork; a redirect at its end for which the pattern must be asked once more, since what stands between takes its groups away."""
    items = fork.chain.items
    last = items[-1] if len(items) > 1 else None
    if not isinstance(fork.condition, PathMatches) or not isinstance(last, Leaf) or not isinstance(last.answer, Redirect):
        return fork.chain
    own = fork.condition.pattern.label
    takes = any(isinstance(item, Capture) and item.pattern == own and item.escaped for item in walk(last.answer))
    changes = any(isinstance(item, Rewrite) and item.edit is not None and item.edit != SetPath((Var(Variable.PATH),)) for item in items_of(fork.chain))
    if not takes or changes:
        return fork.chain
    return Chain([*items[:-1], Branch([Fork(fork.condition, Chain([last]), fork.span, sure=True)], fork.span)], fork.chain.shared)


# How often an answer of one line may stand, each time for another of the tests that lead to it.
MOST_ALTERNATIVES = 6


def write_asked(fork: Fork, most: int, context: Context) -> list[tuple[list[Node], str]] | Unwritable:
    """The lines and words of each `if` that a fork needs: what it does may stand that often, once for each of its alternatives, where it asks for none of their groups."""
    found = alternatives(fork.condition)
    if len(found) > most or len(found) > 1 and _takes_groups(fork):
        found = (fork.condition,)
    made = []
    for each in found:
        written = write_condition(each, context)
        if isinstance(written, Unwritable):
            return written
        made.append(written)
    return made


def _takes_groups(fork: Fork) -> bool:
    own = {item.label for item in walk(fork.condition) if isinstance(item, Pattern)}
    return any(isinstance(item, Capture) and item.pattern in own for inner in items_of(fork.chain) for item in walk(_values_of(inner)))


def _values_of(item: object) -> object:
    """What of an item of a chain is of the model."""
    return (item.answer, item.settings) if isinstance(item, Leaf) else [fork.condition for fork in item.forks] if isinstance(item, Branch) else item


def looked_up_again(fork: Fork) -> bool:
    """Whether a fork gives a path that is looked up again, and does nothing else."""
    match fork.chain.items:
        case [Rewrite(), Leaf(answer=Restart())]:
            return True
    return False


WHY_NOT_INSIDE = ("Not where nginx looks for a folder's index file by itself.",)


def _rewrite_within(fork: Fork, spans: tuple[Span, ...], where: Where, body: Body, context: Context) -> bool:
    """Where a pattern holds and something else as well: a `rewrite` with the pattern, whose groups it asks for, in an `if` for the rest."""
    assert isinstance(fork.condition, AllOf)
    item = fork.chain.items[0]
    patterns = [part for part in fork.condition.conditions if isinstance(part, PathMatches)]
    leads = isinstance(item, Rewrite) and any(isinstance(part, Capture) for part in walk(item)) or isinstance(item, Leaf) and isinstance(item.answer, Redirect)
    if len(patterns) != 1 or not leads or isinstance(item, Leaf) and any(part.pattern != patterns[0].pattern.label for part in walk(item.answer) if isinstance(part, Capture)):
        return False
    others = tuple(part for part in fork.condition.conditions if part is not patterns[0])
    made = write_condition(others[0] if len(others) == 1 else AllOf(others, fork.condition.span), context)
    before = body.changes, context.rewritten
    line = None if isinstance(made, Unwritable) else single_rewrite(patterns[0], item, where, body, context, within=True)
    if line is None or isinstance(made, Unwritable):
        return False
    if looked_up_again(fork):
        line.words.append("last")
        body.changes, context.rewritten = before
    line.spans, line.comments = tuple(dict.fromkeys((*spans, *line.spans))), (*fork.comments, *line.comments)
    why = WHY_NOT_INSIDE if any(isinstance(part, TextMatches) and part.pattern.text == FOR_A_FOLDER.text for part in walk(others)) else ()
    body.phase += [*made[0], Node(["if", made[1]], [line], (), why)]
    return True


def single_rewrite(condition: PathMatches, item: object, where: Where, body: Body, context: Context, within: bool = False) -> Node | None:
    """within: it stands in an `if` of something else, which asks for the pattern by no other line."""
    if isinstance(item, Rewrite) and item.edit is not None and not isinstance(item.edit, StripPrefix):
        made = rewrites.write_rewrite(item, context, condition)
        if isinstance(made, Unwritable):
            return None
        body.changes, context.rewritten = True, "path"
        return made
    if isinstance(item, Leaf) and isinstance(item.answer, Redirect) and as_frame(item, where.frame):
        before = context.pattern, context.asked
        context.matched(condition.pattern)
        words = answers.rewrite_words(("(?i)" if condition.pattern.ignores_case else "") + condition.pattern.text, item.answer, context, within)
        if words is None:
            context.pattern, context.asked = before
            return None
        return Node(words, None, tuple(span for span in (item.answer.span,) if span), item.answer.comments)
    return None
