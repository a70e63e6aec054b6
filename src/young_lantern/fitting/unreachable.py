"""Pages for an origin that cannot be reached, or takes too long -> pages for the status that the target answers then.

Rule:     nginx and Caddy say 502 when a connection is refused, httpd says 503; when an origin is waited for in vain they say 504, httpd over HTTP 502
          (1.22.1, 2.6.2, 2.4.71, probed). A page for the one goes with the other, too,
          where the source has none for that; where the target can say so, with the status that the source had.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import LATE, UNREACHABLE, ErrorPage, ErrorPages, Estate, Forward, Gateway, PageStatus, Site
from ..model.walk import transform, walk


def with_unreachable(estate: Estate, target: str) -> Estate:
    """The estate as it should be for another dialect."""
    if estate.dialect not in UNREACHABLE:
        return estate  # Tomcat asks no origins
    pairs = [(UNREACHABLE[estate.dialect], UNREACHABLE.get(target, 502)), (LATE[estate.dialect][0], LATE.get(target, (504, 504))[0])]
    pairs = [(before, after) for before, after in pairs if before != after]
    return replace(estate, sites=tuple(_site(site, pairs, target == "apache") for site in estate.sites)) if pairs else estate


def _site(site: Site, pairs: list[tuple[int, int]], keeps_error: bool) -> Site:
    if not any(isinstance(item, Forward | Gateway) for item in walk(site.program)):
        return site

    def change(value: object) -> object:
        if isinstance(value, ErrorPages):
            for before, after in pairs:
                value = _with_pages(value, before, after, keeps_error)
        return value

    return replace(site, program=transform(site.program, change))


def _with_pages(value: ErrorPages, before: int, after: int, keeps_error: bool) -> ErrorPages:
    """keeps_error: a page has the error's own status, whatever it is."""
    if any(page.statuses is None or after in page.statuses for page in value.pages):
        return value
    pages: list[ErrorPage] = []
    for page in value.pages:
        held = page.statuses is not None and before in page.statuses
        if held and keeps_error:
            page = replace(page, statuses=page.statuses | {after})  # type: ignore[operator]
        pages.append(page)
        if held and not keeps_error:
            status = page.status if page.status.fixed is not None or page.status.pages_own else PageStatus(fixed=before)
            pages.append(replace(page, statuses=frozenset({after}), status=status))
    return replace(value, pages=tuple(pages))
