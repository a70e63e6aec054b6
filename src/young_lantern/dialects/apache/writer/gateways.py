"""Gateway -> httpd `SetHandler "proxy:…"` for the files that scripts are. Mirror: ../reader/gateways.py.

Rule:     a script is a file like any other to all rules and lines that find it; a section by its name says who runs it. So one application runs the
          scripts of a host, and the way to them is written as for files.
Source:   Apache HTTP Server manual, mod_proxy_fcgi, "Proxying via Handler"; mod_env.
Left out: several applications for scripts of one host; applications for paths that are no files.
"""

from __future__ import annotations

import re

from ....fitting import Branch, Chain, Leaf, leaves
from ....fitting.static import bare
from ....model import Folders, Gateway, Operation, PathIs, PathMatches, Pool, ServeFiles, SetVariable, Span, Unserved, Var, Variable, literal
from ....model.walk import walk
from ..values import quote
from .context import Context
from .forwards import write_members
from .output import Node

_ENDING = r"\.php$"


def as_files(chain: Chain, context: Context) -> list[Node]:
    """Makes files of the scripts in a chain, in place, and gives the section that says who runs them."""
    # One leaf may stand in several places.
    found = list({id(leaf): leaf for leaf in leaves(chain) if isinstance(leaf.answer, Gateway)}.values())
    if not found:
        return []
    held: list[Gateway] = [leaf.answer for leaf in found]  # type: ignore[misc]
    first = held[0]
    alike = {bare((leaf.answer.pool, leaf.answer.parameters)) for leaf in found}  # type: ignore[union-attr]
    pool = _pool(first, context)
    by_name = _asks_for_scripts(chain)
    folders = next((leaf.answer.folders for leaf in leaves(chain) if isinstance(leaf.answer, ServeFiles)), Folders(walks=True))
    for leaf in found:
        gateway: Gateway = leaf.answer  # type: ignore[assignment]
        if bare((gateway.pool, gateway.parameters)) != bare((first.pool, first.parameters)) or pool is None or not by_name or literal(gateway.root) is None:
            why = "several applications on one host" if len(alike) > 1 else "an application for paths that do not end in .php" if not by_name else "an application that no address is known of"
            leaf.answer = Unserved(why, gateway.span)
            continue
        leaf.answer = ServeFiles(
            gateway.root, gateway.strip, folders=folders, methods=("*",), span=gateway.span, root_span=gateway.root_span, also=gateway.also, comments=gateway.comments)
        context.scripts.add(id(leaf))
    if pool is None or not by_name:
        return []
    lines = [context.line("SetHandler", quote(_handler(pool, first, context)), spans=(first.span, *first.also, *_spans(first, context)))]
    context.modules |= {"proxy", "proxy_fcgi"}
    if any(step.intercepts_errors for step in held):
        codes = sorted({code for step in held for code in step.intercepted or () if code >= 400})
        spans = tuple(dict.fromkeys(step.intercepts_span for step in held if step.intercepts_span))
        lines.append(context.line("ProxyErrorOverride", "On", *(map(str, codes) if len(codes) < 100 else ()), spans=spans))
    for field in dict.fromkeys(item for step in held for item in step.response_fields):
        if field.operation is Operation.REMOVE and all(any(other.name.lower() == field.name.lower() for other in step.response_fields) for step in held):
            # What an application sends stands in the table of `always` (2.4.71, probed).
            lines.append(context.line("Header", "always", "unset", field.name, spans=(field.span,)))
            context.modules.add("headers")
        else:
            context.lost(field.span, field.name, "httpd has one place for all applications of a host, and takes whole fields away there", "change it in the application")
    for name, value in first.parameters:
        text = literal(value)
        if name == "HTTPS" and text == "on" and over_tls(context) or name == "HTTP_HOST" and value in _HOST:
            continue  # so it is sent anyway
        if text is None and name not in OWN and all(isinstance(part, str) or isinstance(part, Var) and part.variable in KNOWN_AT_FIRST for part in value):
            # mod_proxy_fcgi tells an application all of a request's variables.
            # Behind the tables that it may be made of.
            chain.items.insert(lines_of_tables(chain), SetVariable(name, value, first.span, environment=True))
            context.parameters.add(name)
            continue
        if text is None or name in OWN:
            if value:
                context.lost(first.span, f"the parameter {name}", "httpd sends its own value, or has no line for one that depends on the request")
            continue
        if text:
            context.modules.add("env")
            lines.append(context.line("SetEnv", name, quote(text), spans=(first.span,)))
    if all(step.tells_authorization for step in held):
        lines.append(context.line("CGIPassAuth", "On", comments=_TELLS))
    return [context.line("FilesMatch", quote(_ENDING), spans=(first.span,), block=lines)]


def lines_of_tables(chain: Chain) -> int:
    """How many items at the chain's start only set variables."""
    def sets(item: object) -> bool:
        return isinstance(item, SetVariable) or isinstance(item, Branch) and all(sets(inner) for fork in item.forks for inner in fork.chain.items)

    return next((number for number, item in enumerate(chain.items) if not sets(item)), len(chain.items))


# What httpd says by itself, whatever is set.
OWN = ("SCRIPT_FILENAME", "SCRIPT_NAME", "PATH_INFO", "DOCUMENT_ROOT", "QUERY_STRING", "REQUEST_URI")
# What a rule at the start can say, and nothing changes later.
KNOWN_AT_FIRST = frozenset({Variable.HOST, Variable.AUTHORITY, Variable.SCHEME, Variable.CLIENT, Variable.FIELD, Variable.VARIABLE, Variable.METHOD})
_TELLS = ("What clients say of themselves is told to applications, as before.",)
_HOST = tuple((Var(variable),) for variable in (Variable.HOST, Variable.HOST_SENT, Variable.AUTHORITY))


def over_tls(context: Context) -> bool:
    """Whether a site is reached by TLS alone."""
    return context.site is not None and all(listener.secure for listener in context.estate.listeners_of(context.site.key))


def by_url(nodes: list[Node]) -> list[Node]:
    """Rules that name a script -> the same that name its path, which goes on to be mapped: what runs it is told the path that it was found by."""
    for node in nodes:
        if node.words[0] == "RewriteRule" and node.words[2].startswith('"%{DOCUMENT_ROOT}') and node.words[3:] and node.words[3].rstrip("]").split(",")[-1].strip("[") == "L":
            node.words[2] = '"' + node.words[2].removeprefix('"%{DOCUMENT_ROOT}')
            node.words[3] = node.words[3].removesuffix("L]") + "PT]"
    return nodes


def _asks_for_scripts(chain: Chain) -> bool:
    """Whether what leads to the application are names that end in .php."""
    asked = [item for item in walk(_conditions(chain)) if isinstance(item, PathMatches | PathIs)]
    return any("php" in item.pattern.text if isinstance(item, PathMatches) else item.path.endswith(".php") for item in asked) or not asked


def _conditions(chain: Chain) -> list[object]:
    found: list[object] = []
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                if any(isinstance(leaf.answer, Gateway) for leaf in leaves(fork.chain)):
                    found += [fork.condition, *_conditions(fork.chain)]
        elif isinstance(item, Leaf):
            continue
    return found


def _pool(step: Gateway, context: Context) -> Pool | None:
    pool = context.estate.pool(step.pool)
    if pool is None or not pool.members:
        return None
    if not pool.inline:
        context.reached.update(span for span in (pool.span, *(member.span for member in pool.members)) if span)
    return pool


def _spans(step: Gateway, context: Context) -> list[Span]:
    pool = context.estate.pool(step.pool)
    return [span for span in (pool.span, *(member.span for member in pool.members)) if span] if pool else []


def _handler(pool: Pool, step: Gateway, context: Context) -> str:
    """`unix:/run/php.sock` -> `proxy:unix:/run/php.sock|fcgi://localhost`; several members are a balancer (2.4.71, probed)."""
    if len(pool.members) > 1:
        return f"proxy:balancer://{write_members(pool, step, 'fcgi', context)}"
    address = pool.members[0].address
    return f"proxy:{address}|fcgi://localhost" if address.startswith("unix:") else f"proxy:fcgi://{re.sub(r'^fcgi://', '', address)}"
