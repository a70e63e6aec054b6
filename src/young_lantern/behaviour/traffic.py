"""Requests that really came, and outcomes that were saved -> what differs, the most frequent first.

Rule:     a request that occurred often weighs as much as it occurred; clients and fields make requests different ones only where a rule asks for them.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..errors import SourceUnreadable
from ..model import AddressRule, ClientIn, Estate, Lookup, PeerIn, Var, Variable
from ..model.walk import all_within
from .access_logs import AccessLog, read_access_log
from .compare import Pair, compare_requests, pair_of
from .decide import decide
from .deployment import as_deployed
from .outcome import outcome_of
from .request import Facts, Request, placed_again
from .request_files import Saved
from .witnesses import assumptions, document_roots


@dataclass(frozen=True)
class Traffic:
    """A log, decided in both estates. same and undecided count requests as often as they occurred; `differing`: pairs with their counts."""

    log: AccessLog
    same: int
    undecided: int
    differing: tuple[tuple[Pair, int], ...]


def read_log_for(path: Path, at: Request, *estates: Estate) -> AccessLog:
    """A log, as far as the estates ask for what its lines hold."""
    items = [item for estate in estates for site in estate.sites for item in all_within(site.program)]
    asked = {item.name.lower() for item in items if isinstance(item, Var) and item.variable is Variable.FIELD}
    by_client = any(isinstance(item, AddressRule | ClientIn | PeerIn) or isinstance(item, Lookup) and item.networks for item in items)
    return read_access_log(path, at, by_client=by_client, fields=frozenset(asked & {"referer", "user-agent"}))


def compare_traffic(before: Estate, after: Estate, log: AccessLog, facts: Facts) -> Traffic:
    """Both outcomes for each distinct request of a log."""
    same = undecided = 0
    differing: list[tuple[Pair, int]] = []
    for row, pair in zip(log.rows, compare_requests(before, after, [row.request for row in log.rows], facts), strict=True):
        if pair.before.gave_up or pair.after.gave_up:
            undecided += row.count
        elif pair.differences:
            differing.append((pair, row.count))
        else:
            same += row.count
    return Traffic(log, same, undecided, tuple(differing))


def compare_expected(estate: Estate, saved: list[Saved], facts: Facts, path: Path) -> list[Pair]:
    """What was saved of each request, and what comes of it now. Raises SourceUnreadable for a line without an outcome."""
    estate = as_deployed(estate)
    assumed, roots = assumptions(estate), frozenset(document_roots(estate))
    made = []
    for row in saved:
        if row.outcome is None:
            raise SourceUnreadable("has no outcome; --save-requests writes requests with theirs", file=path, line=row.line)
        try:
            before = outcome_of(row.outcome)
        except (KeyError, TypeError, ValueError, AttributeError):
            raise SourceUnreadable("its outcome is none that was saved", file=path, line=row.line) from None
        made.append(pair_of(row.request, before, decide(estate, row.request, placed_again(row.files, roots) or assumed.get(row.files, facts))))
    return made
