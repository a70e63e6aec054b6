"""nginx `auth_request`, `auth_request_set` -> AskFirst. Mirror: ../writer/asking.py.

Source:   nginx manual, auth_request module; ngx_http_auth_request_handler (1.22.1, probed).
Rule:     asked after addresses and credentials, in a request inside, by GET, for the path as it is written, which has no query. 2xx lets in; 401 and 403
          are errors of the server's own, with WWW-Authenticate as it was answered; everything else is 500. What the answer says is known by
          the variables of auth_request_set only, and a field whose value comes out empty is not sent.
Left out: a location that does anything but pass the question on, and `satisfy any` beside it: what is guarded so stays closed.
"""

from __future__ import annotations

from dataclasses import replace

from ....codes import QUESTION_LENGTH
from ....model import AskFirst, Disposition, Field, Forward, InPlace, Mapped, Operation, Respond, Side, Span, Step, Template, Unserved, Var, Variable, Written, join
from ....model.walk import transform
from ..syntax import Directive
from ..undisturbed import disturbs, lines_of
from . import origins
from .context import Context, Scope

CHALLENGE = "WWW-Authenticate"
# Lines of the location that do not say what is asked.
_SETTINGS = ("proxy_", "access_log", "log_not_found", "allow", "deny", "add_header", "client_", "default_type", "keepalive_", "error_log", "auth_request", "internal")
_EXPECTED = "the path of a location that does nothing but pass the question on, with proxy_pass, was expected"
_OF_ANSWER = "$upstream_http_"


def read_question(scope: Scope, found: "tuple[Scope, str | None] | None", context: Context) -> Step | None:
    """What is asked before a scope answers; None where nothing is. found: the location that the path leads to, with its text."""
    line = context.used(scope, "auth_request")
    if line is None or line.args[:1] == ["off"]:
        return None
    either = scope.inherited("satisfy")
    if either and either[-1].args == ["any"]:
        return _closed(line, "a place that asks for this and for nothing else was expected, without satisfy any", context)
    location, prefix = found or (scope, None)
    asked = location.own("proxy_pass")
    if found is None or not asked or any(not item.name.startswith(_SETTINGS) or item.name == "proxy_pass_request_headers" for item in location.directives):
        return _closed(line, _EXPECTED, context)
    server: Scope | None = scope
    while server is not None and server.kind != "server":
        server = server.parent
    if server is not None and disturbs(lines_of(server.directives), line.args[0]):
        return _closed(line, "a path that the rewriting of the server leaves alone was expected", context)
    with context.gather() as spans:
        made = origins.read_origins(asked[-1], location, prefix, context)
        for item in location.among("internal", "proxy_pass_request_body"):
            context.use(item)
            context.claims[item.span].disposition, context.claims[item.span].why = Disposition.KEPT, "the question goes without content, and nobody asks for it from outside"
    if made is None or len(made) != 1 or not isinstance(made[0], Forward):
        return _closed(line, _EXPECTED, context)
    without = any(item.args == ["off"] for item in location.inherited("proxy_pass_request_body"))
    keeps = not without and not any(field.name.lower() == "content-length" for field in made[0].fields)
    if keeps:
        context.say(QUESTION_LENGTH, asked[-1].span, path=line.args[0])
    return AskFirst(_question(made[0], line.args[0], tuple(spans)), keeps_length=keeps, span=line.span, also=_of_names(scope, context), comments=line.comments)


def _closed(line: Directive, expected: str, context: Context) -> Unserved:
    context.unread(line, line.args[0], expected)
    return Unserved(" ".join([line.name, *line.args]), line.span)


def _question(forward: Forward, path: str, spans: tuple[Span, ...]) -> Forward:
    target: Template
    match forward.target:
        case Mapped(prefix, replacement):
            target = join(replacement, path[len(prefix):])
        case Written(template):
            target = template
        case _:
            target = (path,)
    # The content has no length, and nothing of the answer goes to the client.
    asked = replace(forward, target=Written(target), fields=tuple(field for field in forward.fields if field.name.lower() != "content-length"), redirects=(), cookies=(), response_fields=())
    return replace(_inside(asked, path), also=spans, in_place=(
        InPlace(frozenset({401}), (Field(Side.RESPONSE, Operation.ADD, CHALLENGE, (Var(Variable.VERDICT_FIELD, CHALLENGE),), at_once=True), Respond(401, raises=True)), field=CHALLENGE),
        InPlace(frozenset({401}), (Respond(401, raises=True),)),
        InPlace(frozenset({403}), (Respond(403, raises=True),)),
        InPlace(None, (Respond(500, raises=True),)),
    ))


def _inside(forward: Forward, path: str) -> Forward:
    """Path and query are those of the request inside."""
    def change(value: object) -> object:
        if isinstance(value, Field):
            return replace(value, value=join(*(path if part == Var(Variable.PATH) else "" if isinstance(part, Var) and part.variable is Variable.QUERY else part for part in value.value)))
        return value

    return transform(forward, change)


def names_of(scope: Scope) -> dict[str, str]:
    """The variables that hold fields of the answer: name without its sign -> field; "" where nobody is asked, so that they hold nothing."""
    asked = scope.inherited("auth_request")
    if not asked or asked[-1].args[:1] == ["off"]:
        return {line.args[0].lstrip("$"): "" for line in scope.inherited("auth_request_set") if line.args}
    return {line.args[0].lstrip("$"): line.args[1].removeprefix(_OF_ANSWER).replace("_", "-").title() for line in scope.inherited("auth_request_set") if _is_read(line)}


def _is_read(line: Directive) -> bool:
    return len(line.args) == 2 and line.args[1].startswith(_OF_ANSWER)


def _of_names(scope: Scope, context: Context) -> tuple[Span, ...]:
    spans = []
    for line in scope.inherited("auth_request_set"):
        context.use(line)
        if _is_read(line):
            spans.append(line.span)
        else:
            context.unread(line, line.args[1] if len(line.args) > 1 else "", "a field of the answer, $upstream_http_NAME, was expected")
    return tuple(spans)
