"""An estate -> what goes wrong in practice, found without any other configuration to compare it with.

Source:   what engineers find when a site does not answer as it should; RFC 9525 section 6.3 for names in certificates.
Unknown:  a certificate that is not on this machine is said to be unchecked, never assumed to be right.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator
from pathlib import Path

from .behaviour import Request, decide
from .behaviour.deployment import as_deployed
from .behaviour.differences import resolved
from .behaviour.request import Assumed, assumed
from .behaviour.witnesses import document_roots
from .codes import (
    CERTIFICATE_EXPIRED, CERTIFICATE_MISSING, CERTIFICATE_NAME, PAGE_LEFT, POOL_UNKNOWN, REDIRECT_LOOP, ROOT_MISSING, ROUTE_UNREACHABLE, RULE_ONLY_PLAIN,
    TLS_WITHOUT_CERTIFICATE,
)
from .dialects.dialect import Reading
from .model import ALWAYS, AllOf, Choose, Condition, ErrorPage, Estate, Finding, PathIs, PathMatches, PathStartsWith, Redirect, Route, Site, Span, finding, literal
from .model.walk import walk
from .patterns import host_matches
from .source.places import moved


def check_health(reading: Reading) -> list[Finding]:
    """Findings on the source itself, those of its reader not among them, in order of their places."""
    estate = reading.estate
    found = [*_pools(estate), *_certificates(estate, reading.root), *_roots(reading), *_loops(estate), *_unreachable(estate), *_plain_rules(estate), *_pages_left(reading)]
    order = {name: number for number, name in enumerate(reading.texts)}
    return sorted(dict.fromkeys(found), key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))


def _pools(estate: Estate) -> Iterator[Finding]:
    for pool in estate.pools:
        if all(member.down for member in pool.members):
            yield finding(POOL_UNKNOWN, pool.span, pool=pool.name)


def _certificates(estate: Estate, root: Path) -> Iterator[Finding]:
    for site in estate.sites:
        secure = [listener for listener in estate.listeners_of(site.key) if listener.secure]
        if not secure or site.tls is None:
            continue
        hosts = [name.text for name in site.names if name.pattern is None and name.text not in ("_", "", "*")]
        if not site.tls.certificates and not site.tls.issued:
            yield finding(TLS_WITHOUT_CERTIFICATE, site.span, host=hosts[0] if hosts else site.key)
        for certificate in site.tls.certificates:
            path = Path(certificate.chain_file) if certificate.chain_file.startswith("/") else root / certificate.chain_file
            if not path.is_file():
                yield finding(CERTIFICATE_MISSING, certificate.span, file=certificate.chain_file)
                continue
            yield from _certificate(path, certificate.chain_file, certificate.span, hosts)


def _roots(reading: Reading) -> Iterator[Finding]:
    """Document roots that are missing among others. Where nothing of them is there, this is not the server's machine."""
    roots = {root: step for root, step in document_roots(reading.estate).items() if root.startswith("/")}
    here = {root: Path(moved(root, reading.files)) for root in roots}
    seen = [root for root in roots if here[root].exists()]
    for root, step in roots.items():
        if root not in seen and (seen or (len(here[root].parts) > 2 and here[root].parent.exists())):
            yield finding(ROOT_MISSING, step.span, folder=root)


def _certificate(path: Path, shown: str, span, hosts: list[str]) -> Iterator[Finding]:  # type: ignore[no-untyped-def]
    from cryptography import x509

    try:
        certificate = x509.load_pem_x509_certificates(path.read_bytes())[0]
        names = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value.get_values_for_type(x509.DNSName)
    except (ValueError, IndexError, OSError):
        yield finding(CERTIFICATE_MISSING, span, file=f"{shown} (not a readable PEM certificate)")
        return
    except x509.ExtensionNotFound:
        names = []
    if certificate.not_valid_after_utc < datetime.datetime.now(datetime.UTC):
        yield finding(CERTIFICATE_EXPIRED, span, file=shown, date=certificate.not_valid_after_utc.date().isoformat())
    for host in hosts:
        asked = "x" + host[1:] if host.startswith("*.") else host
        if not any(host_matches(name.lower(), asked, True) for name in names):
            yield finding(CERTIFICATE_NAME, span, file=shown, host=host)


def _loops(estate: Estate) -> Iterator[Finding]:
    """Redirects that lead back to the very request they answer, for the front page of every name."""
    numbered = as_deployed(estate)
    facts = assumed(Assumed.FILES, frozenset())
    for listener in numbered.listeners:
        for row in listener.rows:
            if not row.host.is_exact:
                continue
            request = Request("GET", "https" if listener.secure else "http", row.host.text, int(str(listener.port)), "/")
            outcome = decide(numbered, request, facts)
            if outcome.location and resolved(outcome.location, request) == resolved(request.url, request):
                yield finding(REDIRECT_LOOP, outcome.decided_by, shows=str(request), url=request.url)


def _unreachable(estate: Estate) -> Iterator[Finding]:
    """Routes behind one of the same choice that takes all their requests."""
    for site in estate.sites:
        for choice in walk(site.program):
            if not isinstance(choice, Choose):
                continue
            for number, route in enumerate(choice.routes):
                by = next((other for other in choice.routes[:number] if covers(other.condition, route.condition)), None)
                if by is not None and route.span is not None and by.span is not None and route.span != by.span:
                    yield finding(ROUTE_UNREACHABLE, route.span, route=route.label or route.span.directive, reason=f"the one at {by.span} takes all its requests before")


def covers(wide: Condition, narrow: Condition) -> bool:
    """Whether every request that meets `narrow` meets `wide`, as far as paths alone tell."""
    if wide is ALWAYS:
        return True
    if isinstance(narrow, AllOf):
        return any(covers(wide, item) for item in narrow.conditions)
    if not isinstance(narrow, PathIs | PathStartsWith) or not isinstance(wide, PathIs | PathStartsWith) or wide.form is not narrow.form:
        return False
    one, other = (item.path if isinstance(item, PathIs) else item.prefix for item in (wide, narrow))
    if wide.ignores_case:
        one, other = one.lower(), other.lower()
    elif narrow.ignores_case:
        return False
    return other.startswith(one) if isinstance(wide, PathStartsWith) else isinstance(narrow, PathIs) and one == other


# RFC 8555 section 8.3: who issues certificates asks for it without TLS.
_CHALLENGE = "/.well-known/acme-challenge"


def _plain_rules(estate: Estate) -> Iterator[Finding]:
    """Path rules of a plain-HTTP site that the TLS site of the same name lacks."""
    secure = {row.host.text: estate.site(row.site) for listener in estate.listeners if listener.secure for row in listener.rows}
    for listener in estate.listeners:
        if listener.secure:
            continue
        for row in listener.rows:
            plain, other = estate.site(row.site), secure.get(row.host.text)
            if other is None or other is plain:
                continue
            rules, spared = _rules(other), _sent_to_tls(plain) | {item for item in walk(other.program) if isinstance(item, Span)}
            for text, item in _rules(plain).items():
                if text not in rules and item.span is not None and item.span not in spared and _CHALLENGE not in re.sub(r"\\(.)", r"\1", text):
                    yield finding(RULE_ONLY_PLAIN, item.span, directive=item.span.directive, host=row.host.text)


def _pages_left(reading: Reading) -> Iterator[Finding]:
    """Pages for errors that origins answer, where nothing closes the connection (dialects/apache/writer/kept_connections.py)."""
    if reading.dialect != "apache" or any(_CLOSES.fullmatch(word) for file in reading.tree.values() for line in file.walk() for word in line.args):
        return
    numbered = as_deployed(reading.estate)
    for listener in numbered.listeners:
        asked = [("any.example" if row.host.is_any else "x" + row.host.text[1:] if row.host.text.startswith("*.") else row.host.text, row.site) for row in listener.rows]
        # Whoever answers the hosts that no site names: where there is no other site, nobody has a name.
        asked += [("any.example", listener.fallback)] if isinstance(listener.fallback, str) else []
        for host, key in asked:
            for page in (item for item in walk(numbered.site(key).program) if isinstance(item, ErrorPage) and item.restarts is not None):
                path = literal(page.target or ())
                if not path or not path.startswith("/"):
                    continue
                outcome = decide(numbered, Request("GET", "https" if listener.secure else "http", host, int(str(listener.port)), path), assumed(Assumed.FILES, frozenset()))
                if outcome.origin is not None and outcome.origin.protocol == "http":
                    yield finding(PAGE_LEFT, page.span, page=path)


# What keeps httpd from using a connection to an origin again.
_CLOSES = re.compile(r"proxy-nokeepalive(=.*)?|disablereuse=on", re.IGNORECASE)


def _sent_to_tls(site: Site) -> set[Span]:
    """What routes ask that do nothing but send the client to the TLS site."""
    return {
        item.span for route in walk(site.program) if isinstance(route, Route) and len(route.steps) == 1 and isinstance(answer := route.steps[0], Redirect)
        and answer.location and str(answer.location[0]).startswith("https://") for item in walk(route.condition) if getattr(item, "span", None)
    }


def _rules(site: Site) -> dict[str, PathIs | PathStartsWith | PathMatches]:
    found: dict[str, PathIs | PathStartsWith | PathMatches] = {}
    for item in walk(site.program):
        if isinstance(item, PathIs) and item.path != "/":
            found.setdefault(item.path, item)
        elif isinstance(item, PathStartsWith) and item.prefix != "/":
            found.setdefault(item.prefix, item)
        elif isinstance(item, PathMatches):
            found.setdefault(item.pattern.text, item)
    return found
