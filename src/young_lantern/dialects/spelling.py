"""Placeholders: values that a configuration leaves to deployment, in every dialect's spelling, and in the one asked for."""

from __future__ import annotations

import re

PLACEHOLDER = re.compile(r"\{\{.*?\}\}|\$\{\w+\}|\{\$\w+(?::[^}]*)?\}|\{env\.\w+\}")


def spell(spelling: str, style: str | None) -> str:
    """A placeholder in the style asked for, NAME of the style being its name; None keeps the source's spelling."""
    if style is None:
        return spelling
    found = re.search(r"\w+", spelling.replace("env.", ""))
    return style.replace("NAME", found[0] if found else spelling)


def respell(text: str, style: str | None) -> str:
    """A text that may hold placeholders, each in the style asked for."""
    return text if style is None else PLACEHOLDER.sub(lambda found: spell(found[0], style), text)
