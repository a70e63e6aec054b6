"""Two configurations -> both real servers on loopback, asked the same requests; their answers and the model's, three ways.

Rule:     copies are moved (ports, roots, certificates, origins), never the originals; placeholders are filled with made-up
          values. Everything listens on loopback only, and stops when the check ends.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass, replace
from pathlib import Path

from ..behaviour.asking import deciders, together
from ..behaviour import Outcome, Request, decide, real_files
from ..behaviour.deployment import as_deployed, open_folders, open_numbers
from ..behaviour.differences import differences
from ..behaviour.handshakes import handshake_differences, shake
from ..behaviour.origin_answers import wanted
from ..behaviour.own_values import unforetold
from ..behaviour.request import HTTP2
from ..behaviour.witnesses import document_roots, find_witnesses
from ..codes import MODEL_DIFFERS, SERVERS_DIFFER
from ..dialects import named
from ..dialects.dialect import Reading
from ..model import Estate, Finding, Listener, finding
from ..source.places import moved
from ..model.placeholders import canonical, placeholder_names
from ..source.plan import Plan
from .certificates import SiteCertificates, make_certificate, make_client_certificates
from .answers import Answer
from .client import ask
from .handshakes import HandshakeRow, otherwise, shake_hands
from .http2 import may_be_asked
from .judge import Difference, against_model, between_servers, but_for_keeping
from .keeping import KeptRow, again, ask_twice, to_ask
from .limits import LimitRow, send_many, to_send
from .origin import Origins
from .ports import free_port
from .servers import Running, find, version

_LOOPBACK = "127.0.0.1"
# Origins that take longer are not waited for, and those that take less by so many requests at the most.
_MOST_SECONDS, _MOST_LATE = 2.0, 12
# Requests with content so large that a limit is met are slow to send: so many of them at the most.
_MOST_LARGE = 8
# So many requests at the most go by HTTP/2 as well, where both servers offer it.
_MOST_HTTP2 = 150
_THREADS = 4


@dataclass(frozen=True)
class Row:
    """One request to both servers.

    between:  where the two answers differ
    foretold: the model said that they would
    defects:  (server, what) where an answer is not what the model foretold: a defect of this package
    """

    request: Request
    answers: tuple[Answer, Answer]
    outcomes: tuple[Outcome, Outcome]
    between: tuple[Difference, ...]
    foretold: bool
    defects: tuple[tuple[str, Difference], ...]

    @property
    def surprises(self) -> bool:
        return bool(self.between and not self.foretold) or bool(self.defects)


@dataclass(frozen=True)
class LiveCheck:
    """What both servers said.

    servers:     name and version of both
    sampled:     how many requests there were to choose from
    asked_again: how many surprises were none when they were asked once more, one at a time: a busy machine, a slow origin
    empty_roots: document roots that are not on this machine; an empty folder stood in for each
    handshakes:  each host that is asked for by TLS
    kept:        requests that were asked twice, for what a cache makes of the first answer
    limits:      requests that were sent many times at once, for what limits refuse
    """

    servers: tuple[str, str]
    rows: tuple[Row, ...]
    sampled: int
    asked_again: int = 0
    empty_roots: tuple[str, ...] = ()
    handshakes: tuple[HandshakeRow, ...] = ()
    kept: tuple[KeptRow, ...] = ()
    limits: tuple[LimitRow, ...] = ()

    @property
    def same(self) -> int:
        return sum(1 for row in self.rows if not row.between)

    @property
    def foretold(self) -> int:
        return sum(1 for row in self.rows if row.between and row.foretold)

    @property
    def surprises(self) -> tuple[Row | HandshakeRow | KeptRow | LimitRow, ...]:
        """Rows whose difference nobody foretold, or where the model is wrong about a server."""
        return (*(row for row in self.rows if row.surprises), *(row for row in (*self.handshakes, *self.kept, *self.limits) if row.defects))

    @property
    def by_http2(self) -> int:
        return sum(1 for row in self.rows if row.request.protocol == HTTP2)


def check_live(before: Reading, after: Reading, *, files: tuple[tuple[str, Path], ...] = (), requests: Iterable[Request] = (),
               most: int = 2000, progress: Callable[[int, int], None] = lambda done, of: None) -> LiveCheck:
    """Runs both servers from moved copies and asks them. Raises ServerMissing, ServerFailed.

    files:    (prefix as configured, folder here): where document roots lie on this machine
    requests: more requests than the witnesses
    most:     ask so many at the most, evenly chosen
    """
    dialects = named(before.dialect), named(after.dialect)
    for dialect in dialects:
        find(dialect.server)
    with tempfile.TemporaryDirectory(prefix="lantern-live-") as place, ExitStack() as stack:
        folder = Path(place)
        names = placeholder_names([*before.texts.values(), *after.texts.values()])
        fills: dict[str, str] = {**after.given, **before.given}
        names -= fills.keys() | before.defines | after.defines
        fills |= {name: _made_up(name, number, (before, after)) for number, name in enumerate(sorted(names))}
        readings = tuple(_filled(reading, fills, folder / f"filled-{number}") for number, reading in enumerate((before, after)))
        hosts = [row.host.text for reading in readings for listener in reading.estate.listeners for row in listener.rows]
        certificate = make_certificate(folder / "certificate", [host for host in hosts if not host.endswith(".*") and not host.startswith("~")])
        issuer, clients = make_client_certificates(folder / "clients")
        shown = SiteCertificates(folder / "certificates", [reading.estate for reading in readings])
        placed = tuple(dict.fromkeys((*files, *before.files, *after.files)))
        empty = _empty_roots([reading.estate for reading in readings], placed, folder / "empty")
        together(*(reading.estate for reading in readings))

        def run(name: str, stack: ExitStack, keeps_answers: bool = False, keeps_limits: bool = False) -> tuple[list[Plan], list[Origins]]:
            plans, origins = [], []
            for number, reading in enumerate(readings):
                plan = Plan(folder / f"{name}-{number}", free_port, certificate, issuer, files=(*empty, *placed), fills=fills, certificates=shown.files, stood_in=tuple(here for _, here in empty), keeps_answers=keeps_answers, keeps_limits=keeps_limits)
                move = named(reading.dialect).move
                assert move is not None
                command = move(reading, plan)
                plan.deciders = frozenset(map(canonical, deciders(reading.estate)))
                plans.append(plan)
                origins.append(stack.enter_context(Origins(list(plan.origins.values()), plan.deciding_ports())))
                stack.enter_context(Running(command, plan.folder, list(plan.ports.values())))
            return plans, origins

        plans, origins = run("copy", stack)
        chosen, sampled = choose_requests(readings[0].estate, readings[1].estate, requests, most)
        # A relative root is below the folder that the server runs in.
        facts = real_files(lambda path: plans[0].folder / plans[0].path(path))
        estates = tuple(as_deployed(reading.estate) for reading in readings)
        together(*estates)

        def one(request: Request) -> Row:
            outcomes = tuple(decide(estate, request, facts) for estate in estates)
            answers = tuple(_ask(request, plan, estate, clients) for plan, estate in zip(plans, estates, strict=True))
            judged = tuple(but_for_keeping(*held) for held in zip(answers, outcomes, estates, strict=True))
            between = between_servers(*judged, request, (plans[0], plans[1]), typed=all(outcome.media_types is not None for outcome in outcomes), unforetold=unforetold(outcomes[0]) | unforetold(outcomes[1]))
            if all(outcome.listing for outcome in outcomes):
                # Every server draws the list of a folder in its own way.
                between = [item for item in between if item.what != "content"]
            defects = [(dialect.server, item) for dialect, outcome, answer, plan in zip(dialects, outcomes, judged, plans, strict=True)
                       for item in against_model(outcome, answer, request, plan) if not _cut_off(request, answer)]
            foretold = bool(differences(*outcomes, request)) or any(outcome.gave_up for outcome in outcomes)
            return Row(request, answers, outcomes, tuple(between), foretold, tuple(defects))  # type: ignore[arg-type]

        def ask_all(requests: list[Request], before: int, of: int) -> tuple[list[Row], int]:
            made = []
            with ThreadPoolExecutor(_THREADS) as pool:
                for number, row in enumerate(pool.map(one, requests), before + 1):
                    made.append(row)
                    progress(number, of)
            # An answer that a busy machine spoilt is another one when nothing else is asked; a true difference stays.
            again = {number: one(row.request) for number, row in enumerate(made) if row.surprises}
            return [again.get(number, row) for number, row in enumerate(made)], sum(1 for row in again.values() if not row.surprises)

        met = _shake_all(chosen, estates, plans, (dialects[0].server, dialects[1].server), shown, clients)
        reached, refused = ([request for request in chosen if wanted(request).refused is gone] for gone in (False, True))
        both = {(row.request.host, row.request.port) for row in met if all(item.http2 for item in (*row.foretold, *row.met))}
        fitting = [replace(request, protocol=HTTP2) for request in reached if (request.host, request.port) in both and may_be_asked(request)]
        fitting = fitting[:: max(1, -(-len(fitting) // _MOST_HTTP2))]
        reached, sampled = reached + fitting, sampled + len(fitting)
        rows, asked_again = ask_all(reached, 0, len(reached) + len(refused))
        servers = dialects[0].server, dialects[1].server
        met_limits: list[LimitRow] = []
        judged_well = [(row.request, row.outcomes) for row in rows if not row.surprises and row.request.protocol != HTTP2]
        if many := to_send(judged_well):
            with ExitStack() as others:
                limiting, _ = run("limiting", others, keeps_limits=True)
                met_limits = send_many(many, lambda request, number: _ask(request, limiting[number], estates[number], clients), servers)
        kept: list[KeptRow] = []
        if twice := to_ask(judged_well):
            with ExitStack() as others:
                keeping, their_origins = run("keeping", others, keeps_answers=True)

                def send(request: Request, number: int) -> Answer:
                    return _ask(request, keeping[number], estates[number], clients)

                kept = [again(row, send, keeping, their_origins, servers) if row.defects else row for row in ask_twice(twice, send, keeping, their_origins, servers)]
        # Last of all: whoever was refused once may not be tried again for a while.
        for held in origins:
            held.stop()
        unreached, more = ask_all(refused, len(reached), len(rows) + len(refused))
        rows, asked_again = rows + unreached, asked_again + more
    return LiveCheck((version(dialects[0].server), version(dialects[1].server)), tuple(rows), sampled, asked_again, tuple(sorted(root for root, _ in empty)), tuple(met), tuple(kept), tuple(met_limits))


def _shake_all(chosen: Iterable[Request], estates: tuple[Estate, ...], plans: list[Plan], servers: tuple[str, str], shown: SiteCertificates, clients: Mapping[str, tuple[Path, Path]]) -> list[HandshakeRow]:
    """Each host that is asked for by TLS where a site of both answers."""
    made = []
    for request in dict.fromkeys(Request("GET", "https", item.host, item.port, "/") for item in chosen if item.scheme == "https"):
        foretold = [shake(estate, request) for estate in estates]
        ports = [plan.ports.get(canonical(str(request.port))) for plan in plans]
        if foretold[0] is None or foretold[1] is None or ports[0] is None or ports[1] is None:
            continue
        one, other = (shake_hands(request, _LOOPBACK, port, shown, clients) for port in ports if port is not None)
        defects = [(server, item) for server, said, found in zip(servers, foretold, (one, other), strict=True) if said is not None for item in otherwise(said, found)]
        made.append(HandshakeRow(request, (foretold[0], foretold[1]), (one, other), tuple(defects), tuple(Difference(item.what, item.before, item.after) for item in handshake_differences(one, other))))
    return made


def findings_of(live: LiveCheck) -> list[Finding]:
    """The surprises as findings."""
    made = []
    for row in live.surprises:
        at = row.outcomes[0].decided_by if isinstance(row, Row | KeptRow | LimitRow) else row.foretold[0].spans[0][1]
        made += [finding(MODEL_DIFFERS, at, shows=str(row.request), server=server, answered=f"{item.what} {item.second}", foretold=item.first) for server, item in row.defects]
        if isinstance(row, Row) and not row.foretold:
            made += [finding(SERVERS_DIFFER, at, shows=str(row.request), what=item.what, before=item.first, after=item.second) for item in row.between]
    return made


def _empty_roots(estates: list[Estate], placed: tuple[tuple[str, Path], ...], folder: Path) -> tuple[tuple[str, Path], ...]:
    """(document root, empty folder) for each root that is not on this machine.

    Without its folder a server does another thing than with it: httpd's rules for the folder do not count, and it may not start at all
    (2.4.71, probed). Nobody would hear of the true answers.
    """
    made = []
    named = [document_roots(estate, aliases=True) for estate in estates]
    roots = sorted({root for found in named for root in found}, key=len, reverse=True)
    here_already = [root for root in roots if root and Path(moved(root, placed)).exists()]
    for root in roots:
        # What one of them alone names, and is not there in a folder that is, is not there for the other either.
        inside = any(root not in other for other in named) and any(root.startswith(other + "/") for other in here_already)
        if root.startswith("/") and root not in here_already and not inside:
            here = folder / root.lstrip("/")
            here.mkdir(parents=True, exist_ok=True)
            made.append((root, here))
    return tuple(made)


def _made_up(name: str, number: int, readings: tuple[Reading, Reading]) -> str:
    """A value for a placeholder: what a port, a folder, the name of a host, or the address of another machine may be."""
    if "PORT" in name.upper():
        return str(8100 + number)
    held = canonical(f"${{{name}}}")
    for counted in (item for reading in readings for item in open_numbers(reading.estate) if canonical(item.spelling) == held):
        return counted.filled
    if any(held in open_folders(reading.estate) for reading in readings):
        return f"/srv/folder-{number}"
    hosts = [canonical(host.text) for reading in readings for site in reading.estate.sites for host in site.names]
    return f"name-{number}.fernhollow.example" if any(held in host for host in hosts) else f"192.0.2.{200 + number % 50}"


def _filled(reading: Reading, fills: dict[str, str], folder: Path) -> Reading:
    """The configuration with its placeholders filled, read again from a copy of its files."""
    if named(reading.dialect).in_place:
        return reading
    plan = Plan(folder, free_port, fills=fills)
    for name, text in reading.texts.items():
        if name in reading.beside:
            continue  # it stays where it is, among the files
        path = folder / name.lstrip("/")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(plan.fill(text), "utf-8", "surrogateescape")
    made = named(reading.dialect).read(folder / reading.main.name, reading.files)
    return made if fills else replace(made, estate=reading.estate)


def choose_requests(before: Estate, after: Estate, more: Iterable[Request], most: int, fits: Callable[[Request], bool] = lambda request: True) -> tuple[list[Request], int]:
    """The witnesses that can be asked from here, and the requests given, evenly thinned out to `most`; and how many there were."""
    estates = as_deployed(before), as_deployed(after)
    together(*estates)
    found = [row.request for row in find_witnesses(*estates).rows]
    here = list(dict.fromkeys(replace(request, client=_LOOPBACK) for request in [*more, *found] if fits(request)))
    large = [request for request in here if request.field("Content-Length")]
    here = [request for request in here if not request.field("Content-Length")] + large[:: max(1, len(large) // _MOST_LARGE)]
    late = [request for request in here if wanted(request).after]
    known = [request for request in late if wanted(request).after <= _MOST_SECONDS]
    here = [request for request in here if not wanted(request).after] + known[:: max(1, len(known) // _MOST_LATE)]
    total = len(here)
    if total > most:
        here = [here[int(number * total / most)] for number in range(most)]
    return here, total


def _ask(request: Request, plan: Plan, estate: Estate, clients: Mapping[str, tuple[Path, Path]]) -> Answer:
    port = plan.ports.get(canonical(str(request.port)))
    if port is None or not any(_fits(listener, request) for listener in estate.listeners):
        return Answer(None, problem="nothing listens there")
    return ask(request, _LOOPBACK, port, clients)


def _cut_off(request: Request, answer: Answer) -> bool:
    """Whether the connection was closed while much content was on its way, so that the answer could not be read."""
    return answer.status is None and answer.problem != "" and int(request.field("Content-Length") or 0) > 100_000


def _fits(listener: Listener, request: Request) -> bool:
    return str(listener.port) == str(request.port)
