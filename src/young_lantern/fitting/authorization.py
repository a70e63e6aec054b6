"""`HTTP_AUTHORIZATION` set by rules to what the client sent -> applications are told the field, as they are elsewhere without a rule.

Source:   util_script.c: httpd keeps Authorization from applications unless CGIPassAuth or a variable of that name says otherwise; nginx and Caddy hand it on.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import Capture, Choose, Estate, Gateway, SetVariable, Site, Step, Template, TextMatches, Var, Variable
from ..model.walk import transform, walk, with_steps

_NAME = "HTTP_AUTHORIZATION"
_WHOLE = ("(.*)", "(.+)", "^(.*)$", "^(.+)$", "^(.*)", "^(.+)")


def with_plain_authorization(estate: Estate) -> Estate:
    """The sites in which no rule is needed for it."""
    return replace(estate, sites=tuple(_site(site) for site in estate.sites))


def _site(site: Site) -> Site:
    labels = {item.pattern.label for item in walk(site.program) if isinstance(item, TextMatches) and _is_field(item.template) and item.pattern.text in _WHOLE}
    values = [item.value for item in walk(site.program) if isinstance(item, SetVariable) and item.name == _NAME]
    asked = [item for item in walk(with_steps(site.program, _without)) if isinstance(item, Var) and item.variable is Variable.VARIABLE and item.name == _NAME]
    told = [value for item in walk(site.program) if isinstance(item, Gateway) for name, value in item.parameters if name == _NAME and _is_variable(value)]
    if not values or len(asked) != len(told) or not all(_is_field(value) or len(value) == 1 and isinstance(value[0], Capture) and value[0].group == 1 and value[0].pattern in labels for value in values):
        return site
    return replace(site, program=transform(with_steps(site.program, _without), _telling))


def _is_field(template: Template) -> bool:
    return len(template) == 1 and isinstance(template[0], Var) and template[0].variable is Variable.FIELD and template[0].name.lower() == "authorization"


def _is_variable(template: Template) -> bool:
    return template == (Var(Variable.VARIABLE, _NAME),)


def _without(step: Step) -> list[Step]:
    if isinstance(step, SetVariable) and step.name == _NAME or isinstance(step, Choose) and len(step.routes) == 1 and not step.routes[0].steps:
        return []
    return [step]


def _telling(value: object) -> object:
    if isinstance(value, Gateway) and any(name == _NAME and _is_variable(told) for name, told in value.parameters):
        return replace(value, parameters=tuple(pair for pair in value.parameters if pair[0] != _NAME), tells_authorization=True)
    return value
