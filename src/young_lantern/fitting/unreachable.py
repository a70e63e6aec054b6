"""Pages for an origin that cannot be reached -> pages for the status that the target answers then.

Rule:     nginx and Caddy say 502 when a connection is refused, httpd says 503 (1.22.1, 2.6.2, 2.4.71, probed). A page for the one goes with the other, too,
          where the source has none for that; where the target can say so, with the status that the source had.
"""

from __future__ import annotations

from dataclasses import replace

from ..model import UNREACHABLE, ErrorPage, ErrorPages, Estate, Forward, Gateway, PageStatus, Site
from ..model.walk import transform, walk


def with_unreachable(estate: Estate, target: str) -> Estate:
    """The estate as it should be for another dialect."""
    before, after = UNREACHABLE[estate.dialect], UNREACHABLE.get(target, 502)
    if before == after:
        return estate
    return replace(estate, sites=tuple(_site(site, before, after) for site in estate.sites))


def _site(site: Site, before: int, after: int) -> Site:
    if not any(isinstance(item, Forward | Gateway) for item in walk(site.program)):
        return site

    def change(value: object) -> object:
        if not isinstance(value, ErrorPages) or any(page.statuses is None or after in page.statuses for page in value.pages):
            return value
        pages: list[ErrorPage] = []
        for page in value.pages:
            held = page.statuses is not None and before in page.statuses
            if held and after == 503:
                page = replace(page, statuses=page.statuses | {after})  # type: ignore[operator]
            pages.append(page)
            if held and after != 503:
                status = page.status if page.status.fixed is not None or page.status.pages_own else PageStatus(fixed=before)
                pages.append(replace(page, statuses=frozenset({after}), status=status))
        return replace(value, pages=tuple(pages))

    return replace(site, program=transform(site.program, change))
