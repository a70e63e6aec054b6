"""Gateway by uWSGI's protocol or SCGI -> an origin, as httpd has lines for it, and what the application is told besides. Mirror: ../reader/gateways.py.

Rule:     such an application goes by no file, so that the way to it is written as to any origin: ProxyPass, or a rule with P. What is known of
          the path httpd finds out by itself; which part of it is path information the URL of the line says.
Source:   Apache HTTP Server manual, mod_proxy_uwsgi, mod_proxy_scgi, mod_env; mod_proxy_scgi.c, scgi_canon (2.4.71, probed).
Left out: path information other than the path, or what follows a part of it that is written out: httpd's own goes out, and is told as a difference.
"""

from __future__ import annotations

import re

from ....fitting import Chain, leaves
from ....model import AsReceived, Field, Forward, Gateway, Mapped, Operation, SetVariable, Side, Template, Var, Variable, literal
from ..values import quote
from .context import Context
from .gateways import KNOWN_AT_FIRST, OWN, lines_of_tables, over_tls
from .output import Node

_PATH: Template = (Var(Variable.PATH),)
_AS_SENT = ((Var(Variable.AUTHORITY),),)
_MOUNT = re.compile(r"\^\((/[\w./-]*[\w-])\)\((/\.\*)\)\$")
_STAYS = ("An application's Location goes out as it is, as before.",)
_TELLS = ("What clients say of themselves is told to applications, as before.",)
_APART = ("What follows the script's name is told apart from it, as before.",)
# What httpd finds out by itself, other servers are told to send, and no application decides by.
_OF_THE_PROTOCOL = frozenset({"SCGI", "DOCUMENT_URI", "REQUEST_SCHEME"})


def as_origins(chain: Chain, context: Context) -> None:
    """Makes origins of the applications in a chain, in place."""
    for leaf in {id(leaf): leaf for leaf in leaves(chain)}.values():
        if isinstance(leaf.answer, Gateway) and leaf.answer.protocol != "fastcgi":
            step = leaf.answer
            context.told_roots.append(dict(step.parameters).get("DOCUMENT_ROOT", step.root))
            context.told_by[id(leaf)] = tuple(_lines(step, chain, context))
            leaf.answer = Forward(
                step.pool, protocol=step.protocol, target=_target(step), fields=(*step.fields, *_fields(step)), response_fields=step.response_fields, intercepts_errors=step.intercepts_errors,
                intercepts_all=step.intercepts_all, intercepted=step.intercepted, intercepts_span=step.intercepts_span, sends_status=step.sends_status, method=step.method,
                read_seconds=step.read_seconds, span=step.span, also=step.also, comments=step.comments,
            )


def _target(step: Gateway) -> AsReceived | Mapped:
    """What stands behind the application's address: its path information."""
    if step.target is None and step.split is not None and not any(name == "PATH_INFO" for name, _ in step.parameters):
        if found := _MOUNT.fullmatch(step.split.text):
            return Mapped(found[1], ())
    return AsReceived()


def _fields(step: Gateway) -> list[Field]:
    """Parameters that are fields of the request by their names."""
    return [Field(Side.REQUEST, Operation.SET, name.removeprefix("HTTP_").replace("_", "-").title(), value, span=step.span)
            for name, value in step.parameters if name.startswith("HTTP_") and not (name == "HTTP_HOST" and value in _AS_SENT)]


def _lines(step: Gateway, chain: Chain, context: Context) -> list[Node]:
    made: list[Node] = []
    context.modules |= {"proxy", f"proxy_{step.protocol}"}
    if step.protocol == "scgi":
        made.append(context.line("ProxySCGIInternalRedirect", "Off", comments=_STAYS))
        if step.tells_authorization:
            made.append(context.line("CGIPassAuth", "On", comments=_TELLS))
        told = dict(step.parameters)
        if told.get("PATH_INFO", ()) or "PATH_INFO" not in told and step.split is not None:
            context.modules.add("setenvif")
            made.append(context.line("SetEnvIf", "Request_URI", quote("^"), "proxy-scgi-pathinfo=1", comments=_APART))
    for name, value in step.parameters:
        text = literal(value)
        if not value or name.startswith("HTTP_") or name in OWN or name in _OF_THE_PROTOCOL or name == "HTTPS" and text == "on" and over_tls(context):
            continue
        if text is not None:
            context.modules.add("env")
            made.append(context.line("SetEnv", name, quote(text), spans=(step.span,)))
        elif all(isinstance(part, str) or isinstance(part, Var) and part.variable in KNOWN_AT_FIRST for part in value):
            if name not in context.parameters:
                chain.items.insert(lines_of_tables(chain), SetVariable(name, value, step.span, environment=True))
                context.parameters.add(name)
        else:
            context.lost(step.span, f"the parameter {name}", "httpd has no line for one that depends on the request")
    return made
