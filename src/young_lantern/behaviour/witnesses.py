"""Two estates -> a request of every class that the two can tell apart, and requests at every boundary besides.

Rule:     every combination of path conditions is met by its shortest path (path_classes.py), and with each of these paths every combination of what
          the decisions look at besides (exploring.py). What no condition asks, servers may still differ in: so each condition is asked from both its
          sides, too: a prefix with and without its slash and with one letter more, a pattern by its examples and by what nearly matches, and all
          paths in several spellings.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, fields, replace

from ..model import (
    Capture, Compress, ErrorPage, Estate, FileExists, Gateway, HostName, Lookup, Mapped, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern, Precompressed, Rewrite, ServeFiles, SetPath, Site, StripPrefix,
    UNDERSCORED, WAITS, Field, Var, Variable, literal,
)
from ..model.walk import all_within
from ..patterns import examples, search
from ..patterns.groups import with_group
from . import heads
from .aspects import HOST, LENGTH, UNKNOWN_METHOD, Aspects, aspects, host_witnesses
from .choosing import choose_listener, choose_site
from .exploring import LIMIT_DECISIONS, LIMIT_FILES, LIMIT_FOR_SITE, Explored, Explorer, given
from .origin_answers import ANSWER, FIELD, KEPT_ERROR, answers_to_ask
from .outcome import Outcome
from .path_classes import LIMIT_STATES, PathClasses, path_classes
from .paths import escaped
from .request import BESIDES, CLIENT, Assumed, Facts, Request, assumed

# Every site is asked for these, whatever it says: the root, slashes, dots, escapes in either case, letters beyond ASCII, case, a file and a folder.
_ALWAYS = ("/", "/x", "/x/", "/x.html", "/X.html", "//x", "/x//y", "/x/./y", "/x/../y", "/%78", "/x%20y", "/x%2Fy", "/x%2fy", "/x/%2e%2e/y", "/%C3%A9", "/%c3%a9", "/x+y", "/x;y", "/.x")
# Within a path: a blank, percent signs before a letter's code and alone, a mark and a fragment's sign, letters beyond ASCII, and signs that have a meaning in URLs.
_SPELLINGS = ("%20y", "%2579", "%25", "%3Fy", "%23y", "%C3%A9", "+y", "&y=z", "%26y", "%2By", ";y", "%22[y]")
# Tables of these are asked with each of their rows as the path.
_WHOLE_PATHS = ((Var(Variable.PATH),), (Var(Variable.TARGET),), (Var(Variable.TARGET_NOW),), (Var(Variable.ORIGINAL_PATH),))
OTHER_HOST = "other-name.example"
# Chosen among 12, 24 and 48: at 24 a site of 20 prefixes and 10 patterns has some 500 paths.
_MOST_COMBINED = 24
# Paths that are asked with all that is asked besides, one at a time, and others that are asked by several methods; chosen among 30, 60 and 120, and 80, 150
# and 300: a usual site has 10 to 60 classes, and 100 to 300 paths.
_MOST_THOROUGH, _MOST_USUAL = 60, 150
# Paths that are asked for by a method that is not known.
_MOST_METHODS = 6
# Ways in which fields of an answer may differ for one path, for each of which origins send such fields, too.
_MOST_SAID = 4
# Rows of a table whose key is a part of the path, each of which is asked.
_MOST_KEYS = 40


@dataclass(frozen=True, slots=True)
class Witness:
    """outcomes: what both estates do, where that was decided on the way; group: the number of the classes that its path stands for one of."""

    request: Request
    facts: Facts
    outcomes: tuple[Outcome, Outcome] | None = None
    group: int = -1


@dataclass
class Witnesses:
    """The requests.

    classes:   how many of them stand for a class
    groups:    the classes of paths, for each pair of sites that a request may come to
    unreached: patterns for which no example could be made
    sampled:   where classes may be missing, and why
    """

    rows: list[Witness] = field(default_factory=list)
    classes: int = 0
    groups: list[PathClasses] = field(default_factory=list)
    unreached: set[str] = field(default_factory=set)
    sampled: set[str] = field(default_factory=set)


# The two that were asked for last, and what was found: a comparison and its live check ask for the same.
_last: list[tuple[Estate, Estate, Witnesses]] = []


def find_witnesses(before: Estate, after: Estate) -> Witnesses:
    """All requests for two estates whose ports are numbers; whoever asks gets them to read."""
    kept = _last[0] if _last else None
    if kept is None or not (_is_same(kept[0], before) and _is_same(kept[1], after)):
        kept = before, after, _found(before, after)
        _last[:] = [kept]
    return kept[2]


def _is_same(one: Estate, other: Estate) -> bool:
    """Whether two estates consist of the very same parts. Whether they are equal is not asked: what programs share would be compared for each way that leads there."""
    return one.deciders == other.deciders and all(
        held is found or isinstance(held, tuple) and len(held) == len(found) and all(map(operator.is_, held, found))
        for part in fields(Estate) if part.name != "deciders" for held, found in [(getattr(one, part.name), getattr(other, part.name))]
    )


def _found(before: Estate, after: Estate) -> Witnesses:
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
            plain = Request("GET", "https" if secure else "http", hosts[0], int(str(port)), "/", client=CLIENT)
            classes = path_classes(here, roots)
            for path in [path for path in classes.held if _names_file(path, roots)]:
                del classes.held[path]
            parts = aspects(here, hosts)
            explorer = Explorer((before, after), parts, roots, len(classes.held))
            explored = [row for path in classes.held for row in explorer.explore(replace(plain, target=_wire(path)))]
            found.classes += len(explored)
            found.sampled |= classes.loose | parts.loose
            if not classes.complete:
                found.sampled.add(f"the paths of {hosts[0]}: more than {LIMIT_STATES} states")
            if not explorer.complete:
                found.sampled.add(f"what is asked besides the path on {hosts[0]}: more than {LIMIT_DECISIONS} decisions for a path, {LIMIT_FOR_SITE} for all, or {LIMIT_FILES} files for a request")
            standing = dict.fromkeys(map(_wire, classes.held))
            around = [path for path in _paths(here, found.unreached, not classes.complete) if path not in standing and not _names_file(path, roots)]
            found.groups.append(classes)
            rows = [Witness(row.request, row.facts, row.outcomes, len(found.groups) - 1) for row in explored]
            within = [item for site in here for item in all_within(site.program)]
            codings = (*(("gzip",) if any(isinstance(item, Compress) for item in within) else ()), *(coding for item in within if isinstance(item, Precompressed) for coding, _ in item.codings))
            # Another spelling or neighbour of a path that stands for its class is asked of less, where all classes are known; and of many, the rest still less.
            unsure = bool(classes.loose | parts.loose) or not (classes.complete and explorer.complete)
            thorough = [*standing, *(around if unsure else ())][:_MOST_THOROUGH]
            asked = set(thorough)
            others = [path for path in (*standing, *around) if path not in asked]
            rows += _requests(plain, [*thorough, *others[:_MOST_USUAL]], facts)
            rows += _further(parts, tuple(dict.fromkeys(codings)), plain, thorough, facts)
            rows += _spelt(explored)
            rows += _of_origins(here, [WAITS.get(estate.dialect) for estate in (before, after)], explored, asked, facts[1])
            rows += _of_heads((before, after), plain, thorough, explored, facts)
            rows += _of_methods((before, after), plain, thorough, facts)
            rows += [Witness(replace(plain, method=method, target=path), fact) for path in others[_MOST_USUAL:] for method, fact in (("GET", facts[0]), ("GET", facts[1]), ("POST", facts[0]))]
            rows += [Witness(replace(plain, host=host, target=path), fact) for host in hosts[1:] for path in ("/", "/x") for fact in facts]
            for row in rows:
                key = (row.request, row.facts.name)
                if key not in seen:
                    seen.add(key)
                    found.rows.append(row)
    return found


def _spelt(explored: list[Explored]) -> Iterator[Witness]:
    """Each way that a path goes out again, to a client or an origin, with characters in it that servers encode or decode in ways of their own."""
    seen = set()
    for row in explored:
        way = tuple((outcome.decided_by, outcome.origin is not None, outcome.location is not None) for outcome in row.outcomes)
        if row.request.method != "GET" or way in seen or not any(origin or location for _, origin, location in way):
            continue
        seen.add(way)
        path, mark, query = row.request.target.partition("?")
        front, last, back = path.rpartition("x")
        for spelling in _SPELLINGS:
            yield Witness(replace(row.request, target=(f"{front}{last}{spelling}{back}" if last else path + spelling) + mark + query), row.facts)


def _of_origins(sites: list[Site], waits: list[float | None], explored: list[Explored], thorough: set[str], files: Facts) -> Iterator[Witness]:
    """Each path that is passed on, with each answer of an origin's that may be treated in a way of its own; of errors, whose page may be a file, with the files there, too."""
    forwarded = {row.request.target.partition("?")[0]: row for row in reversed(explored) if row.request.method == "GET" and any(outcome.origin is not None for outcome in row.outcomes)}
    asked = list(answers_to_ask(sites, waits)) if forwarded else []
    fields = [(name, value) for name, value in asked if name == FIELD]
    for row in _by_condition(explored, forwarded, thorough) if fields else ():
        yield from (Witness(replace(row.request, fields=(*row.request.fields, pair)), row.facts) for pair in fields if row.request.field(FIELD) is None)
    for path, row in forwarded.items():
        if path in thorough:
            for name, value in asked:
                if row.request.field(name) is not None:
                    continue  # two lines of one field are another matter
                asks = replace(row.request, fields=(*row.request.fields, (name, value)))
                yield Witness(asks, row.facts)
                if (name, value) == KEPT_ERROR[1]:
                    yield Witness(replace(row.request, fields=(*row.request.fields, *KEPT_ERROR)), row.facts)
                if name == ANSWER and value[:1] in ("4", "5", "r") and row.facts.name != files.name:
                    yield Witness(asks, files)


def _by_condition(explored: list[Explored], forwarded: dict[str, Explored], thorough: set[str]) -> Iterator[Explored]:
    """For each path that is passed on, the requests for which something else is said of the answer than for the first: what the origin says of it may meet that."""
    seen: dict[str, list[tuple[object, ...]]] = {}
    for row in explored:
        path = row.request.target.partition("?")[0]
        if path not in forwarded or path not in thorough or row.request.method != "GET" or not any(outcome.origin is not None for outcome in row.outcomes):
            continue
        said = tuple(outcome.fields for outcome in row.outcomes)
        known = seen.setdefault(path, [tuple(outcome.fields for outcome in forwarded[path].outcomes)])
        if said not in known and len(known) <= _MOST_SAID:
            known.append(said)
            yield row


def _of_heads(estates: tuple[Estate, Estate], plain: Request, paths: list[str], explored: list[Explored], facts: list[Facts]) -> Iterator[Witness]:
    """A request whose head is longer than what one of the two takes; and fields of odd names, to an origin of either kind."""
    taken = []
    for estate in estates:
        if (listener := choose_listener(estate, plain)) is not None:
            taken += [listener.heads, heads.in_force(listener, choose_site(estate, listener, plain.host)[0])]
    for path in paths[:1]:
        for request in heads.requests_beyond(taken, replace(plain, target=path)):
            yield Witness(request, facts[1])
    drops = any(isinstance(item, Field) and item.name == UNDERSCORED for estate in estates for site in estate.sites for item in all_within(site.program))
    if drops or any(item.names is not None for item in taken):
        protocols: dict[str, Explored] = {}
        for row in explored:
            for outcome in row.outcomes:
                if outcome.origin is not None and row.request.method == "GET":
                    protocols.setdefault(outcome.origin.protocol, row)
        for row in protocols.values():
            for pair in heads.ODD_FIELDS:
                yield Witness(replace(row.request, fields=(*row.request.fields, pair)), row.facts)


def _of_methods(estates: tuple[Estate, Estate], plain: Request, paths: list[str], facts: list[Facts]) -> Iterator[Witness]:
    """Methods that servers treat in ways of their own: one that asks for the request itself, and one that HTTP does not know."""
    if estates[0].dialect == estates[1].dialect:
        return
    for path in paths[:_MOST_METHODS]:
        for fact in facts[:2]:
            yield Witness(replace(plain, method=UNKNOWN_METHOD, target=path), fact)
    if not any(site.trace for estate in estates for site in estate.sites):
        for path in paths:
            yield Witness(replace(plain, method="TRACE", target=path), facts[0])


def _names_file(path: str, roots: frozenset[str]) -> bool:
    """Whether a path is the name of a file on the server: which folders are there, and so what mod_rewrite takes it for, nobody here knows."""
    return any(path.startswith(root) for root in roots if root.count("/") > 1)


def assumptions(*estates: Estate) -> dict[str, Facts]:
    """What may be assumed of files, by its name, for estates that look for some index files in some document roots."""
    indexes = frozenset(text for estate in estates for site in estate.sites for text in _indexes(site))
    roots = frozenset(document_roots(*estates))
    every = [item for estate in estates for site in estate.sites for item in all_within(site.program)]
    asked: set[object] = {item.kind for item in every if isinstance(item, FileExists)} | {Assumed.PACKED for item in every if isinstance(item, Precompressed)}
    seldom = {**BESIDES, Assumed.PACKED: Assumed.PACKED}
    return {what.value: assumed(what, indexes, roots) for what in Assumed if what not in seldom or seldom[what] in asked}


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
    names.append(OTHER_HOST)
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
    for item in all_within(site.program):
        if isinstance(item, ServeFiles):
            for name in item.folders.index:
                text = literal(name)
                if text:
                    yield text.lstrip("/")
        elif isinstance(item, FileExists) and len(item.path) == 2 and item.path[0] == Var(Variable.PATH) and isinstance(item.path[1], str):
            yield item.path[1].lstrip("/")


def document_roots(*estates: Estate, aliases: bool = False) -> dict[str, ServeFiles]:
    """The folders that files are served from, without final slash, and where one of them is named.

    aliases: those, too, that stand for a prefix without final slash, unless their name looks like a file's
    """
    found: dict[str, ServeFiles] = {}
    for item in (item for estate in estates for site in estate.sites for item in all_within(site.program)):
        if isinstance(item, ServeFiles) and (not item.strip or item.strip.endswith("/") or aliases):
            text = literal(item.root)
            if text and (not item.strip or item.strip.endswith("/") or "." not in text.rpartition("/")[2]):
                found.setdefault(text.rstrip("/"), item)
    return found


def _paths(sites: list[Site], unreached: set[str], combines: bool) -> list[str]:
    """Paths at every boundary; `combines`: patterns below every prefix, too, where the walk over the classes did not come to its end."""
    prefixes: list[str] = []
    paths: list[str] = list(_ALWAYS)
    tails: list[str] = []
    patterns = {item.pattern.label: item.pattern for site in sites for item in all_within(site.program) if isinstance(item, PathMatches) and item.pattern.label}
    for site in sites:
        for item in all_within(site.program):
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
                case Lookup(subject=(Capture(int() as group, label),)) if label in patterns:
                    # A key that a pattern finds in the path: the path that has just this key there.
                    for row in item.rows[:_MOST_KEYS]:
                        if isinstance(row.value, str):
                            paths += _with_group(patterns[label], group, row.value)
                case Rewrite(edit=SetPath(template)) | ErrorPage(target=template):
                    text = literal(template or ())
                    if text and text.startswith("/"):
                        paths += _around(text.partition("?")[0])
    for prefix in dict.fromkeys(prefixes):
        paths += _around(prefix)
    prefixes = list(dict.fromkeys(map(_wire, prefixes)))
    for prefix in prefixes:
        paths += [prefix + "x", prefix.rstrip("/") + "/x/y", prefix.rstrip("/") + "/x.html"]
    for prefix in prefixes[:_MOST_COMBINED] if combines else ():
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


def _with_group(pattern: Pattern, group: int, text: str) -> list[str]:
    """The shortest path that a pattern matches, and in which one of its groups is this text; and one in which no other group is empty."""
    made = with_group(pattern.text, group, re.escape(text))
    paths = examples(replace(pattern, text=made)) if made else []
    fitting = [(path, held) for path in paths if (held := search(pattern, path)) is not None and held.group(group) == text]
    full = [path for path, held in fitting if all(held.groups())]
    return list(dict.fromkeys(_wire(path) for path in (*(path for path, _ in fitting[:1]), *full[:1])))


def _wire(path: str) -> str:
    """A decoded path as it goes on the wire."""
    return escaped(path, " \"#%<>?\\^`{|}")


def _requests(plain: Request, paths: list[str], facts: list[Facts]) -> Iterator[Witness]:
    """Each path with each assumption, with a query, and by other methods."""
    nothing, a_file = facts[0], facts[1]
    for path in paths:
        here = replace(plain, target=path)
        for fact in facts:
            yield Witness(here, fact)
            yield Witness(replace(here, target=f"{path}?q=1"), fact)
        for fact in (nothing, a_file):
            for method in ("HEAD", "POST"):
                yield Witness(replace(here, method=method), fact)
        yield Witness(replace(here, method="DELETE"), a_file)


def _further(parts: Aspects, codings: tuple[str, ...], plain: Request, paths: list[str], facts: list[Facts]) -> Iterator[Witness]:
    """Each path with each value of each part of a request that is asked for, one at a time."""
    nothing, a_file = facts[0], facts[1]
    for path in paths:
        here = replace(plain, target=path)
        for part, values in parts.values.items():
            for value in values[1:] if part != HOST else ():
                yield Witness(given(here, {part: value}), nothing if part == LENGTH else a_file)
        for name in parts.repeated:
            yield Witness(replace(here, target=f"{path}?{name}=a&{name}=b"), a_file)
        for coding in codings:
            takes = replace(here, fields=(("Accept-Encoding", coding),))
            yield from (Witness(takes, fact) for fact in (a_file, *(fact for fact in facts if fact.name == Assumed.PACKED.value)))
        yield Witness(replace(here, fields=(("X-Forwarded-For", "203.0.113.7"),)), nothing)
