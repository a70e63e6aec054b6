"""Traffic and expectations in a terminal: what differs of the requests that came, and of what was saved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rich.console import Group, RenderableType
from rich.text import Text

from ..behaviour.compare import Pair
from ..behaviour.origin_answers import fields_in_words
from ..behaviour.traffic import Traffic
from ..model import Severity
from .text import STYLES, plural

_MOST = 15


def traffic_text(traffic: Traffic, most: int = _MOST) -> RenderableType:
    """Requests of a log, by how often they came."""
    log = traffic.log
    total = log.requests
    parts: list[RenderableType] = [Text(
        f"{plural(total, 'request')} of the log, {len(log.rows):,} distinct: {_share(traffic.same, total)} get the same answer, "
        f"{_share(total - traffic.same - traffic.undecided, total)} another" + (f", {_share(traffic.undecided, total)} not decided" if traffic.undecided else ""))]
    if log.unread:
        number, line = log.examples[0]
        parts.append(Text(f"  {plural(log.unread, 'line')} that is no request, such as line {number:,}: {line[:60]}", style="magenta"))
    if log.beyond:
        parts.append(Text(f"  {log.beyond:,} more requests were counted, but there are too many different ones to decide them all", style="magenta"))
    groups = alike(traffic.differing)
    width = len(f"{max((group.count for group in groups), default=0):,}")
    for group in groups[:most]:
        parts += _group(group, f"{group.count:>{width},}  ")
    if len(groups) > most:
        rest = sum(group.count for group in groups[most:])
        parts.append(Text(f"and {len(groups) - most:,} more differences, in {plural(rest, 'request')}"))
    return Group(*parts)


def expected_text(pairs: list[Pair], most: int = _MOST) -> RenderableType:
    """What was saved against what is now."""
    differing = [pair for pair in pairs if pair.differences]
    undecided = [pair for pair in pairs if pair.after.gave_up and not pair.differences]
    parts: list[RenderableType] = [Text(f"{plural(len(pairs), 'request')} as they were saved: {len(pairs) - len(differing) - len(undecided):,} the same, {len(differing):,} differ")]
    if undecided:
        parts.append(Text(f"  {plural(len(undecided), 'request')} cannot be decided any more: {undecided[0].after.gave_up}", style="magenta"))
    groups = alike([(pair, 1) for pair in differing])
    for group in groups[:most]:
        parts += _group(group, "")
    if len(groups) > most:
        parts.append(Text(f"and {len(groups) - most:,} more differences"))
    return Group(*parts)


@dataclass(frozen=True)
class Alike:
    """Requests that differ in the same, by the same lines: the most frequent of them, how many different ones, and how often they came."""

    pair: Pair
    distinct: int
    count: int


def alike(pairs: Sequence[tuple[Pair, int]]) -> list[Alike]:
    """Groups of pairs, breaking ones first, then by how often their requests came."""
    held: dict[tuple[object, ...], Alike] = {}
    for pair, count in pairs:
        key = (tuple((item.what, item.before, item.after) for item in pair.differences), pair.before.decided_by, pair.after.decided_by)
        known = held.get(key)
        held[key] = Alike(known.pair, known.distinct + 1, known.count + count) if known else Alike(pair, 1, count)
    return sorted(held.values(), key=lambda group: (_worst(group.pair) is not Severity.BREAKING, -group.count))


def _worst(pair: Pair) -> Severity:
    return Severity.BREAKING if any(item.severity is Severity.BREAKING for item in pair.differences) else Severity.MINOR


def _group(group: Alike, front: str) -> list[RenderableType]:
    pair = group.pair
    worst = _worst(pair)
    fields = "  ".join(fields_in_words(pair.request))
    made: list[RenderableType] = [Text.assemble(front, (f"{worst.value:<10}", STYLES[worst]), str(pair.request), (f"  {fields}" if fields else "", "dim"),
                                               (f"  and {group.distinct - 1:,} like it" if group.distinct > 1 else "", "dim"))]
    indent = " " * (len(front) + 10)
    made += [Text(f"{indent}{item.what}: {item.before} becomes {item.after}", style="dim") for item in pair.differences]
    where = " -> ".join(str(outcome.decided_by) for outcome in (pair.before, pair.after) if outcome.decided_by is not None)
    return [*made, *([Text(f"{indent}{where}", style="bold")] if where else [])]


def _share(count: int, total: int) -> str:
    return f"{count:,} ({100 * count / total:.1f}%)" if total else f"{count:,}"
