"""What an origin's errors, and its absence, are to the server that asks it. Used by: decide.py.

Source:   nginx manual, proxy_intercept_errors; Apache HTTP Server manual, ProxyErrorOverride; http_protocol.c, mod_proxy_fcgi.c, mod_proxy_uwsgi.c,
          mod_proxy_http2.c (2.4.71, probed); reverseproxy.go (2.6.2, probed).
"""

from __future__ import annotations

from ..model import LATE, UNREACHABLE, WAITS, BodyLimit, Forward, Gateway
from . import caching
from .origin_answers import OriginAnswer
from .state import State

# http_protocol.c, status_lines (2.4.71), from 400 on.
_HTTPD_ERRORS = frozenset({*range(400, 418), *range(421, 427), 428, 429, 431, 451, *range(500, 509), 510, 511})


def unanswered(step: Forward | Gateway, answer: OriginAnswer, dialect: str) -> int | None:
    """The error for an origin that is not there, or takes longer than it is waited for."""
    if answer.refused:
        return UNREACHABLE[dialect]
    waits = step.read_seconds if step.read_seconds is not None else WAITS[dialect]
    return LATE[dialect][isinstance(step, Gateway)] if waits is not None and answer.after > waits else None


def leaves_content(step: Forward | Gateway, dialect: str) -> bool:
    """Whether the request's content is never read: reverseproxy.go (2.6.2, probed), where the method is changed to one without."""
    return dialect == "caddy" and step.method in ("GET", "HEAD")


def too_large(step: Forward, limit: BodyLimit, dialect: str) -> int:
    """The error for content over the limit. reverseproxy.go (2.6.2, probed): by HTTP/2 it is not taken for one of the origin."""
    return 413 if step.protocol == "h2c" and dialect == "caddy" else limit.status


def replaced(step: Forward | Gateway, status: int, state: State) -> int:
    """The status that goes out in the place of the origin's, if there is one."""
    return status if step.sends_status is None else step.sends_status or state.error_status or status


def sent(step: Forward, status: int, dialect: str) -> int:
    """The status as it goes out. mod_proxy_http2.c (2.4.71, probed): the status line is one of httpd's own, or that of 500."""
    return 500 if dialect == "apache" and step.protocol == "h2c" and status >= 400 and status not in _HTTPD_ERRORS else status


def known_status(status: int, step: Forward | Gateway, state: State) -> int:
    """What an origin's error is to the server that words it itself."""
    state.intercepted = True
    caching.worded(state)
    if state.dialect != "apache" or status in _HTTPD_ERRORS:
        return status
    if step.protocol in ("uwsgi", "h2c"):
        return 500  # mod_proxy_uwsgi.c, mod_proxy_http2.c (2.4.71, probed)
    # http_protocol.c (2.4.71, probed): one that httpd has no line for has the page for 500, whose status it takes if that is a path or a URL.
    pages = state.pages.pages if state.pages is not None else ()
    page = next((page for page in pages if page.statuses is None or 500 in page.statuses), None)
    return 500 if page is not None and page.target is not None else status


def intercepts(step: Forward | Gateway, status: int, state: State) -> bool:
    """Whether the server answers an origin's error itself."""
    if not step.intercepts_errors or status < 300 or step.intercepted is not None and status not in step.intercepted:
        return False
    if isinstance(step, Gateway) and state.dialect == "apache" and (state.in_error or state.asked_inside and not state.for_index):
        return False  # mod_proxy_fcgi.c: only for a request that no other led to inside (2.4.71, probed)
    if step.intercepts_all:
        return status >= 400
    # ngx_http_special_response_handler (1.22.1, probed): so too where it is a page for an error that fails itself, of which the server's own words are the end.
    return step.intercepted is not None or state.pages is not None and any(page.statuses is None or status in page.statuses for page in state.pages.pages)
