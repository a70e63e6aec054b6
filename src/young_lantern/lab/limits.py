"""Many requests at once to both servers, from copies that keep their limits: whether any are refused, as foretold.

Rule:     so many as one more than each limit on requests lets through, and a few besides. Limits whose burst waits for longer than a check may are left
          out, and those on connections at a time, which need answers that take long.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from ..behaviour import Outcome, Request
from ..behaviour.outcome import Limited
from ..model import REQUESTS
from .answers import Answer
from .judge import Difference

_MOST, _MOST_AT_ONCE, _MOST_SECONDS, _BEYOND = 10, 60, 2.0, 4
WHAT = "requests beyond the limit"


@dataclass(frozen=True)
class LimitRow:
    """One request, sent many times. refused: how many of them by each server; defects: (server, what) where the model foretold otherwise."""

    request: Request
    outcomes: tuple[Outcome, Outcome]
    sent: int
    refused: tuple[int, int]
    defects: tuple[tuple[str, Difference], ...]


def _strictest(outcome: Outcome) -> Limited | None:
    held = [limit for limit in outcome.limits if limit.kind == REQUESTS]
    return min(held, key=lambda limit: limit.burst) if held else None


def _is_short(limit: Limited) -> bool:
    """Whether it can be met in a moment: its burst is small, and does not wait for long."""
    waits = 0 if limit.at_once is None else limit.burst - limit.at_once
    return limit.burst + _BEYOND < _MOST_AT_ONCE and waits / limit.most <= _MOST_SECONDS and limit.most <= _MOST_AT_ONCE


def to_send(rows: Iterable[tuple[Request, tuple[Outcome, Outcome]]]) -> list[tuple[Request, tuple[Outcome, Outcome]]]:
    """One request for each limit of either server."""
    found: dict[object, tuple[Request, tuple[Outcome, Outcome]]] = {}
    for request, outcomes in rows:
        limits = [_strictest(outcome) for outcome in outcomes]
        if request.method == "GET" and any(limits) and all(limit is None or _is_short(limit) for limit in limits) and not any(outcome.gave_up for outcome in outcomes):
            found.setdefault((*limits, *(outcome.site for outcome in outcomes)), (request, outcomes))
    return list(found.values())[:_MOST]


def send_many(chosen: Iterable[tuple[Request, tuple[Outcome, Outcome]]], ask: Callable[[Request, int], Answer], servers: tuple[str, str]) -> list[LimitRow]:
    """ask: sends a request to the first server, or to the second."""
    made = []
    for request, outcomes in chosen:
        limits = [_strictest(outcome) for outcome in outcomes]
        sent = max(limit.burst for limit in limits if limit is not None) + 1 + _BEYOND
        refused, defects = [], []
        for number, (server, outcome, limit) in enumerate(zip(servers, outcomes, limits, strict=True)):
            with ThreadPoolExecutor(sent) as pool:
                met = [answer.status for answer in pool.map(lambda _, number=number: ask(request, number), range(sent))]  # type: ignore[misc]
            refused.append(sum(1 for status in met if status != outcome.status))
            if (limit is not None) != (refused[-1] > 0):
                defects.append((server, Difference(WHAT, "refused" if limit else "answered", f"{refused[-1]} of {sent} refused")))
        made.append(LimitRow(request, outcomes, sent, (refused[0], refused[1]), tuple(defects)))
    return made
