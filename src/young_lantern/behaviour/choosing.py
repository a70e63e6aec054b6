"""Which listener a request comes to, and which of its sites answers for the host.

Rule:     rows are tried in their order; the first that holds the host decides, else the fallback (docs/model.md).
"""

from __future__ import annotations

from ..model import AnswerPlainly, Estate, Listener, Refuse, Site, Span
from ..patterns import host_matches, search
from .request import Request


def choose_listener(estate: Estate, request: Request) -> Listener | None:
    """The listener of the request's port: any address first, since a request here names none."""
    found = [listener for listener in estate.listeners if str(listener.port) == str(request.port)]
    fitting = [listener for listener in found if listener.secure == (request.scheme == "https")] or found
    return min(fitting, key=lambda listener: ("", "0.0.0.0", "::").index(listener.address) if listener.address in ("", "0.0.0.0", "::") else 9, default=None)


def choose_site(estate: Estate, listener: Listener, host: str) -> tuple[Site | AnswerPlainly | Refuse, Span | None, dict[str, str], tuple[str, ...]]:
    """The site for a host: the first row that holds it, else the fallback; with a pattern's named and numbered captures."""
    host = host.lower().rstrip(".") if listener.drops_final_dot else host.lower()
    for row in listener.rows:
        if row.host.pattern is not None:
            if found := search(row.host.pattern, host):
                named = {key: value or "" for key, value in found.groupdict().items()}
                return estate.site(row.site), row.host.span, named, tuple(value or "" for value in (found.group(0), *found.groups()))
        elif host_matches(row.host.text, host, row.host.one_label):
            return estate.site(row.site), row.host.span, {}, ()
    if isinstance(listener.fallback, str):
        return estate.site(listener.fallback), None, {}, ()
    return listener.fallback, None, {}, ()
