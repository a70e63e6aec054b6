"""`lantern demo`: the sample estate moved from nginx to Caddy, with all its evidence, in at most a screenful."""

from __future__ import annotations

import json
from pathlib import Path

from ..demo import FILES_AT, unpack
from ..errors import ServerMissing
from ..lab.live import LiveCheck, check_live
from ..report import documents, text
from ..report.page import page
from ..translate import translate
from .output import DIFFERS, SAME, check_output_folder, progress, say, show, show_json, write_all


def tell(out: Path, force: bool, model_only: bool, as_json: bool) -> int:
    """Runs the demo into a folder; gives the exit status: 0, or 1 if a server did what the model had not foretold."""
    check_output_folder(out, force)
    out.mkdir(parents=True, exist_ok=True)
    source, files = unpack(out.absolute() / "before")
    say("Reading, translating and comparing …")
    translation = translate(source, "caddy", files=((FILES_AT, files),))
    write_all(translation.writing.files, out / "after")
    live, why_not = None, "the servers were not asked (--model-only)"
    if not model_only:
        try:
            with progress("Asking both servers on loopback …") as step:
                live = check_live(translation.reading, translation.read_back, files=((FILES_AT, files),), most=1500, progress=step)
        except ServerMissing as error:
            why_not = f"the servers were not asked: {error}"
    document = documents.translation_document(translation, live)
    made = {"report.html": page(translation, live), "translation.json": json.dumps(document, ensure_ascii=False, indent=2) + "\n"}
    write_all(made, out)
    if as_json:
        show_json(document)
    else:
        _show(translation, live, why_not, out)
    return DIFFERS if live is not None and live.surprises else SAME


def _show(translation, live: LiveCheck | None, why_not: str, out: Path) -> None:  # type: ignore[no-untyped-def]
    from rich.console import Group
    from rich.text import Text

    parts = [
        text.heading("Fernhollow Tool Library: nginx -> caddy"), text.counts_line(translation.ledger), Text(),
        text.not_carried(translation, most=6), Text(), text.comparison_line(translation.comparison),
    ]
    for cause in translation.comparison.causes[:4]:
        parts.append(text.cause_text(cause, short=True))
    if len(translation.comparison.causes) > 4:
        parts.append(Text(f"and {len(translation.comparison.causes) - 4} more causes in the report", style="dim"))
    parts += [Text(), text.live_text(live) if live else Text(f"By the model alone: {why_not}.", style="magenta"), Text()]
    for name, what in (("before/", "the sample estate"), ("after/", "the new configuration"), ("report.html", "for a reviewer"), ("translation.json", "for a program")):
        parts.append(Text.assemble((f"{out / name}", "bold"), f"  {what}"))
    show(Group(*parts))
