"""Pages of docs/ that are made from tables of the code. `python -m young_lantern.report.handbook` writes docs/findings.md anew."""

from __future__ import annotations

import re

from ..codes import CODES
from ..model import Family

_FAMILIES = {
    Family.READING: "Reading", Family.HEALTH: "Source health", Family.TRANSLATION: "Translation", Family.BEHAVIOUR: "Behaviour",
    Family.TLS: "TLS", Family.LIVE: "Live",
}


def findings_page() -> str:
    """docs/findings.md: every code with its severity, what it says, why, and what to do."""
    lines = ["# Findings", "", "Made from the table in `src/young_lantern/codes.py`. Words in *italics* stand for facts of the finding;",
             "in JSON they are members of `facts`. Codes are stable: some may be added, none changes its name.", ""]
    for family, title in _FAMILIES.items():
        codes = [code for code in CODES.values() if code.family is family]
        if codes:
            lines += [f"## {title}", ""]
        for code in codes:
            lines += [f"### `{code.name}` ({code.severity.value})", "", f"{_shown(code.says)}.", "", f"- Why: {_shown(code.why)}.", f"- Do: {_shown(code.do)}.", ""]
    return "\n".join(lines)


def _shown(text: str) -> str:
    made = re.sub(r"\{(\w+)\}", r"*\1*", text)
    return made[:1].upper() + made[1:]


if __name__ == "__main__":
    from pathlib import Path

    Path("docs/findings.md").write_text(findings_page(), "utf-8")
