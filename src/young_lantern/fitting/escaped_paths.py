"""Tests of the path as it came, percent-encoded -> of the path as it is read: what a rule's writer means, and what the other servers ask. Used by: translate.py.

Rule:     Tomcat's REQUEST_URI is not decoded, where everybody else's path is. Only paths with characters percent-encoded that need not be are taken otherwise, and
          the comparison asks for such.
"""

from __future__ import annotations

from typing import Any

from ..model import Estate, PathIs, PathMatches, TextIs, TextMatches, Var, Variable
from ..model.walk import transform

_RAW = (Var(Variable.PATH_ESCAPED),)


def with_read_paths(estate: Estate) -> Estate:
    """The estate as it is written for other dialects."""
    return transform(estate, _read) if estate.dialect == "tomcat" else estate


def _read(value: Any) -> Any:
    if isinstance(value, TextMatches) and value.template == _RAW:
        return PathMatches(value.pattern, span=value.span)
    if isinstance(value, TextIs) and value.template == _RAW and len(value.values) == 1:
        return PathIs(value.values[0], value.ignores_case, span=value.span)
    return value
