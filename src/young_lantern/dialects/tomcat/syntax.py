"""Tomcat's XML files: text <-> tree of elements. Every byte comes back: a copy is made by replacing what stands between two offsets.

Source:   XML 1.0; read by expat, which knows where in the file each element stands. No entity is read, and nothing is fetched.
Unknown:  what is no well-formed XML is SourceUnreadable with its line, and so is a declaration of entities.
Cases:    tests/test_tomcat_reader.py
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from xml.parsers import expat
from xml.sax.saxutils import escape

from ...errors import SourceUnreadable
from ...model import Span

_TAG = re.compile(rb"""<[^\s/>]+(?:\s+[^\s=]+\s*=\s*(?:"[^"]*"|'[^']*'))*\s*(/?)>""")
_ATTRIBUTE = re.compile(rb"""\s([^\s=]+)\s*=\s*("[^"]*"|'[^']*')""")
LIMIT_DEPTH = 100


@dataclass(eq=False, slots=True)
class Attribute:
    """`start` and `end`: the octets of its value in the file, without the quotes."""

    name: str
    value: str
    start: int
    end: int
    span: Span


@dataclass(eq=False, slots=True)
class Element:
    """`text`: its own character data, blanks at both ends cut off; `start` to `end`: its octets in the file; `opened`: the end of its start tag."""

    name: str
    attributes: dict[str, Attribute]
    span: Span
    start: int
    opened: int
    end: int = 0
    is_empty: bool = False
    children: list["Element"] = field(default_factory=list)
    text: str = ""
    comments: tuple[str, ...] = ()

    def get(self, name: str, default: str = "") -> str:
        held = self.attributes.get(name)
        return default if held is None else held.value

    def walk(self) -> Iterator["Element"]:
        yield self
        for child in self.children:
            yield from child.walk()

    def all(self, name: str) -> list["Element"]:
        return [child for child in self.children if child.name == name]

    def first(self, name: str) -> "Element | None":
        return next((child for child in self.children if child.name == name), None)

    def said(self, name: str) -> str:
        """The text of the first child of that name; "" where there is none."""
        found = self.first(name)
        return "" if found is None else found.text


@dataclass(slots=True)
class File:
    """One file: its octets, and the element at its root."""

    data: bytes
    root: Element


def parse(text: str, name: str) -> File:
    """The tree of a file. Raises SourceUnreadable with the line."""
    data = text.encode("utf-8", "surrogateescape")
    parser = expat.ParserCreate()
    parser.buffer_text = True
    open_elements: list[Element] = []
    roots: list[Element] = []
    comments: list[str] = []

    def start(tag: str, given: dict[str, str]) -> None:
        if len(open_elements) >= LIMIT_DEPTH:
            raise SourceUnreadable(f"elements stand more than {LIMIT_DEPTH} deep in each other", file=name, line=parser.CurrentLineNumber)
        at, line, column = parser.CurrentByteIndex, parser.CurrentLineNumber, parser.CurrentColumnNumber + 1
        found = _TAG.match(data, at)
        opened = found.end() if found else at
        local = tag.rpartition(":")[2]
        attributes = _attributes(data, at, opened, given, name, line, local) if found else {}
        words = " ".join(f'{key}="{_shown(key, value)}"' for key, value in given.items() if not key.startswith("xmlns") and ":" not in key)
        made = Element(local, attributes, Span(name, line, column, f"<{local}{' ' if words else ''}{words}>", line), at, opened, is_empty=bool(found and found[1]), comments=tuple(comments))
        comments.clear()
        if open_elements:
            open_elements[-1].children.append(made)
        else:
            roots.append(made)
        open_elements.append(made)

    def end(_: str) -> None:
        made = open_elements.pop()
        made.end = made.opened if made.is_empty else data.index(b">", parser.CurrentByteIndex) + 1
        made.text = made.text.strip()
        made.span = Span(made.span.file, made.span.line, made.span.column, made.span.directive, parser.CurrentLineNumber)
        comments.clear()

    def characters(said: str) -> None:
        if open_elements:
            open_elements[-1].text += said
            if said.count("\n") > 1:
                comments.clear()  # a blank line parts a comment from what stands below

    def entity(declared: str, *_: object) -> None:
        raise SourceUnreadable(f"declares the entity {declared}, and no entity is read: put what it stands for in its place", file=name, line=parser.CurrentLineNumber)

    parser.StartElementHandler, parser.EndElementHandler, parser.CharacterDataHandler = start, end, characters
    parser.CommentHandler = lambda said: comments.append(" ".join(said.split()))
    parser.EntityDeclHandler = entity
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise SourceUnreadable(f"is no well-formed XML: {expat.errors.messages[error.code]}", file=name, line=error.lineno) from None
    except (ValueError, LookupError) as error:
        raise SourceUnreadable(f"is in a coding that cannot be read: {error}", file=name, line=1) from None
    return File(data, roots[0])


# What no report shows.
_SECRET = re.compile(r"pass(?:word|phrase)?$|secret$", re.IGNORECASE)


def _shown(name: str, value: str) -> str:
    return "***" if _SECRET.search(name) else " ".join(value.split())


def _attributes(data: bytes, at: int, opened: int, given: dict[str, str], name: str, line: int, element: str) -> dict[str, Attribute]:
    made = {}
    first = data.rfind(b"\n", 0, at) + 1
    for found in _ATTRIBUTE.finditer(data, at, opened):
        key = found[1].decode("utf-8", "replace")
        if key not in given or key.startswith("xmlns") or ":" in key:
            continue
        line_start = data.rfind(b"\n", 0, found.start(1)) + 1
        where = line + data.count(b"\n", first, found.start(1))
        span = Span(name, where, found.start(1) - line_start + 1, f'<{element} {key}="{_shown(key, given[key])}">', where)
        made[key] = Attribute(key, given[key], found.start(2) + 1, found.end(2) - 1, span)
    return made


@dataclass
class Edits:
    """Changes to be made to a file: octets from one offset to another -> text. They do not overlap."""

    file: File
    made: list[tuple[int, int, str]] = field(default_factory=list)

    def set(self, element: Element, name: str, value: str) -> None:
        """The attribute's value; it is added where there was none."""
        quoted = escape(value, {'"': "&quot;"})
        held = element.attributes.get(name)
        if held is not None:
            self.made.append((held.start, held.end, quoted))
        else:
            at = element.opened - (2 if element.is_empty else 1)
            self.made.append((at, at, f' {name}="{quoted}"'))

    def drop(self, element: Element) -> None:
        self.made.append((element.start, element.end, ""))

    def drop_attribute(self, element: Element, name: str) -> None:
        held = element.attributes.get(name)
        if held is not None:
            at = self.file.data.rindex(name.encode(), element.start, held.start)
            self.made.append((at, held.end + 1, ""))

    def replace(self, element: Element, text: str) -> None:
        self.made.append((element.start, element.end, text))

    def inside(self, element: Element, text: str) -> None:
        """Text behind the element's start tag."""
        if element.is_empty:
            self.made.append((element.opened - 2, element.opened, f">{text}</{element.name}>"))
        else:
            self.made.append((element.opened, element.opened, text))

    def text(self) -> str:
        """The file with all changes."""
        out, at = [], 0
        for start, end, new in sorted(self.made, key=lambda item: (item[0], item[1])):
            if start < at:
                continue  # within something that was dropped
            out += [self.file.data[at:start].decode("utf-8", "surrogateescape"), new]
            at = end
        return "".join([*out, self.file.data[at:].decode("utf-8", "surrogateescape")])


def print_file(file: File) -> str:
    """The text that was read."""
    return file.data.decode("utf-8", "surrogateescape")
