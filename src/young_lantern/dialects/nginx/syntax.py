"""nginx text <-> tree; every byte comes back: a token owns the blanks and comments before it.

Source:   nginx core, ngx_conf_read_token; read for 1.22 to 1.27.
Unknown:  what the tokeniser of the server refuses is SourceUnreadable with file and line.
Left out: embedded scripts in braces (third-party modules).
Cases:    tests/test_syntax.py
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from ...errors import SourceUnreadable
from ...model import Span

_BLANK = " \t\r\n"
_STATEMENT = re.compile(r"\{%")
LIMIT_DEPTH = 60


@dataclass(slots=True)
class Word:
    """`lead` blanks and comments, then `raw` as written. `text` is what the server sees."""

    lead: str
    raw: str
    line: int
    column: int

    @property
    def quoted(self) -> bool:
        return self.raw[:1] in "\"'"

    @property
    def text(self) -> str:
        inner = self.raw[1:-1] if self.quoted else self.raw
        return _unescape(inner)


@dataclass(slots=True)
class Directive:
    """Words, and a block or a semicolon. `ending` is what stands before and at `;` or `{`, `closing` at `}`."""

    words: list[Word]
    ending: str
    block: list["Directive"] | None
    closing: str
    file: str
    end_line: int
    span: Span = field(init=False)

    def __post_init__(self) -> None:
        first = self.words[0]
        self.span = Span(self.file, first.line, first.column, " ".join(word.raw for word in self.words), self.end_line)

    @property
    def name(self) -> str:
        return self.words[0].text

    @property
    def args(self) -> list[str]:
        return [word.text for word in self.words[1:]]

    @property
    def comments(self) -> tuple[str, ...]:
        """The comments directly above, without their sign."""
        lines = self.words[0].lead.split("\n\n")[-1].splitlines()
        return tuple(line.strip().lstrip("#").strip() for line in lines if line.strip().startswith("#"))

    def walk(self) -> Iterator["Directive"]:
        yield self
        for inner in self.block or ():
            yield from inner.walk()


@dataclass(slots=True)
class File:
    name: str
    directives: list[Directive]
    tail: str

    def walk(self) -> Iterator[Directive]:
        for directive in self.directives:
            yield from directive.walk()


def _unescape(text: str) -> str:
    # ngx_conf_read_token: a backslash stays, except before quotes, a backslash, and t, r, n.
    if "\\" not in text:
        return text
    table = {'"': '"', "'": "'", "\\": "\\", "t": "\t", "r": "\r", "n": "\n"}
    return re.sub(r"\\([\"'\\trn])", lambda found: table[found[1]], text)


class _Reader:
    def __init__(self, text: str, name: str) -> None:
        self.text, self.name, self.at, self.line, self.line_start = text, name, 0, 1, 0

    def error(self, message: str, line: int | None = None) -> SourceUnreadable:
        return SourceUnreadable(message, file=self.name, line=line or self.line)

    def advance(self, end: int) -> str:
        piece = self.text[self.at:end]
        newlines = piece.count("\n")
        if newlines:
            self.line += newlines
            self.line_start = self.at + piece.rindex("\n") + 1
        self.at = end
        return piece

    def lead(self) -> str:
        at, text = self.at, self.text
        while at < len(text):
            if text[at] in _BLANK:
                at += 1
            elif text[at] == "#":
                end = text.find("\n", at)
                at = len(text) if end < 0 else end
            else:
                break
        return self.advance(at)

    def word(self, lead: str) -> Word:
        line, column, start = self.line, self.at - self.line_start + 1, self.at
        text = self.text
        quote = text[start] if text[start] in "\"'" else ""
        at = start + len(quote)
        while True:
            if at >= len(text):
                raise self.error(f"end of file inside a word that began here: expected {quote or ';'!r}", line)
            character = text[at]
            if character == "\\":
                at += 2
            elif quote:
                at += 1
                if character == quote:
                    break
            elif text.startswith("{{", at):
                at = self._placeholder(at)
            elif _STATEMENT.match(text, at):
                raise self.error("a template statement {% … %} stands here: fill the template first, or leave only values open")
            elif character == "$" and text[at + 1:at + 2] == "{":
                at += 2
            elif character in _BLANK or character in ";{":
                break
            else:
                at += 1
        if quote and at < len(text) and text[at] not in _BLANK + ";{)":
            raise self.error(f"unexpected {text[at]!r} after a closing quote; expected a blank, ';' or '{{'")
        return Word(lead, self.advance(at), line, column)

    def _placeholder(self, at: int) -> int:
        end = self.text.find("}}", at)
        if end < 0 or "\n" in self.text[at:end]:
            raise self.error("a placeholder {{ … without its }}")
        return end + 2

    def directives(self, depth: int) -> tuple[list[Directive], str]:
        if depth > LIMIT_DEPTH:
            raise self.error(f"blocks nested deeper than {LIMIT_DEPTH}")
        found: list[Directive] = []
        while True:
            lead = self.lead()
            if self.at >= len(self.text):
                if depth:
                    raise self.error("unexpected end of file; expected '}'")
                return found, lead
            character = self.text[self.at]
            if character == "}":
                if not depth:
                    raise self.error("unexpected '}'")
                return found, lead + self.advance(self.at + 1)
            if _STATEMENT.match(self.text, self.at):
                raise self.error("a template statement {% … %} stands here: fill the template first, or leave only values open")
            if character == ";" or (character == "{" and not self.text.startswith("{{", self.at)):
                raise self.error(f"unexpected {character!r}; expected the name of a directive")
            found.append(self.directive(lead, depth))

    def directive(self, lead: str, depth: int) -> Directive:
        words = [self.word(lead)]
        while True:
            between = self.lead()
            if self.at >= len(self.text):
                raise self.error(f"unexpected end of file; expected ';' or '{{' after {words[0].raw!r}", words[-1].line)
            character = self.text[self.at]
            if character == ";":
                ending = between + self.advance(self.at + 1)
                return Directive(words, ending, None, "", self.name, self.line)
            if character == "{" and not self.text.startswith("{{", self.at):
                ending = between + self.advance(self.at + 1)
                block, closing = self.directives(depth + 1)
                return Directive(words, ending, block, closing, self.name, self.line)
            if character == "}":
                raise self.error(f"unexpected '}}'; expected ';' after {words[-1].raw!r}")
            words.append(self.word(between))


def parse(text: str, name: str) -> File:
    """Text -> tree. Raises SourceUnreadable with file and line."""
    reader = _Reader(text, name)
    directives, tail = reader.directives(0)
    return File(name, directives, tail)


def print_file(file: File) -> str:
    """Tree -> text; the mirror of parse, byte for byte."""
    return "".join(map(print_directive, file.directives)) + file.tail


def print_directive(directive: Directive) -> str:
    words = "".join(word.lead + word.raw for word in directive.words)
    if directive.block is None:
        return words + directive.ending
    return words + directive.ending + "".join(map(print_directive, directive.block)) + directive.closing
