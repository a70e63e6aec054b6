"""Results -> text for a terminal, as lists of rich renderables. Nothing is printed here.

Rule:     the worst first; a place is `file:line`; colours say nothing that the words do not.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from ..behaviour.compare import Cause, Comparison, Pair, Reason
from ..behaviour.content_types import ORIGINS
from ..behaviour.origin_answers import fields_in_words
from ..behaviour.outcome import Kept, Outcome
from ..behaviour.request import Request
from ..dialects.dialect import Reading
from ..lab.live import LiveCheck, Row
from ..ledger import counted
from ..model import AnswerPlainly, Disposition, Entry, Finding, Placeholder, Refuse, Severity, Span
from ..support import Support
from ..translate import Translation
from ..unread import Unread

STYLES = {Severity.BREAKING: "bold red", Severity.MINOR: "magenta", Severity.NOTE: "cyan"}
_WORDS = {"kept": "kept", "changed": "changed", "implied": "implied", "manual": "to do by hand", "unsupported": "not carried"}


def heading(text: str) -> Text:
    return Text(text, style="bold")


def _indented(text: Text, by: int) -> RenderableType:
    return Padding(text, (0, 0, 0, by), expand=False)


def _where(span: Span | None) -> str:
    return str(span) if span else ""


def plural(count: int, one: str, many: str | None = None) -> str:
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def findings_text(findings: list[Finding]) -> RenderableType:
    """One finding after the other: severity, place, what, and what to do."""
    parts: list[RenderableType] = []
    for item in findings:
        line = Text()
        line.append(f"{item.code.severity.value:<10}", STYLES[item.code.severity])
        line.append(_where(item.span) or "-", "bold")
        line.append(f"  {item.message}  ")
        line.append(f"[{item.code.name}]", "dim")
        parts += [line, _indented(Text(item.advice, style="dim"), 9)]
    return Group(*parts)


# Lines of one finding that are named one by one.
_MOST_PLACES = 12


def grouped_findings_text(findings: list[Finding]) -> RenderableType:
    """One line for each code: how often, the first message, all places, and what to do."""
    groups: dict[str, list[Finding]] = {}
    for item in sorted(findings, key=lambda item: list(Severity).index(item.code.severity)):
        groups.setdefault(item.code.name, []).append(item)
    parts: list[RenderableType] = []
    for items in groups.values():
        first = items[0]
        line = Text.assemble((f"{first.code.severity.value:<10}", STYLES[first.code.severity]), f"{first.message}  ", (f"[{first.code.name}]", "dim"))
        places = [str(item.span) for item in items if item.span]
        parts.append(line)
        if places:
            once = list(dict.fromkeys(places))
            more = f" and {len(once) - _MOST_PLACES} more" if len(once) > _MOST_PLACES else ""
            parts.append(_indented(Text(", ".join(once[:_MOST_PLACES]) + more, style="bold"), 10))
        parts.append(_indented(Text(first.advice, style="dim"), 10))
    return Group(*parts)


def survey_text(reading: Reading, health: list[Finding]) -> RenderableType:
    estate = reading.estate
    parts: list[RenderableType] = [heading(f"{reading.dialect}: {reading.main.name}, {plural(len(reading.texts), 'file')}, {plural(len(estate.sites), 'site')}"), Text()]
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
    for column in ("listener", "", "host", "site", "at"):
        table.add_column(column, overflow="fold")
    for listener in estate.listeners:
        port = listener.port.spelling if isinstance(listener.port, Placeholder) else listener.port
        first = f"{listener.address or '*'}:{port}", "TLS" if listener.secure else "plain"
        rows = [(row.host.text, row.site, _where(row.host.span)) for row in listener.rows]
        fallback = listener.fallback
        other = "(refused)" if isinstance(fallback, Refuse) else f"(status {fallback.status})" if isinstance(fallback, AnswerPlainly) else fallback
        rows.append(("any other", other, "" if listener.fallback_stated else "by order only"))
        for number, row in enumerate(rows):
            table.add_row(*map(Text, (*(first if not number else ("", "")), *row)))  # as text: a pattern's brackets are no markup
    parts += [table, Text()]
    if estate.pools:
        pools = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
        for column in ("pool", "chosen by", "origins", "at"):
            pools.add_column(column, overflow="fold")
        for pool in estate.pools:
            members = ", ".join(member.address + (" (backup)" if member.backup else " (down)" if member.down else "") for member in pool.members)
            pools.add_row(*map(Text, (pool.name, pool.policy.replace("_", " ") if len(pool.members) > 1 else "", members, _where(pool.span))))
        parts += [pools, Text()]
    certificates = [(site, item) for site in estate.sites if site.tls for item in site.tls.certificates]
    files = dict.fromkeys(item.chain_file for _, item in certificates)
    for file in files:
        names = ", ".join(dict.fromkeys(name.text for site, item in certificates if item.chain_file == file for name in site.names))
        parts.append(Text.assemble(("certificate ", "dim"), file, (" for ", "dim"), names))
    if files:
        parts.append(Text())
    found = [*health, *reading.findings]
    parts.append(heading(plural(len(found), "finding")))
    parts.append(findings_text(sorted(found, key=lambda item: list(Severity).index(item.code.severity))))
    return Group(*parts)


def trace_text(request: Request, outcome: Outcome) -> RenderableType:
    parts: list[RenderableType] = [heading(str(request))]
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    table.add_column(overflow="fold")
    for entry in outcome.trace:
        held = "" if entry.held is None else "yes " if entry.held else "no  "
        style = "dim" if entry.held is False else ""
        table.add_row(Text(_where(entry.span), style="dim"), Text(held + entry.rule, style=style), Text(entry.saw, style=style))
    parts += [table, Text(), outcome_text(outcome)]
    return Group(*parts)


def kept_in_words(kept: Kept) -> str:
    """What becomes of an answer in a cache."""
    by = f", told apart by {', '.join(kept.by) or 'nothing'}" if kept.seconds else ""
    return f"kept for later requests: {'no' if kept.seconds is None else f'{kept.seconds:g} seconds'}{by}{'' if kept.given else '; asks the origin whatever is kept'}"


def outcome_text(outcome: Outcome) -> RenderableType:
    if outcome.gave_up:
        return Text(f"not decided: {outcome.gave_up}", style="magenta")
    line = Text.assemble(("-> ", "bold"))
    line.append("the TLS handshake fails" if outcome.handshake else "connection closed" if outcome.status is None else f"status {outcome.status}", "bold")
    if outcome.origin and outcome.status == 200:
        line = Text.assemble(("-> forwarded", "bold"))
    for name, value in (("location", outcome.location), ("file", outcome.file), ("coding", outcome.coding)):
        if value is not None:
            line.append(f"\n   {name}: {value}")
    for limit in outcome.limits:
        line.append(f"\n   limit on {limit.kind}: {limit}")
    if outcome.kept is not None:
        line.append(f"\n   {kept_in_words(outcome.kept)}")
    if outcome.asked_first and outcome.asked_first != outcome.origin:
        line.append(f"\n   asked first: {', '.join(outcome.asked_first.addresses)} {outcome.asked_first.method} {outcome.asked_first.target}")
        for name, value in ((name, value or "(taken away)") for name, value in outcome.asked_first.fields):
            line.append(f"\n   to who is asked  {name}: {value}")
    if outcome.origin:
        line.append(f"\n   origin: {', '.join(outcome.origin.addresses)}\n   target: {outcome.origin.method} {outcome.origin.target}")
        for name, value in ((name, value or "(taken away)") for name, value in outcome.origin.fields):
            line.append(f"\n   to the origin  {name}: {value}")
    typed = [("content-type", value) for value in outcome.media_types or () if not value.startswith(ORIGINS)]
    for name, value in (*typed, *outcome.fields):
        line.append(f"\n   field  {name}: {value}")
    return line


def counts_line(entries: tuple[Entry, ...]) -> Text:
    counts = counted(entries)
    line = Text(f"{plural(sum(counts.values()), 'directive')}: ")
    line.append(" · ".join(f"{counts[item.value]} {_WORDS[item.value]}" for item in Disposition if counts[item.value]))
    return line


def comparison_line(comparison: Comparison) -> Text:
    line = Text(f"{plural(comparison.requests, 'request')} decided in both: {comparison.same:,} the same, ")
    breaking, minor = len(comparison.of(Severity.BREAKING)), len(comparison.of(Severity.MINOR))
    line.append(f"{breaking} breaking", STYLES[Severity.BREAKING] if breaking else "")
    line.append(f" and {minor} minor causes of difference")
    if comparison.classes:
        line.append(f"\n{comparison.classes:,} of them stand for {'the classes' if comparison.sampled else 'all classes'} of requests that conditions of either tell apart", "dim")
    return line


def cause_text(cause: Cause, short: bool = False) -> RenderableType:
    line = Text()
    first = cause.places[0]
    where = " -> ".join(filter(None, map(_where, first)))
    if cause.reason is not Reason.OTHER:
        line.append(f"{cause.reason.value} ", "bold")
    line.append(cause.summary if cause.reason is Reason.OTHER else f"({cause.summary})")
    head = Table.grid(padding=(0, 0))
    head.add_column(width=10)
    head.add_column(overflow="fold")
    head.add_row(Text(cause.severity.value, STYLES[cause.severity]), line)
    parts: list[RenderableType] = [head]
    if cause.where:
        parts.append(_indented(Text(cause.where), 10))
    fields = " ".join(fields_in_words(cause.example))
    example = Text(f"{cause.example} {fields}".strip(), style="dim")
    if cause.facts:
        example.append(f"  [{cause.facts}]")
    example.append(f"  {plural(cause.requests, 'request')}")
    parts.append(_indented(example, 10))
    if not short and where:
        more = f" and {len(cause.places) - 1} more" if len(cause.places) > 1 else ""
        parts.append(_indented(Text(where + more, style="dim"), 10))
    return Group(*parts)


# Hosts of one cause that are named one by one.
_MOST_HOSTS = 8


def alike(causes: Iterable[Cause]) -> list[list[Cause]]:
    """Causes of several hosts that say the same but for the host, the first of them where it stands."""
    groups: dict[tuple[object, ...], list[Cause]] = {}
    for cause in causes:
        host = re.compile(rf"(?<![\w.-]){re.escape(cause.example.host)}(?![\w.-])")
        said = tuple(host.sub("HOST", text) if cause.example.host else text for text in (cause.summary, cause.where))
        groups.setdefault((cause.severity, cause.reason, cause.example.scheme, *said), []).append(cause)
    return [part for group in groups.values() for part in _by_host(group)]


def _by_host(group: list[Cause]) -> list[list[Cause]]:
    """Those of one host are causes apart, which have more than the host between them."""
    hosts = [cause.example.host for cause in group]
    return [group] if len(set(hosts)) == len(hosts) else [[cause] for cause in group]


def _more_like_it(others: list[Cause]) -> RenderableType:
    named = [f"{cause.example.scheme}://{cause.example.host} ({_where(cause.places[0][0] or cause.places[0][1]) or '-'})" for cause in others[:_MOST_HOSTS]]
    left = f" and {len(others) - _MOST_HOSTS} more" if len(others) > _MOST_HOSTS else ""
    many = f"{plural(len(others), 'cause')} more like it"
    return _indented(Text(f"{many}: {', '.join(named)}{left}; --json lists them", style="dim"), 10)


def comparison_text(comparison: Comparison, short: bool = False) -> RenderableType:
    parts: list[RenderableType] = [comparison_line(comparison)]
    for reason, count in comparison.undecided.items():
        parts.append(Text(f"{plural(count, 'request')} not decided: {reason}", style="magenta"))
    for what in comparison.sampled:
        parts.append(Text(f"by examples only: {what}", style="magenta"))
    for pattern in comparison.unreached:
        parts.append(Text(f"sampled only: no example could be made for {pattern}", style="magenta"))
    if comparison.causes:
        parts.append(Text())
        for first, *others in alike(comparison.causes):
            parts += [cause_text(first, short), *([_more_like_it(others)] if others else [])]
    return Group(*parts)


def unread_text(unread: Unread, most: int = 10) -> RenderableType:
    """The lines that a comparison says nothing of, since nobody reads them."""
    parts: list[RenderableType] = []
    for which, claims in (("first", unread.before), ("second", unread.after)):
        if claims:
            lines = "this line" if len(claims) == 1 else f"these {len(claims)} lines"
            parts.append(Text(f"not compared: what {lines} of the {which} configuration would change, which nobody reads", style="magenta"))
        for claim in claims[:most]:
            parts.append(_indented(Text.assemble((f"{claim.span}  ", "bold"), shortened(claim.span.directive, 60)), 2))
            parts.append(_indented(Text(claim.finding.why if claim.finding else claim.why, style="dim"), 6))
        if len(claims) > most:
            parts.append(_indented(Text(f"and {len(claims) - most} more; --json lists them", style="dim"), 2))
    if unread.both:
        parts.append(Text(f"not compared, for both have them alike: {plural(unread.both, 'line')} that nobody reads", style="dim"))
    return Group(*parts)


def pairs_text(pairs: list[Pair]) -> RenderableType:
    """The requests of a file, one after the other, in order."""
    parts: list[RenderableType] = []
    for pair in pairs:
        if not pair.differences:
            parts.append(Text(f"same      {pair.request}"))
            continue
        worst = Severity.BREAKING if any(item.severity is Severity.BREAKING for item in pair.differences) else Severity.MINOR
        parts.append(Text.assemble((f"{worst.value:<10}", STYLES[worst]), str(pair.request)))
        parts += [Text(f"          {item.what}: {item.before} becomes {item.after}", style="dim") for item in pair.differences]
    return Group(*parts)


def live_text(live: LiveCheck) -> RenderableType:
    asked = plural(len(live.rows), "request") + (f" of {live.sampled:,}" if live.sampled > len(live.rows) else "")
    parts: list[RenderableType] = [Text(
        f"{live.servers[0]} and {live.servers[1]} were asked {asked}: {live.same:,} answers the same, {live.foretold:,} differ as foretold, "
        f"{len(live.surprises)} otherwise")]
    if live.asked_again:
        parts.append(_indented(Text(f"{plural(live.asked_again, 'answer')} as foretold only when asked once more", style="magenta"), 2))
    if live.empty_roots:
        parts.append(_indented(Text(f"not on this machine, so that empty folders stood in for them: {', '.join(live.empty_roots)} (--files-at says where copies lie)", style="magenta"), 2))
    if live.handshakes:
        by = f", {live.by_http2:,} of the requests by HTTP/2" if live.by_http2 else ""
        parts.append(_indented(Text(f"hands were shaken for {plural(len(live.handshakes), 'host')}: certificates, versions of TLS, HTTP/2{by}", style="dim"), 2))
    if live.kept:
        parts.append(_indented(Text(f"{plural(len(live.kept), 'request')} asked twice, for what caches make of the first answer", style="dim"), 2))
    if live.limits:
        parts.append(_indented(Text(f"{plural(len(live.limits), 'request')} sent many times at once, for what limits refuse", style="dim"), 2))
    for row in live.surprises[:10]:
        what = [f"{item.what}: {item.first} becomes {item.second}" for item in row.between if isinstance(row, Row) and not row.foretold]
        what += [f"{server} answered {item.what} {item.second} where {item.first} was foretold" for server, item in row.defects]
        parts.append(_indented(Text(f"{row.request}: {'; '.join(what)}", style="bold red"), 2))
    return Group(*parts)


def not_carried(translation: Translation, most: int = 12) -> RenderableType:
    """The directives that need a person: not carried, then to do by hand."""
    parts: list[RenderableType] = []
    wanted = [entry for entry in translation.ledger if entry.disposition in (Disposition.UNSUPPORTED, Disposition.MANUAL)]
    for entry in wanted[:most]:
        line = Text()
        line.append(f"{_WORDS[entry.disposition.value]:<14}", "bold red" if entry.disposition is Disposition.UNSUPPORTED else "magenta")
        line.append(f"{entry.span}  ", "bold")
        line.append(shortened(entry.span.directive, 60))
        parts.append(line)
        reason = entry.finding.why if entry.finding else entry.reason
        advice = f"; {entry.finding.advice}" if entry.finding else ""
        parts.append(_indented(Text(reason + advice, style="dim"), 14))
    if len(wanted) > most:
        parts.append(Text(f"and {len(wanted) - most} more in the report"))
    return Group(*parts)


def shortened(text: str, most: int) -> str:
    return text if len(text) <= most else text[:most - 1] + "…"


def translation_text(translation: Translation) -> RenderableType:
    parts: list[RenderableType] = [
        heading(f"{translation.reading.dialect} -> {translation.target}: {plural(len(translation.writing.files), 'file')} written"),
        counts_line(translation.ledger), Text(), not_carried(translation), Text(), comparison_text(translation.comparison),
    ]
    listed = {entry.finding for entry in translation.ledger if entry.disposition is Disposition.UNSUPPORTED}
    told = [item for item in translation.findings if item.code.severity is not Severity.NOTE and item not in listed]
    if told:
        parts += [Text(), heading(plural(len(told), "finding")), grouped_findings_text(told)]
    return Group(*parts)


def support_text(rows: list[Support]) -> RenderableType:
    """How many directives are what, for each direction; then a line for each directive, the blocks it may stand in together."""
    merged: dict[tuple[str, str, tuple[tuple[str, Disposition], ...]], tuple[list[str], Support]] = {}
    for row in rows:
        merged.setdefault((row.dialect, row.directive, tuple(row.to.items())), ([], row))[0].append(row.context)
    if len({key[1] for key in merged}) == 1:
        return Group(*(part for contexts, row in merged.values() for part in _one_directive(contexts, row)))
    out: list[RenderableType] = []
    for dialect in dict.fromkeys(key[0] for key in merged):
        own = [(contexts, row) for key, (contexts, row) in merged.items() if key[0] == dialect]
        for target in dict.fromkeys(name for _, row in own for name in row.to):
            counts = {word: sum(1 for _, row in own if row.to.get(target) and row.to[target].value == word) for word in _WORDS}
            out += [heading(f"{dialect} -> {target}: " + " · ".join(f"{count} {_WORDS[word]}" for word, count in counts.items() if count))]
        table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
        for contexts, row in sorted(own, key=lambda pair: pair[1].directive.lower()):
            held = dict.fromkeys(f"{_WORDS[value.value]}" for value in row.to.values())
            said = " · ".join(held) if len(held) < 2 else " · ".join(f"{name}: {_WORDS[value.value]}" for name, value in row.to.items())
            table.add_row(Text(row.directive, style="bold"), Text(", ".join(contexts), style="dim"), said)
        out += [table, Text("")]
    return Group(*out[:-1])


def _one_directive(contexts: list[str], row: Support) -> list[RenderableType]:
    parts: list[RenderableType] = [heading(f"{row.directive}  ({row.dialect}: {', '.join(contexts)})")]
    for target, value in row.to.items():
        why = row.why.get(target, "")
        parts.append(Text(f"  to {target:<8}{_WORDS[value.value]}" + (f": {why}" if why else "")))
    return parts
