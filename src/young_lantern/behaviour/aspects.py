"""Two sites -> what they ask of the parts of a request other than its path, and for each part one value of every class.

Rule:     a part's conditions are walked together as languages (patterns/reach.py), so that each combination which some value has is met once, by its
          shortest value. Networks and lengths fall into intervals, of which each distinct one has a value. A variable that is set from one part hands
          its conditions on to that part.
Unknown:  a condition on a text of several parts, or a pattern that is not regular, is named in `loose`.
"""

from __future__ import annotations

import base64
import ipaddress
import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from ..model import (
    AddressRule, AnswerLimit, AskFirst, BodyLimit, ClientIn, Credentials, Hashed, HostIs, Lookup, MethodIn, Pattern, PeerIn, Redirect, ServeFiles, SetVariable, Site, Template, TextIs, TextMatches, Var, Variable,
)
from ..model.walk import all_within
from ..patterns.languages import ALL, Language, Languages, characters
from ..patterns.reach import reach
from ..patterns.regular import Reading
from ..source.passwords import PASSWORD
from .asking import verdicts_to_ask
from .client_certificates import CERTIFICATE, TRUSTED, UNKNOWN
from .networks import in_network
from .origin_answers import VERDICT
from .request import CLIENT
from .shares import hashed

# A part of a request: what it is, and its name; a field's in small letters. None as a value: it is not there.
Part = tuple[str, str]
METHOD, CLIENT_ADDRESS, QUERY, HOST, LENGTH, AUTHORIZATION = ("method", ""), ("client", ""), ("query", ""), ("host", ""), ("length", ""), ("field", "authorization")
_KINDS = {Variable.FIELD: "field", Variable.COOKIE: "cookie", Variable.ARGUMENT: "argument", Variable.ARGUMENTS: "argument", Variable.QUERY: "query"}
_HOSTS = frozenset({Variable.HOST, Variable.HOST_SENT, Variable.AUTHORITY})
# Characters that cannot stand in a value of such a part as they are.
_BARRED = {"cookie": "; \",\\", "argument": "& #\"<>", "query": " #\"<>", "host": "/ "}
_LIMIT_STATES = 4_000
# RFC 9110 section 9.3, and RFC 5789.
UNKNOWN_METHOD = "FERN"
_METHODS = ("GET", "POST", "HEAD", "PUT", "DELETE", "OPTIONS", "PATCH")
# Ways to divide a text among two parts of it; chosen among 10, 30 and 60: a word has one for each letter.
_MOST_WAYS = 30
# Networks whose addresses not every proxy may hand on.
_SOME_PRIVATE = ("10.0.0.0/8", "fd00::/8")
# The name of a user where the password is the origin's affair.
_SOMEBODY = "fern"
# So many values are tried for one that comes to each share of requests.
_MOST_TRIED = 250
# Content of 100 MB is asked for by no request that is sent.
_MOST_DIGITS = 8


@dataclass
class Aspects:
    """values: of each part that some condition asks about, the plainest first; repeated: arguments of which all count where there are several; loose: what was
    asked for by examples only."""

    values: dict[Part, list[str | None]] = field(default_factory=dict)
    repeated: tuple[str, ...] = ()
    loose: set[str] = field(default_factory=set)


def aspects(sites: list[Site], hosts: list[str]) -> Aspects:
    """What some sites ask about. hosts: those by which a request comes to these sites; only such are among the values."""
    return _Finder(sites, hosts).found


class _Finder:
    def __init__(self, sites: list[Site], hosts: list[str]) -> None:
        self.languages = Languages()
        self.reading = Reading(self.languages)
        self.found = Aspects()
        self.asked: dict[Part, dict[Language, None]] = {}
        items = [item for site in sites for item in all_within(site.program)]
        self.set: dict[str, dict[Template, None]] = {}
        for item in items:
            if isinstance(item, SetVariable):
                self.set.setdefault(item.name, {})[item.value] = None
        for item in items:
            for template, language in self._conditions(item):
                self._ask(template, language, 3)
        for item in items:
            if isinstance(item, MethodIn | ServeFiles):
                self.asked.setdefault(METHOD, {})[self.languages.either(*(self.languages.word(method) for method in item.methods))] = None
            if isinstance(item, ServeFiles) and item.options_status is not None:
                self.asked.setdefault(METHOD, {})[self.languages.word("OPTIONS")] = None
        self.found.repeated = tuple(dict.fromkeys(item.name for item in items if isinstance(item, Var) and item.variable is Variable.ARGUMENTS))
        for part, wanted in self.asked.items():
            if part not in (HOST, METHOD, LENGTH):
                self.found.values[part] = self._values(part, list(wanted))
        self._usual(HOST, hosts)
        self._usual(METHOD, _METHODS)
        lengths = sorted({item.limit_bytes for item in items if isinstance(item, AnswerLimit | BodyLimit) and item.limit_bytes})
        wanted = list(self.asked.get(LENGTH, {}))
        asked = [text for text in self._values(LENGTH, wanted) if text and len(text) <= _MOST_DIGITS] if wanted else []
        if lengths or asked:
            self.found.values[LENGTH] = [None, *dict.fromkeys([*(str(length + 1) for length in lengths), *asked])]
        if any(isinstance(item, Redirect) and item.encodes_query for item in items):
            # What is encoded by then is encoded twice, which no query without a percent sign shows.
            self.found.values[QUERY] = [*self.found.values.get(QUERY, [None]), "fern=%20"]
        if any(site.tls is not None and site.tls.clients is not None for site in sites):
            self.found.values["field", CERTIFICATE.lower()] = [None, TRUSTED, UNKNOWN]
        if any(isinstance(item, AskFirst) for item in items):
            self.found.values["field", VERDICT.lower()] = [None, *verdicts_to_ask(items)]
        known = [item for item in items if isinstance(item, Credentials)]
        if known or any(isinstance(item, Var) and item.variable is Variable.USER for item in items):
            self.found.values[AUTHORIZATION] = [None, *_users(known)]
        for item in dict.fromkeys(item for item in items if isinstance(item, Hashed)):
            self._share(item)
        networks = {network for item in items if isinstance(item, AddressRule | ClientIn | PeerIn) for network in item.networks}
        networks |= {row.value for item in items if isinstance(item, Lookup) and item.networks for row in item.rows if isinstance(row.value, str)}
        sources = [site.client_from for site in sites if site.client_from is not None]
        for source in sources:
            # Who is believed, and who is not; and addresses that proxies hand on, one or two of them.
            private = set(_SOME_PRIVATE if source.internal is not None else ())
            clients = list(_clients(networks | set(source.networks) | private))
            nearest = next((client for client in clients if not source.networks or any(in_network(client, network) for network in source.networks)), None)
            self.found.values["field", source.field.lower()] = [None, *dict.fromkeys([*clients, *(f"{client}, {nearest}" for client in clients if nearest), "unknown"])]
        networks |= {network for source in sources for network in source.networks}
        if networks:
            self.found.values[CLIENT_ADDRESS] = list(dict.fromkeys([*_clients(networks), *self.found.values.get(CLIENT_ADDRESS, ())]))  # type: ignore[list-item]

    def _conditions(self, item: object) -> Iterator[tuple[Template, Language]]:
        match item:
            case TextIs(template, values, ignores_case):
                for value in values:
                    yield template, self.languages.word(value, ignores_case)
            case TextMatches(template, pattern):
                if (language := self.reading.told(pattern, self.found.loose)) is not None:
                    yield template, language
            case Lookup(subject=template, rows=rows, networks=False, ignores_case=ignores_case):
                for row in rows:
                    language = self.reading.told(row.value, self.found.loose) if isinstance(row.value, Pattern) else self.languages.word(row.value, ignores_case)
                    if language is not None:
                        yield template, language
            case HostIs(names):
                for name in names:
                    word = self.languages.word(name.removeprefix("*"))
                    yield (Var(Variable.HOST),), self.languages.join(self.languages.any, word) if name.startswith("*") else word

    def _share(self, item: Hashed) -> None:
        """Values of the parts that a number is made of, one for each share, as far as one of so many comes to it."""
        self.found.loose.add("shares of requests, by a number made of what they send")
        bounds = list(itertools.accumulate(item.shares))
        for part in dict.fromkeys(part for part in item.template if isinstance(part, Var)):
            key = CLIENT_ADDRESS if part.variable in (Variable.CLIENT, Variable.PEER) else (_KINDS[part.variable], part.name.lower() if part.variable is Variable.FIELD else part.name) if part.variable in _KINDS else None
            if key is None:
                continue
            met: dict[int, str] = {}
            for number in range(1, _MOST_TRIED):
                value = f"192.0.2.{number}" if key is CLIENT_ADDRESS else f"fern{number}"
                text = "".join(other if isinstance(other, str) else value if other == part else "" for other in item.template)
                met.setdefault(next((place for place, bound in enumerate(bounds) if hashed(text) < bound * 0xFFFFFFFF // 10000), len(bounds)), value)
            self.found.values[key] = list(dict.fromkeys([*self.found.values.get(key, [None] if key is not CLIENT_ADDRESS else [CLIENT]), *(met[place] for place in sorted(met))]))

    def _ask(self, template: Template, language: Language, depth: int) -> None:
        """Hands a condition on a text on to the parts of the request that it is made of: of several, each way to divide what is wanted among them."""
        made = self.languages
        if not template or language is made.none or language is made.any:
            return
        part, rest = template[0], template[1:]
        if isinstance(part, str):
            self._ask(rest, made.after(language, part), depth)
        elif all(isinstance(item, str) for item in rest):
            self._ask_part(part, made.before(language, "".join(map(str, rest))), depth)
        else:
            ways = made.rests(language, _MOST_WAYS)
            if len(ways) >= _MOST_WAYS:
                self.found.loose.add("a text made of several parts of the request")
            for way in ways:
                self._ask_part(part, made.leading(language, way), depth)
                self._ask(rest, way, depth)

    def _ask_part(self, part: object, inside: Language, depth: int) -> None:
        if not isinstance(part, Var):
            return  # what the rows of a table ask is a condition of its own
        if part.variable is Variable.VARIABLE:
            for value in self.set.get(part.name, ()) if depth else ():
                self._ask(value, inside, depth - 1)
            return
        if part.variable in (Variable.METHOD, Variable.METHOD_SENT):
            self.asked.setdefault(METHOD, {})[inside] = None
        elif part.variable in _HOSTS or (part.variable is Variable.FIELD and part.name.lower() == "host"):
            self.asked.setdefault(HOST, {})[inside] = None
        elif part.variable in _KINDS:
            name = part.name.lower() if part.variable is Variable.FIELD else "" if part.variable is Variable.QUERY else part.name
            key = LENGTH if name == "content-length" else (_KINDS[part.variable], name)
            self.asked.setdefault(key, {})[inside] = None

    def _within(self, kind: str) -> Language:
        made = self.languages
        if kind == "length":
            return made.join(made.one_of(characters("123456789")), made.many(made.one_of(characters("0123456789"))))
        allowed = ALL & ~characters(_BARRED.get(kind, "") + "é")
        if kind != "field":
            return made.many(made.one_of(allowed))
        # RFC 9110 section 5.5: a field's value neither begins nor ends with a blank.
        inner, edge = made.many(made.one_of(allowed)), made.one_of(allowed & ~characters(" "))
        return made.either(made.empty, edge, made.join(edge, made.join(inner, edge)))

    def _values(self, part: Part, wanted: list[Language]) -> list[str | None]:
        reached = reach(self.languages, wanted, self._within(part[0]), _LIMIT_STATES)
        if not reached.complete:
            self.found.loose.add(f"the values of the {part[0]} {part[1]}".rstrip())
        # A value of nothing is asked like none at all.
        return [None, *(text for text in sorted(reached.texts.values(), key=len) if text)]

    def _usual(self, part: Part, usual: Sequence[str]) -> None:
        """Of some values that are usual, or the only possible ones, one for each combination of conditions."""
        wanted = list(self.asked.get(part, {}))
        kinds: dict[tuple[bool, ...], str] = {}
        for value in usual:
            seen = value.lower() if part == HOST else value
            kinds.setdefault(tuple(self.languages.after(language, seen).nullable for language in wanted), value)
        if part == METHOD and wanted:
            capitals = self.languages.one_of(characters("ABCDEFGHIJKLMNOPQRSTUVWXYZ"))
            within = self.languages.join(capitals, self.languages.many(capitals))
            for held, text in reach(self.languages, wanted, within, _LIMIT_STATES).texts.items():
                kinds.setdefault(tuple(number in held for number in range(len(wanted))), text)
        if len(kinds) > 1:
            self.found.values[part] = list(kinds.values())


def _users(steps: list[Credentials]) -> list[str]:
    """One who may enter by each set of rules, and one who is known and may not. Strangers are asked of like nobody, but where nobody is known."""
    names: dict[tuple[bool, ...], str] = {}
    for name in dict.fromkeys(name for step in steps for name in (*step.names, *(known for known, _ in step.known))):
        names.setdefault(tuple(name in step.names for step in steps), name)
    if not steps:
        names[()] = _SOMEBODY
    basic = ["Basic " + base64.b64encode(f"{name}:{PASSWORD}".encode()).decode() for name in names.values()]
    proofs = [f'Digest username="{name}"' for name in names.values()] if any(step.digest for step in steps) else []
    return [*(basic if not proofs or not all(step.digest for step in steps) else basic[:1]), *proofs]


def _clients(networks: set[str]) -> Iterator[str]:
    """One address for each combination of networks that holds it, out of every interval between their borders; the usual client before all."""
    parsed = []
    for network in sorted(networks):
        try:
            parsed.append(ipaddress.ip_network(network, strict=False))
        except ValueError:
            continue  # `unix:` holds no address
    borders = [ipaddress.ip_address(CLIENT)]
    for network in parsed:
        borders.append(network.network_address)
        following = int(network.broadcast_address) + 1
        if following < 2**network.max_prefixlen:
            borders.append(ipaddress.IPv4Address(following) if network.version == 4 else ipaddress.IPv6Address(following))
    kinds: dict[tuple[bool, ...], str] = {}
    def held(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> tuple[bool, ...]:
        return tuple(address.version == network.version and address in network for network in parsed)

    for border in borders:
        # A host's address rather than that of the network itself, where the interval is long enough.
        further = border + 9 if int(border) + 9 < 2**border.max_prefixlen and held(border + 9) == held(border) else border
        if int(further):
            kinds.setdefault(held(border), CLIENT if str(border) == CLIENT else str(further))
    yield from kinds.values()


def host_witnesses(sites: list[Site]) -> list[str]:
    """A host for each combination of the conditions on hosts within some sites."""
    finder = _Finder(sites, [])
    wanted = list(finder.asked.get(HOST, {}))
    if not wanted:
        return []
    made = finder.languages
    letter = made.one_of(characters("abcdefghijklmnopqrstuvwxyz0123456789"))
    label = made.join(letter, made.many(made.one_of(characters("abcdefghijklmnopqrstuvwxyz0123456789-"))))
    within = made.join(label, made.many(made.join(made.word("."), label)))
    return [text for text in reach(made, wanted, within, _LIMIT_STATES).texts.values() if len(text) < 200]
