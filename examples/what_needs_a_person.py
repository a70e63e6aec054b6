"""Lists what a translation leaves to a person, as CSV for a ticket system.

    python examples/what_needs_a_person.py /etc/nginx > to-do.csv
"""

from __future__ import annotations

import csv
import sys

import young_lantern


def main(source: str) -> None:
    writer = csv.writer(sys.stdout)
    writer.writerow(["place", "directive", "disposition", "why"])
    for entry in young_lantern.translate(source, to="caddy").ledger:
        if entry.disposition.value in ("manual", "unsupported"):
            writer.writerow([str(entry.span), entry.span.directive, entry.disposition.value, entry.reason or (entry.finding.message if entry.finding else "")])


if __name__ == "__main__":
    main(sys.argv[1])
