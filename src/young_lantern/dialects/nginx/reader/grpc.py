"""nginx `grpc_*` -> Forward by HTTP/2. Mirror: ../writer/grpc.py.

Source:   nginx manual, grpc module; ngx_http_grpc_create_request: the target goes out as it came; without a Host among the fields that are set
          it is the name in the line.
Rule:     the lines are those of the proxy module under another name, as far as there are any: no path, no mapping of redirects or cookies.
Left out: what is checked of an origin's certificate, which the catalogue tells; a variable for the origin.
"""

from __future__ import annotations

import re

from ....model import AsReceived, Field, Forward, Operation, OriginTls, Side
from ..syntax import Directive
from .context import Context, Scope
from .forwards import pool_of, request_fields
from .interception import intercepts
from .pools import read_retry

_URL = re.compile(r"(?:(grpcs?)://)?(unix:[^:?$]+|[^/$]+)", re.IGNORECASE)


def read_grpc(directive: Directive, scope: Scope, context: Context) -> Forward | None:
    """The `grpc_pass` of a scope -> Forward; None where it is not read, which is said."""
    context.use(directive)
    found = _URL.fullmatch(directive.args[0])
    if not found:
        context.unread(directive, directive.args[0], "an address or an upstream, without a path and without variables, was expected")
        return None
    secure = (found[1] or "").lower() == "grpcs"
    fields, drops = request_fields(scope, context, "grpc_set_header", found[2])
    # ngx_http_grpc_create_request (1.22.1, probed): HTTP/2 has no Connection.
    fields = [field for field in fields if field.span is not None or field.name != "Connection"]
    return Forward(
        pool_of(found[2], "https" if secure else "http", directive, context), protocol="h2c", secure=secure, tls=OriginTls(), target=AsReceived(), fields=(*fields, *drops),
        response_fields=tuple(Field(Side.RESPONSE, Operation.REMOVE, hidden.args[0], span=context.use(hidden).span) for hidden in scope.inherited("grpc_hide_header")),
        **intercepts(scope, "grpc_intercept_errors", context), connect_seconds=context.seconds(scope, "grpc_connect_timeout"), read_seconds=context.seconds(scope, "grpc_read_timeout"),
        send_seconds=context.seconds(scope, "grpc_send_timeout"), retry=read_retry(scope, "grpc", context), span=directive.span, comments=directive.comments,
    )
