"""Variables that only remember what was found out before -> the conditions themselves: `set $closed 0; if (-f …) { set $closed 1; } if ($closed) { return 503; }`.

Rule:     a variable is known from where it is set without a condition, as long as each later line sets it to a text that is written out, where a condition
          holds that takes no groups. What such a condition asks must be the same by the time the variable is asked: what is asked of the path, the query
          or the method counts only until a line may change these.
Why:      a server whose variables decide nothing would need the rest of the site once for each value.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..model import (
    ALWAYS, AllOf, AnyOf, Block, Capture, Choose, ClientIn, Condition, FileExists, HostIs, MethodIn, Not, PathIs, PathMatches, PathStartsWith, PeerIn, Rewrite, Route, SchemeIs,
    SetVariable, Span, Step, TextIs, TextMatches, Var, Variable,
)
from ..model.walk import transform, walk
from ..patterns import compiled, problem, search

# Texts beyond these stay variables: the conditions would be longer than what they save.
_MOST_WAYS = 8
# What a request has from beginning to end.
_LASTING = frozenset({Variable.CLIENT, Variable.PEER, Variable.HOST, Variable.HOST_SENT, Variable.SCHEME, Variable.PORT, Variable.FIELD, Variable.COOKIE, Variable.SERVER_ADDRESS, Variable.PROTOCOL})


@dataclass(frozen=True, slots=True)
class _Way:
    """The variable has this text where the condition holds, unless a later way holds."""

    condition: Condition
    text: str
    span: Span | None
    lasts: bool


_Known = dict[str, tuple[_Way, ...]]


def without_flags(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program in which conditions on such variables are the conditions that these stand for; variables that nobody asks for any more are not set."""
    if not any(isinstance(step, Choose) and len(step.routes) == 1 and _sets_only(step.routes[0].steps) for step in walk(program)):
        return program
    settled: set[str] = set()
    made = _steps(program, {}, settled)
    return _dropped(made, _idle(made, settled))


def _idle(program: tuple[Step, ...], settled: set[str]) -> set[str]:
    """Those variables that nothing asks for, but lines that set such."""
    idle = settled
    while True:
        asked = _names_asked(_dropped(program, idle))
        if not idle & asked:
            return idle
        idle = idle - asked


def _sets_only(steps: tuple[Step, ...]) -> bool:
    return bool(steps) and all(isinstance(step, SetVariable) and not step.environment and not step.late for step in steps)


def _names_set(steps: object) -> set[str]:
    return {item.name for item in walk(steps) if isinstance(item, SetVariable)}


def _names_asked(value: object) -> set[str]:
    return {item.name for item in walk(value) if isinstance(item, Var) and item.variable is Variable.VARIABLE}


def _steps(steps: tuple[Step, ...], known: _Known, settled: set[str]) -> tuple[Step, ...]:
    """The steps with what is known put in; `known` is what is known behind them afterwards."""
    made: list[Step] = []
    for step in steps:
        match step:
            case SetVariable() if not step.environment and not step.late:
                known.update(_set(step, ALWAYS, known, settled))
            case Choose((route,)) if _sets_only(route.steps):
                asked = _settled(route, known)
                for setting in route.steps:
                    known.update(_set(setting, asked.condition, known, settled))  # type: ignore[arg-type]
                step = replace(step, routes=(replace(asked, also=route.also),))
            case Choose(routes):
                step = replace(step, routes=tuple(replace(asked, steps=_steps(route.steps, dict(known), settled)) for route in routes for asked in (_settled(route, known),)))
                _forget(known, step)
            case Block():
                _forget(known, step)  # entered again, it has what was set the last time
                step = replace(step, steps=_steps(step.steps, known, settled))
            case _:
                lasting = {name: ways for name, ways in known.items() if all(way.lasts for way in ways) and name not in _names_set(step)}
                step = transform(step, lambda value, lasting=lasting: _settled(value, lasting) if isinstance(value, Route) else value)
                _forget(known, step)
        made.append(step)
    return tuple(made)


def _forget(known: _Known, step: Step) -> None:
    """What may be otherwise behind a step."""
    for name in _names_set(step):
        known.pop(name, None)
    if any(isinstance(item, Rewrite) for item in walk(step)):
        for name in [name for name, ways in known.items() if not all(way.lasts for way in ways)]:
            del known[name]


def _set(step: SetVariable, held: Condition, known: _Known, settled: set[str]) -> _Known:
    """What is known of a variable once a line has set it where a condition holds; nothing, if it is more than can be said."""
    before = known.get(step.name, ())
    ways = [_Way(_both(way.condition, held), text, step.span, way.lasts and _lasts(held)) for way, text in _texts(step, known)]
    if not ways or held is not ALWAYS and (not before or not _is_plain(held)) or len(before) + len(ways) > _MOST_WAYS:
        known.pop(step.name, None)
        return {}
    settled.add(step.name)
    return {step.name: tuple(ways) if held is ALWAYS else (*before, *ways)}


def _texts(step: SetVariable, known: _Known) -> list[tuple[_Way, str]]:
    """The texts that a line may set, each with the way to what it is made of."""
    found = [(_Way(ALWAYS, "", step.span, True), "")]
    for part in step.value:
        if isinstance(part, str):
            found = [(way, text + part) for way, text in found]
        elif isinstance(part, Var) and part.variable is Variable.VARIABLE and len(found) == 1 and part.name in known:
            found = [(way, found[0][1] + way.text) for way in known[part.name]]
        else:
            return []
    return found


def _settled(route: Route, known: _Known) -> Route:
    """A route whose condition on such variables is what they stand for."""
    takes_groups = any(isinstance(item, Capture) for item in walk(route.steps))
    used: dict[Span, None] = {}

    def change(value: object) -> object:
        if not isinstance(value, TextIs | TextMatches) or len(value.template) != 1 or not isinstance(value.template[0], Var) or value.template[0].variable is not Variable.VARIABLE:
            return value
        ways = known.get(value.template[0].name)
        if ways is None or isinstance(value, TextMatches) and not _has_no_groups(value) or takes_groups and any(isinstance(item, TextMatches | PathMatches) for way in ways for item in walk(way.condition)):
            return value
        used.update(dict.fromkeys(way.span for way in ways if way.span is not None))
        made: Condition | None = None  # never
        for way in ways:
            holds = _says(value, way.text)
            if way.condition is ALWAYS:
                made = ALWAYS if holds else None
            elif holds:
                made = made if made is ALWAYS else way.condition if made is None else AnyOf((made, way.condition), value.span)
            elif made is not None:
                made = Not(way.condition, value.span) if made is ALWAYS else AllOf((made, Not(way.condition, value.span)), value.span)
        return Not(ALWAYS, value.span) if made is None else made

    condition = _simplified(transform(route.condition, change))
    return replace(route, condition=condition, also=(*route.also, *(span for span in used if span != route.span and span not in route.also))) if used else route


def _simplified(condition: Condition) -> Condition:
    """Without one negation of another."""
    return transform(condition, lambda value: value.condition.condition if isinstance(value, Not) and isinstance(value.condition, Not) else value)


def _says(asked: TextIs | TextMatches, text: str) -> bool:
    if isinstance(asked, TextMatches):
        return search(asked.pattern, text) is not None
    return any((text.lower() == value.lower()) if asked.ignores_case else text == value for value in asked.values)


def _has_no_groups(asked: TextMatches | PathMatches) -> bool:
    return not problem(asked.pattern) and compiled(asked.pattern).groups == 0


def _is_plain(held: Condition) -> bool:
    """Whether a condition may be asked at another place: it takes no groups, and is of kinds that are known here."""
    for item in _leaves(held):
        if isinstance(item, TextMatches | PathMatches):
            if not _has_no_groups(item) or _names_asked(item):
                return False
        elif isinstance(item, FileExists) and item.cleans or not isinstance(item, TextIs | ClientIn | PeerIn | HostIs | SchemeIs | FileExists | MethodIn | PathIs | PathStartsWith) or _names_asked(item):
            return False
    return True


def _leaves(held: Condition) -> Iterable[Condition]:
    match held:
        case AllOf(conditions) | AnyOf(conditions):
            for item in conditions:
                yield from _leaves(item)
        case Not(condition):
            yield from _leaves(condition)
        case _:
            yield held


def _lasts(held: Condition) -> bool:
    """Whether a condition is as it was however the request is changed."""
    changes = any(isinstance(item, MethodIn | PathIs | PathStartsWith | PathMatches) for item in walk(held))
    return not changes and all(item.variable in _LASTING for item in walk(held) if isinstance(item, Var))


def _both(one: Condition, other: Condition) -> Condition:
    return other if one is ALWAYS else one if other is ALWAYS else AllOf((one, other))


def _dropped(steps: tuple[Step, ...], idle: set[str]) -> tuple[Step, ...]:
    """The steps without lines that set what nobody asks for."""
    def change(value: object) -> object:
        inner = getattr(value, "steps", None)
        if not isinstance(inner, tuple):
            return value
        kept = _without(inner, idle)
        return value if kept == inner else replace(value, steps=kept)  # type: ignore[type-var]

    return _without(transform(steps, change), idle) if idle else steps


def _without(steps: tuple[Step, ...], idle: set[str]) -> tuple[Step, ...]:
    kept = [step for step in steps if not (isinstance(step, SetVariable) and step.name in idle)]
    return tuple(step for step in kept if not (isinstance(step, Choose) and len(step.routes) == 1 and not step.routes[0].steps and _is_plain(step.routes[0].condition)))
