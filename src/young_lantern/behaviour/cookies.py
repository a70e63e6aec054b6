"""Cookies that an origin sets, as they reach the client.

Source:   nginx manual, proxy_cookie_path, proxy_cookie_domain, proxy_cookie_flags; Apache HTTP Server manual, ProxyPassReverseCookiePath,
          ProxyPassReverseCookieDomain; RFC 6265 section 4.1.
"""

from __future__ import annotations

import re

from ..model import CookieFlags, CookieMapping, Pattern
from ..patterns import search
from .evaluate import matches, text
from .state import State


def mapped(pair: tuple[str, str], changes: tuple[CookieMapping | CookieFlags, ...], state: State) -> tuple[str, str]:
    """A field of the origin's, changed if it sets a cookie."""
    name, line = pair
    if name != "set-cookie":
        return pair
    first, *attributes = line.split(";")
    for attribute in ("domain", "path"):
        for number, piece in enumerate(attributes):
            key, equals, value = piece.strip().partition("=")
            if equals and key.lower() == attribute:
                attributes[number] = f" {key}={_new_value(attribute, value, changes, state)}"
    return name, _flagged(";".join([first, *attributes]), changes)


def _new_value(attribute: str, value: str, changes: tuple[CookieMapping | CookieFlags, ...], state: State) -> str:
    for change in changes:
        if not isinstance(change, CookieMapping) or change.attribute != attribute:
            continue
        if isinstance(change.before, Pattern):
            # nginx (1.22.1, probed): where a pattern is found, the whole value gives way.
            if matches(change.before, value, state, False):
                return text(change.after, state)
            continue
        before, after = text(change.before, state), text(change.after, state)
        if attribute == "domain":
            if value.lower() == before.lower() or not change.exact and value.lower().removeprefix(".") == before.lower().removeprefix("."):
                return after
        elif value.startswith(before):
            return after if change.exact else after + value[len(before):]
    return value


def _flagged(line: str, changes: tuple[CookieMapping | CookieFlags, ...]) -> str:
    cookie = line.partition("=")[0].strip()
    for change in changes:
        if isinstance(change, CookieFlags) and _names(change, cookie):
            for flag in change.flags:
                name = flag.removeprefix("no").partition("=")[0]
                line = re.sub(rf";\s*{name}(=[^;]*)?(?=;|$)", "", line, flags=re.IGNORECASE)
                line += "" if flag.startswith("no") else f"; {flag}"
            break
    return line


def _names(change: CookieFlags, cookie: str) -> bool:
    if change.names is None:
        return True
    return search(change.names, cookie) is not None if isinstance(change.names, Pattern) else change.names.lower() == cookie.lower()
