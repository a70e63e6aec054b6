"""A regular expression in pieces of its text, for what takes one apart and puts it together again."""

from __future__ import annotations

import regex

_TOKEN = regex.compile(r"\\.|\(\?[a-z-]+\)|\[\^?\]?(?:\\.|\[:\w+:\]|[^\]])*\]|\(\?<?[=!]|\((?:\?(?:P?<\w+>|[\w-]*:))?|[)|]|(?:[*+?]|\{\d+(?:,\d*)?\})[+?]?|.", regex.DOTALL)
REPEATS = regex.compile(r"[*+?]|\{\d")


class Unclosed(Exception):
    """A group has no end."""


def tokens_of(text: str) -> list[str]:
    """Signs, classes, what opens and closes groups, how often something comes, and bars between alternatives."""
    return _TOKEN.findall(text)


def step(token: str) -> int:
    """How much deeper groups lie behind a token."""
    return -1 if token == ")" else int(token.startswith("(") and not token.endswith(")"))


def alternatives(tokens: list[str]) -> list[list[str]]:
    """The tokens between bars that stand in no group."""
    made: list[list[str]] = [[]]
    depth = 0
    for token in tokens:
        depth += step(token)
        if token == "|" and not depth:
            made.append([])
        else:
            made[-1].append(token)
    return made


def closing(tokens: list[str], opened: int) -> int:
    """Where the group ends that is opened at a place. Raises Unclosed."""
    depth = 0
    for place in range(opened, len(tokens)):
        depth += step(tokens[place])
        if not depth:
            return place
    raise Unclosed
