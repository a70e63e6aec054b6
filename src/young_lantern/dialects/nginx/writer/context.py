"""What all topic modules of the nginx writer share: notes, templates, variables and named locations that are needed on the way.

Unknown:  what cannot be written is Unwritable; the caller notes it with the source line and leaves it out.
"""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from ....fitting.unroll import LIMIT_UNKNOWN
from ....model import Capture, Remade, Hashed, HttpDate, Lookup, Pattern, Placeholder, SetVariable, Span, Template, Unread, Var, Variable
from ....model.walk import walk
from ....patterns.groups import is_plain
from ...noting import Noting, Unwritable
from .. import values
from .output import Node


class TooLarge(Exception):
    """More named locations than a person reads: paths are not looked up again as often then."""


class NotNative(Exception):
    """What runs before a location is looked for would not run again where nginx looks a changed path up again. Its argument: the key of the site."""


@dataclass
class Context(Noting):
    """One writing.

    http:      nodes that belong at http level: tables, pools; by what they are called
    named:     named locations of the site, to be written at its end
    pattern:   the label of the pattern that matched last where writing stands; its captures are $1, $2 …
    of_paths:  labels of patterns of the path, whose captures are decoded
    by_name:   labels of patterns whose groups must have names; found out while writing, so that a site is written again then
    forgotten: labels of those whose groups' numbers some table takes away, which asks patterns of its own
    whole:     labels of those whose whole match is asked for, which has a name only
    texts:     label of a pattern -> its text, case and all
    asked:     labels of patterns that matched on the way: what they name is still in sight
    rewritten: what may have been changed by then: "", the "query" alone, or the "path"
    structure: lines that say which routes there are, rather than what happens there
    set_names: variables that some step sets; any other is empty, and unknown to nginx
    tables:    what each variable is looked up in
    unlimited: some forward takes content of any length
    in_pages:  the status whose error page is written; 0: none
    unlike:    keys of sites whose paths nginx does not look up again as the source did
    most_unknown: how often a path that is not fully known may be looked up again (fitting/unroll.py)
    jumps:     how many statuses stand for a jump to a named location, in the place that is written
    """

    target: str = "nginx"
    http: dict[str, Node] = field(default_factory=dict)
    named: list[Node] = field(default_factory=list)
    named_texts: dict[str, Node] = field(default_factory=dict)  # those that chains made, by what stands in them
    names: set[str] = field(default_factory=set)
    pattern: str = ""
    asked: frozenset[str] = frozenset()
    of_paths: set[str] = field(default_factory=set)
    by_name: set[str] = field(default_factory=set)
    forgotten: set[str] = field(default_factory=set)
    whole: set[str] = field(default_factory=set)
    texts: dict[str, str] = field(default_factory=dict)
    rewritten: str = ""
    most_unknown: int = LIMIT_UNKNOWN
    unlike: frozenset[str] = frozenset()
    jumps: int = 0
    in_pages: int = 0
    unlimited: bool = False
    structure: set[Span] = field(default_factory=set)
    set_names: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        self.set_names = frozenset(item.name for site in self.estate.sites for item in walk(site.program) if isinstance(item, SetVariable))

    pools: dict[str, str] = field(default_factory=dict)
    scratches: dict[str, str] = field(default_factory=dict)  # variables that are asked where they are set, by what they are for
    within: Counter[str] = field(default_factory=Counter)
    files: dict[str, str] = field(default_factory=dict)  # of users, by name
    applications: set[str] = field(default_factory=set)  # the protocols that some are asked by, whose files of parameters are needed
    tables: dict[str, Lookup] = field(default_factory=dict)

    def template(self, template: Template, span: Span | None, *, escapes: bool = False) -> str | Unwritable:
        """The text of a template, not yet quoted; placeholders are noted.

        escapes: it stands in the replacement of a rewrite that redirects, where nginx percent-encodes captures
        """
        out: list[str] = []
        if any(isinstance(part, Lookup) and asks_patterns(part) for part in template):
            # ngx_http_regex_exec (1.22.1, probed): in whatever order they stand, tables are looked up first.
            self.forgotten |= self.asked | {self.pattern}
        for number, part in enumerate(template):
            written = self._part(part, span, escapes)
            if isinstance(written, Unwritable):
                return written
            after = template[number + 1] if number + 1 < len(template) else ""
            # ngx_http_script_compile: `$1` takes one digit, and `${1}` is the name of a variable (1.22.1, probed).
            if written.startswith("$") and not written[1:].isdigit() and (isinstance(after, Placeholder) or isinstance(after, str) and re.match(r"\w", after)):
                written = f"${{{written[1:]}}}"
            out.append(written)
        return "".join(out)

    def _part(self, part: object, span: Span | None, escapes: bool) -> str | Unwritable:
        match part:
            case str():
                return part.replace("$", self._dollar()) if "$" in part else part
            case Placeholder(spelling):
                return spelling
            case Capture(group, label, is_escaped):
                return self._capture(group, label, is_escaped and label in self.of_paths, escapes)
            case Hashed():
                return Unwritable("a share of clients")  # but for a table of its own (tables.py)
            case Remade():
                return Unwritable(part.what)
            case HttpDate():
                return Unwritable("a date reckoned from now")
            case Unread(spelling):
                return Unwritable(f"the variable {spelling}")
            case Lookup():
                from .tables import write_table

                return write_table(part, self)
            case Var(Variable.VERDICT_FIELD, name):
                from .asking import name_of

                return f"${name_of(name)}"
            case Var(Variable.VARIABLE, name) if name not in self.set_names:
                return ""
            case Var():
                return values.write_variable(part, bool(self.rewritten))
        raise AssertionError(part)

    def _capture(self, group: int | str, label: str, escaped: bool, escapes: bool) -> str | Unwritable:
        if escaped and isinstance(group, int) and label in self.texts and is_plain(self.texts[label].removeprefix("(?i)"), group):
            escaped = False  # it is the same either way
        by_name = isinstance(group, str) or label != self.pattern or label in self.by_name or label in self.forgotten or group == 0
        if escaped and (by_name or not escapes):
            # ngx_http_script_copy_capture_code escapes what has a number; what has a name is a variable (1.22.1, probed).
            return Unwritable("a capture that is percent-encoded again")
        if isinstance(group, str):
            return f"${group}" if label in self.asked or label == "host" else Unwritable("a capture whose pattern is not in sight")
        if label in self.texts and label in self.asked and by_name:
            # Another pattern was asked since, which takes the numbers away: a name stays.
            self.by_name.add(label)
            self.whole |= {label} if group == 0 else set()
            return f"${group_name(label, group)}"
        if label != self.pattern or label in self.forgotten or group == 0:
            return Unwritable("a capture of a pattern that is not the last one asked")
        return f"${group}"

    def _dollar(self) -> str:
        # rewrite module: there is no way to write the sign itself; a geo table takes its values as they are.
        self.http.setdefault("geo dollar", Node(["geo", "$dollar"], [Node(["default", '"$"'])], comments=("A dollar sign, which nginx has no other way to write.",)))
        return "${dollar}"

    def matched(self, pattern: Pattern, of_path: bool = True) -> None:
        """A pattern was asked, and matched, where writing stands. of_path: it was the path that was asked."""
        if of_path:
            self.of_paths.add(pattern.label)
        self.pattern, self.asked = pattern.label, self.asked | {pattern.label}
        self.texts[pattern.label] = ("(?i)" if pattern.ignores_case else "") + pattern.text

    def name(self, wish: str) -> str:
        """A free name, made of the words in `wish`."""
        base = "_".join(re.findall(r"[a-z0-9]+", wish.lower())[:3])[:24].strip("_") or "other"
        name, number = base, 2
        while name in self.names:
            name, number = f"{base}_{number}", number + 1
        self.names.add(name)
        return name

    @contextmanager
    def scratch(self, wish: str) -> Iterator[str]:
        """A variable that is set and asked in one go, so that the next one of its kind may have its name; one within it has another."""
        self.within[wish] += 1
        key = f"{wish} {self.within[wish]}" if self.within[wish] > 1 else wish
        if self.scratches.get(key) not in self.names:
            self.scratches[key] = self.name(key)
        try:
            yield "$" + self.scratches[key]
        finally:
            self.within[wish] -= 1

    def pattern_text(self, pattern: Pattern) -> str:
        """The text of a pattern; with names for its groups if something asks for them by name."""
        if pattern.label not in self.by_name:
            return pattern.text
        counter = itertools.count(1)
        pieces = re.split(r"(\\.|\[(?:\\.|[^\]])*\]|\((?!\?))", pattern.text)
        text = "".join(f"(?<{group_name(pattern.label, next(counter))}>" if piece == "(" else piece for piece in pieces)
        return f"(?<{group_name(pattern.label, 0)}>{text})" if pattern.label in self.whole else text


def asks_patterns(table: Lookup) -> bool:
    """Whether a table's rows, or those of tables within it, are patterns in a `map`: texts are where the case of their letters counts."""
    return any(isinstance(item, Lookup) and not item.networks and any(isinstance(row.value, Pattern) or not item.ignores_case and re.search("[A-Za-z]", row.value) for row in item.rows)
               and not any(isinstance(part, Hashed) for part in item.subject) for item in walk(table))


def group_name(label: str, group: int) -> str:
    """What a numbered group is called where its number would not last."""
    word = re.sub(r"\W+", "_", label).strip("_")[:20] or "group"
    return f"{word}_{group}" if word[0].isalpha() else f"p{word}_{group}"
