"""What all topic modules of the httpd writer share: notes on source directives, the modules that lines need, templates.

Unknown:  what cannot be written is Unwritable; the caller notes it with the source line and answers 501 in its place.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....model import Capture, Remade, Hashed, HttpDate, Lookup, Part, Placeholder, Span, Template, Unread, Var, Variable
from ...noting import Noting, Unwritable
from .. import values
from .output import Node

# mod_rewrite, THE_REQUEST: the target as received has no name of its own, but the whole line has.
_REQUEST_LINE = (Var(Variable.METHOD_SENT), " ", Var(Variable.TARGET), " ", Var(Variable.PROTOCOL))


@dataclass
class Names:
    """By which names a rule's groups are known: the label of its pattern, and of its last condition.

    whole: what stands for the current path in the substitution
    piece: the argument, cookie or target whose value is the last condition's group
    groups: the numbers of named groups
    """

    rule: str = ""
    condition: str = ""
    whole: str = ""
    piece: Var | None = None
    groups: dict[str, int] = field(default_factory=dict)

    def number(self, group: int | str) -> int | None:
        """Which group of its pattern a capture speaks of."""
        found = group if isinstance(group, int) else self.groups.get(group)
        return found if found is not None and found < 10 else None


@dataclass
class Context(Noting):
    """One writing.

    modules:   those that are needed besides the ones that lines belong to, by name without `mod_`
    rewritten: whether the path may have been changed where writing stands, so that REQUEST_URI is not it
    balancers: pool, and how many of it are asked -> what it is called here; `proxies` their sections
    variables: names taken by variables of rules
    groups:    (rule, capture) -> the variable that the rule keeps it in
    asked_indexes: names of index files that an origin answers
    moved:     the path was changed for the answer whose fields are written
    marks:     answers -> the variable that their rules set;  told: answers whose text stands for the whole host; scripts: those that an application makes of a file
    document_root: of the site that is written; marked: its lines that ask for a variable of a rule; caches: the lines of the source whose caches were written
    waits:     seconds that the host's line gives origins; None: it has none
    filled:    names of fields that the answer, whose fields are written, gets where it has none
    """

    target: str = "apache"
    modules: set[str] = field(default_factory=set)
    rewritten: bool = False
    balancers: dict[str, str] = field(default_factory=dict)
    proxies: list[Node] = field(default_factory=list)
    variables: set[str] = field(default_factory=set)
    structure: set[Span] = field(default_factory=set)
    document_root: str = ""
    groups: dict[tuple[int, str], str] = field(default_factory=dict)
    asked_indexes: set[str] = field(default_factory=set)
    moved: bool = False
    marks: dict[tuple[int, ...], str] = field(default_factory=dict)
    told: set[int] = field(default_factory=set)
    files: dict[str, str] = field(default_factory=dict)  # of users, by name
    scripts: set[int] = field(default_factory=set)
    told_by: dict[int, tuple[Node, ...]] = field(default_factory=dict)  # leaf -> what the application behind it is told besides
    told_roots: list[Template] = field(default_factory=list)  # of applications
    sockets: dict[str, str] = field(default_factory=dict)  # the name that each is known by
    parameters: set[str] = field(default_factory=set)  # variables that applications are told
    marked: list[Node] = field(default_factory=list)
    caches: set[Span | None] = field(default_factory=set)
    filled: set[str] = field(default_factory=set)
    empty_at_times: set[str] = field(default_factory=set)
    waits: int | None = None

    def line(self, *words: str, spans: tuple[Span | None, ...] = (), comments: tuple[str, ...] = (), block: list[Node] | None = None) -> Node:
        """A directive, or a section with `block`."""
        return Node(list(words), block, tuple(dict.fromkeys(span for span in spans if span)), comments)

    def name(self, wish: str) -> str:
        """A free name of a variable, made of the words in `wish`."""
        base = "_".join(re.findall(r"[a-z0-9]+", wish.lower())[:3])[:24].strip("_") or "other"
        name, number = base, 2
        while name in self.variables:
            name, number = f"{base}_{number}", number + 1
        self.variables.add(name)
        return name

    def plain(self, template: Template, span: Span | None) -> str | Unwritable:
        """The text of a template without variables."""
        pieces = []
        for part in template:
            if isinstance(part, str):
                pieces.append(part)
            elif isinstance(part, Placeholder):
                pieces.append(part.spelling)
            else:
                return Unwritable(what(part))
        return "".join(pieces)

    def in_rule(self, template: Template, span: Span | None, asked: "Names | None" = None) -> str | Unwritable:
        """A text of rewriting: `$1` for captures of the rule's pattern, `%1` for those of its last condition."""
        pieces = []
        for part in template:
            made = self._rule_part(part, span, asked or Names())
            if isinstance(made, Unwritable):
                return made
            pieces.append(made)
        return "".join(pieces)

    def _rule_part(self, part: Part, span: Span | None, asked: "Names") -> str | Unwritable:
        match part:
            case str():
                return re.sub(r"([\\$%])", r"\\\1", part)
            case Placeholder():
                return part.spelling
            case Capture(group) if part.pattern == asked.rule and asked.rule and (number := asked.number(group)) is not None:
                return f"${number}"
            case Capture(group) if part.pattern == asked.condition and asked.condition and (number := asked.number(group)) is not None:
                return f"%{number}"
            case Var() if part == asked.piece:
                return "%1"
            case Var(Variable.PATH | Variable.PATH_ESCAPED) if asked.whole:
                return asked.whole
            case Var(Variable.PATH_ESCAPED | Variable.ORIGINAL_PATH):
                return "%{REQUEST_URI}"
            case Var():
                text = self._variable(part)
                return text if text is not None else Unwritable(what(part))
        return Unwritable(what(part))

    def _variable(self, part: Var) -> str | None:
        if part.variable is Variable.REQUEST_ID:
            self.modules.add("unique_id")
        return values.variable_text(part)

    def in_field(self, template: Template, span: Span | None, moved: bool = False) -> str | Unwritable:
        """The value of a header line: plain text with `%%`, or a text of the expression language after `expr=`. moved: the path is not the one that came."""
        parts = list(template)
        pieces = []
        if all(isinstance(part, str | Placeholder) for part in parts):
            return "".join(part.replace("%", "%%") if isinstance(part, str) else part.spelling for part in parts)  # type: ignore[arg-type]
        if [isinstance(part, Var) and part.variable is Variable.VARIABLE for part in parts].count(True) == len([part for part in parts if not isinstance(part, str)]):
            return "".join(part.replace("%", "%%") if isinstance(part, str) else f"%{{{part.name}}}e" for part in parts)  # type: ignore[union-attr]
        while parts:
            if tuple(parts[:len(_REQUEST_LINE)]) == _REQUEST_LINE:
                pieces.append("%{THE_REQUEST}")
                del parts[:len(_REQUEST_LINE)]
                continue
            part = parts.pop(0)
            if isinstance(part, str):
                if re.search(r"[\\$\"]|%\{", part):
                    return Unwritable("a text with signs that mean something in an expression")
                pieces.append(part)
            elif isinstance(part, Placeholder):
                pieces.append(part.spelling)
            elif isinstance(part, Var) and (part.variable in (Variable.PATH_ESCAPED, Variable.ORIGINAL_PATH) or moved and part.variable is Variable.PATH):
                return Unwritable(what(part) if part.variable is not Variable.PATH else "the path as it was changed")
            elif isinstance(part, Var) and (text := self._variable(part)) is not None:
                pieces.append(text)
            else:
                return Unwritable(what(part))
        return "expr=" + "".join(pieces)


def what(part: Part) -> str:
    """A part of a template in words, for what cannot be written."""
    match part:
        case Var(variable):
            return f"the {variable.value.replace('_', ' ')}"
        case Lookup(name):
            return f"the table {name}"
        case Capture(group):
            return f"the capture {group} of a pattern that is not the last one asked"
        case Hashed():
            return "a share of clients, by a number made of what they send"
        case Remade():
            return part.what
        case HttpDate():
            return "a date reckoned from now"
        case Unread(spelling):
            return spelling
    return "this value"
