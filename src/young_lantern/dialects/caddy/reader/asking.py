"""Caddy `forward_auth` -> AskFirst. Mirror: ../writer/asking.py.

Source:   Caddy documentation, forward_auth; forwardauth/caddyfile.go (2.6.2, probed): a reverse_proxy by GET for another target, with X-Forwarded-Method
          and X-Forwarded-Uri. 2xx lets in, with fields of the answer put into the request; what handle_response does not see to goes to the client.
Rule:     a field that the answer does not have leaves its placeholder, as it is written, in the request.
"""

from __future__ import annotations

import copy
from dataclasses import replace

from ....model import AskFirst, Field, Forward, Operation, Side, Step, Unserved, Var, Variable
from ..syntax import Directive
from . import forwards
from .context import Context, Level, Read

_OF_QUESTION = (Field(Side.REQUEST, Operation.SET, "X-Forwarded-Method", (Var(Variable.METHOD),)), Field(Side.REQUEST, Operation.SET, "X-Forwarded-Uri", (Var(Variable.TARGET_NOW),)))


def read_forward_auth(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`forward_auth [matcher] ORIGIN… { uri TO; copy_headers FIELD[>NAME]…; what reverse_proxy takes }`."""
    closed = (Unserved(" ".join(word.raw for word in directive.words), directive.span),)
    copied: list[Field] = []
    lines: list[Directive] = []
    for line in directive.block or []:
        if line.name == "copy_headers":
            for text in (*line.args, *(word.text for inner in line.block or [] for word in inner.words)):
                source, _, name = text.partition(">")
                copied.append(Field(Side.REQUEST, Operation.SET, name or source, (Var(Variable.VERDICT_FIELD, source),), at_once=True, span=directive.span))
        elif line.name == "uri":
            made = copy.deepcopy(line)
            made.words[0].raw = "rewrite"
            lines.append(made)
        else:
            lines.append(line)
    asked = copy.copy(directive)
    asked.block = lines
    context.asks_first = True
    steps = forwards.read_reverse_proxy(asked, words, level, context)
    context.asks_first = False
    if len(steps) != 1 or not isinstance(steps[0], Forward) or steps[0].intercepts_errors:
        context.unread(directive, "", "an origin that is asked by HTTP was expected, with uri, copy_headers and what reverse_proxy takes")
        return closed
    forward = steps[0]
    given = [field for field in forward.fields if field.span is None]
    own = [field for field in forward.fields if field.span is not None]
    return (AskFirst(replace(forward, fields=(*given, *_OF_QUESTION, *own), upgrades=False), tuple(copied), span=directive.span, comments=directive.comments),)


READS: dict[str, Read] = {"forward_auth": read_forward_auth}
