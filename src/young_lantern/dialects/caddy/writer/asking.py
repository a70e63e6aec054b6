"""AskFirst -> Caddy `forward_auth`. Mirror: ../reader/asking.py.

Rule:     answers that the source makes errors of its own become such here, too, so that they have the pages for errors; without handle_response
          they would go to the client as they are.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import AskFirst, Field, Forward, Gateway, InPlace, Respond, Var, Variable
from ..values import Unwritable, quote
from . import forwards
from .context import Context
from .fields import write_operation
from .output import Node

_ERRORS = ("What it answers otherwise is an error, as before; Caddy by itself would pass it on.",)


def write_question(step: AskFirst, context: Context) -> list[Node] | Unwritable:
    """The line with its block, for a request that is guarded so."""
    # What stands in the place of its answers is written here, below.
    made = forwards.write_forward(replace(step.forward, in_place=()), context)
    if isinstance(made, Unwritable):
        return made
    if len(made) != 1:
        return Unwritable("a question whose path is cut")
    node = made[0]
    block = []
    for line in node.block or []:
        if line.words[0] == "rewrite":
            line.words[0] = "uri"
        block.append(line)
    copied = [_copied(field) for field in step.fields]
    if copied:
        block.append(Node(["copy_headers", *copied], None, tuple(field.span for field in step.fields if field.span)))
    for number, refusal in enumerate(step.forward.in_place):
        lines = _refused(refusal, context)
        if isinstance(lines, Unwritable):
            return lines
        block += _named(refusal, lines, _ERRORS if not number else ())
    spans = tuple(dict.fromkeys((*node.spans, *(span for span in (step.span, *step.also) if span))))
    return [Node(["forward_auth", *node.words[1:]], block, spans, (*step.comments, *node.comments), setting=True)]


def _copied(field: Field) -> str:
    source = next(part.name for part in field.value if isinstance(part, Var) and part.variable is Variable.VERDICT_FIELD)
    return quote(field.name if source.lower() == field.name.lower() else f"{source}>{field.name}")


def _named(refusal: InPlace, lines: list[Node], comments: tuple[str, ...]) -> list[Node]:
    if refusal.statuses is None:
        return [Node(["handle_response"], lines, (), comments)]
    codes = [str(code) for code in sorted(refusal.statuses)]
    name = f"@{'_'.join([*codes[:3], *(['with', refusal.field.lower().replace('-', '_')] if refusal.field else [])])}"
    asks = Node([name, "status", *codes]) if not refusal.field else Node([name], [Node(["status", *codes]), Node(["header", refusal.field, "*"])])
    asks.comments = comments
    return [asks, Node(["handle_response", name], lines)]


def _refused(refusal: InPlace, context: Context) -> list[Node] | Unwritable:
    lines = []
    for item in refusal.steps:
        match item:
            case Field():
                words = write_operation(item, True, context)
                if isinstance(words, Unwritable):
                    return words
                lines.append(Node(["header", *words]))
            case Respond(status, raises=True):
                lines.append(Node(["error", str(status)]))
            case _:
                return Unwritable("what is answered to those that are not let in")
    return lines


def with_copies(step: AskFirst, answer: object, fields: tuple[Field, ...]) -> tuple[AskFirst, object, tuple[Field, ...]]:
    """The same with fields of requests that hold nothing but a field of the answer put into the question, where Caddy copies them."""
    def is_copy(field: Field) -> bool:
        return len(field.value) == 1 and isinstance(part := field.value[0], Var) and part.variable is Variable.VERDICT_FIELD and field.when is None

    own = answer.fields if isinstance(answer, Forward | Gateway) else ()
    copied = tuple(field for field in (*fields, *own) if is_copy(field))
    if not copied:
        return step, answer, fields
    if isinstance(answer, Forward | Gateway):
        answer = replace(answer, fields=tuple(field for field in own if not is_copy(field)))
    return replace(step, fields=(*step.fields, *copied)), answer, tuple(field for field in fields if not is_copy(field))
