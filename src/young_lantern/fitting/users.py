"""A variable that is only there to say who was let in -> who was let in.

Source:   Apache HTTP Server documentation, mod_rewrite, `%{LA-U:REMOTE_USER}`: it is looked up so that a field for an origin can have it.
Rule:     behind a question for a password somebody is known, so that a pattern for any name at all is found, and what it finds is the name. Targets set their
          variables before they ask for passwords.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..model import AllOf, Block, Capture, Choose, Credentials, Estate, Lookup, PathMatches, SetVariable, Step, Template, TextMatches, Var, Variable
from ..model.walk import transform, walk

_USER = Var(Variable.USER)
# Found in any name, and all of it; and on any path.
_WHOLE = ("(.+)", "^(.+)$", "(.*)", "^(.*)$", "^(.+)", "^(.*)", "(.+)$", "(.*)$")
_ANY_PATH = ("", ".", ".*", ".+", "^", "^.*$", "^.*", "^(.*)$", "(.*)")


def with_known_users(estate: Estate) -> Estate:
    """The estate with such variables replaced where they are used."""
    return replace(estate, sites=tuple(replace(site, program=_program(site.program)) for site in estate.sites))


def _program(program: tuple[Step, ...]) -> tuple[Step, ...]:
    if not any(isinstance(item, TextMatches) and _is_user(item.template) for item in walk(program)):
        return program

    def change(value: Any) -> Any:
        steps = getattr(value, "steps", None)
        made = _behind(steps, program) if isinstance(steps, tuple) else steps
        return value if made is steps else replace(value, steps=made)

    return _behind(transform(program, change), program)


def _behind(steps: tuple[Step, ...], program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The steps of a list, what follows a question for a password knowing the name."""
    guard = next((number for number, step in enumerate(steps) if isinstance(step, Credentials)), None)
    if guard is None:
        return steps
    for step in steps[guard + 1:]:
        name = _sets_user(step)
        if name and _mentions(name, program) == sum(_mentions(name, other) for other in steps):
            steps = tuple(transform(other, lambda value, name=name: _USER if value == Var(Variable.VARIABLE, name) else value) for other in steps if other is not step)  # type: ignore[misc]
    return steps


def _sets_user(step: Step) -> str:
    """The variable that a step sets to the user's name for every path, and nothing else; "" where it is another step."""
    match step:
        case Block(steps=(Choose(routes=(route,)),)) | Choose(routes=(route,)):
            parts = route.condition.conditions if isinstance(route.condition, AllOf) else (route.condition,)
            asked = [part for part in parts if not (isinstance(part, PathMatches) and part.pattern.text in _ANY_PATH)]
            match asked, route.steps:
                case [TextMatches(template, pattern)], (SetVariable(name, (Capture(1, label),)),) if _is_user(template) and pattern.text in _WHOLE and label == pattern.label:
                    return name
    return ""


def _is_user(template: Template) -> bool:
    """Whether it is the user's name, but for paths that are odd in httpd's eyes, which the comparison knows."""
    match template:
        case (Lookup(subject=(Var(Variable.PATH),), fallback=fallback),):
            return fallback == (_USER,)
    return template == (_USER,)


def _mentions(name: str, held: object) -> int:
    return sum(isinstance(item, SetVariable) and item.name == name or item == Var(Variable.VARIABLE, name) for item in walk(held))
