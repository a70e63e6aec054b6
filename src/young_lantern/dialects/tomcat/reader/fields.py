"""Filters that Tomcat brings, and `server` of a Connector -> response fields. Mirror: none.

Source:   Tomcat documentation, "Container Provided Filters"; HttpHeaderSecurityFilter (10.1.60): a filter acts on what reaches the file server, not on what the
          context's valves and constraints have answered.
Unknown:  another filter is told: it may change anything.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from ....model import AllOf, AnyOf, Choose, Condition, Disposition, Field, Operation, PathIs, PathMatches, PathStartsWith, Pattern, Route, Side, Step, Unserved
from ..syntax import Element
from .context import Context
from .secure import Secure

_PACKAGE = "org.apache.catalina.filters."
_GUARDS = {"RemoteAddrFilter", "RemoteHostFilter", "RemoteCIDRFilter", "CsrfPreventionFilter", "RestCsrfPreventionFilter", "RateLimitFilter"}
_NO_MATTER = {"SetCharacterEncodingFilter", "FailedRequestFilter", "RequestDumperFilter", "WebdavFixFilter"}


def read_filters(descriptors: list[Element], prefix: str, secure: Secure, context: Context) -> tuple[Step, ...]:
    """The filters of a context in the order of their mappings."""
    filters = {element.said("filter-name"): element for descriptor in descriptors for element in descriptor.all("filter")}
    steps: list[Step] = []
    for descriptor in descriptors:
        for mapping in descriptor.all("filter-mapping"):
            context.use(mapping)
            element = filters.get(mapping.said("filter-name"))
            if element is None:
                context.value_unread(mapping.span, "filter-mapping", mapping.said("filter-name"), "the name of a filter was expected")
                continue
            context.use(element)
            name = element.said("filter-class").removeprefix(_PACKAGE)
            if name in _NO_MATTER:
                for span in (element.span, mapping.span):
                    context.settled(span, Disposition.IMPLIED, "it changes nothing of what the file server answers")
                continue
            read = READS.get(name)
            patterns = tuple(item.text for item in mapping.all("url-pattern"))
            if name in _GUARDS:
                # Whom it keeps out is not read: what it guards must not be left open.
                where = None if "/*" in patterns or not patterns else _paths(patterns, prefix, mapping)
                context.lose(element.span, f"the filter {name}", "whom it keeps out is not read; what it guards stays closed")
                closed = Unserved(f"filter {name}", element.span)
                steps.append(Choose((Route(where, (closed,), element.span),), element.span) if where is not None else closed)
                continue
            if read is None or not patterns:
                context.lose(element.span, f"the filter {element.said('filter-class') or mapping.said('filter-name')}", "it may change whatever it likes of the answers it is mapped to")
                continue
            steps += read(element, None if "/*" in patterns else _paths(patterns, prefix, mapping), secure)
    return tuple(steps)


def _paths(patterns: tuple[str, ...], prefix: str, mapping: Element) -> Condition:
    held: list[Condition] = []
    for pattern in patterns:
        if pattern.startswith("*."):
            held.append(PathMatches(Pattern(rf"\.{re.escape(pattern[2:])}$"), span=mapping.span))
        elif pattern.endswith("/*"):
            held += [PathIs(prefix + pattern[:-2], span=mapping.span), PathStartsWith(prefix + pattern[:-1], span=mapping.span)]
        else:
            held.append(PathIs(prefix + pattern, span=mapping.span))
    return held[0] if len(held) == 1 else AnyOf(tuple(held), mapping.span)


def _parameters(element: Element) -> dict[str, str]:
    return {item.said("param-name"): item.said("param-value") for item in element.all("init-param")}


def _security(element: Element, where: Condition | None, secure: Secure) -> list[Step]:
    """HttpHeaderSecurityFilter: all three kinds of fields are on unless they are switched off."""
    given = _parameters(element)

    def on(name: str, default: str = "true") -> bool:
        return given.get(name, default).lower() == "true"

    made: list[Step] = []
    if on("hstsEnabled"):
        value = f"max-age={given.get('hstsMaxAgeSeconds', '0')}" + (";includeSubDomains" if on("hstsIncludeSubDomains", "false") else "") + (";preload" if on("hstsPreload", "false") else "")
        by_tls = secure.holds(element.span)
        made.append(_set("Strict-Transport-Security", value, AllOf((by_tls, where), element.span) if where is not None else by_tls, element))
    if on("antiClickJackingEnabled"):
        option = given.get("antiClickJackingOption", "DENY")
        uri = given.get("antiClickJackingUri", "")
        made.append(_set("X-Frame-Options", f"{option} {uri}" if option.upper() == "ALLOW-FROM" and uri else option.upper(), where, element))
    if on("blockContentTypeSniffingEnabled"):
        made.append(_set("X-Content-Type-Options", "nosniff", where, element))
    if on("xssProtectionEnabled", "false"):
        made.append(_set("X-XSS-Protection", "1; mode=block", where, element))
    return made


def _set(name: str, value: str, where: Condition | None, element: Element) -> Field:
    return Field(Side.RESPONSE, Operation.SET, name, (value,), when=where, span=element.span, comments=element.comments)


READS: dict[str, Callable[[Element, Condition | None, Secure], list[Step]]] = {"HttpHeaderSecurityFilter": _security}
