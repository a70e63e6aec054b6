"""What all topic modules of the nginx reader share: scopes with nginx's inheritance, claims, findings.

Source:   nginx development guide, "Configuration": a level inherits a directive, or a whole list of one, only where it
          has none of its own.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ....model import Lookup, MediaTypes, Pattern, Placeholder, Span, Template, Unread, Var, Variable
from ....model.walk import walk
from ....source.places import Places
from ...collecting import Collector
from .. import values
from ..syntax import Directive


@dataclass(slots=True, eq=False)
class Scope:
    """A block after its includes were put in place. `kind` is http, server, location, if or upstream.

    prefix: the text of a location by prefix or exact path; None for all else
    """

    kind: str
    directives: list[Directive]
    parent: "Scope | None" = None
    opened_by: Directive | None = None
    prefix: str | None = None
    _named: dict[str, list[Directive]] = field(default_factory=dict)
    _count: int = -1

    def own(self, name: str) -> list[Directive]:
        if self._count != len(self.directives):
            # Asked for by name thousands of times, a block of all sites above all.
            self._named, self._count = {}, len(self.directives)
            for directive in self.directives:
                self._named.setdefault(directive.name, []).append(directive)
        return self._named.get(name, [])

    def among(self, *names: str) -> list[Directive]:
        """The level's own directives of some names, in the order of the file."""
        return [directive for directive in self.directives if directive.name in names] if any(self.own(name) for name in names) else []

    def inherited(self, name: str) -> list[Directive]:
        """The level's own directives of that name, or else those of the nearest level above that has some."""
        scope: Scope | None = self
        while scope is not None:
            if found := scope.own(name):
                return found
            scope = scope.parent
        return []


@dataclass
class Context(Collector):
    """Collects what reading finds. `set_names`: every variable that some `set` makes, `set_lines` the lines; `captures`: every named group.

    tables: the blocks that make a variable by looking it up, by its name; `lookups`: those that were read
    places: where files that lines name lie on this machine
    verdicts: the variables that hold fields of what was answered by who is asked first, and the fields
    split:  the pattern that takes scripts apart in the location that is read
    referers: the names of the tables behind $invalid_referer, by the words that make them
    rewriting: the scope whose rewriting directives are read
    ports:  of the server that is read, each with its scheme
    types:  what was read of media types, by the lines; shared_types: the tables that all sites share
    """

    set_names: frozenset[str] = frozenset()
    set_lines: dict[str, list[Directive]] = field(default_factory=dict)
    captures: frozenset[str] = frozenset()
    formats: dict[str, Span] = field(default_factory=dict)
    blocks: dict[int, list[Directive]] = field(default_factory=dict)
    tables: dict[str, Directive] = field(default_factory=dict)
    lookups: dict[str, Lookup | Unread] = field(default_factory=dict)
    split: str = ""
    verdicts: dict[str, str] = field(default_factory=dict)
    rewriting: Scope | None = None
    referers: dict[tuple[str, ...], str] = field(default_factory=dict)
    places: Places = Places()
    types: dict[tuple[Span, ...], MediaTypes] = field(default_factory=dict)
    shared_types: list[Directive] = field(default_factory=list)
    ports: set[tuple[str, int | Placeholder]] = field(default_factory=set)

    def use(self, directive: Directive) -> Directive:
        self.claim(directive.span)
        return directive

    def used(self, scope: Scope, name: str) -> Directive | None:
        """The directive that is in force at a scope, claimed; None when none is written."""
        found = scope.inherited(name)
        return self.use(found[-1]) if found else None

    def switch(self, scope: Scope, name: str, silence: bool) -> bool:
        directive = self.used(scope, name)
        return silence if directive is None else directive.args[:1] == ["on"]

    def seconds(self, scope: Scope, name: str) -> float | None:
        directive = self.used(scope, name)
        if directive is None:
            return None
        value = values.read_time_or_open(directive.args[0])
        if value is None:
            self.unread(directive, directive.args[0], "a time such as 30s, 5m or 1h was expected")
        return value

    def unread(self, directive: Directive, value: str, expected: str) -> None:
        self.value_unread(directive.span, directive.name, value, expected)

    def template(self, text: str, directive: Directive, *, escapes: bool = False) -> Template:
        made = self.checked(values.read_template(text, self.set_names, self.captures, escapes=escapes, table=self.table), directive.span, directive.name)
        for table in walk(made):
            if isinstance(table, Lookup) and table.span is not None:
                self.asks(table.span, directive)
        return made

    def asks(self, table: Span, directive: Directive) -> None:
        """A line asks a table: what becomes of the line becomes of the table, where that is written nowhere by itself."""
        claim = self.claims.get(table)
        if claim is not None and directive.span not in claim.asked_by:
            claim.asked_by += (directive.span,)

    def table(self, name: str) -> Lookup | Unread | Var | None:
        from .referers import read_referers
        from .tables import read_table

        if name in self.verdicts:
            return Var(Variable.VERDICT_FIELD, self.verdicts[name]) if self.verdicts[name] else Var(Variable.VARIABLE, name)
        if name == "fastcgi_script_name":
            return Var(Variable.SCRIPT_NAME, self.split) if self.split else Var(Variable.PATH)
        if name == "fastcgi_path_info" and self.split:
            return Var(Variable.PATH_INFO, self.split)
        if name == "invalid_referer" and self.rewriting is not None:
            return read_referers(self.rewriting, self)
        return read_table(name, self)

    def pattern(self, text: str, directive: Directive, *, ignores_case: bool = False) -> Pattern:
        return self.checked_pattern(Pattern(text, "pcre", ignores_case), directive.span)

    def block(self, directive: Directive) -> list[Directive]:
        """The directives of a block, its includes put in place."""
        return self.blocks.get(id(directive), directive.block or [])
