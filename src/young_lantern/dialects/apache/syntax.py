"""httpd text <-> tree; every byte comes back: a line owns the blank lines and comments before it.

Source:   Apache HTTP Server manual, "Configuration Files"; util.c ap_cfg_getline, ap_getword_conf (2.4.71).
Rule:     one directive a line, a backslash at the line's end goes on; `<Name …>` opens a section, `</Name>` closes it.
Unknown:  a section that is not closed, or closed by another name, is SourceUnreadable with file and line.
Cases:    tests/test_syntax.py
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from ...errors import SourceUnreadable
from ...model import Span

LIMIT_DEPTH = 60
# A placeholder {{ … }} may have blanks in it; it is filled before httpd sees them.
_WORD = re.compile(r'\s*("(?:\\.|[^"\\])*"|\'(?:\\.|[^\'\\])*\'|(?:\{\{[^\n]*?\}\}|\S)+)', re.DOTALL)
_CONTINUED = re.compile(r"\\\r?\n")
_SECTION = re.compile(r"<(/?)\s*([A-Za-z][\w-]*)\s*(.*?)\s*>?\s*$", re.DOTALL)


# mod_rewrite.c, parseargline (2.4.71, probed): it takes its line apart by itself, and leaves every backslash where it is.
OWN_WORDS = ("rewriterule", "rewritecond")


@dataclass(slots=True)
class Word:
    """`lead` blanks, then `raw` as written. `text` is what the server sees, before `${NAME}` is put in."""

    lead: str
    raw: str

    @property
    def text(self) -> str:
        # ap_getword_conf: a backslash is taken away before the quote around the word, and before another backslash.
        return re.sub(rf"\\([\\{self.quote}])", r"\1", self.inner)

    @property
    def quote(self) -> str:
        """The sign around the word, if there is one."""
        return self.raw[0] if len(self.raw) > 1 and self.raw[0] in "\"'" and self.raw[-1] == self.raw[0] else ""

    @property
    def inner(self) -> str:
        """The word without its quotes, backslashes and all."""
        return self.raw[1:-1] if self.quote else self.raw


@dataclass(slots=True)
class Directive:
    """A line, or a section with `block`. `lead` is what stands before it, `ending` what follows its last word, `closing`
    the end of a section with what stands before that."""

    lead: str
    words: list[Word]
    ending: str
    block: list["Directive"] | None
    closing: str
    file: str
    line: int
    end_line: int
    span: Span = field(init=False)

    def __post_init__(self) -> None:
        column = len(self.lead) - (self.lead.rfind("\n") + 1) + 1
        sign = ("<", ">") if self.block is not None else ("", "")
        shown = " ".join(word.raw for word in self.words)
        self.span = Span(self.file, self.line, column, f"{sign[0]}{shown}{sign[1]}", self.end_line)

    @property
    def name(self) -> str:
        """In lower case, for the server does not mind; a section's with its sign: `<location`."""
        return ("<" if self.block is not None else "") + self.words[0].raw.lower()

    @property
    def args(self) -> list[str]:
        return [word.inner if self.name in OWN_WORDS else word.text for word in self.words[1:]]

    @property
    def comments(self) -> tuple[str, ...]:
        """The comments directly above, without their sign."""
        lines = self.lead.split("\n\n")[-1].splitlines()
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


class _Reader:
    def __init__(self, text: str, name: str) -> None:
        self.name, self.number = name, 0
        self.lines = _logical_lines(text)

    def directives(self, opened: tuple[str, int] | None, depth: int) -> tuple[list[Directive], str]:
        """The directives up to the section's end, and what stands before and at that."""
        if depth > LIMIT_DEPTH:
            raise SourceUnreadable(f"sections nested deeper than {LIMIT_DEPTH}", file=self.name, line=self.number)
        found: list[Directive] = []
        lead = ""
        while self.lines:
            line = self.lines.pop(0)
            begins, self.number = self.number + 1, self.number + line.count("\n") + (not line.endswith("\n"))
            bare = line.strip()
            if not bare or bare.startswith("#"):
                lead += line
            elif bare.startswith("</"):
                closed = _SECTION.match(bare)
                if opened is None or closed is None or closed[2].lower() != opened[0].lower():
                    wanted = f"; expected </{opened[0]}> for line {opened[1]}" if opened else ""
                    raise SourceUnreadable(f"unexpected {bare.split()[0]}{wanted}", file=self.name, line=begins)
                return found, lead + line
            else:
                found.append(self._directive(lead, line, begins, depth))
                lead = ""
        if opened is not None:
            raise SourceUnreadable(f"unexpected end of file; expected </{opened[0]}> for line {opened[1]}", file=self.name, line=self.number)
        return found, lead

    def _directive(self, lead: str, line: str, begins: int, depth: int) -> Directive:
        indent = line[:len(line) - len(line.lstrip())]
        rest = line[len(indent):]
        if not rest.startswith("<"):
            words, ending = _words(rest)
            return Directive(lead + indent, words, ending, None, "", self.name, begins, self.number)
        end = rest.rstrip().endswith(">")
        if not end or not re.match(r"<[A-Za-z]", rest):
            raise SourceUnreadable(f"{rest.split()[0]} opens no section; expected <Name …>", file=self.name, line=begins)
        last = rest.rindex(">")
        words, blank = _words(rest[1:last])
        block, closing = self.directives((words[0].raw, begins), depth + 1)
        return Directive(lead + indent, words, blank + rest[last:], block, closing, self.name, begins, self.number)


def _logical_lines(text: str) -> list[str]:
    """The lines, with those that a backslash continues in one."""
    lines: list[str] = []
    going_on = False
    for line in re.findall(r"[^\n]*\n|[^\n]+", text):
        if going_on:
            lines[-1] += line
        else:
            lines.append(line)
        going_on = bool(_CONTINUED.search(line[-3:]))
    return lines


def _words(text: str) -> tuple[list[Word], str]:
    """The words of a logical line, and what follows the last. A continued line's break is part of the blanks."""
    words: list[Word] = []
    at = 0
    while True:
        lead = re.compile(r"(?:\s|\\\r?\n)*").match(text, at)
        assert lead is not None
        begin = lead.end()
        if begin >= len(text):
            return words, text[at:]
        found = _WORD.match(text, begin)
        assert found is not None
        raw = found[1]
        broken = _CONTINUED.search(raw)
        if broken and raw[0] not in "\"'":
            raw = raw[:broken.start()]
        words.append(Word(text[at:begin], raw))
        at = begin + len(raw)


def parse(text: str, name: str) -> File:
    """Text -> tree. Raises SourceUnreadable with file and line."""
    reader = _Reader(text, name)
    directives, tail = reader.directives(None, 0)
    return File(name, directives, tail)


def print_file(file: File) -> str:
    """Tree -> text; the mirror of parse, byte for byte."""
    return "".join(map(print_directive, file.directives)) + file.tail


def print_directive(directive: Directive) -> str:
    words = "".join(word.lead + word.raw for word in directive.words)
    if directive.block is None:
        return directive.lead + words + directive.ending
    return directive.lead + "<" + words + directive.ending + "".join(map(print_directive, directive.block)) + directive.closing
