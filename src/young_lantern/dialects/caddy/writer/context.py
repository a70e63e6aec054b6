"""What all topic modules of the Caddy writer share: notes on source directives, names of matchers, templates.

Unknown:  what cannot be written is Unwritable; the caller notes it with the source line and leaves it out.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....model import Condition, Credentials, Lookup, LookupRow, Span, Template, Var, Variable
from ....model.walk import walk
from ...noting import Noting
from .. import values
from ..values import Unwritable

TARGET = "caddy"
# What Caddy has no placeholder for: the query with its mark where there is one, and the mark alone.
_MARKS = {
    Var(Variable.QUERY, "?"): Lookup("query_with_mark", (Var(Variable.QUERY),), (LookupRow("", ()),), ("?", Var(Variable.QUERY))),
    Var(Variable.QUERY_MARK): Lookup("query_mark", (Var(Variable.QUERY),), (LookupRow("", ()),), ("?",)),
}


def _or_nothing(part: Var) -> Lookup:
    return Lookup(f"{part.variable.value}_{re.sub(r'[^0-9a-zA-Z]+', '_', part.name)}", (part,), (LookupRow("", ()),), (part,))


@dataclass
class Context(Noting):
    """One writing. `site`, `root` and `strip` change as the writer goes.

    root:  the template that `root` was written with, where writing stands
    strip: the prefix that was cut off the path already, where writing stands
    forwards: whether the site forwards anything, so that an added field is written as one everywhere
    rewritten: whether the path may have been changed by then, so that the target as received has another name
    tables: what the site's tables are called, and their nodes
    draws:  what tells apart the things drawn for one request, and which digits of its id they go by
    shared: matchers that stand at the top of the site, by what they ask
    captured: labels of patterns whose groups are used
    in_errors: whether what is written stands in handle_errors
    pattern_names: label of a pattern in the fitted program -> the name its captures have here
    """

    target: str = "caddy"
    root: Template = ()
    strip: str = ""
    rewritten: bool = False
    forwards: bool = False
    pattern_names: dict[str, str] = field(default_factory=dict)
    taken: set[str] = field(default_factory=set)
    tables: dict[str, tuple[str, object]] = field(default_factory=dict)
    draws: dict[str, int] = field(default_factory=dict)
    made_from: dict[str, Lookup] = field(default_factory=dict)
    shared: dict[str, "Matcher"] = field(default_factory=dict)
    in_errors: bool = False
    captured: set[str] = field(default_factory=set)
    answered: set[Span] = field(default_factory=set)  # lines of pages that are answered where an origin is asked

    def template(self, template: Template, span: Span | None) -> str | Unwritable:
        """The text of a template, not yet quoted; placeholders are noted."""
        template = tuple(_MARKS.get(part, part) if isinstance(part, Var) else part for part in template)
        if any(isinstance(part, Lookup) for part in template):
            from .tables import write_table

            made = [write_table(part, self) if isinstance(part, Lookup) else self.template((part,), span) for part in template]
            return next((piece for piece in made if isinstance(piece, Unwritable)), None) or "".join(map(str, made))
        if self.site is not None and any(isinstance(part, Var) and part.variable is Variable.USER for part in template) and not any(isinstance(item, Credentials) for item in walk(self.site.program)):
            return Unwritable("the name of a user, which is known there only where its password is asked for")
        return values.write_template(template, self.pattern_names, rewritten=self.rewritten)

    def shown(self, template: Template, span: Span | None, *kinds: Variable) -> str | Unwritable:
        """As `template`, for a text in which a placeholder without a value stands for itself, or as `<nil>` (2.6.2, probed): a table has nothing there."""
        return self.template(tuple(_or_nothing(part) if isinstance(part, Var) and part.variable in (kinds or (Variable.COOKIE,)) else part for part in template), span)

    def name(self, wish: str) -> str:
        """A free matcher name of this site, made of the letters in `wish`."""
        words = re.findall(r"[a-z0-9]+", wish.lower())
        base = "_".join(words[:3])[:24].strip("_") or "match"
        name, number = base, 2
        while name in self.taken:
            name, number = f"{base}_{number}", number + 1
        self.taken.add(name)
        return name


@dataclass(frozen=True, slots=True)
class Matcher:
    """How a condition is asked: the word that stands in directives ("" for always), its definition if it has a name."""

    word: str
    definition: object | None = None
    paths: tuple[str, ...] = ()
    condition: Condition | None = None
