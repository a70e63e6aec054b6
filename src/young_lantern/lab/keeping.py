"""The same request twice to both servers, from copies that keep answers: whether the second one reaches the origin, as foretold.

Rule:     what is kept is thrown away before each pair, so that nothing hangs on what was asked before. The first answers were checked already, in
          copies that keep nothing.
Source:   RFC 9111; behaviour/caching.py.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from ..behaviour import Outcome, Request
from ..behaviour.origin_answers import wanted
from ..source.plan import Plan
from .judge import Difference
from .origin import Origins

# So many requests at the most are asked twice.
_MOST = 120
WHAT = "the origin asked once more"


@dataclass(frozen=True)
class KeptRow:
    """One request, asked twice. asked: whether the origin of each server got the second one, too; defects: (server, what) where the model foretold otherwise."""

    request: Request
    outcomes: tuple[Outcome, Outcome]
    asked: tuple[bool, bool]
    defects: tuple[tuple[str, Difference], ...]


def to_ask(rows: Iterable[tuple[Request, tuple[Outcome, Outcome]]]) -> list[tuple[Request, tuple[Outcome, Outcome]]]:
    """Of the requests that were asked, those whose answers a cache of either server sees, evenly thinned out."""
    found = [row for row in rows if any(outcome.kept is not None for outcome in row[1]) and row[0].method == "GET"]
    # nginx notes errors that it answers itself beside its keys, from where nothing is thrown away: one for each path, after all else that is asked of it.
    good = [row for row in found if wanted(row[0]).status < 300]
    errors = {(row[0].host, row[0].url.partition("?")[0]): row for row in found if wanted(row[0]).status >= 300}
    found = [*good, *errors.values()]
    return found[:: max(1, -(-len(found) // _MOST))]


def ask_twice(chosen: Iterable[tuple[Request, tuple[Outcome, Outcome]]], ask: Callable[[Request, int], object], plans: Sequence[Plan], origins: Sequence[Origins], servers: tuple[str, str]) -> list[KeptRow]:
    """ask: sends a request to the first server, or to the second."""
    made = []
    for request, outcomes in chosen:
        asked = []
        for number, (plan, origin) in enumerate(zip(plans, origins, strict=True)):
            _forget(plan)
            counts = [origin.asked]
            for _ in range(2):
                ask(request, number)
                counts.append(origin.asked)
            # Those who decide whether a request may go on, and those who give the page for an error, are asked each time.
            first, second = counts[1] - counts[0], counts[2] - counts[1]
            asked.append(second > 0 and second >= first)
        foretold = [met if outcome.kept is None and outcome.origin is None else not (outcome.kept is not None and outcome.kept.seconds is not None and outcome.kept.given)
                    for outcome, met in zip(outcomes, asked, strict=True)]
        defects = [(server, Difference(WHAT, str(said), str(met))) for server, said, met in zip(servers, foretold, asked, strict=True) if said != met]
        made.append(KeptRow(request, outcomes, (asked[0], asked[1]), tuple(defects)))
    return made


def _forget(plan: Plan) -> None:
    """Throws away what a server has kept; where its files lie stays."""
    for folder in plan.caches:
        for item in folder.iterdir() if folder.is_dir() else ():
            shutil.rmtree(item, ignore_errors=True) if item.is_dir() else item.unlink(missing_ok=True)


def again(row: KeptRow, ask: Callable[[Request, int], object], plans: Sequence[Plan], origins: Sequence[Origins], servers: tuple[str, str]) -> KeptRow:
    """The same once more: a busy machine may have spoilt it."""
    made = ask_twice([(row.request, row.outcomes)], ask, plans, origins, servers)[0]
    return row if made.defects else made
