"""What `%0` to `%9` stand for behind the conditions of a rule: the groups of the pattern that matched last.

Source:   mod_rewrite.c, apply_rewrite_cond (2.4.71, probed).
Rule:     A pattern that must match, and does, takes the place of what was kept, whether it has groups or not: behind `%{HTTPS} off` all of them
          are empty. A text that is equal, a comparison, a file and a pattern that must not match keep what was there. Behind an expression they
          are what nobody can foretell: parts of the request's head were seen.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ....model import ALWAYS, Capture, Condition, MethodIn, Part, PathMatches, Pattern, TextMatches, Var, Variable
from ....model.walk import transform, walk
from ....patterns import search
from .context import Node
from .places import NEVER


@dataclass(frozen=True, slots=True)
class Kept:
    """What the groups are. whole, first: `%0` and `%1` where they are known beforehand, all others being empty; by_pattern: what a pattern found; neither: unknown."""

    by_pattern: bool = False
    whole: Part | None = None
    first: Part = ""


BY_PATTERN = Kept(by_pattern=True)
UNKNOWN = Kept()


def fixed(value: str, wanted: str, ignores_case: bool) -> Kept | None:
    """Behind a pattern for a value that is known beforehand; None where that does not match it."""
    found = search(Pattern(wanted, "pcre", ignores_case), value)
    return Kept(whole=found[0]) if found is not None else None


def given_by(node: Node, made: Condition) -> Kept | None:
    """What a condition that holds leaves; None where it keeps what was there. made: how it was read."""
    if node.args[0].lower() == "expr":
        return UNKNOWN
    if node.args[1].startswith("!"):
        return None
    if isinstance(made, MethodIn):
        method = Var(Variable.METHOD)
        return Kept(whole=method, first=method if "(" in node.args[1] else "")
    return BY_PATTERN if isinstance(made, TextMatches | PathMatches) and made.pattern.label else None


def behind(before: Kept, alternatives: list[tuple[Condition, Kept | None]]) -> Kept:
    """What is kept behind conditions of which one must hold: they are tried in their order until one does."""
    found = []
    for made, given in alternatives:
        if made != NEVER:
            found.append(before if given is None else given)
        if made is ALWAYS:
            break
    return before if not found else found[0] if len(set(found)) == 1 else UNKNOWN


def put_in(value: Any, label: str, kept: Kept) -> Any:
    """The value with the groups of conditions, which have the label, as they are; None where they are asked for, and not known."""
    if kept.by_pattern:
        return value
    if kept.whole is None:
        return None if any(isinstance(item, Capture) and item.pattern == label for item in walk(value)) else value

    parts = {0: kept.whole, 1: kept.first}
    return transform(value, lambda item: parts.get(item.group, "") if isinstance(item, Capture) and item.pattern == label else item)
