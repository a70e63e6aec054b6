"""Answers in the place of an origin's -> error pages, for dialects that answer an origin's errors so (nginx, httpd).

Rule:     a page is for statuses from 300 on, and says each of them: of whole classes those that are registered (RFC 9110 section 15.5, 15.6, and IANA, "HTTP
          Status Codes"). What stands for any answer at all is not carried. A page is for errors of the server's own, too, where one of those has the status: the comparison shows it.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import ErrorPage, ErrorPages, Estate, Forward, PageStatus, Respond, Step
from ..model.walk import transform, with_steps

_CAN = frozenset({*range(300, 309), *range(400, 419), *range(421, 427), 428, 429, 431, 451, *range(500, 512)})


def as_pages(estate: Estate) -> Estate:
    """The estate with such pages before each Forward that needs them."""
    return replace(estate, sites=tuple(replace(site, program=with_steps(site.program, lambda step: _with_pages(step) if isinstance(step, Forward) and step.in_place else [step])) for site in estate.sites))


def _insists(value: object) -> object:
    """A text without a status of its own has 200 there, and not that of an error."""
    return replace(value, insists=True) if isinstance(value, Respond) and not value.raises else value


def _with_pages(forward: Forward) -> list[Step]:
    pages: list[ErrorPage] = []
    named: frozenset[int] = frozenset()
    for item in forward.in_place:
        if item.statuses is None:
            break
        statuses = (item.statuses & _CAN if len(item.statuses) >= 100 else item.statuses - frozenset(range(300))) - named
        if statuses:
            named |= statuses
            pages.append(ErrorPage(statuses, steps=transform(item.steps, _insists), status=PageStatus(pages_own=True), keeps_method=True, span=item.span))
    if not named:
        return [forward]
    intercepted = (forward.intercepted or frozenset()) | named
    return [ErrorPages(tuple(pages), merges=True), replace(forward, in_place=(), intercepts_errors=bool(intercepted), intercepts_all=False, intercepted=intercepted, intercepts_span=forward.intercepts_span or forward.in_place[0].span)]
