"""Two hosts that run already, asked the same requests: the old front end and the new one.

Rule:     no host is asked but those that were named, and those only by safe methods (RFC 9110 section 9.2.1) unless all are allowed, so many
          times a second at the most. Host and TLS name are the request's own.
Left out: what the origins of such hosts received: nobody here sees it. Certificates are not verified: the names are not those of the addresses.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from ..behaviour import Request, decide
from ..behaviour.deployment import as_deployed
from ..behaviour.differences import differences
from ..behaviour.request import Facts
from ..dialects.dialect import Reading
from ..errors import LanternError
from ..source.plan import Plan
from .answers import Answer
from .client import ask
from .judge import between_servers
from ..behaviour.client_certificates import CERTIFICATE
from ..behaviour.origin_answers import asks_origin
from ..behaviour.own_values import unforetold
from .live import LiveCheck, Row, choose_requests

SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_DEFAULT = {"http": 80, "https": 443}


@dataclass(frozen=True)
class Address:
    """Where a host is reached: for requests of both schemes, or of one; at a port of its own, or at each request's."""

    host: str
    port: int | None = None
    scheme: str | None = None

    def __str__(self) -> str:
        return (f"{self.scheme}://" if self.scheme else "") + self.host + (f":{self.port}" if self.port else "")


def address_of(text: str) -> Address:
    """`192.0.2.7`, `192.0.2.7:8080`, `https://front.example:8443`. Raises LanternError."""
    found = re.fullmatch(r"(?:(https?)://)?(\[[0-9A-Fa-f:.]+\]|[^\s/:@]+)(?::(\d{1,5}))?/?", text)
    if found is None or found[3] and not 0 < int(found[3]) < 65536:
        raise LanternError(f"{text}: is no address of a host, such as 192.0.2.7, 192.0.2.7:8080 or https://192.0.2.7:8443")
    return Address(found[2].strip("[]"), int(found[3]) if found[3] else None, found[1])


def check_hosts(readings: tuple[Reading, Reading], addresses: tuple[list[Address], list[Address]], facts: Facts, *, requests: Iterable[Request] = (), most: int = 500,
                rate: float = 20.0, all_methods: bool = False, progress: Callable[[int, int], None] = lambda done, of: None) -> LiveCheck:
    """Asks both hosts, in turn, and holds their answers against each other; the model says which differences were to be expected.

    rate: requests a second to each host, at the most
    """
    estates = tuple(as_deployed(reading.estate) for reading in readings)
    chosen, sampled = choose_requests(*estates, [*requests], most, lambda request: (all_methods or request.method in SAFE) and request.field("Content-Length") is None and not asks_origin(request) and request.field(CERTIFICATE) is None)
    plan = Plan(Path("/"), lambda: 0)
    rows: list[Row] = []
    for number, request in enumerate(chosen, 1):
        begun = time.monotonic()
        answers = tuple(_ask(request, own) for own in addresses)
        outcomes = tuple(decide(estate, request, facts) for estate in estates)
        between = between_servers(*answers, request, (plan, plan), unforetold=unforetold(outcomes[0]) | unforetold(outcomes[1]))
        if all(outcome.origin is not None for outcome in outcomes):
            # What an application makes up for two requests may differ for reasons of its own.
            between = [item for item in between if item.what != "content"]
        foretold = bool(differences(*outcomes, request)) or any(outcome.gave_up for outcome in outcomes)
        rows.append(Row(request, answers, outcomes, tuple(between), foretold, ()))  # type: ignore[arg-type]
        progress(number, len(chosen))
        time.sleep(max(0.0, 1 / rate - (time.monotonic() - begun)) if rate > 0 and number < len(chosen) else 0)
    if rows and all(row.answers[side].status is None for row in rows for side in (0, 1)):
        raise LanternError(f"neither {addresses[0][0]} nor {addresses[1][0]} answered any request: {rows[0].answers[0].problem}")
    return LiveCheck((", ".join(map(str, addresses[0])), ", ".join(map(str, addresses[1]))), tuple(rows), sampled)


def _ask(request: Request, addresses: list[Address]) -> Answer:
    found = next((address for address in addresses if address.scheme in (None, request.scheme)), None)
    if found is None:
        return Answer(None, problem=f"no address was named for {request.scheme}")
    return ask(request, found.host, found.port or request.port or _DEFAULT[request.scheme])
