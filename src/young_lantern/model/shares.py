"""Requests divided into shares: tables of a number that is made of a text, or that is drawn anew for each request.

Source:   ngx_http_split_clients_variable (nginx 1.22.1, probed): shares of 32 bits. What is drawn: a number made of the id of the request, which nothing else decides.
"""

from __future__ import annotations

from collections.abc import Iterable

from .span import Span
from .text import Hashed, Lookup, LookupRow, Pattern, Template, Var, Variable, literal

WHOLE = 10_000  # shares are hundredths of a percent
_DIGITS = "0123456789abcdef"


def share_table(name: str, template: Template, shares: Iterable[tuple[int, Template]], fallback: Template, span: Span | None) -> Lookup:
    """A table of shares in their order; the fallback is for what is left of the whole. Raises ValueError where they are more than that."""
    parts, sums, rows = [], 0, []
    for share, result in shares:
        sums += share
        parts.append(share)
        if sums > WHOLE:
            raise ValueError("more than 100%")
        # The sum is reckoned in whole numbers of 32 bits, as the server does.
        rows.append(LookupRow(Pattern(f"^(?:{below(sums * 0xFFFFFFFF // WHOLE, 10) or '(?!)'})$", "pcre"), result))
    return Lookup(name, (Hashed(template, tuple(parts)),), tuple(rows), fallback, ignores_case=False, span=span)


def drawn_table(name: str, salt: str, weights: dict[str, int], span: Span | None) -> Lookup:
    """A table of which each request gets one value, drawn anew. salt: tells apart what is drawn for one request; weights: of the values, whatever their sum."""
    whole = sum(weights.values())
    *first, last = weights
    shares = [(weights[value] * WHOLE // whole, (value,) if value else ()) for value in first]
    return share_table(name, (salt, Var(Variable.REQUEST_ID)) if salt else (Var(Variable.REQUEST_ID),), shares, (last,) if last else (), span)


def is_drawn(table: object) -> bool:
    """Whether a table's value is drawn anew for each request."""
    return isinstance(table, Lookup) and len(table.subject) == 1 and isinstance(subject := table.subject[0], Hashed) and subject.template[-1:] == (Var(Variable.REQUEST_ID),) and literal(subject.template[:-1]) is not None


def shares_of(table: Lookup) -> list[tuple[int, Template]]:
    """The shares of a table, in hundredths of a percent, and their values; what is left of the whole last."""
    subject = table.subject[0]
    assert isinstance(subject, Hashed)
    left = WHOLE - sum(subject.shares)
    return [*zip(subject.shares, (row.result for row in table.rows), strict=True), *([(left, table.fallback)] if left else [])]


def below(bound: int, width: int, base: int = 10) -> str:
    """The numbers of so many digits that are less than another, as alternatives of a pattern; "" for none."""
    digits = [bound // base ** place % base for place in reversed(range(width))]
    any_digit = _class(base)
    ways = ["".join(_DIGITS[digit] for digit in digits[:at]) + _class(digit) + _times(any_digit, width - 1 - at) for at, digit in enumerate(digits) if digit]
    return _times(any_digit, width) if bound >= base ** width else "|".join(ways)


def _times(digit: str, count: int) -> str:
    return f"{digit}{{{count}}}" if count > 1 else digit * count


def _class(count: int) -> str:
    """The digits that are less than a number."""
    if count == 1:
        return "0"
    return f"[0-{_DIGITS[count - 1]}]" if count <= 10 else f"[0-9{'a' if count == 11 else 'a-' + _DIGITS[count - 1]}]"
