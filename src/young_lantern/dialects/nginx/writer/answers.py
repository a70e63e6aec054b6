"""Redirect, Respond, Abort -> nginx `return`, or a `rewrite` that redirects. Mirror: reader/answers.py.

Source:   nginx manual, rewrite module: `return` sends a URL as it stands, `rewrite` percent-encodes captures and appends the
          client's query unless the replacement ends in a question mark.
Rule:     a Location that needs the path as it goes on the wire, or a query behind a query, is a `rewrite` (301 and 302 only).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from ....model import Abort, Capture, Lookup, Part, Redirect, Respond, Template, Var, Variable, fixed, join
from ...noting import Unwritable
from ..values import quote
from .context import Context, asks_patterns
from .output import Node

_FLAGS = {301: "permanent", 302: "redirect"}


def write_redirect(step: Redirect, context: Context) -> list[Node] | Unwritable:
    spans = (step.span,) if step.span else ()
    before, step = _with_tables_set(step, context)
    location = step.location
    if context.estate.dialect != "nginx":
        # Decoded, as $uri is, a path would break out of the field with the line breaks that it may hold.
        location = tuple(Var(Variable.PATH_ESCAPED) if part == Var(Variable.PATH) else part for part in location)
    location = _as_received(location, context)
    if location.count(Var(Variable.ORIGINAL_PATH)) == 1 and (made := _from_original(location, step, context)) is not None:
        return made
    text = context.template(location, step.span)
    if isinstance(text, str):
        return [*before, Node(["return", str(step.status), quote(text)], None, spans, step.comments)]
    made = _rewrite(location, step, context)
    if made is None and (raw := _from_received(location, step, context)) is not None:
        return raw
    return text if made is None else [*before, Node(made, None, spans, step.comments)]


def _with_tables_set(step: Redirect, context: Context) -> tuple[list[Node], Redirect]:
    """A redirect whose captures go out escaped, beside tables that would take them away: these are looked up in lines before it, for its own pattern is asked anew."""
    if not any(isinstance(part, Capture) and part.escaped for part in step.location):
        return [], step
    made: list[Node] = []
    location: list[Part] = []
    for part in step.location:
        text = context.template((part,), step.span) if isinstance(part, Lookup) and asks_patterns(part) else None
        if isinstance(text, str):
            name = context.name(f"{text[1:]} now")
            context.set_names |= {name}
            made.append(Node(["set", f"${name}", text]))
            part = Var(Variable.VARIABLE, name)
        location.append(part)
    return made, replace(step, location=tuple(location))


def _as_received(location: Template, context: Context) -> Template:
    """Path and query one after the other are the target: its path as received where nothing was rewritten."""
    last = location[-1] if location else None
    if context.rewritten or not location:
        return location
    if last == Var(Variable.QUERY, "?") and len(location) > 1 and location[-2] in (Var(Variable.PATH_ESCAPED),):
        return (*location[:-2], Var(Variable.TARGET))
    return location


def _rewrite(location: Template, step: Redirect, context: Context) -> list[str] | None:
    """The words of a `rewrite` that redirects there; None if it cannot either."""
    if step.status not in _FLAGS:
        return None
    template, query = list(location), "?"
    if template and isinstance(template[-1], Var) and template[-1].variable is Variable.QUERY and template[-1].name in ("?", "&"):
        template.pop()
        query = ""
    pattern = "^"
    whole = [number for number, part in enumerate(template) if part == Var(Variable.PATH_ESCAPED)]
    captures = [part for part in template if isinstance(part, Capture)]
    if whole and captures or len(whole) > 1:
        return None
    label = captures[0].pattern if captures else ""
    # The line asks its own pattern once more, so that another one asked in between takes no capture away, unless the path was changed since.
    if captures and all(part.pattern == label for part in captures) and label in context.texts and label in context.of_paths and (label == context.pattern or context.rewritten != "path"):
        pattern = quote(context.texts[label])
        before, context.pattern = context.pattern, label
        named, context.by_name, context.forgotten = (context.by_name, context.forgotten), context.by_name - {label}, context.forgotten - {label}
        text = context.template(tuple(template), step.span, escapes=True)
        context.pattern, (context.by_name, context.forgotten) = before, named
    elif whole:
        pattern, template[whole[0]] = "^(.*)$", Capture(1, "whole path", escaped=True)
        before = context.pattern
        context.pattern = "whole path"
        text = context.template(join(*template), step.span, escapes=True)
        context.pattern = before
    elif captures:
        return None
    else:
        text = context.template(tuple(template), step.span, escapes=True)
    if isinstance(text, Unwritable) or not text.startswith(("/", "http://", "https://", "$scheme")) and not (captures and template[0] == captures[0] and _begins_with_slash(captures[0], context, template[1:2])):
        return None
    return ["rewrite", pattern, quote(text + query), _FLAGS[step.status]]


def _begins_with_slash(capture: Capture, context: Context, behind: Sequence[Part]) -> bool:
    """Whether what a pattern takes of a path is its start: of a path that is matched, the first group that takes something at once, or has a slash behind it."""
    taken = r"\^?\((?:\.[+*]|/)" if behind and isinstance(behind[0], str) and behind[0].startswith("/") else r"\^?\((?:\.\+|/)"
    return capture.group == 1 and re.match(taken, context.texts[capture.pattern]) is not None


# A literal, and one group for all that follows it.
_PREFIX_AND_REST = re.compile(r"\^((?:[\w/-]|\\[./-])+)(?:\((/?)\.\*\)\??)\$?")


def _from_original(location: Template, step: Redirect, context: Context) -> list[Node] | None:
    """A Location with the path that the client sent: it is taken from the target, whatever was rewritten by then."""
    plain = tuple(Capture(1, "as received") if part == Var(Variable.ORIGINAL_PATH) else part for part in location)
    before, context.pattern = context.pattern, "as received"
    text = context.template(plain, step.span)
    context.pattern = before
    if isinstance(text, Unwritable):
        return None
    spans = (step.span,) if step.span else ()
    return [Node(["if", f"($request_uri ~ {quote('^([^?]*)')})"], [Node(["return", str(step.status), quote(text)], None, spans)], spans, step.comments)]


def _from_received(location: Template, step: Redirect, context: Context) -> list[Node] | None:
    """For statuses that a `rewrite` cannot send: what follows the prefix, as it was received."""
    found = _PREFIX_AND_REST.fullmatch(context.texts.get(context.pattern, ""))
    captures = [part for part in location if isinstance(part, Capture)]
    if found is None or context.rewritten == "path" or context.pattern not in context.of_paths or len(captures) != 1 or captures[0].group != 1:
        return None
    plain = tuple(Capture(1, "as received") if isinstance(part, Capture) else part for part in location)
    before, context.pattern = context.pattern, "as received"
    text = context.template(plain, step.span)
    context.pattern = before
    if isinstance(text, Unwritable):
        return None
    spans = (step.span,) if step.span else ()
    test = f"($request_uri ~ {quote(f'^{found[1]}({found[2]}[^?]*)?')})"
    return [Node(["if", test], [Node(["return", str(step.status), quote(text)], None, spans)], spans, step.comments)]


def asked_before(test: Node, context: Context) -> tuple[list[Node], list[Node]]:
    """An answer within a test of its own, for a place that is an `if` already: the lines before that, and the answer in it."""
    name = context.name("as received")
    kept = [Node(["set", f"${name}", '""']), Node(["if", test.words[1]], [Node(["set", f"${name}", "$1"])], test.spans)]
    made = test.block[0]  # type: ignore[index]
    made.words[-1] = quote(re.sub(r"\$1(?!\d)|\$\{1\}", f"${{{name}}}", made.words[-1].strip('"')))
    made.comments = test.comments
    return kept, [made]


def rewrite_words(pattern: str, step: Redirect, context: Context, within: bool = False) -> list[str] | None:
    """The words of a `rewrite` by this pattern whose captures the Location has; None if that is not what it needs. within: it may have none."""
    template, query = step.location, "?"
    if template and isinstance(template[-1], Var) and template[-1].variable is Variable.QUERY and template[-1].name in ("?", "&"):
        template, query = template[:-1], ""
    captures = [part for part in template if isinstance(part, Capture)]
    if step.status not in _FLAGS or not any(part.escaped for part in captures) and not (within and fixed(template)):
        return None
    text = context.template(template, step.span, escapes=True)
    if isinstance(text, Unwritable) or not text.startswith(("/", "http://", "https://", "$scheme")) and not (captures and template[0] == captures[0] and _begins_with_slash(captures[0], context, template[1:2])):
        return None
    return ["rewrite", quote(pattern), quote(text + query), _FLAGS[step.status]]


def write_respond(step: Respond, context: Context) -> list[Node] | Unwritable:
    """An error of the server's own is a bare status; anything final has a text, if only an empty one."""
    spans = (step.span,) if step.span else ()
    if step.raises:
        return [Node(["return", str(step.status)], None, spans, step.comments)]
    body = context.template(step.body, step.span)
    if isinstance(body, Unwritable):
        return body
    words = ["return", str(step.status)]
    if not body and step.status >= 400:
        # A text of nothing would be none, and the status get a page of nginx's own; one that comes out empty is one.
        context.set_names |= {"nothing"}
        why = ("An answer without content, as before: a bare status would get a page.",)
        return [Node(["set", "$nothing", '""'], None, (), why), Node([*words, "$nothing"], None, spans, step.comments)]
    if body or step.status >= 300:
        words.append(quote(body))
    return [Node(words, None, spans, step.comments)]


def write_abort(step: Abort, context: Context) -> list[Node]:
    return [Node(["return", "444"], None, (step.span,) if step.span else ())]


WRITES = {Redirect: write_redirect, Respond: write_respond, Abort: write_abort}
