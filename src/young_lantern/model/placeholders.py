"""Placeholders in texts of any dialect: what is filled in at deployment, by whatever means."""

from __future__ import annotations

import re

# `${1}` is what a pattern found.
PLACEHOLDER = re.compile(r"\$\{([A-Za-z_]\w*)\}|\{\{\s*(.*?)\s*\}\}|\{\$(\w+)(?::[^}]*)?\}|\{env\.(\w+)\}")


# What begins the mark of a placeholder while a configuration is written (dialects/spelling.py): for private use (Unicode, section 23.5).
MARK = "\ue000"
MARKED = re.compile(f"{MARK}\\w*([\ue001-\uf8ff])")


def is_open(text: str) -> bool:
    """Whether some of a text is left to deployment, so that nobody knows what it is the same as, or what a pattern finds in it."""
    return MARK in text or "{" in text and PLACEHOLDER.search(text) is not None


def name_of(found: re.Match[str]) -> str:
    """The name in a placeholder that was found."""
    return next((name for name in found.groups() if name), "")


def canonical(text: str) -> str:
    """The text with every placeholder in one spelling, so that two dialects' spellings of one value are the same; a word in lower case,
    which is the same in a name of a host, in a URL and in a pattern."""
    return PLACEHOLDER.sub(lambda found: f"_{re.sub(r'[^a-z0-9]+', '_', name_of(found).lower()).strip('_')}_", text) if "{" in text else text


def placeholder_names(texts: list[str]) -> set[str]:
    """The names of all placeholders in some texts, but for the servers' own variables in lower case (`${host}`)."""
    found = {name_of(match) for text in texts for match in PLACEHOLDER.finditer(text) if match[1] is None or match[1].isupper()}
    return {name for name in found if name.isidentifier()}
