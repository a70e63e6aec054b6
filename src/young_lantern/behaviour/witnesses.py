"""Two estates -> a request of every class that the two can tell apart, and requests at every boundary besides.

Rule:     every combination of path conditions is met by its shortest path (path_classes.py), and with each of these paths every combination of what
          the decisions look at besides (exploring.py). What no condition asks, servers may still differ in: so each condition is asked from both its
          sides, too: a prefix with and without its slash and with one letter more, a pattern by its examples and by what nearly matches, and all
          paths in several spellings.
"""

from __future__ import annotations

import base64
import ipaddress
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from ..model import (
    AddressRule, BodyLimit, ClientIn, Compress, Credentials, ErrorPage, Estate, FileExists, Gateway, HostName, Listener, Lookup, Mapped, PathGlob, PathIs,
    PathMatches, PathStartsWith, Pattern, Rewrite, ServeFiles, SetPath, Site, StripPrefix, TextIs, TextMatches, Var, Variable, literal,
)
from ..model.walk import walk
from ..patterns import examples
from ..source.passwords import PASSWORD
from .aspects import aspects, host_witnesses
from .decide import choose_listener, choose_site
from .exploring import LIMIT_DECISIONS, Explorer
from .outcome import Outcome
from .path_classes import LIMIT_STATES, path_classes
from .request import Assumed, Facts, Request, assumed

# Every site is asked for these, whatever it says: the root, slashes, dots, escapes, case, a file and a folder.
_ALWAYS = ("/", "/x", "/x/", "/x.html", "/X.html", "//x", "/x//y", "/x/./y", "/x/../y", "/%78", "/x%20y", "/x%2Fy", "/x;y", "/.x")
# Tables of these are asked with each of their rows as the path.
_WHOLE_PATHS = ((Var(Variable.PATH),), (Var(Variable.TARGET),), (Var(Variable.TARGET_NOW),), (Var(Variable.ORIGINAL_PATH),))
_OTHER_HOST = "other-name.example"
_CLIENTS = ("192.0.2.10", "198.51.100.200")
# Chosen among 12, 24 and 48: at 24 a site of 20 prefixes and 10 patterns has some 500 paths.
_MOST_COMBINED = 24


@dataclass(frozen=True, slots=True)
class Witness:
    """outcomes: what both estates do, where that was decided on the way."""

    request: Request
    facts: Facts
    outcomes: tuple[Outcome, Outcome] | None = None


@dataclass
class Witnesses:
    """The requests. classes: how many of them stand for a class; unreached: patterns for which no example could be made; sampled: where classes may be missing, and why."""

    rows: list[Witness] = field(default_factory=list)
    classes: int = 0
    unreached: set[str] = field(default_factory=set)
    sampled: set[str] = field(default_factory=set)


def find_witnesses(before: Estate, after: Estate) -> Witnesses:
    """All requests for two estates whose ports are numbers."""
    found = Witnesses()
    seen: set[tuple[object, ...]] = set()
    facts = list(assumptions(before, after).values())
    roots = frozenset(document_roots(before, after))
    ports = dict.fromkeys((listener.port, listener.secure) for estate in (before, after) for listener in estate.listeners)
    for port, secure in ports:
        pairs: dict[tuple[str, str], tuple[list[Site], list[str]]] = {}
        for host in _hosts(before, after, port, secure):
            sites = [_site(estate, port, secure, host) for estate in (before, after)]
            pair = (sites[0].key if sites[0] else "", sites[1].key if sites[1] else "")
            pairs.setdefault(pair, ([site for site in sites if site], []))[1].append(host)
        for here, hosts in pairs.values():
            plain = Request("GET", "https" if secure else "http", hosts[0], int(str(port)), "/", client=_CLIENTS[0])
            classes = path_classes(here)
            parts = aspects(here, hosts)
            explorer = Explorer((before, after), parts, roots)
            explored = [row for path in classes.paths for row in explorer.explore(replace(plain, target=_wire(path)))]
            found.classes += len(explored)
            found.sampled |= classes.loose | parts.loose
            if not classes.complete:
                found.sampled.add(f"the paths of {hosts[0]}: more than {LIMIT_STATES} states")
            if not explorer.complete:
                found.sampled.add(f"what is asked besides the path on {hosts[0]}: more than {LIMIT_DECISIONS} decisions for a path")
            standing = dict.fromkeys(map(_wire, classes.paths))
            around = [path for path in _paths(here, found.unreached, not classes.complete) if path not in standing]
            rows = [Witness(row.request, row.facts, row.outcomes) for row in explored]
            rows += _requests(here, plain, [*standing], facts, True)
            # Another spelling or neighbour of a path that stands for its class is asked of less, where all classes are known.
            rows += _requests(here, plain, around, facts, bool(classes.loose | parts.loose) or not (classes.complete and explorer.complete))
            rows += [Witness(replace(plain, host=host, target=path), fact) for host in hosts[1:] for path in ("/", "/x") for fact in facts]
            for row in rows:
                key = (row.request, row.facts.name)
                if key not in seen:
                    seen.add(key)
                    found.rows.append(row)
    return found


def assumptions(*estates: Estate) -> dict[str, Facts]:
    """What may be assumed of files, by its name, for estates that look for some index files in some document roots."""
    indexes = frozenset(text for estate in estates for site in estate.sites for text in _indexes(site))
    roots = frozenset(document_roots(*estates))
    return {what.value: assumed(what, indexes, roots) for what in Assumed}


def _site(estate: Estate, port: object, secure: bool, host: str) -> Site | None:
    listener = choose_listener(estate, Request("GET", "https" if secure else "http", host, int(str(port)), "/"))
    if listener is None or listener.secure != secure:
        return None
    site = choose_site(estate, listener, host)[0]
    return site if isinstance(site, Site) else None


def _hosts(before: Estate, after: Estate, port: object, secure: bool) -> list[str]:
    names: list[str] = []
    for estate in (before, after):
        for listener in estate.listeners:
            if (listener.port, listener.secure) == (port, secure):
                names += [host for row in listener.rows for host in _examples_of(row.host)]
    names.append(_OTHER_HOST)
    # Sites that ask for the host themselves, as one that answers for several does.
    names += host_witnesses([site for estate in (before, after) for site in estate.sites if any((item.port, item.secure) == (port, secure) for item in estate.listeners_of(site.key))])
    return list(dict.fromkeys(names))


def _examples_of(name: HostName) -> list[str]:
    if name.pattern is not None:
        return [text for text in examples(name.pattern, starts_with_slash=False)[:3] if text and all(c.isalnum() or c in ".-" for c in text)]
    if name.text.startswith("*."):
        return ["a" + name.text[1:], "b.a" + name.text[1:]]
    if name.text.endswith(".*"):
        return [name.text[:-1] + "example"]
    return [] if name.is_any else [name.text]


def _indexes(site: Site) -> Iterator[str]:
    for item in walk(site.program):
        if isinstance(item, ServeFiles):
            for name in item.folders.index:
                text = literal(name)
                if text:
                    yield text.lstrip("/")
        elif isinstance(item, FileExists) and len(item.path) == 2 and item.path[0] == Var(Variable.PATH) and isinstance(item.path[1], str):
            yield item.path[1].lstrip("/")


def document_roots(*estates: Estate) -> dict[str, ServeFiles]:
    """The folders that files are served from, without final slash, and where one of them is named."""
    found: dict[str, ServeFiles] = {}
    for item in (item for estate in estates for site in estate.sites for item in walk(site.program)):
        if isinstance(item, ServeFiles) and (not item.strip or item.strip.endswith("/")):
            text = literal(item.root)
            if text:
                found.setdefault(text.rstrip("/"), item)
    return found


def _paths(sites: list[Site], unreached: set[str], combines: bool) -> list[str]:
    """Paths at every boundary; `combines`: patterns below every prefix, too, where the walk over the classes did not come to its end."""
    prefixes: list[str] = []
    paths: list[str] = list(_ALWAYS)
    tails: list[str] = []
    for site in sites:
        for item in walk(site.program):
            match item:
                case PathIs(path):
                    paths += _around(path)
                case PathStartsWith(prefix):
                    prefixes.append(prefix)
                case PathGlob(glob):
                    paths += _around(glob.replace("*", "x")) + _around(glob.replace("*", ""))
                case StripPrefix(prefix) | Mapped(prefix) if prefix:
                    prefixes.append(prefix)
                case ServeFiles(strip=strip) if strip:
                    prefixes.append(strip)
                case Gateway():
                    paths += ["/x.php", "/x.php/more", "/x/y.php", "/x.PHP", "/index.php", "/index.php/more"]
                case PathMatches(pattern):
                    made = _of_pattern(pattern, unreached)
                    paths += made
                    tails += [path.rpartition("/")[2] for path in made]
                case Lookup() if item.subject in _WHOLE_PATHS:
                    for row in item.rows:
                        paths += _around(row.value) if isinstance(row.value, str) else _of_pattern(row.value, unreached)
                case Rewrite(edit=SetPath(template)) | ErrorPage(target=template):
                    text = literal(template or ())
                    if text and text.startswith("/"):
                        paths += _around(text.partition("?")[0])
    for prefix in dict.fromkeys(prefixes):
        paths += [*_around(prefix), prefix + "x", prefix.rstrip("/") + "/x/y", prefix.rstrip("/") + "/x.html"]
    for prefix in list(dict.fromkeys(prefixes))[:_MOST_COMBINED] if combines else ():
        for tail in list(dict.fromkeys(filter(None, tails)))[:_MOST_COMBINED]:
            paths.append(prefix.rstrip("/") + "/" + tail)
    return [path for path in dict.fromkeys(paths) if path.startswith("/") and not any(ord(c) <= 32 or ord(c) > 126 or c == "?" for c in path)]


def _around(path: str) -> list[str]:
    """A path and its neighbours."""
    path = _wire(path)
    if path == "/":
        return ["/"]
    bare = path.rstrip("/")
    return [path, bare, bare + "/", path + "x", bare + "x", path.swapcase()]


def _of_pattern(pattern: Pattern, unreached: set[str]) -> list[str]:
    made = [_wire(text) for text in examples(pattern)]
    if not made:
        unreached.add(pattern.text)
    return [near for text in made[:6] for near in (text, text + "x", text.rstrip("/") + "/", "/x" + text, text.swapcase())]


def _wire(path: str) -> str:
    """A decoded path as it goes on the wire."""
    from .paths import escaped

    return escaped(path, " \"#%<>?\\^`{|}")


def _requests(sites: list[Site], plain: Request, paths: list[str], facts: list[Facts], thoroughly: bool) -> Iterator[Witness]:
    """Each path with each assumption, and by other methods; thoroughly: with each part of a request that somebody asks for, one at a time, too."""

    def made(path: str, **changes: object) -> Request:
        return replace(plain, target=path, **changes)  # type: ignore[arg-type]

    nothing, a_file = facts[0], facts[1]
    special = list(_special_fields(sites))
    queries = ["q=1", *_special_queries(sites)]
    clients = _special_clients(sites)
    limits = {item.limit_bytes for site in sites for item in walk(site.program) if isinstance(item, BodyLimit) and item.limit_bytes}
    compresses = any(isinstance(item, Compress) for site in sites for item in walk(site.program))
    for path in paths:
        for fact in facts:
            yield Witness(made(path), fact)
        for fact in (nothing, a_file):
            for query in queries if thoroughly else queries[:1]:
                yield Witness(made(f"{path}?{query}"), fact)
            for method in ("HEAD", "POST"):
                yield Witness(made(path, method=method), fact)
        yield Witness(made(path, method="DELETE"), a_file)
        if not thoroughly:
            continue
        for fields in special:
            yield Witness(made(path, fields=fields), a_file)
        for client in clients:
            yield Witness(made(path, client=client), a_file)
        for limit in limits:
            yield Witness(made(path, method="POST", fields=(("Content-Length", str(limit + 1)),)), nothing)
        if compresses:
            yield Witness(made(path, fields=(("Accept-Encoding", "gzip"),)), a_file)
        yield Witness(made(path, fields=(("X-Forwarded-For", "203.0.113.7"),)), nothing)


def _special_fields(sites: list[Site]) -> Iterator[tuple[tuple[str, str], ...]]:
    """Field values that some condition asks for."""
    seen: set[object] = set()
    for name, value in _asked(sites, Variable.FIELD):
        if (name, value) not in seen and name.lower() != "host":
            seen.add((name, value))
            yield ((name.title(), value),)
    for step in (item for site in sites for item in walk(site.program) if isinstance(item, Credentials)):
        # One who may enter, and one who is known and may not. Strangers are asked of like nobody; Caddy takes a second's work for each.
        for who in (*step.names[:1], *[name for name, _ in step.known if name not in step.names][:1]):
            value = "Basic " + base64.b64encode(f"{who}:{PASSWORD}".encode()).decode()
            if value not in seen:
                seen.add(value)
                yield (("Authorization", value),)
    for name, value in _asked(sites, Variable.COOKIE):
        if (name, value) not in seen:
            seen.add((name, value))
            yield (("Cookie", f"{name}={value}"),)


def _special_queries(sites: list[Site]) -> list[str]:
    found = [f"{name}={value}" for name, value in _asked(sites, Variable.ARGUMENT)]
    found += [value for _, value in _asked(sites, Variable.QUERY) if value]
    return [query for query in dict.fromkeys(found) if all(33 <= ord(c) <= 126 and c != "#" for c in query)]


def _asked(sites: list[Site], variable: Variable) -> Iterator[tuple[str, str]]:
    for site in sites:
        for item in walk(site.program):
            if isinstance(item, Lookup) and len(item.subject) == 1 and not item.networks:
                yield from _asked_in_table(item, variable)
            if not isinstance(item, TextIs | TextMatches) or len(item.template) != 1:
                continue
            part = item.template[0]
            if not isinstance(part, Var) or part.variable is not variable:
                continue
            values = [value for value in item.values if value] or ["x", "0"] if isinstance(item, TextIs) else examples(item.pattern, starts_with_slash=False)[:2]
            for value in values:
                if value and value.isprintable():
                    yield part.name, value


def _asked_in_table(table: Lookup, variable: Variable) -> Iterator[tuple[str, str]]:
    part = table.subject[0]
    if not isinstance(part, Var) or part.variable is not variable:
        return
    for value in ("x", *(text for row in table.rows for text in ([row.value] if isinstance(row.value, str) else examples(row.value, starts_with_slash=False)[:2]))):
        if value and value.isprintable():
            yield part.name, value


def _special_clients(sites: list[Site]) -> list[str]:
    networks = {network for site in sites for item in walk(site.program) if isinstance(item, AddressRule | ClientIn) for network in item.networks}
    networks |= {row.value for site in sites for item in walk(site.program) if isinstance(item, Lookup) and item.networks for row in item.rows if isinstance(row.value, str)}
    found = [_CLIENTS[1]] if networks else []
    for network in sorted(networks):
        try:
            parsed = ipaddress.ip_network(network, strict=False)
        except ValueError:
            continue
        if parsed.prefixlen:
            found.append(str(parsed[min(9, parsed.num_addresses - 1)]))
            following = int(parsed.broadcast_address) + 1
            if following < 2 ** parsed.max_prefixlen:
                found.append(str(ipaddress.ip_address(following) if parsed.version == 4 else ipaddress.IPv6Address(following)))
    return list(dict.fromkeys(found))


def listening(listener: Listener) -> tuple[object, bool]:
    return listener.port, listener.secure
