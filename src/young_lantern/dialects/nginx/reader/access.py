"""nginx `allow`, `deny`, `client_max_body_size` -> Protect, BodyLimit.

Source:   nginx manual, access module (rules in order, the first that holds decides), core module.
"""

from __future__ import annotations

from dataclasses import dataclass

from ....model import AddressRule, BodyLimit, Protect, Span, Step, Unserved
from .. import defaults, values
from .context import Context, Scope


@dataclass(frozen=True, slots=True)
class Limited:
    """`limit_except METHOD … { … }`: the methods that it leaves alone, and the rules for all others."""

    methods: tuple[str, ...]
    others: tuple[Step, ...]
    span: Span


def read_limited(scope: Scope, context: Context) -> Limited | None:
    """The limit_except of a location. GET allows HEAD as well; what stands in it besides address rules closes it."""
    written = [directive for directive in scope.own("limit_except") if context.claims[directive.span].disposition is None]
    if not written:
        return None
    directive = context.use(written[-1])
    inner = Scope("limit_except", context.block(directive), scope, directive)
    closed = any(item.name not in ("allow", "deny") for item in inner.directives)
    methods = tuple(dict.fromkeys((*directive.args, *(("HEAD",) if "GET" in directive.args else ()))))
    others: tuple[Step, ...] = (Unserved(directive.span.directive, directive.span),) if closed else read_access(inner, context)
    return Limited(methods, others, directive.span)


def read_access(scope: Scope, context: Context) -> tuple[Step, ...]:
    """The address rules in force. Both names share one list: either at a level hides both above."""
    level: Scope | None = scope
    while level is not None:
        rules = [directive for directive in level.directives if directive.name in ("allow", "deny") and len(directive.words) == 2]
        if rules:
            return (Protect(tuple(
                AddressRule(context.use(rule).name == "allow", _networks(rule.args[0]), rule.span) for rule in rules
            ), rules[0].span),)
        level = level.parent
    return ()


def _networks(word: str) -> tuple[str, ...]:
    return ("0.0.0.0/0", "::/0") if word == "all" else (word,)


def read_body_limit(scope: Scope, context: Context) -> tuple[Step, ...]:
    """`client_max_body_size 8m;` -> BodyLimit(8388608); 0 is no limit; silence is 1 MiB."""
    directive = context.used(scope, "client_max_body_size")
    if directive is None:
        return (BodyLimit(defaults.BODY_LIMIT),)
    size = values.read_size(directive.args[0])
    if size is None:
        context.unread(directive, directive.args[0], "a size such as 8m or 512k was expected")
        return (BodyLimit(defaults.BODY_LIMIT),)
    return (BodyLimit(size or None, span=directive.span),)
