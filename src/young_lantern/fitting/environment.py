"""Variables that are set at the start of a request, by what the request itself says -> what they stand for, where it is asked.

Rule:     a condition on such a variable becomes the conditions under which it has the value that is asked for; a text with it becomes a table of what
          they look at, where that is one thing. What nobody asks for any more is not set. Dialects without an environment say it so themselves.
          A capture of all that a pattern asks about is what it asks about.
Left out: variables whose values have other captures in them, which a rule further on sets as well, or which go by the path and are asked for when a rewrite may
          have changed it; they stay as they are.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..model import (
    ALWAYS, ONE_SLASH, AllOf, AnyOf, Block, Capture, Choose, Condition, Estate, Field, Lookup, LookupRow, Not, Part, PathIs, PathMatches, PathStartsWith, Rewrite, SetVariable, Step, Template, TextIs, TextMatches, Var, Variable,
    fixed, literal,
)
from ..model.placeholders import is_open
from ..model.walk import transform, walk
from ..patterns import all_of_text, search
from .late import without_late

_MOST_WAYS = 12
# What a rewrite may change.
_PATHS = frozenset({
    Variable.PATH, Variable.URL_PATH, Variable.PATH_ESCAPED, Variable.TARGET_NOW, Variable.SCRIPT_NAME, Variable.PATH_INFO, Variable.QUERY, Variable.QUERY_MARK, Variable.ARGUMENT, Variable.ARGUMENTS,
})


@dataclass(frozen=True, slots=True)
class _Way:
    """A variable gets this value where the condition holds, unless a later way holds. A value that is no text by itself is never empty."""

    condition: Condition
    value: Template

    @property
    def text(self) -> str:
        found = fixed(self.value)
        return "".join(part if isinstance(part, str) else "?" for part in self.value) if found is None else found


def without_environment(estate: Estate, strict: bool = False) -> Estate:
    """The sites with what their variables stand for. strict: what is set for handlers only is not set for all that is answered."""
    def spelt_out(program: tuple[Step, ...]) -> tuple[Step, ...]:
        return _spelt_out(program if strict else without_late(program))

    return replace(estate, sites=tuple(replace(site, program=spelt_out(site.program)) for site in estate.sites))


def _spelt_out(program: tuple[Step, ...]) -> tuple[Step, ...]:
    if not any(isinstance(item, TextMatches) and item.template == (Var(Variable.PATH_ESCAPED, ONE_SLASH),) or isinstance(item, SetVariable) and item.environment for item in walk(program)):
        return program
    return tuple(_block(step) if isinstance(step, Block) else step for step in program)


def _block(block: Block) -> Block:
    leading = 0
    while leading < len(block.steps) and _is_setting(block.steps[leading]):
        leading += 1
    lines: list[Choose] = [step for step in block.steps[:leading] if isinstance(step, Choose)]
    rest = tuple(transform(step, _on_paths) for step in block.steps[leading:])
    elsewhere = {item.name for item in walk(rest) if isinstance(item, SetVariable)}
    moved = _asked_of_another_path(rest)
    compared = _compared(block)
    ways: dict[str, list[_Way] | None] = {}
    for line in lines:
        route = line.routes[0]
        held = transform(_over(route.condition, ways), _on_paths)
        for step in route.steps:
            assert isinstance(step, SetVariable)
            value = _without_captures(step.value, route.condition)
            before = ways.get(step.name, [])
            known = before is not None and value is not None and (fixed(value) is not None or step.name not in compared) and step.name not in elsewhere and len(before) < _MOST_WAYS and not (step.name in moved and _of_path(held))
            ways[step.name] = [*before, _Way(held, value)] if known and before is not None and value is not None else None  # type: ignore[arg-type]
    known_ways = {name: found for name, found in ways.items() if found is not None}
    captured = frozenset(item.pattern for item in walk(rest) if isinstance(item, Capture))
    made = tuple(transform(step, lambda value: _asked(value, known_ways, captured)) for step in rest)
    for put in (_settled, _shown):
        made = tuple(transform(step, lambda value, put=put: put(value, known_ways)) for step in made)  # type: ignore[misc]
    used = {item.name for item in walk(made) if isinstance(item, Var) and item.variable is Variable.VARIABLE}
    kept: list[Step] = []
    for line in lines:
        route = line.routes[0]
        steps = tuple(step for step in route.steps if isinstance(step, SetVariable) and (step.name in used or step.name not in known_ways))
        if steps:
            kept.append(replace(line, routes=(replace(route, condition=transform(route.condition, _on_paths), steps=steps),)))
    return replace(block, steps=(*kept, *made))


def _asked_of_another_path(rest: tuple[Step, ...]) -> set[str]:
    """Variables that are asked for when the path may be another one already: fields are put in at the end."""
    first = next((number for number, step in enumerate(rest) if any(isinstance(item, Rewrite) for item in walk(step))), None)
    if first is None:
        return set()
    late = [*rest[first:], *(item for item in walk(rest[:first]) if isinstance(item, Field))]
    return {item.name for item in walk(late) if isinstance(item, Var) and item.variable is Variable.VARIABLE}


def _of_path(condition: Condition) -> bool:
    return any(isinstance(item, PathIs | PathStartsWith | PathMatches) or isinstance(item, Var) and item.variable in _PATHS for item in walk(condition))


def _is_setting(step: Step) -> bool:
    return isinstance(step, Choose) and len(step.routes) == 1 and bool(step.routes[0].steps) and all(isinstance(item, SetVariable) and item.environment for item in step.routes[0].steps)


def _on_paths(value: object) -> object:
    """What is asked of the path as it was sent is asked of the decoded one: the comparison shows which spellings that concerns."""
    if isinstance(value, TextMatches) and value.template == (Var(Variable.PATH_ESCAPED, ONE_SLASH),):
        return PathMatches(value.pattern, span=value.span)
    return value


def _compared(block: Block) -> set[str]:
    """Variables that are asked for more than whether they are set."""
    return {part.name for item in walk(block) if isinstance(item, TextMatches) or isinstance(item, TextIs) and item.values != ("",)
            for part in item.template if isinstance(part, Var) and part.variable is Variable.VARIABLE}


def _without_captures(value: Template, condition: Condition) -> Template | None:
    """The value with what its captures stand for, which is never empty if there are any; None where that is not known."""
    if not any(isinstance(part, Capture) for part in value):
        return None if literal(value) is None else value
    if not isinstance(condition, TextMatches) or not all_of_text(condition.pattern) or search(condition.pattern, "") is not None:
        return None
    whole = Capture(0, condition.pattern.label)
    if any(isinstance(part, Capture) and part != whole for part in value):
        return None
    return tuple(inner for part in value for inner in (condition.template if part == whole else (part,)))


def _settled(value: object, ways: dict[str, list[_Way]]) -> object:
    """A field that is only there where a variable's one way holds has the value that it gets there."""
    if not isinstance(value, Field) or value.when is None:
        return value
    held: tuple[Condition, ...] = value.when.conditions if isinstance(value.when, AllOf) else (value.when,)
    there = {name: found[0] for name, found in ways.items() if len(found) == 1 and found[0].condition in held}
    if not there:
        return value
    return replace(value, value=tuple(inner for part in value.value for inner in _there(part, there)))


def _there(part: Part, there: dict[str, _Way]) -> Template:
    match part:
        case Var(Variable.VARIABLE, name) if name in there:
            return there[name].value
        case Lookup(subject=(Var(Variable.VARIABLE, name),), rows=(LookupRow(value=""),), fallback=(Var(Variable.VARIABLE, other),)) if name == other and name in there and there[name].text:
            return there[name].value
    return (part,)


def _over(condition: Condition, ways: dict[str, list[_Way] | None]) -> Condition:
    """A condition of a line, which may ask for what lines before it set."""
    known = {name: found for name, found in ways.items() if found is not None}
    return transform(condition, lambda value: _asked(value, known))


def _asked(value: object, ways: dict[str, list[_Way]], captured: frozenset[str] = frozenset()) -> object:
    """captured: labels of patterns whose captures are put in somewhere."""
    match value:
        case TextIs((Var(Variable.VARIABLE, name),), values) if name in ways and not any(map(is_open, values)):
            return _meets(ways[name], lambda text: any(text == wanted or value.ignores_case and text.lower() == wanted.lower() for wanted in values))
        case TextMatches((Var(Variable.VARIABLE, name),), pattern) if name in ways and pattern.label not in captured and not is_open(pattern.text):
            return _meets(ways[name], lambda text: search(pattern, text) is not None)
        case Not(Not(condition)):
            return condition
    return value


def _shown(value: object, ways: dict[str, list[_Way]]) -> object:
    """What a text has in the place of a variable; what no table can say stays a variable."""
    if isinstance(value, Var) and value.variable is Variable.VARIABLE and value.name in ways:
        return _table(value.name, ways[value.name]) or value
    return value


def _meets(ways: list[_Way], holds) -> Condition:  # type: ignore[no-untyped-def]
    """When the variable has a value that meets something: the last way that holds decides, and none is nothing."""
    made: Condition = ALWAYS if holds("") else Not(ALWAYS)
    for way in ways:
        if holds(way.text):
            made = way.condition if made == Not(ALWAYS) else made if made is ALWAYS else AnyOf((*made.conditions, way.condition) if isinstance(made, AnyOf) else (made, way.condition))
        else:
            not_here = Not(way.condition)
            made = made if made == Not(ALWAYS) else not_here if made is ALWAYS else AllOf((*made.conditions, not_here) if isinstance(made, AllOf) else (made, not_here))
    return made


def _table(name: str, ways: list[_Way]) -> Lookup | None:
    """A table for a variable whose ways all look at one thing; its rows are tried in turn, so that the last way comes first."""
    rows: list[LookupRow] = []
    subjects: set[Template] = set()
    for way in reversed(ways):
        if not isinstance(way.condition, TextMatches):
            return None
        subjects.add(way.condition.template)
        rows.append(LookupRow(replace(way.condition.pattern, label=""), () if literal(way.value) == "" else way.value))
    span = ways[0].condition.span
    return Lookup(name, subjects.pop(), tuple(rows), span=span) if len(subjects) == 1 else None
