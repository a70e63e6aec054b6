"""httpd `SetHandler proxy:…`, `ProxyPass… fcgi://`, `uwsgi://`, `scgi://`, `SetEnv` -> Gateway. Mirror: ../writer/gateways.py.

Source:   Apache HTTP Server manual, mod_proxy_fcgi, mod_proxy_uwsgi, mod_proxy_scgi, core: SetHandler, mod_env; mod_proxy_fcgi.c
          send_environment, mod_proxy_uwsgi.c, mod_proxy_scgi.c (2.4.71, probed).
Rule:     a handler is given the file that the path was walked to, there or not, and what follows it as path information; a proxied path is all of it
          the script's name. The application gets every variable of the request's environment. An application that goes by no file is told
          what follows its URL as path information.
Left out: parameters by ProxyFCGISetEnvIf; other handlers, which stay unread.
"""

from __future__ import annotations

import re

from ....model import Disposition, Gateway, Mapped, Member, Pool, Retry, Template, Var, Variable, Written
from .. import values
from .context import Context, Node
from .interception import intercepts
from .places import Place

PORTS = {"uwsgi": 3031, "scgi": 4000}
_PLAIN = re.compile(r"(?:(?P<socket>unix:[^|]+)\|(?P<by>uwsgi|scgi)://[^/]*|(?P<protocol>uwsgi|scgi)://(?P<address>[^/]+))(?P<path>/.*)?", re.IGNORECASE)
_PATH_INFO = "proxy-scgi-pathinfo"
_SOCKET = re.compile(r"(?:proxy:)?(unix:[^|]+)\|fcgi://[^/]*/?", re.IGNORECASE)
_ADDRESS = re.compile(r"(?:proxy:)?fcgi://([^/]+)(/.*)?", re.IGNORECASE)


def address_of(text: str) -> str | None:
    """`proxy:unix:/run/php.sock|fcgi://localhost`, `proxy:fcgi://127.0.0.1:9000/` -> the address; None for any other handler."""
    if found := _SOCKET.fullmatch(text):
        return found[1]
    found = _ADDRESS.fullmatch(text)
    # mod_proxy_fcgi: the port is 8000 where none is written.
    return (found[1] if ":" in found[1] else f"{found[1]}:8000") if found else None


def read_handler(node: Node, place: Place, document_root: str, levels: list[Node], context: Context) -> Gateway | None:
    """A `SetHandler` -> Gateway for what is served from a place; None when it is another handler. document_root: the host's, which scripts are told wherever they lie."""
    address, balancer = address_of(node.args[0]), _balancer(node.args[0], context)
    if address is None and balancer is None:
        return None
    pool = balancer or _pool(str(address), node, context)
    return Gateway(
        hyphens_only=True, tells_authorization=_tells_authorization(levels, context), pool=pool, root=(place.folder,), strip=place.url, walks=True,
        **intercepts(levels, context), parameters=(*environment(levels, context), *((("DOCUMENT_ROOT", (document_root,)),) if place.folder != document_root else ())),
        server_name=(Var(Variable.HOST),), read_seconds=waits(levels, context, context.waits.get(balancer or f"fcgi://{address}".lower(), "")), retry=context.retries.get(pool, Retry()), span=context.use(node).span, comments=node.comments,
    )


def _balancer(text: str, context: Context) -> str | None:
    """The pool of `proxy:balancer://NAME`, whose members speak FastCGI; None for any other handler."""
    found = re.fullmatch(r"proxy:balancer://([^/]+)/?", text, re.IGNORECASE)
    pool = context.balancer(found[1]) if found else None
    return pool.name if pool is not None and context.protocols.get(pool.name) == "fcgi" else None


def read_proxied(node: Node, words: list[str], script: Template | None, prefix: str, document_root: str, levels: list[Node], context: Context) -> Gateway:
    """A `ProxyPass`, or one by pattern, to fcgi:// -> Gateway. script: the file's name, completed; None: the rest behind the URL's path."""
    url, *options = words
    address = address_of(url)
    assert address is not None
    found = _ADDRESS.fullmatch(url)
    own = next((word.partition("=")[2] for word in options if word.lower().startswith("timeout=")), "")
    path = (found[2] or "") if found else ""
    parameters = environment(levels, context)
    # mod_proxy, proxy_trans: what follows the prefix is put behind the URL as it stands (2.4.71, probed).
    if script is not None:
        parameters = (("SCRIPT_FILENAME", script), ("PATH_INFO", ()), *parameters)
    return Gateway(
        hyphens_only=True, tells_authorization=_tells_authorization(levels, context), pool=_pool(address, node, context), root=(document_root if script is not None else path,), encodes=True, strip=prefix if script is None else "",
        **intercepts(levels, context), parameters=(*parameters, *((("DOCUMENT_ROOT", (document_root,)),) if script is None else ())), server_name=(Var(Variable.HOST),), read_seconds=waits(levels, context, own or context.waits.get(f"fcgi://{address}".lower(), "")), span=node.span, comments=node.comments,
    )


def _balanced(url: str, context: Context) -> tuple[str, str] | None:
    """(protocol, pool) of a balancer whose members speak uWSGI's protocol or SCGI."""
    name = url.removeprefix("balancer://").partition("/")[0]
    pool = context.balancer(name) if url.startswith("balancer://") else None
    protocol = context.protocols.get(pool.name, "") if pool else ""
    return (protocol, pool.name) if pool and protocol in PORTS else None


def is_plain(url: str, context: Context) -> bool:
    """Whether a URL names an application that goes by no file."""
    return _PLAIN.fullmatch(url) is not None or _balanced(url, context) is not None


def worker(url: str) -> str:
    """The URL that httpd knows a worker by."""
    return re.sub(r"^(\w+://[^/]*).*$", r"\1", url.lower())


def read_plain(node: Node, words: list[str], target: Mapped | Written, document_root: str, levels: list[Node], context: Context) -> Gateway:
    """A `ProxyPass`, one by pattern, or a rule, to uwsgi:// or scgi:// -> Gateway. target: what becomes of the path behind the address."""
    url, *options = words
    if (balanced := _balanced(url, context)) is not None:
        protocol, pool = balanced
    else:
        found = _PLAIN.fullmatch(url)
        assert found is not None
        protocol = (found["by"] or found["protocol"]).lower()
        address = found["socket"] or (found["address"] if ":" in found["address"] else f"{found['address']}:{PORTS[protocol]}")
        pool = _pool(address, node, context)
    if "nocanon" in options:
        context.value(node, "nocanon", "a path that does not go on in the client's spelling was expected")
    own = next((word.partition("=")[2] for word in options if word.lower().startswith("timeout=")), "") or context.waits.get(pool if balanced is not None else worker(url), "")
    return Gateway(
        protocol=protocol, hyphens_only=True, tells_authorization=protocol == "uwsgi" or _tells_authorization(levels, context), pool=pool, root=(document_root,),
        target=target, info_apart=protocol == "scgi" and _takes_info_apart(levels, context),
        # What an application says by SCGI goes out, ProxyErrorOverride or not (mod_proxy_scgi.c; 2.4.71, probed).
        **(intercepts(levels, context) if protocol != "scgi" else {}), parameters=tuple(pair for pair in environment(levels, context) if pair[0] != _PATH_INFO), server_name=(Var(Variable.HOST),), read_seconds=waits(levels, context, own), retry=context.retries.get(pool, Retry()), span=node.span, comments=node.comments,
    )


def sets_path_info(node: Node) -> bool:
    """Whether a line makes mod_proxy_scgi tell the path information apart."""
    return node.name in ("setenvif", "setenvifnocase") and any(word.partition("=")[0] == _PATH_INFO for word in node.args[2:])


def _takes_info_apart(levels: list[Node], context: Context) -> bool:
    """Whether proxy-scgi-pathinfo is set before a request is mapped: SetEnv comes too late (mod_proxy_scgi.c, scgi_canon; 2.4.71, probed)."""
    lines = [node for node in levels if sets_path_info(node)]
    for node in lines:
        if node.args[0].lower() != "request_uri" or node.args[1] not in ("^", "^/", ".*", "."):
            context.value(node, node.args[1], f"{_PATH_INFO} for all requests, or for none, was expected")
            return False
    return bool(lines)


def waits(levels: list[Node], context: Context, own: str = "") -> float | None:
    """How long an origin is waited for: what its line says, `ProxyTimeout`, or else `Timeout` (mod_proxy.c, proxy_worker; 2.4.71, probed); None where nothing says it."""
    if own:
        return values.read_seconds_or_open(own)
    for name in ("proxytimeout", "timeout"):
        node = context.last(levels, name)
        if node is not None and node.args:
            claim = context.claims[node.span]
            claim.disposition, claim.why = Disposition.KEPT, "it is how long each origin is waited for"
            return values.read_seconds_or_open(node.args[0])
    return None


def _tells_authorization(levels: list[Node], context: Context) -> bool:
    node = context.last(levels, "cgipassauth")
    if node is None:
        return False
    claim = context.claims[node.span]
    if claim.disposition is None and claim.finding is None:
        claim.disposition, claim.why = Disposition.IMPLIED, "other servers tell applications so by themselves"
    return [word.lower() for word in node.args[:1]] == ["on"]


def environment(levels: list[Node], context: Context) -> tuple[tuple[str, Template], ...]:
    """What `SetEnv` lines set, the innermost last, and what rewrite rules may set."""
    made: dict[str, Template] = {}
    for node in context.take(levels, "setenv", "unsetenv"):
        if node.name == "unsetenv":
            for name in node.args:
                made.pop(name, None)
        elif node.args:
            made[node.args[0]] = (node.args[1],) if len(node.args) > 1 and node.args[1] else ()
    return (*made.items(), *((name, (Var(Variable.VARIABLE, name),)) for name in sorted(context.environment - set(made) - context.of_own_fields)))


def _pool(address: str, node: Node, context: Context) -> str:
    if address not in context.pools:
        context.pools[address] = Pool(address, (Member(address, span=node.span),), inline=True, span=node.span)
    return address

