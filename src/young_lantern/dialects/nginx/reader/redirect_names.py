"""nginx `absolute_redirect`, `server_name_in_redirect`, `port_in_redirect` -> what goes before the path of a redirect.

Source:   nginx manual, core module; ngx_http_header_filter (1.22.1, probed): the server's own name is the first one as it is written, be it a pattern or with a star; without a
          name nothing stands there. The port is the one that the connection came to, and is not named where it is the scheme's.
"""

from __future__ import annotations

from ....model import Lookup, LookupRow, Template, Var, Variable
from ..syntax import Directive
from .context import Context, Scope

_LINES = ("absolute_redirect", "server_name_in_redirect", "port_in_redirect")
_USUAL = {("http", 80), ("https", 443)}
_SCHEME, _PORT = Var(Variable.SCHEME), Var(Variable.PORT)
_BY_SCHEME = Lookup("port_in_redirects", (_SCHEME, ":", _PORT), tuple(LookupRow(f"{scheme}:{port}", ()) for scheme, port in sorted(_USUAL)), (":", _PORT))


def absolute(scope: Scope, context: Context) -> bool | Template:
    """Whether a redirect to a path is sent with scheme and host; what goes before it, where that is not what the client asked for."""
    if not context.switch(scope, "absolute_redirect", True):
        return False
    named, with_port = context.switch(scope, "server_name_in_redirect", False), context.switch(scope, "port_in_redirect", True)
    if not named and (with_port or context.ports <= _USUAL):
        return True
    host = Var(Variable.SITE_NAME if named else Variable.HOST)
    return (_SCHEME, "://", host, *_port(with_port, context))


def _port(with_port: bool, context: Context) -> Template:
    if not with_port or context.ports <= _USUAL:
        return ()
    return (_BY_SCHEME,) if context.ports & _USUAL else (":", _PORT)


def use_lines(block: Directive, context: Context) -> None:
    """Claims these lines of a server, also those of places that send no redirect."""
    for line in block.walk():
        if line.name in _LINES:
            context.use(line)
