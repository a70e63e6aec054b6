"""Header fields, and what is done to them. Used by: steps.py, origins.py.

Rule:     response operations apply at the end, in order; docs/model.md says the rest.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import Enum

from .conditions import Condition, Pattern
from .span import Span
from .text import Template

# nginx manual, headers module, add_header: the statuses on which a field is added unless `always` is written.
SUCCESS_STATUSES = frozenset({200, 201, 204, 206, 301, 302, 303, 304, 307, 308})
# mod_headers: the table without `always` is applied by a filter of answers that a handler made, whatever their status; a slash that mod_dir adds is none
# of these. What an origin sent is, whatever its status.
HANDLED_STATUSES = frozenset(range(200, 600)) - {301}
# The name in an operation that takes every request field away in whose name there is an underscore.
UNDERSCORED = "*_*"
# The name in an operation that edits the content of an answer.
CONTENT = "(content)"


class Operation(Enum):
    SET = "set"
    ADD = "add"
    APPEND = "append"  # to the value that is there, with a comma
    MERGE = "merge"  # the same, unless the value is among those there
    DEFAULT = "default"  # set when absent
    REMOVE = "remove"
    EDIT = "edit"  # replace what `find` matches


class Side(Enum):
    REQUEST = "request"
    RESPONSE = "response"


@dataclass(frozen=True, slots=True)
class Field:
    """A header-field operation. Response operations apply at the end, in order.

    statuses: the response statuses on which it applies; None is every status
    deferred: applied when the answer comes, to what the origin or handler put there, rather than beforehand
    at_once: the value is completed where the step stands, not when the answer goes out
    apart: in a table of its own: it neither sees nor changes what other operations and the handler put there (httpd `always`)
    when:     only for requests that meet this where the step stands
    asked_last: `when` is asked when the answer goes out instead
    survives_errors: still applied when the answer is an error that the server made itself
    also_of_origins: further statuses of answers that come from an origin
    once:     only the first place that `find` holds for is edited, of fields and content alike
    before_others: of content: it acts before what was said further out
    of_section: a part of the site says it, so that it is not in force for a target that is refused before any part is looked for
    stays:    a cookie that goes with the answer whatever place is looked for afterwards, and whatever goes wrong; of several with one name the first
    types:    of content: only answers of these media types; `*`: of all
    unless_sent: not where the origin has sent a field of this name (in small letters); where it has sent this very one, the value is put behind its own
    """

    side: Side
    operation: Operation
    name: str
    value: Template = ()
    statuses: frozenset[int] | None = None
    deferred: bool = False
    at_once: bool = False
    survives_errors: bool = True
    find: Pattern | None = None
    span: Span | None = None
    comments: tuple[str, ...] = ()
    apart: bool = False
    when: Condition | None = None
    asked_last: bool = False
    unless_sent: str = ""
    also_of_origins: frozenset[int] = frozenset()
    once: bool = False
    before_others: bool = False
    stays: bool = False
    types: tuple[str, ...] = ()
    of_section: bool = field(default=False, compare=False)


def with_field(fields: Iterable[Field], one: Field) -> list[Field]:
    """Operations, and one more in its place among them."""
    return [one, *fields] if one.before_others else [*fields, one]
