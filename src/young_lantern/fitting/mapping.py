"""Redirects of an origin, and targets, as dialects have lines for them."""

from __future__ import annotations

import re

from ..model import AsReceived, Field, ForwardTarget, LocationMapping, Mapped, Operation, Template, Var, Variable, join, literal

# This site's own URL, as a Location may begin with.
_FRONTS: tuple[Template, ...] = tuple((Var(Variable.SCHEME), "://", Var(host)) for host in (Variable.AUTHORITY, Variable.HOST))


def location_mapping(field: Field) -> LocationMapping | None:
    """An edit of Location whose pattern is a plain beginning -> the mapping that it comes to."""
    if field.name.lower() != "location" or field.operation is not Operation.EDIT or field.find is None:
        return None
    text = field.find.text
    plain = re.sub(r"\\([.\-/:?+])", r"\1", text.removeprefix("^"))
    if not text.startswith("^") or re.search(r"[\\()\[\]{}*+?|$^]", plain.replace("?", "") if "\\?" in text else plain):
        return None
    front = next((front for front in _FRONTS if field.value[:len(front)] == front), ())
    value = literal(field.value[len(front):])
    return LocationMapping((plain,), join(front, value.replace("$$", "$")), field.span) if value is not None else None


def as_received(target: ForwardTarget) -> ForwardTarget:
    """A target that goes on in the client's spelling, its prefix kept -> as it was received."""
    if isinstance(target, Mapped) and target.keeps_spelling and literal(target.replacement) == target.prefix and target.spelt_like is None or (
            isinstance(target, Mapped) and target.keeps_spelling and not target.prefix and not target.replacement):
        return AsReceived()
    return target
