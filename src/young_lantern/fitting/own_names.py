"""Redirects to a path that a server sends with its own name, as redirects to that URL; and what of it stays for the slashes that it adds itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ..model import Estate, Lookup, Redirect, ServeFiles, Site, Template, Var, Variable, join
from ..model.walk import transform, walk

_PATHS = frozenset({Variable.PATH, Variable.PATH_ESCAPED, Variable.URL_PATH, Variable.ORIGINAL_PATH, Variable.TARGET, Variable.TARGET_NOW})


def with_whole_urls(estate: Estate) -> Estate:
    """The estate with these written out; of a location that may be a path, or a URL, nobody knows beforehand."""
    return transform(estate, _whole)


def _whole(item: Any) -> Any:
    if not isinstance(item, Redirect) or not isinstance(item.absolute, tuple) or not item.location:
        return item
    first = item.location[0]
    is_path = first.startswith("/") if isinstance(first, str) else isinstance(first, Var) and first.variable in _PATHS
    return replace(item, location=join(item.absolute, item.location), absolute=False) if is_path else item


@dataclass(frozen=True, slots=True)
class SlashFront:
    """What goes before the path where a folder's slash is added, in the connection's scheme. host: "" the client's; port: "" none, "*" the one that was connected to."""

    host: str
    port: str


def of_slashes(site: Site) -> SlashFront | None:
    """The same for all folders of a site; None: it is the client's own words, or none of these forms."""
    fronts = {item.folders.location_absolute for item in walk(site.program) if isinstance(item, ServeFiles) and item.folders.added_slash is not None}
    front = fronts.pop() if len(fronts) == 1 else None
    return _form(front, site) if isinstance(front, tuple) else None


def behind_tls(site: Site) -> bool:
    """Whether some slash is added with another scheme than the connection's: what stands in front speaks HTTPS."""
    return any(isinstance(item, ServeFiles) and isinstance(front := item.folders.location_absolute, tuple) and str(front[0]).startswith("https://") for item in walk(site.program))


def _form(front: Template, site: Site) -> SlashFront | None:
    if front[:1] != (Var(Variable.SCHEME),):
        return None
    called = site.names[0].text if site.names and site.names[0].is_exact else None
    match join(*(called if part == Var(Variable.SITE_NAME) and called else part for part in front[1:])):
        case ("://", Var(Variable.HOST)):
            return SlashFront("", "")
        case (str() as text,) if "/" not in text[3:]:
            host, _, port = text[3:].partition(":")
            return SlashFront(host, port)
        case (str() as text, Var(Variable.PORT) | Lookup()) if text[3:].rstrip(":"):
            return SlashFront(text[3:].rstrip(":"), "*")
    return None
