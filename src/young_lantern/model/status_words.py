"""The words that stand for a status, and texts in which the status of an error is put.

Source:   RFC 9110 section 15; net/http, StatusText, as Caddy 2.6.2 writes them (probed for all from 400 to 599).
"""

from __future__ import annotations

from dataclasses import replace
from http import HTTPStatus

from typing import TypeVar

from .steps import PageStatus, Respond
from .text import Template, Var, Variable, join
from .walk import transform, walk

T = TypeVar("T")

# Where releases of Python have other words than the server.
_OTHERWISE = {413: "Request Entity Too Large", 414: "Request URI Too Long", 416: "Requested Range Not Satisfiable", 418: "I'm a teapot", 422: "Unprocessable Entity"}
_KNOWN = {int(status): status.phrase for status in HTTPStatus}


def status_words(status: int) -> str:
    """`Not Found` for 404; nothing for a status that has no words."""
    return _OTHERWISE.get(status) or _KNOWN.get(status, "")


def with_status(template: Template, status: int) -> Template:
    """The template with the status of an error, and its words, put in."""
    said = {Var(Variable.STATUS): str(status), Var(Variable.STATUS_WORDS): status_words(status)}
    return join(*(said.get(part, part) if isinstance(part, Var) else part for part in template))


def on_page(steps: T, page: PageStatus) -> T:
    """The steps of an error's page, in whose texts the status that is sent (nginx, `$status`) is the error's, or the one that the page has."""
    # Locations that lead to each other share what they hold, which is looked through once, and would be made anew for each way that leads there.
    if page.pages_own or not any(isinstance(item, Respond) and Var(Variable.SENT_STATUS) in item.body for item in walk(steps)):
        return steps
    says: Template = (Var(Variable.STATUS),) if page.fixed is None else (str(page.fixed),)

    def of_text(template: Template) -> Template:
        return join(*(says if part == Var(Variable.SENT_STATUS) else part for part in template))

    def change(value: object) -> object:
        if isinstance(value, Respond):
            return replace(value, body=of_text(value.body))
        return value

    return transform(steps, change)
