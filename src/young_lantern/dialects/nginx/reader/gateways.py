"""nginx `fastcgi_*`, `uwsgi_*`, `scgi_*` -> Gateway. Mirror: ../writer/gateways.py.

Source:   nginx manual, fastcgi, uwsgi and scgi modules; PHP's own use of the parameters (RFC 3875 section 4.1).
Rule:     one fastcgi_param at a level hides all above; of several with one name the last one counts. What is not written is not sent.
          The three modules have the same lines, and so has the model; only FastCGI finds scripts by their files.
Left out: grpc, which stays unread; applications that are asked over TLS.
"""

from __future__ import annotations

import re

from ....model import Field, Gateway, Member, Operation, Pattern, Pool, SENT_PARAMETERS, Side, Template, Var, Variable, join
from ..syntax import Directive
from .caches import read_cache
from .context import Context, Scope
from .files import read_root, split_of
from .interception import intercepts
from .pools import read_retry

# Parameter -> the ways to write what it usually is. They are taken for one thing.
_USUAL = {
    "SCRIPT_FILENAME": ("$document_root$fastcgi_script_name", "$realpath_root$fastcgi_script_name", "$document_root/$fastcgi_script_name"),
    "SCRIPT_NAME": ("$fastcgi_script_name",), "PATH_INFO": ("$fastcgi_path_info",), "QUERY_STRING": ("$query_string", "$args"),
    "REQUEST_METHOD": ("$request_method",), "REQUEST_URI": ("$request_uri",), "DOCUMENT_URI": ("$document_uri", "$uri"),
    "DOCUMENT_ROOT": ("$document_root", "$realpath_root"), "HTTPS": ("$https",), "REQUEST_SCHEME": ("$scheme",), "REMOTE_ADDR": ("$remote_addr",),
    "SERVER_PORT": ("$server_port",),
}
# What every server says of itself, and of the content, in its own way.
_OF_THE_SERVER = frozenset({
    "CONTENT_TYPE", "CONTENT_LENGTH", "SERVER_PROTOCOL", "GATEWAY_INTERFACE", "SERVER_SOFTWARE", "REMOTE_PORT", "REMOTE_USER", "SERVER_ADDR", "REDIRECT_STATUS", "PATH_TRANSLATED", "SCGI",
})
# Not compared: which path it shows depends on how the server came to the script.
_UNCOMPARED = frozenset({"DOCUMENT_URI"})


def read_gateway(directive: Directive, scope: Scope, context: Context) -> Gateway | None:
    """The `fastcgi_pass` of a scope, or its like -> Gateway; None when it is not read, which is said."""
    context.use(directive)
    protocol = directive.name.removesuffix("_pass")
    address = re.sub(r"^uwsgi://", "", directive.args[0], flags=re.IGNORECASE) if protocol == "uwsgi" else directive.args[0]
    if address.lower().startswith("suwsgi://"):
        context.unread(directive, address, "an application that is not asked over TLS was expected")
        return None
    if "$" in address:
        context.unread(directive, address, "an address, a socket or a pool that does not depend on the request was expected")
        return None
    root, strip, whole, root_directive = read_root(scope, context)
    by_file = protocol == "fastcgi"
    if whole is not None and by_file:
        context.unread(directive, address, "a root, not an alias in a location by pattern, was expected around it")
        return None
    split = split_of(scope, context)
    index = context.used(scope, "fastcgi_index") if by_file else None
    timeout = context.seconds(scope, f"{protocol}_read_timeout")
    usual_strip = strip
    parameters: dict[str, Template] = {name: () for name in SENT_PARAMETERS if name not in _UNCOMPARED}
    server_name: Template = ()
    keeps_info = False
    for item in scope.inherited(f"{protocol}_param"):
        context.use(item)
        name, text = item.args[0], item.args[1]
        if name in _UNCOMPARED or name in _OF_THE_SERVER and (name != "REMOTE_USER" or text == "$remote_user"):
            continue
        if name == "SERVER_NAME" and text in ("$server_name", "$host"):
            server_name = (Var(Variable.SITE_NAME if text == "$server_name" else Variable.HOST),)
            parameters.pop(name, None)
        elif name == "PATH_INFO" and _is_path_info(text, scope):
            keeps_info = True
            parameters.pop(name, None)
        elif text in _USUAL.get(name, ()) and not (name == "SCRIPT_FILENAME" and strip):
            # Below an alias the root and the whole path make no file's name; only $request_filename does.
            parameters.pop(name, None)
        elif name == "SCRIPT_FILENAME" and text == "$request_filename" and split is None:
            parameters.pop(name, None)
        else:
            parameters[name] = _template(text, root, split, item, context)
    return Gateway(
        protocol=protocol, pool=_pool(address, directive, context), root=root, strip=usual_strip, split=split, index=index.args[0] if index else "",
        remainder=keeps_info, parameters=tuple(parameters.items()), server_name=server_name, read_seconds=timeout, retry=read_retry(scope, protocol, context), cache=read_cache(scope, protocol, context),
        response_fields=tuple(Field(Side.RESPONSE, Operation.REMOVE, hidden.args[0], span=context.use(hidden).span) for hidden in scope.inherited(f"{protocol}_hide_header")),
        **intercepts(scope, f"{protocol}_intercept_errors", context), span=directive.span, root_span=root_directive.span if root_directive else None,
        comments=directive.comments,
    )


def script_variables(scope: Scope, split: Pattern | None) -> dict[str, Template]:
    """`$fastcgi_script_name` and `$fastcgi_path_info` for templates of a scope."""
    text = split.text if split else ""
    return {
        "$fastcgi_script_name": (Var(Variable.SCRIPT_NAME, text),) if text else (Var(Variable.PATH),),
        "$fastcgi_path_info": (Var(Variable.PATH_INFO, text),) if text else (),
    }


def _is_path_info(text: str, scope: Scope) -> bool:
    """Whether a variable was set to the path information before try_files cut that off, as Debian's snippet for PHP does."""
    return any(item.args[:1] == [text] and item.args[1:] == ["$fastcgi_path_info"] for item in scope.own("set"))


def _template(text: str, root: Template, split: Pattern | None, item: Directive, context: Context) -> Template:
    """The value of a parameter, in which the root and the script have names of their own."""
    known = {"$document_root": root, "$realpath_root": root, "$request_filename": join(root, (Var(Variable.PATH),)), **script_variables(Scope("location", []), split)}
    made: list[Template] = []
    while text:
        name = next((name for name in known if text.startswith(name)), None)
        if name is not None:
            made.append(known[name])
            text = text[len(name):]
            continue
        ends = min((place for name in known if (place := text.find(name)) > 0), default=len(text))
        made.append(context.template(text[:ends], item))
        text = text[ends:]
    return join(*made)


def _pool(address: str, directive: Directive, context: Context) -> str:
    if address not in context.pools:
        context.pools[address] = Pool(address, (Member(address, span=directive.span),), inline=True, span=directive.span)
    return address
