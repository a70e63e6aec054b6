"""Rules of the RewriteValve: a line -> words. Mirror: none, for Tomcat is read only.

Source:   RewriteValve.parse and its QuotedStringTokenizer (10.1.60): words part at blanks; a word in quotes ends at the next quote, and a
          backslash in it is none of the word, whatever comes behind it; a number sign at the beginning of a word ends the line.
Unknown:  a line that begins with anything but RewriteCond, RewriteRule, RewriteMap or a number sign keeps Tomcat from starting.
"""

from __future__ import annotations

from dataclasses import dataclass

from ...model import Span


@dataclass(frozen=True, slots=True)
class Line:
    """A line that says something: its words, and the comments above it."""

    words: tuple[str, ...]
    span: Span
    comments: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return self.words[0]

    @property
    def args(self) -> tuple[str, ...]:
        return self.words[1:]

    @property
    def flags(self) -> tuple[str, ...]:
        """`[NC,L]` -> NC, L."""
        text = self.words[3] if len(self.words) > 3 else ""
        if text.startswith("[") and text.endswith("]"):
            text = text[1:-1]
        return tuple(flag for flag in text.split(",") if flag)


def parse(text: str, name: str) -> list[Line]:
    """The lines of a file of rules, without comments and empty ones."""
    made: list[Line] = []
    comments: list[str] = []
    for number, line in enumerate(text.splitlines(), 1):
        words = _words(line)
        if words:
            column = len(line) - len(line.lstrip()) + 1
            made.append(Line(tuple(words), Span(name, number, column, " ".join(line.split()), number), tuple(comments)))
        if words or not line.strip():
            comments.clear()
        else:
            comments.append(line.strip().lstrip("#").strip())
    return made


def _words(line: str) -> list[str]:
    words: list[str] = []
    at = 0
    while at < len(line):
        if line[at].isspace():
            at += 1
            continue
        if line[at] == "#":
            break
        made, quoted = "", line[at] == '"'
        at += quoted
        while at < len(line) and not (line[at] == '"' if quoted else line[at].isspace()):
            at += quoted and line[at] == "\\"
            made += line[at:at + 1]
            at += 1
        at += quoted
        words.append(made)
    return words
