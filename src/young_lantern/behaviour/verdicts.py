"""What an origin answers that is asked whether a request may go on, and how a request says it.

Rule:     `Lantern-Verdict: STATUS [NAME: VALUE]`, NAME being a field of the answer; without it everybody is let in.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Verdict:
    status: int = 200
    fields: tuple[tuple[str, str], ...] = ()
    is_silence: bool = False  # nobody is there who could answer

    def field(self, name: str) -> str | None:
        return next((value for found, value in self.fields if found == name.lower()), None)

    @property
    def lets_in(self) -> bool:
        return 200 <= self.status < 300


def parsed_verdict(text: str) -> Verdict:
    """The verdict that the field asks for."""
    status, _, rest = text.partition(" ")
    name, _, value = rest.partition(":")
    return Verdict(int(status) if status.isdigit() else 200, ((name.strip().lower(), value.strip()),) if name.strip() else ())
