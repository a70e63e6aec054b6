"""Arguments of the query that are there, with a value or without, as a pattern for the whole query.

Rule:     MatchQuery (2.6.2, probed): `query name=*` holds for `?name`, `?name=` and `?name=x`.
"""

from __future__ import annotations

import re

from ...model import Pattern

_THERE = re.compile(r"\(\?:\^\|&\)((?:[\w~]|\\?[.\-])+)\(\?:\[=&\]\|\$\)")


def there(name: str) -> Pattern:
    """The pattern for queries with an argument of the name, spelt as it stands there."""
    return Pattern(rf"(?:^|&){re.escape(name)}(?:[=&]|$)", "re2")


def asked(pattern: Pattern) -> str | None:
    """The name of the argument that a pattern for the query asks for; None where it asks for something else."""
    found = _THERE.fullmatch(pattern.text)
    return re.sub(r"\\(.)", r"\1", found[1]) if found and not pattern.ignores_case else None
