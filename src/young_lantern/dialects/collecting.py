"""What the readers of all dialects collect while they read: a claim for every directive, findings, each said once.

Unknown:  a value that is none becomes `value-unread` on its directive; reading goes on.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from ..codes import CONDITION_UNREAD, PATTERN_UNREAD, VALUE_UNREAD, VARIABLE_UNREAD, WITHOUT_EFFECT
from ..model import Code, Disposition, Finding, Pattern, Pool, Span, Template, Unread, finding
from ..patterns import problem
from ..source.passwords import read_users
from ..source.places import Places
from .dialect import Claim


@dataclass
class Collector:
    """`pools` by name; `gathering`: open lists of the spans that are used within them; `found_files`: those that lines name, and that are here."""

    claims: dict[Span, Claim] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    pools: dict[str, Pool] = field(default_factory=dict)
    labels: int = 0
    gathering: list[list[Span]] = field(default_factory=list)
    found_files: dict[str, Path] = field(default_factory=dict)
    _said: set[Finding] = field(default_factory=set)

    def claim(self, span: Span) -> None:
        if span in self.claims:
            self.claims[span].claimed = True
        for spans in self.gathering:
            spans.append(span)

    def users_in(self, configured: str, places: Places) -> tuple[tuple[str, str], ...]:
        """(name, hash) of each user in a file that a line names; none where it is not on this machine."""
        self.file_at(configured, places)
        return read_users(places.find(configured))

    def file_at(self, configured: str, places: Places) -> Path | None:
        """A file that a line names, if it is on this machine."""
        path = places.find(configured)
        if path is None or not path.is_file():
            return None
        self.found_files[configured] = path
        return path

    @contextmanager
    def gather(self) -> Iterator[list[Span]]:
        """Collects the spans of all directives used within: an element's `also`."""
        spans: list[Span] = []
        self.gathering.append(spans)
        try:
            yield spans
        finally:
            self.gathering.remove(spans)

    def say(self, code: Code, span: Span | None, **facts: object) -> Finding:
        made = finding(code, span, **facts)
        if made not in self._said:
            self._said.add(made)
            self.findings.append(made)
        return made

    def blame(self, code: Code, span: Span, **facts: object) -> None:
        """Says it, and lets the ledger say it of the directive."""
        made = self.say(code, span, **facts)
        if span in self.claims:
            self.claims[span].finding = made

    def value_unread(self, span: Span, name: str, value: str, expected: str) -> None:
        self.blame(VALUE_UNREAD, span, value=value or "nothing", directive=name, expected=expected)

    def condition_unread(self, span: Span, condition: str) -> None:
        self.blame(CONDITION_UNREAD, span, condition=condition)

    def checked(self, made: Template, span: Span, name: str) -> Template:
        """The template, with a finding for each variable in it that the model has no word for."""
        for part in made:
            if isinstance(part, Unread):
                self.blame(VARIABLE_UNREAD, span, variable=part.spelling, directive=name)
        return made

    def checked_pattern(self, made: Pattern, span: Span) -> Pattern:
        if reason := problem(made):
            self.blame(PATTERN_UNREAD, span, pattern=made.text, reason=reason)
        return made

    def label(self, stem: str) -> str:
        self.labels += 1
        return f"{stem}_{self.labels}"

    def settle(self) -> None:
        """What no topic took has no effect where it stands: said so, not dropped."""
        for claim in self.claims.values():
            if claim.disposition is not None:
                continue
            if claim.finding is not None:
                claim.disposition = Disposition.UNSUPPORTED
            elif not claim.claimed:
                claim.disposition = Disposition.IMPLIED
                claim.why = "it takes part in no answer here"
                self.say(WITHOUT_EFFECT, claim.span, directive=claim.name)
