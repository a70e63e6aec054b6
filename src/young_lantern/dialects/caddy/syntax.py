"""Caddyfile text <-> tree; every byte comes back: a token owns the blanks and comments before it.

Source:   Caddy documentation, "Caddyfile Concepts"; caddyfile lexer (2.6.2): a word starts a comment only after a blank,
          a quote only at its start, a block brace stands at the end of its line.
Unknown:  what the lexer or parser refuses is SourceUnreadable with file and line.
Left out: heredocs, which came after 2.6.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from ...errors import SourceUnreadable
from ...model import Span

LIMIT_DEPTH = 60


_OF_IMPORTS = re.compile(r"\\([{}])|\{args\.(\d+)\}")


@dataclass(slots=True)
class Word:
    lead: str
    raw: str
    line: int
    column: int
    imports: tuple[tuple[str, ...], ...] = ()  # the arguments of each import that it has come through, of a file or a snippet, the innermost first

    @property
    def spelt(self) -> str:
        """The word with its quotes, after its imports. parse.go, doImport (2.6.2, probed): each puts its arguments in, and takes one backslash from before a brace."""
        made = self.raw
        for arguments in self.imports:
            made = _OF_IMPORTS.sub(lambda found: found[1] or (arguments[int(found[2])] if int(found[2]) < len(arguments) else found[0]), made)
        return made

    @property
    def text(self) -> str:
        made = self.spelt
        if self.raw[:1] == "`":
            return made[1:-1]
        if self.raw[:1] == '"':
            return made[1:-1].replace('\\"', '"')
        return made


@dataclass(slots=True)
class Directive:
    """A line of words, and the block that opens at its end. `opening` ends in `{`, `closing` in `}`."""

    words: list[Word]
    opening: str
    block: list["Directive"] | None
    closing: str
    file: str
    end_line: int
    span: Span = field(init=False)

    def __post_init__(self) -> None:
        first = self.words[0] if self.words else None
        self.span = Span(self.file, first.line if first else self.end_line, first.column if first else 1,
                         " ".join(word.raw for word in self.words) or "{", self.end_line)

    @property
    def name(self) -> str:
        return self.words[0].text if self.words else ""

    @property
    def args(self) -> list[str]:
        return [word.text for word in self.words[1:]]

    @property
    def comments(self) -> tuple[str, ...]:
        lines = self.words[0].lead.split("\n\n")[-1].splitlines() if self.words else []
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


class _Reader:
    def __init__(self, text: str, name: str) -> None:
        self.text, self.name, self.at, self.line, self.line_start = text, name, 0, 1, 0

    def error(self, message: str, line: int | None = None) -> SourceUnreadable:
        return SourceUnreadable(message, file=self.name, line=line or self.line)

    def advance(self, end: int) -> str:
        piece = self.text[self.at:end]
        if "\n" in piece:
            self.line += piece.count("\n")
            self.line_start = self.at + piece.rindex("\n") + 1
        self.at = end
        return piece

    def lead(self, within_line: bool) -> str:
        """Blanks and comments; `within_line` stops before a line break that no backslash takes away."""
        at, text = self.at, self.text
        while at < len(text):
            character = text[at]
            if character == "\n" and within_line:
                break
            if character in " \t\r\n":
                at += 1
            elif character == "\\" and text[at + 1:at + 2] == "\n":
                at += 2
            elif character == "#":
                end = text.find("\n", at)
                at = len(text) if end < 0 else end
            else:
                break
        return self.advance(at)

    def word(self, lead: str) -> Word:
        line, column, start, text = self.line, self.at - self.line_start + 1, self.at, self.text
        quote = text[start] if text[start] in '"`' else ""
        at = start + len(quote)
        while True:
            if at >= len(text):
                if quote:
                    raise self.error(f"end of file inside a quoted word; expected {quote}", line)
                break
            character = text[at]
            if quote:
                if character == "\\" and quote == '"' and text[at + 1:at + 2] == '"':
                    at += 1
                elif character == quote:
                    at += 1
                    break
            elif text.startswith("{{", at):
                end = text.find("}}", at)
                at = end + 1 if end > 0 else at
            elif character in " \t\r\n":
                break
            at += 1
        return Word(lead, self.advance(at), line, column)

    def directives(self, depth: int) -> tuple[list[Directive], str]:
        if depth > LIMIT_DEPTH:
            raise self.error(f"blocks nested deeper than {LIMIT_DEPTH}")
        found: list[Directive] = []
        while True:
            lead = self.lead(within_line=False)
            if self.at >= len(self.text):
                if depth:
                    raise self.error("unexpected end of file; expected '}'")
                return found, lead
            if self.lone("}"):
                if not depth:
                    raise self.error("unexpected '}'")
                return found, lead + self.advance(self.at + 1)
            found.append(self.directive(lead, depth))

    def lone(self, sign: str) -> bool:
        return self.text[self.at] == sign and self.text[self.at + 1:self.at + 2] in ("", " ", "\t", "\r", "\n", "#")

    def directive(self, lead: str, depth: int) -> Directive:
        words: list[Word] = []
        while True:
            if self.at >= len(self.text) or self.text[self.at] == "\n":
                if words and words[-1].raw.endswith(",") and self.at < len(self.text) and not depth:
                    lead += self.lead(within_line=False)
                    continue
                return Directive(words, lead, None, "", self.name, words[-1].line)
            if self.lone("{"):
                opening = lead + self.advance(self.at + 1)
                block, closing = self.directives(depth + 1)
                return Directive(words, opening, block, closing, self.name, self.line)
            if self.lone("}") and words:
                # A closing brace may end the line of a one-line block's last directive.
                return Directive(words, lead, None, "", self.name, words[-1].line)
            words.append(self.word(lead))
            lead = self.lead(within_line=True)


def parse(text: str, name: str) -> File:
    """Text -> tree. Raises SourceUnreadable with file and line."""
    directives, tail = _Reader(text, name).directives(0)
    return File(name, directives, tail)


def print_file(file: File) -> str:
    """Tree -> text; the mirror of parse, byte for byte."""
    return "".join(map(_print, file.directives)) + file.tail


def _print(directive: Directive) -> str:
    text = "".join(word.lead + word.raw for word in directive.words) + directive.opening
    return text if directive.block is None else text + "".join(map(_print, directive.block)) + directive.closing
