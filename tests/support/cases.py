"""Case folders: tests/cases/TOPIC/NAME with why.md, source/, expected/, ledger-DIALECT.txt, requests.jsonl. CONTRIBUTING.md says how to add one."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from young_lantern.behaviour import Outcome, Request, decide, request_for
from young_lantern.behaviour.request import Facts
from young_lantern.dialects import dialects, locate
from young_lantern.model import FileKind
from young_lantern.translate import Translation, translate

HERE = Path(__file__).parent.parent / "cases"


def folders() -> list[Path]:
    return sorted(path.parent for path in HERE.glob("*/*/why.md"))


@dataclass
class Case:
    """`files`: names below /srv/fernhollow that exist, one a line in files.txt."""

    folder: Path

    @property
    def files(self) -> list[str]:
        listing = self.folder / "files.txt"
        return listing.read_text().split() if listing.exists() else []

    @property
    def facts(self) -> Facts:
        there = {f"/srv/fernhollow/{name}": FileKind.FILE for name in self.files}
        for name in list(there):
            for parent in Path(name).parents:
                there.setdefault(str(parent), FileKind.FOLDER)

        def lookup(path: str) -> FileKind | None:
            kind = there.get(re.sub("/{2,}", "/", path).rstrip("/") or "/")
            return None if kind is FileKind.FILE and path.endswith("/") else kind

        return Facts(lookup, "the files of the case")

    def targets(self) -> list[str]:
        """The dialects that the case is translated to: those it has expectations for; all that can be written for a new case."""
        stated = sorted(path.name for path in (self.folder / "expected").glob("*"))
        own, _ = locate(self.folder / "source")
        return stated or sorted(name for name, dialect in dialects().items() if dialect.write and name != own.name)

    def translation(self, target: str) -> Translation:
        return translate(self.folder / "source", target)

    def rows(self) -> list[tuple[Request, dict[str, Any], dict[str, list[str]]]]:
        """Each request, its outcome before, and what is known to differ afterwards, by target."""
        made = []
        for line in (self.folder / "requests.jsonl").read_text().splitlines():
            row = json.loads(line)
            made.append(
                (
                    request_for(row["url"], row.get("method", "GET"), row.get("fields")),
                    row.get("outcome", {}),
                    row.get("differs", {}),
                )
            )
        return made

    def outcome(self, translation: Translation, request: Request, after: bool = False) -> Outcome:
        reading = translation.read_back if after else translation.reading
        return decide(reading.estate, request, self.facts)


def told(outcome: Outcome) -> dict[str, Any]:
    """The part of an outcome that a case states."""
    made: dict[str, Any] = {"status": outcome.status}
    if outcome.location:
        made["location"] = outcome.location
    if outcome.file:
        made["file"] = outcome.file
    if outcome.origin:
        made["origin"] = {"address": list(outcome.origin.addresses), "target": outcome.origin.target}
    if outcome.body:
        made["body"] = outcome.body
    for name, value in outcome.fields:
        fields = made.setdefault("fields", {})
        fields[name] = f"{fields[name]}, {value}" if name in fields else value
    return made


def ledger_text(translation: Translation) -> str:
    lines = []
    for entry in translation.ledger:
        code = f" {entry.finding.code.name}" if entry.finding else ""
        lines.append(f"{entry.span.file}:{entry.span.line} {entry.span.directive} | {entry.disposition.value}{code}")
    return "\n".join(lines) + "\n"
