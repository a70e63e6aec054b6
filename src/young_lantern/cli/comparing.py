"""`lantern compare`: two configurations, or one and what was saved of it, with all the evidence that was asked for."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..behaviour import Request, request_for
from ..behaviour.compare import compare_estates, compare_requests
from ..behaviour.deployment import as_deployed
from ..behaviour.decide import decide
from ..behaviour.request_files import read_requests, read_saved, write_saved
from ..behaviour.traffic import Traffic, compare_expected, compare_traffic, read_log_for
from ..behaviour.witnesses import find_witnesses
from ..dialects.dialect import Reading
from ..errors import LanternError
from ..report import documents, evidence, text
from ..translate import read, read_beside
from ..unread import unread_lines
from .choices import facts_for, places
from .output import DIFFERS, SAME, progress, say, show, show_json, write_all


@dataclass(frozen=True)
class Wanted:
    """The words of the command."""

    before: Path
    after: Path | None
    live: bool
    requests: Path | None
    access_log: Path | None
    log_at: str | None
    save_requests: Path | None
    expect: Path | None
    before_at: list[str]
    after_at: list[str]
    rate: float
    all_methods: bool
    most: int
    files_at: list[str]
    before_dialect: str | None
    after_dialect: str | None
    as_json: bool


def run(wanted: Wanted) -> int:
    """Does it, shows it, and gives the exit status."""
    _check(wanted)
    files = places(wanted.files_at)
    before = read(wanted.before, wanted.before_dialect, files)
    if wanted.expect is not None:
        return _expected(wanted, wanted.expect, before)
    assert wanted.after is not None
    after = read_beside(wanted.after, wanted.after_dialect, files, before)
    extra = read_requests(wanted.requests) if wanted.requests else []
    facts = facts_for(before)
    comparison = compare_estates(before.estate, after.estate, extra)
    pairs = compare_requests(before.estate, after.estate, extra, facts) if wanted.requests else None
    traffic, unread = _traffic(wanted, before, after), unread_lines(before, after)
    checked, hosts = None, None
    if wanted.live:
        from ..lab.live import check_live

        with progress("Asking both servers …") as step:
            checked = check_live(before, after, files=files, requests=extra, most=wanted.most, progress=step)
    if wanted.before_at:
        from ..lab.hosts import address_of, check_hosts

        named = [address_of(word) for word in wanted.before_at], [address_of(word) for word in wanted.after_at]
        with progress("Asking both hosts …") as step:
            hosts = check_hosts((before, after), named, facts, requests=extra, most=wanted.most, rate=wanted.rate, all_methods=wanted.all_methods, progress=step)
    if wanted.save_requests is not None:
        _save(wanted.save_requests, before, after, extra)
    if wanted.as_json:
        show_json(documents.comparison_document(comparison, pairs, checked, traffic, hosts, unread))
    else:
        parts = [*([text.pairs_text(pairs)] if pairs else []), text.comparison_text(comparison), *([text.unread_text(unread)] if unread or unread.both else []), *([evidence.traffic_text(traffic)] if traffic else [])]
        parts += [text.live_text(item) for item in (checked, hosts) if item]
        for number, part in enumerate(parts):
            if number:
                show("")
            show(part)
    differs = (comparison.causes or comparison.undecided or unread or (pairs and any(pair.differences for pair in pairs)) or (traffic and traffic.differing)
               or (checked and checked.surprises) or (hosts and hosts.surprises))
    return DIFFERS if differs else SAME


def _check(wanted: Wanted) -> None:
    """Raises LanternError for words that do not go together."""
    if (wanted.after is None) == (wanted.expect is None):
        raise LanternError("compare: expected two configurations, or one and --expect FILE")
    if bool(wanted.before_at) != bool(wanted.after_at):
        raise LanternError("compare: --before-at and --after-at go together: both hosts are asked the same")
    if wanted.expect is not None and (wanted.live or wanted.requests or wanted.access_log or wanted.save_requests or wanted.before_at):
        raise LanternError("compare: --expect goes with one configuration and no other evidence")
    if wanted.log_at is not None and wanted.access_log is None:
        raise LanternError("compare: --log-at says where the requests of --access-log came to; there is no log")


def _expected(wanted: Wanted, path: Path, reading: Reading) -> int:
    pairs = compare_expected(reading.estate, read_saved(path), facts_for(reading), path)
    if wanted.as_json:
        show_json(documents.expectation_document(pairs))
    else:
        show(evidence.expected_text(pairs))
    return DIFFERS if any(pair.differences or pair.after.gave_up for pair in pairs) else SAME


def _traffic(wanted: Wanted, before: Reading, after: Reading) -> Traffic | None:
    if wanted.access_log is None:
        return None
    at = request_for(wanted.log_at) if wanted.log_at else _only_site(before)
    log = read_log_for(wanted.access_log, at, before.estate, after.estate)
    return compare_traffic(before.estate, after.estate, log, facts_for(before))


def _only_site(reading: Reading) -> Request:
    """Where the requests of a log came to, if there is but one name that they can have come to."""
    estate = as_deployed(reading.estate)
    named = {(row.host.text, listener.port, listener.secure) for listener in estate.listeners for row in listener.rows if row.host.is_exact}
    if len({host for host, _, _ in named}) != 1:
        raise LanternError("the log does not say which host its requests came to, and there are several: say it with --log-at URL, such as https://www.fernhollow.example")
    host, port, secure = max(named, key=lambda item: item[2])
    return Request("GET", "https" if secure else "http", host, int(str(port)), "/")


def _save(path: Path, before: Reading, after: Reading, extra: list[Request]) -> None:
    estates = as_deployed(before.estate), as_deployed(after.estate)
    rows = [(row.request, row.facts.name, decide(estates[0], row.request, row.facts)) for row in find_witnesses(*estates).rows]
    facts = facts_for(before)
    rows += [(request, "", decide(estates[0], request, facts)) for request in extra]
    write_all({path.name: write_saved(row for row in rows if not row[2].gave_up)}, path.absolute().parent)
    say(f"{len(rows):,} requests, with what came of them, are in {path}.")
