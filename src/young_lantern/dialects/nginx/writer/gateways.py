"""Gateway -> nginx `fastcgi_*`, `uwsgi_*`, `scgi_*`. Mirror: ../reader/gateways.py.

Rule:     what every application is told stands in one file for each protocol, included where it is asked; what one is told besides
          follows. Parameters of no value are sent as such, which applications take for the same as none.
Source:   nginx manual, fastcgi, uwsgi and scgi modules.
Left out: scripts below an alias in a location by pattern: nginx has no name for their files there; path information that is neither the path
          nor its end.
"""

from __future__ import annotations

import re

from ....model import Field, Forward, Gateway, Mapped, Operation, Template, Var, Variable, literal
from ...noting import Unwritable
from .. import values
from ..values import quote
from . import forwards
from .balancing import write_retry
from .caches import write_cache
from .context import Context
from .files import Location, write_root
from .output import Node

FILES = {"fastcgi": "application-parameters.conf", "uwsgi": "uwsgi-parameters.conf", "scgi": "scgi-parameters.conf"}
# Where the source went by what is there on the disk, or split at its own word, this is how nginx finds the script.
_SPLIT = r"^(.+?\.php)(/.*)$"
_WHY_SET = ("Put by, since try_files takes it off the path.",)
_COMMON = (
    ("SCRIPT_FILENAME", "$document_root$fastcgi_script_name"), ("SCRIPT_NAME", "$fastcgi_script_name"), ("PATH_INFO", "$fastcgi_path_info"),
    ("QUERY_STRING", "$query_string"), ("REQUEST_METHOD", "$request_method"), ("CONTENT_TYPE", "$content_type"), ("CONTENT_LENGTH", "$content_length"),
    ("REQUEST_URI", "$request_uri"), ("DOCUMENT_URI", "$document_uri"), ("DOCUMENT_ROOT", "$document_root"), ("SERVER_PROTOCOL", "$server_protocol"),
    ("REQUEST_SCHEME", "$scheme"), ("HTTPS", "$https if_not_empty"), ("GATEWAY_INTERFACE", "CGI/1.1"), ("SERVER_SOFTWARE", "nginx/$nginx_version"),
    ("REMOTE_ADDR", "$remote_addr"), ("REMOTE_PORT", "$remote_port"), ("SERVER_ADDR", "$server_addr"), ("SERVER_PORT", "$server_port"),
    ("REDIRECT_STATUS", "200"),
)
# What only scripts are told, or each place says for itself where no file is the script.
_OF_SCRIPTS = frozenset({"SCRIPT_FILENAME", "SCRIPT_NAME", "PATH_INFO", "GATEWAY_INTERFACE", "REDIRECT_STATUS"})
_USUAL = {"SCRIPT_NAME": "$fastcgi_script_name", "PATH_INFO": "$fastcgi_path_info"}


def common_parameters(protocol: str) -> list[Node]:
    """What stands in the shared file."""
    rows = _COMMON if protocol == "fastcgi" else tuple(row for row in _COMMON if row[0] not in _OF_SCRIPTS)
    if protocol == "scgi":
        # The protocol has both of its own, of which nginx sends the length by itself.
        rows = (*(row for row in rows if row[0] != "CONTENT_LENGTH"), ("SCGI", "1"))
    return [Node([f"{protocol}_param", name, *value.split()]) for name, value in rows]


def write_gateway(step: Gateway, before: tuple[Field, ...], where: Location, context: Context) -> list[Node] | Unwritable:
    """Gateway -> nodes of a location. before: operations on the request's fields that were met on the way."""
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    root_spans = tuple(span for span in (step.root_span,) if span)
    nodes: list[Node] = []
    if step.strip:
        if step.strip != where.prefix:
            return Unwritable("a script below an alias, other than in the alias's own place")
        text = context.template(step.root, step.span)
        if isinstance(text, Unwritable):
            return text
        nodes.append(Node(["alias", quote(text)], None, root_spans))
    else:
        made = write_root(step.root, where.frame.root, root_spans, context)
        if isinstance(made, Unwritable):
            return made
        nodes += made
    told = _told(step)
    if isinstance(told, Unwritable):
        return told
    kind = step.protocol
    split = told[0] if kind != "fastcgi" else _SPLIT if step.walks or step.cleans or step.split is not None and step.split.engine != "pcre" else step.split.text if step.split else None
    if split is not None and not step.strip:
        nodes.append(Node(["fastcgi_split_path_info", quote(split)]))
    if step.index:
        nodes.append(Node(["fastcgi_index", step.index]))
    if step.remainder and split is not None and not step.strip and not context.rewritten:
        nodes.append(Node(["set", "$path_info", "$fastcgi_path_info"], None, (), _WHY_SET))
    context.applications.add(kind)
    nodes.append(Node(["include", FILES[kind]]))
    own = [*step.parameters, *told[1]]
    if step.strip:
        own.insert(0, ("SCRIPT_FILENAME", (*step.root, "?")))
    if step.remainder and split is not None and not step.strip and not context.rewritten:
        nodes.append(Node(["fastcgi_param", "PATH_INFO", "$path_info"]))
    server_name = context.template(step.server_name, step.span)
    if isinstance(server_name, str) and server_name:
        nodes.append(Node([f"{kind}_param", "SERVER_NAME", quote(server_name)]))
    if kind != "fastcgi":
        # Where both are what the split makes of the path, no parameter says so.
        nodes += [Node([f"{kind}_param", name, text]) for name, text in _USUAL.items() if (split or name == "SCRIPT_NAME") and not any(own_name == name for own_name, _ in own)]
    for name, value in own:
        text = "$request_filename" if step.strip and value[-1:] == ("?",) else context.template(value, step.span)
        if isinstance(text, Unwritable):
            context.lost(step.span, f"the parameter {name}", f"nginx has no variable for {text.what}")
            continue
        nodes.append(Node([f"{kind}_param", name, quote(text)]))
    nodes += _fields(step, before, context)
    for field in step.response_fields:
        if field.operation is Operation.REMOVE:
            nodes.append(Node([f"{kind}_hide_header", field.name], None, (field.span,) if field.span else ()))
        else:
            context.lost(field.span, field.name, "of an application's field nginx takes the whole away, or leaves it", "give the field by add_header, with a map on $upstream_http_… for its value")
    nodes += write_retry(step.retry, context.estate.pool(step.pool), kind, context)
    nodes += write_cache(step.cache, kind, context)
    if step.read_seconds and not forwards.is_usual(step.read_seconds, context):
        nodes.append(Node([f"{kind}_read_timeout", values.write_time(step.read_seconds)]))
    if step.intercepts_errors:
        nodes.append(Node([f"{kind}_intercept_errors", "on"], None, (step.intercepts_span,) if step.intercepts_span else ()))
    pool = _pool(step, context)
    if isinstance(pool, Unwritable):
        return pool
    nodes.append(Node([f"{kind}_pass", pool], None, spans))
    nodes[0].comments = (*step.comments, *nodes[0].comments)
    return nodes


def _told(step: Gateway) -> tuple[str | None, tuple[tuple[str, Template], ...]] | Unwritable:
    """(what takes the path apart, the parameters that say its parts) where the source's server found them out by itself."""
    path: Template = (Var(Variable.PATH),)
    if step.target is None:
        return (step.split.text if step.split else None), ()
    if step.protocol == "scgi" and not step.info_apart:
        return None, (("SCRIPT_NAME", path), ("PATH_INFO", ()))
    prefix, base = (step.target.prefix, literal(step.target.replacement)) if isinstance(step.target, Mapped) else ("", None)
    if base is None or not prefix.endswith(base):
        return Unwritable("path information that is neither the path nor its end")
    mount = prefix.removesuffix(base).rstrip("/")
    if not mount:
        return None, (("SCRIPT_NAME", ()), ("PATH_INFO", path))
    return f"^({re.escape(mount)})(/.*)$", ()


def _fields(step: Gateway, before: tuple[Field, ...], context: Context) -> list[Node]:
    """Request fields that lines set for applications, as parameters; what a server adds by itself is written only when that is asked for."""
    nodes = []
    for shown, value, item in forwards.folded_fields((*before, *(item for item in step.fields if item.span is not None or context.options.strict)), context).values():
        text = context.template(value or (), item.span)
        if isinstance(text, Unwritable):
            context.lost(item.span or step.span, f"what the application gets of {shown}", "nginx passes the field as the client sent it")
            continue
        nodes.append(Node([f"{step.protocol}_param", "HTTP_" + shown.upper().replace("-", "_"), quote(text)], None, (item.span,) if item.span else ()))
    return nodes


def _pool(step: Gateway, context: Context) -> str | Unwritable:
    pool = context.estate.pool(step.pool)
    if pool is not None and pool.inline and len(pool.members) == 1:
        return pool.members[0].address
    return forwards.write_pool(Forward(step.pool), context)
