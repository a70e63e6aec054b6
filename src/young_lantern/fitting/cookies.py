"""Cookies of an origin: lines that map an attribute -> edits of Set-Cookie, which httpd and Caddy have; and back.

Rule:     an edit names the attribute together with the sign before it, so that no other part of the cookie is changed. Where one of several mappings
          would change what another one made, it cannot be told as edits. What a server sets itself ends on a date in httpd alone.
Source:   RFC 6265 section 4.1.1.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import CookieFlags, CookieMapping, Estate, Field, Forward, HttpDate, Operation, Pattern, Side, Span, Template, join, literal
from ..model.walk import transform

_SAYS = {"secure": "Secure", "httponly": "HttpOnly", "samesite=lax": "SameSite=Lax", "samesite=strict": "SameSite=Strict", "samesite=none": "SameSite=None"}
_ALL = "^(.*)$"
# `^(.*)$` and its like; and the form that leaves alone a cookie that has the attribute.
_WHOLE = re.compile(r"\^?\(\.[*+]\)\$?|\(\?i\)\^\(\(\?:\(\?!;\\s\??[\w=]+\)\.\)\+\)\$|\^\(\(\?:\(\?!;\\s\??[\w=]+\)\.\)\+\)\$")
_ATTRIBUTE = re.compile(r"(?:\(\?i\))?(\((?:;\\s\*)?(?:\(\?i\))?(path|domain)=\)|(?:;\\s\*)?(path|domain)=)(.*)", re.IGNORECASE)
# A pattern for a path that an edit can hold: from the beginning on, and to the end if it goes there.
_SIMPLE = re.compile(r"\^((?:[\w/.~-]|\\[./-])*)(\(/?(?:\.|\[\^/\])[*+]\))?(\$?)")


def with_ages(estate: Estate) -> tuple[Estate, set[Span]]:
    """Cookies that end on a date reckoned from now, which only httpd's rules can say -> Max-Age, which is looked at first (RFC 6265 section 5.3, step 3); and their lines."""
    changed: set[Span] = set()

    def with_age(value: object) -> object:
        if not isinstance(value, Field) or not any(isinstance(part, HttpDate) and part.by_hyphens for part in value.value):
            return value
        changed.update({value.span} if value.span else ())
        made: Template = ()
        for part in value.value:
            if isinstance(part, HttpDate):
                made = join((*made[:-1], str(made[-1]).removesuffix("expires=")), f"Max-Age={max(part.seconds_ahead, 0)}")
            else:
                made = join(made, (part,))
        return replace(value, value=made)

    return transform(estate, with_age), changed


def as_edits(step: Forward, engine: str, lost: Callable[[Span | None, str, str], object]) -> tuple[Field, ...]:
    """The cookies' changes of a forward as operations on Set-Cookie; `lost` is told (line, what, why) of those that are none."""
    made: list[Field] = []
    flagged = [item for item in step.cookies if isinstance(item, CookieFlags)]
    for number, item in enumerate(step.cookies):
        if isinstance(item, CookieFlags):
            if item.names is None and len(flagged) > 1 or isinstance(item.names, Pattern):
                lost(item.span, "the attributes of some cookies", "they go by patterns of names, or to all cookies but some")
                continue
            made += _flags(item, engine)
            continue
        earlier = [held for held in step.cookies[:number] if isinstance(held, CookieMapping) and held.attribute == item.attribute]
        edit = _edit(item, engine)
        if edit is None or any(_leads(held, item) for held in earlier):
            lost(item.span, f"the mapping of the {item.attribute} of cookies", "its values depend on the request, or on a pattern that cannot stand within a cookie")
            continue
        made.append(edit)
    return tuple(made)


def _field(find: str, value: str, engine: str, span: Span | None) -> Field:
    value = re.sub(r"\$\{(\d)\}(?!\w)", r"$\1", value)  # a word behind it would be part of the group's name in Go
    return Field(Side.RESPONSE, Operation.EDIT, "Set-Cookie", (value,), find=Pattern(find, engine), span=span)  # type: ignore[arg-type]


def _flags(item: CookieFlags, engine: str) -> list[Field]:
    find = _ALL if item.names is None else f"(?i)^({re.escape(str(item.names))}=.*)$"
    more = "".join(f"; {_SAYS.get(flag, flag)}" for flag in item.flags if not flag.startswith("no"))
    made = [_field(find, f"${{1}}{more}", engine, item.span)] if more else []
    for flag in item.flags:
        if flag.startswith("no") and item.names is None:
            made.append(_field(rf"(?i);\s*{flag[2:]}(?:=[^;]*)?(;|$)", "${1}", engine, item.span))
    return made


def _edit(item: CookieMapping, engine: str) -> Field | None:
    after = literal(item.after)
    begins = rf"(?i)(;\s*{item.attribute}=)"
    if isinstance(item.before, Pattern):
        found = _SIMPLE.fullmatch(item.before.text)
        after = after if after is not None else _with_group(item.after, item.before)
        if found is None or after is None or item.attribute != "path":
            return None
        group = (found[2] or "").replace(".", "[^;]").replace("[^/]", "[^/;]")
        value = after.replace("\x00", "${2}")
        return _field(f"{begins}{found[1]}{group}{'' if found[3] or group.endswith('*)') else '[^;]*'}", "${1}" + value, engine, item.span)
    before = literal(item.before)
    if before is None or after is None:
        return None
    if item.attribute == "domain":
        dot = "" if item.exact else r"\.?"
        return _field(rf"{begins}{dot}{re.escape(before.removeprefix('.') if not item.exact else before)}(\s*(?:;|$))", f"${{1}}{after}${{2}}", engine, item.span)
    return _field(f"{begins}{re.escape(before)}{'[^;]*' if item.exact else ''}", f"${{1}}{after}", engine, item.span)


def _with_group(template: Template, pattern: Pattern) -> str | None:
    """The text with its one group as a zero byte."""
    texts = [part if isinstance(part, str) else "\x00" if getattr(part, "group", None) in (1, "1") else None for part in template]
    return None if None in texts else "".join(texts)  # type: ignore[arg-type]


def _leads(held: CookieMapping, item: CookieMapping) -> bool:
    """Whether what one mapping makes would be changed by another one after it."""
    after, before = literal(held.after), literal(item.before) if not isinstance(item.before, Pattern) else None
    return after is None or before is None or after.startswith(before)


# --- back ---------------------------------------------------------------------------------------------------------------------

def of_edit(field: Field) -> CookieMapping | CookieFlags | None:
    """An edit of Set-Cookie as the mapping, or the attributes, that it comes to; None if it is neither."""
    value = literal(field.value)
    if field.name.lower() != "set-cookie" or field.operation is not Operation.EDIT or field.find is None or value is None:
        return None
    text = field.find.text
    value = re.sub(r"\$\{?(\d)\}?", r"${\1}", value)
    if _WHOLE.fullmatch(text):
        first, *flags = [piece.strip().lower() for piece in value.split(";")]
        return CookieFlags(tuple(flags), span=field.span) if first == "${1}" and flags and all(flag in _SAYS for flag in flags) else None
    found = _ATTRIBUTE.fullmatch(text)
    if found is None:
        return None
    attribute, rest = (found[2] or found[3]).lower(), found[4]
    prefix = "${1}" if found[1].startswith("(") else next((word for word in (f"; {attribute}=", f"{attribute}=", f"; {attribute.title()}=", f"{attribute.title()}=") if value.startswith(word)), None)
    if prefix is None or not value.startswith(prefix):
        return None
    after, exact = value[len(prefix):], False
    if rest.endswith("[^;]*"):
        rest, exact = rest.removesuffix("[^;]*"), True
    if attribute == "domain":
        rest, after = re.sub(r"\(\\s\*\(\?:;\|\$\)\)$|\(;\|\$\)$|\$$", "", rest), re.sub(r"\$\{2\}$", "", after)
        exact = not rest.startswith(r"\.?")
        rest = rest.removeprefix(r"\.?")
    plain = re.sub(r"\\([./~-])", r"\1", rest)
    if re.search(r"[\\()\[\]{}*+?|$^]", plain) or "$" in after or not plain:
        return None
    return CookieMapping(attribute, (plain,), (after,), exact, field.span)
