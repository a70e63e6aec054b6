"""What is the same for every request of a site stands for itself: its first name, its port if it has one, and what TLS, or its absence, makes sure.

Rule:     a field that comes out empty for every request is not sent by nginx (ngx_http_proxy_create_request, ngx_http_headers_filter): so it is one that
          is taken away, or is not there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ..model import OF_TLS, Capture, Estate, Field, Lookup, LookupRow, Operation, Pattern, Side, Site, Span, Step, Var, Variable, fixed, join
from ..model.placeholders import is_open
from ..model.walk import transform, with_steps
from ..patterns import problem, search


def with_constants(estate: Estate) -> tuple[Estate, set[Span]]:
    """The estate with these put in, site by site; and where fields stood of an answer that was never sent."""
    unsent: set[Span] = set()
    return replace(estate, sites=tuple(replace(site, program=_program(site, estate, unsent)) for site in estate.sites)), unsent


def without_lengths(estate: Estate) -> tuple[Estate, set[Span]]:
    """The estate without lines that say how long an answer is (RFC 9112 section 6.3), and where they stood."""
    return _without("content-length", tuple(Operation), estate)


def without_server_names(estate: Estate) -> tuple[Estate, set[Span]]:
    """The estate without lines that say what the server is called (RFC 9110 section 10.2.4), and where they stood."""
    return _without("server", (Operation.SET, Operation.ADD, Operation.APPEND, Operation.MERGE, Operation.DEFAULT), estate)


def _without(name: str, operations: tuple[Operation, ...], estate: Estate) -> tuple[Estate, set[Span]]:
    found: set[Span] = set()

    def kept(step: Step) -> list[Step]:
        if isinstance(step, Field) and step.side is Side.RESPONSE and step.name.lower() == name and step.operation in operations:
            found.update({step.span} if step.span else ())
            return []
        return [step]

    return replace(estate, sites=tuple(replace(site, program=with_steps(site.program, kept)) for site in estate.sites)), found


def changed_templates(value: Any, put: Callable[[Any], Any]) -> dict[str, Any]:
    """What of a step's, or a condition's, templates becomes another one by `put`, which gives back the very same one where nothing changes."""
    made = {name: put(getattr(value, name)) for name in ("value", "template", "location", "body", "path", "replacement", "root") if hasattr(value, name)}
    return {name: now for name, now in made.items() if now is not getattr(value, name)}


def _program(site: Site, estate: Estate, unsent: set[Span]) -> tuple[Step, ...]:
    known = _known(site, estate)

    def put(template: Any) -> Any:
        if isinstance(template, tuple) and any(isinstance(part, Var | Lookup) for part in template):
            made = join(*(of_part(part, known) for part in template))
            return made if made != template else template
        return template

    def change(value: Any) -> Any:
        made = changed_templates(value, put)
        if made.get("value") == () and isinstance(value, Field) and value.side is Side.REQUEST and value.operation is Operation.SET and estate.dialect == "nginx":
            made["operation"] = Operation.REMOVE
        return replace(value, **made) if made else value

    program = transform(site.program, change)
    return with_steps(program, lambda step: _sent(step, unsent)) if estate.dialect == "nginx" else program


def _known(site: Site, estate: Estate) -> dict[Variable, str]:
    known = {}
    # ngx_http_core_server_name (1.22.1, probed): the first name as it is written, with its star, without a leading dot. A pattern is a name for nobody.
    if not site.names or site.names[0].pattern is None:
        known[Variable.SITE_NAME] = site.names[0].text if site.names else ""
    listeners = estate.listeners_of(site.key)
    ports = {listener.port for listener in listeners}
    if len(ports) == 1 and isinstance(port := ports.pop(), int):
        known[Variable.PORT] = str(port)
    schemes = {"https" if listener.secure else "http" for listener in listeners}
    if len(schemes) == 1:
        known[Variable.SCHEME] = schemes.pop()
    return known


def of_part(part: Any, known: dict[Variable, str]) -> Any:
    """A part of a template, with what is known of some variables put in."""
    if isinstance(part, Var):
        if part.variable in OF_TLS:
            return part.name if known.get(Variable.SCHEME) == "http" else part
        return known.get(part.variable, part) if part.variable is not Variable.SCHEME else part
    if isinstance(part, Lookup) and not part.networks:
        made = replace(part, subject=join(*(known.get(Variable.SCHEME, item) if item == Var(Variable.SCHEME) else of_part(item, known) for item in part.subject)))
        subject = fixed(made.subject)
        if subject is None or not _is_settled(made):
            return part if made.subject == part.subject else made
        row = next((row for row in made.rows if _holds(row, subject, made)), None)
        return part if row is None and made.nothing else made.fallback if row is None else row.result
    return part


def _is_settled(table: Lookup) -> bool:
    """Whether what a table says of a known text is known, too: nothing in it is left to deployment, or is a group of a pattern."""
    values = [row.value if isinstance(row.value, str) else row.value.text for row in table.rows]
    return not any(map(is_open, values)) and not any(isinstance(item, Capture) for row in table.rows for item in row.result) and not any(
        problem(row.value) for row in table.rows if isinstance(row.value, Pattern))


def _holds(row: LookupRow, text: str, table: Lookup) -> bool:
    if isinstance(row.value, Pattern):
        return search(row.value, text) is not None
    return row.value.lower() == text.lower() if table.ignores_case else row.value == text


def _sent(step: Step, unsent: set[Span]) -> list[Step]:
    if not isinstance(step, Field) or step.side is Side.REQUEST or step.value or step.operation is not Operation.ADD:
        return [step]
    if step.span is not None:
        unsent.add(step.span)
    return []
