"""Caddy `expression` matchers (CEL) -> conditions, as far as they are made of what other matchers ask. Used by: matchers.py.

Source:   Caddy documentation, "Request Matchers", expression; celmatcher.go (2.6.2, probed): a placeholder is what it stands for, and each matcher
          of requests is a function of the same name, whose words are its values.
Rule:     `!` binds closest, then comparisons, `&&`, `||`.
Unknown:  anything else makes the whole expression unread: None.
"""

from __future__ import annotations

import ast
import operator
import re
from collections.abc import Callable

from ....model import ALWAYS, AllOf, AnyOf, Condition, Not, Pattern, Placeholder, Span, Template, TextIs, TextMatches, join
from ....model.placeholders import PLACEHOLDER
from ..syntax import Directive, Word

_STATUS = ("err.status_code", "http.error.status_code")
_ORDERS: dict[str, Callable[[int, int], bool]] = {">=": operator.ge, "<=": operator.le, ">": operator.gt, "<": operator.lt}
_STRING = re.compile(r'"(?:[^"\\]|\\.)*"|\'(?:[^\'\\]|\\.)*\'')
_PLACEHOLDER = re.compile(r"\{([\w.-]+)\}")
_FUNCTIONS = ("path", "host", "method", "protocol", "remote_ip", "header", "query", "path_regexp", "header_regexp", "file")


class _NotRead(Exception):
    """Some part of the expression is not read; caught where reading began."""


class Reader:
    """template: a placeholder by its name; matcher: a line of a matcher -> its condition."""

    def __init__(self, text: str, line: Directive, template: Callable[[str], Template], matcher: Callable[[Directive], Condition | None]) -> None:
        self.text, self.line, self.at = text, line, 0
        self.template, self.matcher = template, matcher

    @property
    def span(self) -> Span:
        return self.line.span

    def read(self) -> Condition | None:
        try:
            made = self.either()
            self.blank()
        except _NotRead:
            return None
        return made if self.at == len(self.text) else None

    def blank(self) -> None:
        while self.at < len(self.text) and self.text[self.at].isspace():
            self.at += 1

    def take(self, *signs: str) -> str | None:
        self.blank()
        for sign in signs:
            if self.text.startswith(sign, self.at):
                after = self.text[self.at + len(sign):self.at + len(sign) + 1]
                if sign[-1].isalnum() and (after.isalnum() or after == "_"):
                    continue
                self.at += len(sign)
                return sign
        return None

    def need(self, sign: str) -> None:
        if self.take(sign) is None:
            raise _NotRead

    def found(self, pattern: re.Pattern[str]) -> re.Match[str] | None:
        self.blank()
        found = pattern.match(self.text, self.at)
        if found:
            self.at = found.end()
        return found

    # --- conditions ---------------------------------------------------------------------------------------------------------

    def either(self) -> Condition:
        parts = [self.both()]
        while self.take("||"):
            parts.append(self.both())
        return parts[0] if len(parts) == 1 else AnyOf(tuple(parts), self.span)

    def both(self) -> Condition:
        parts = [self.one()]
        while self.take("&&"):
            parts.append(self.one())
        return parts[0] if len(parts) == 1 else AllOf(tuple(parts), self.span)

    def one(self) -> Condition:
        self.blank()
        if self.text.startswith("!", self.at) and not self.text.startswith("!=", self.at):
            self.at += 1
            return Not(self.one(), self.span)
        if self.take("("):
            made = self.either()
            self.need(")")
            return made
        if self.take("true"):
            return ALWAYS
        if self.take("false"):
            return Not(ALWAYS)
        if found := self.found(_PLACEHOLDER):
            return self.compared(self.template(found[1]), found[1])
        if self.text.startswith(("\"", "'"), self.at):
            return self.compared(self.open_text())
        for name in _FUNCTIONS:
            if self.take(name):
                return self.called(name)
        raise _NotRead

    def open_text(self) -> Template:
        """A text that is filled in before Caddy reads it, in the place of a placeholder."""
        text = self.value()
        pieces = PLACEHOLDER.split(text)[::PLACEHOLDER.groups + 1]
        if len(pieces) < 2 or any("{" in piece for piece in pieces):
            raise _NotRead
        spellings = [Placeholder(found[0]) for found in PLACEHOLDER.finditer(text)]
        return join(*(part for pair in zip(pieces, [*spellings, ""], strict=True) for part in pair))

    def compared(self, template: Template, name: str = "") -> Condition:
        """What is asked of a placeholder."""
        if self.take("."):
            return self.asked(template)
        sign = self.take("==", "!=", "in", ">=", "<=", ">", "<")
        if sign is None:
            raise _NotRead
        if sign in _ORDERS:
            number = self.found(re.compile(r"\d+"))
            if number is None or name not in _STATUS:
                raise _NotRead
            # Statuses are all that such comparisons are read of: the ones that are meant, one by one (RFC 9110 section 15).
            held = tuple(str(status) for status in range(400, 600) if _ORDERS[sign](status, int(number[0])))
            return TextIs(template, held, span=self.span)
        same = TextIs(template, self.list() if sign == "in" else () if self.take("null") else (self.value(),), span=self.span)
        return Not(same, self.span) if sign == "!=" else same

    def asked(self, template: Template) -> Condition:
        """`{x}.startsWith("…")` and its like."""
        name = self.take("startsWith", "endsWith", "contains", "matches")
        if name is None:
            raise _NotRead
        self.need("(")
        text = self.value()
        self.need(")")
        plain = re.escape(text)
        pattern = {"startsWith": f"^{plain}", "endsWith": f"{plain}$", "contains": plain, "matches": text}[name]
        return TextMatches(template, Pattern(pattern, "re2"), span=self.span, needs_value=True)

    def called(self, name: str) -> Condition:
        """`path("/a", "/b*")`: the matcher of that name with these values."""
        self.need("(")
        words: list[str] = []
        if self.take("{"):
            while not self.take("}"):
                key = self.value()
                self.need(":")
                values = self.list() if self.text[self.at:].lstrip().startswith("[") else (self.value(),)
                words += [f"{key}={value}" for value in values] if name == "query" else [key, *values]
                if not self.take(",") and not self.text[self.at:].lstrip().startswith("}"):
                    raise _NotRead
            if name not in ("header", "query") or name == "header" and len(words) < 2:
                raise _NotRead
        else:
            words.append(self.value())
            while self.take(","):
                words.append(self.value())
            if name in ("header", "query"):
                raise _NotRead
        self.need(")")
        if name == "protocol":
            words = [word.lower() for word in words]  # CELLibrary (2.6.2, probed): here alone
        first = self.line.words[0]
        made = Directive([Word("", name, first.line, first.column), *(Word(" ", f"`{word}`", first.line, first.column) for word in words)], "", None, "", self.line.file, self.line.end_line)
        made.span = self.span
        condition = self.matcher(made)
        if condition is None:
            raise _NotRead
        return condition

    # --- values -------------------------------------------------------------------------------------------------------------

    def value(self) -> str:
        if found := self.found(_STRING):
            try:
                return str(ast.literal_eval(found[0]))
            except (SyntaxError, ValueError):
                raise _NotRead from None
        if found := self.found(re.compile(r"\d+")):
            return found[0]
        raise _NotRead

    def list(self) -> tuple[str, ...]:
        self.need("[")
        made: list[str] = []
        while not self.take("]"):
            made.append(self.value())
            if not self.take(",") and not self.text[self.at:].lstrip().startswith("]"):
                raise _NotRead
        return tuple(made)
