"""nginx `allow`, `deny`, `auth_basic`, `client_max_body_size` -> Protect, Credentials, BodyLimit.

Source:   nginx manual, access module (rules in order, the first that holds decides), core module.
"""

from __future__ import annotations

from dataclasses import dataclass

from ....model import ALWAYS, AddressRule, BodyLimit, Choose, ClientIn, Credentials, Protect, Route, Span, Step, Unserved
from .. import defaults, values
from .context import Context, Scope


@dataclass(frozen=True, slots=True)
class Limited:
    """`limit_except METHOD … { … }`: the methods that it leaves alone, and the scope of all others; `closed`: by a line that is not read."""

    methods: tuple[str, ...]
    others: Scope
    closed: bool
    span: Span


_READ_WITHIN = ("allow", "deny", "auth_basic", "auth_basic_user_file")


def read_limited(scope: Scope, context: Context) -> Limited | None:
    """The limit_except of a location.

    GET allows HEAD as well. The block is a location of its own to nginx: address rules, credentials and questions that it does not
    say itself are the location's, `satisfy` among them, so that whom `deny all` refuses may still say who he is (1.22.1, probed).
    """
    written = [directive for directive in scope.own("limit_except") if context.claims[directive.span].disposition is None]
    if not written:
        return None
    directive = context.use(written[-1])
    inner = Scope("limit_except", context.block(directive), scope, directive)
    closed = any(item.name not in _READ_WITHIN for item in inner.directives)
    methods = tuple(dict.fromkeys((*directive.args, *(("HEAD",) if "GET" in directive.args else ()))))
    return Limited(methods, inner, closed, directive.span)


def read_access(scope: Scope, context: Context) -> tuple[Step, ...]:
    """The address rules in force. Both names share one list: either at a level hides both above."""
    level: Scope | None = scope
    while level is not None:
        if rules := [rule for rule in level.among("allow", "deny") if len(rule.words) == 2]:
            return (Protect(tuple(
                AddressRule(context.use(rule).name == "allow", _networks(rule.args[0]), rule.span) for rule in rules
            ), rules[0].span),)
        level = level.parent
    return ()


def read_guards(scope: Scope, context: Context) -> tuple[Step, ...]:
    """Address rules and credentials: both must hold, or with `satisfy any` one of them (core module)."""
    addresses, credentials = read_access(scope, context), read_credentials(scope, context)
    satisfy = context.used(scope, "satisfy") if addresses and credentials else None
    if satisfy is None or satisfy.args[:1] != ["any"]:
        return (*addresses, *credentials)
    rules = addresses[0].rules  # type: ignore[union-attr]
    allowed = [rule for rule in rules if rule.allows]
    if not allowed:
        return credentials  # ngx_http_core_access_phase: whom the list refuses may still say who he is, and nobody enters by the list
    if [rule.allows for rule in rules] != [True] * len(allowed) + [False] or "0.0.0.0/0" not in rules[-1].networks:
        context.unread(satisfy, "any", "rules that allow some, and deny all others, were expected beside it")
        return (Unserved(satisfy.span.directive, satisfy.span),)
    inside = ClientIn(tuple(network for rule in allowed for network in rule.networks), allowed[0].span)
    return (Choose((Route(inside, (), allowed[0].span, also=tuple(rule.span for rule in rules if rule.span)), Route(ALWAYS, credentials, satisfy.span)), satisfy.span),)


def read_credentials(scope: Scope, context: Context) -> tuple[Step, ...]:
    """`auth_basic REALM; auth_basic_user_file FILE;` -> Credentials. Without a file nginx asks nobody (auth_basic module)."""
    realm, file = context.used(scope, "auth_basic"), context.used(scope, "auth_basic_user_file")
    if realm is None or realm.args == ["off"] or file is None:
        return ()
    if "$" in realm.args[0] or "$" in file.args[0]:
        return (Unserved(realm.span.directive, realm.span),)
    known = context.users_in(file.args[0], context.places)
    nobody = () if not known and file.args[0] in context.found_files else None
    return (Credentials((realm.args[0],), nobody, known, file.args[0], realm.span, (file.span,)),)


def _networks(word: str) -> tuple[str, ...]:
    return ("0.0.0.0/0", "::/0") if word == "all" else (word,)


def read_body_limit(scope: Scope, context: Context) -> tuple[Step, ...]:
    """`client_max_body_size 8m;` -> BodyLimit(8388608); 0 is no limit; silence is 1 MiB."""
    directive = context.used(scope, "client_max_body_size")
    if directive is None:
        return (BodyLimit(defaults.BODY_LIMIT),)
    size = values.read_size_or_open(directive.args[0])
    if size is None:
        context.unread(directive, directive.args[0], "a size such as 8m or 512k was expected")
        return (BodyLimit(defaults.BODY_LIMIT),)
    return (BodyLimit(size or None, span=directive.span),)
