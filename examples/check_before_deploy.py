"""Fails when a change of the configuration would change an answer: for a team's own CI.

    python examples/check_before_deploy.py live/nginx.conf proposed/nginx.conf
"""

from __future__ import annotations

import sys

import young_lantern


def main(before: str, after: str) -> int:
    comparison = young_lantern.compare(young_lantern.read(before), young_lantern.read(after))
    for cause in comparison.causes:
        first = cause.places[0]
        print(f"{cause.severity.value}: {cause.example}: {cause.summary} ({first[0]} -> {first[1]})")
    print(f"{comparison.requests} requests, {len(comparison.causes)} causes of difference")
    return 1 if comparison.causes else 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
