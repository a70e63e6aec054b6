"""httpd `RewriteRule` flag CO -> a Set-Cookie field.

Source:   Apache HTTP Server manual, "RewriteRule Flags", CO; mod_rewrite.c, add_cookie (2.4.71, probed).
Rule:     name, value and domain between colons, or semicolons if the first sign is one; then minutes, path, secure, httponly, SameSite. Two signs beside each
          other part like one, so that an empty value moves all that follows; without a domain nothing is sent. It goes with every answer, on whatever round
          of the request it was set, and of several with one name the first.
Unknown:  a value, or another part, that a request may leave empty or bring a sign between parts in: that is told, and such requests are left open. How long it lasts, and
          whom it is shown, are the same for every request, or else the rule is not read.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from ....codes import COOKIE_PARTS
from ....model import Capture, Choose, Field, HttpDate, Operation, Pattern, Route, Side, Step, Template, TextMatches, Unserved, Var, Variable, join
from ....patterns.groups import fits, inside_group, is_plain
from .context import Context, Node

_ALWAYS_A_WORD = (Var(Variable.METHOD), Var(Variable.SITE_NAME))
_YES = {"secure": ("true", "1", "secure"), "httponly": ("true", "1", "httponly")}


def words_of(flag: str) -> list[str]:
    """The parts of a flag; a sign within a variable's braces parts nothing."""
    sign = ";" if flag.startswith(";") else ":"
    return [word for word in re.split(rf"{sign}(?![^{{}}]*\}})", flag) if word]


def trouble(flag: str) -> str:
    """What of a flag is not read; "" where all is."""
    return next((word for word in words_of(flag)[3:4] + words_of(flag)[5:] if re.search("[$%]", word)), "")


def steps_of(flag: str, template: Callable[[str], Template], pattern: str, node: Node, context: Context) -> tuple[Step, ...]:
    """What one flag does; nothing where a part that must be there is missing. pattern: the rule's, whose groups the flag may name."""
    sign = ";" if flag.startswith(";") else ":"
    words, span = words_of(flag), node.span
    if len(words) < 3:
        return ()
    name, value, domain, minutes, path, secure, httponly, same_site, *_ = (*words, *[""] * 8)
    parts = [template(word) for word in (name, value, domain, path)]
    made: Template = join(parts[0], "=", parts[1], "; path=", parts[3] or ("/",), "; domain=", parts[2])
    if seconds := _number(minutes) * 60:
        made = join(made, "; expires=", (HttpDate(seconds, by_hyphens=True),))
    ends = "".join(f"; {said}" for said, word in (("secure", secure), ("HttpOnly", httponly)) if word.lower() in _YES[said.lower()])
    if same_site and same_site.lower() not in ("false", "0"):
        ends += f"; SameSite={same_site}"
    field = Field(Side.RESPONSE, Operation.ADD, "Set-Cookie", join(made, ends), at_once=True, apart=True, stays=True, span=span)
    unsure = [part for part in parts if part and not _is_one_word(part, pattern)]
    if unsure:
        context.say(COOKIE_PARTS, span, flag=flag)
    open_ = tuple(Route(TextMatches(part, Pattern(f"^$|{sign}"), span=span), (Unserved(span.directive, span),), span, accident=True) for part in unsure)
    return (*((Choose(open_, span),) if open_ else ()), field)


def _is_one_word(part: Template, pattern: str) -> bool:
    """Whether a part is never empty, and holds no sign at which words part."""
    held = False
    for piece in part:
        inside = inside_group(pattern, piece.group) if isinstance(piece, Capture) and isinstance(piece.group, int) else None
        if isinstance(piece, str):
            held = held or piece != ""
        elif piece in _ALWAYS_A_WORD:
            held = True
        elif inside is None or not is_plain(pattern, piece.group):  # type: ignore[union-attr]
            return False
        else:
            held = held or not fits(Pattern(inside), "")
    return held


def _number(text: str) -> int:
    """C, atol: the digits at the front, after a sign."""
    sign = -1 if text.startswith("-") else 1
    digits = text.lstrip("+-")
    return sign * int(digits[:len(digits) - len(digits.lstrip("0123456789"))] or 0)
