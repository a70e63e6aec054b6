"""Codecs of nginx: words <-> times, sizes, addresses, templates.

Source:   nginx manual, "Configuration file measurement units", "Alphabetical index of variables".
Unknown:  ValueUnreadable for a number or time that is none; an unknown variable is an Unread part of the template.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from ...model import Capture, Lookup, LookupRow, Part, Placeholder, Template, Unread, Var, Variable, join
from ...model.placeholders import MARKED, OpenNumber, open_size, open_time
from ..noting import NO_UNIT, Unwritable

_TIME = re.compile(r"(\d+)(ms|s|m|h|d|w|M|y)?")
_SECONDS = {"ms": 0.001, "s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800, "M": 2592000, "y": 31536000, None: 1}
_NAMED_UNITS = {unit: seconds for unit, seconds in _SECONDS.items() if unit}
_SIZES = {"": 1, "k": 1024, "m": 1024**2, "g": 1024**3}


def read_time(text: str) -> float | None:
    """Seconds. `1h30m` -> 5400; a bare number counts seconds; None when it is no time."""
    compact = text.replace(" ", "")
    if not compact or not re.fullmatch(f"({_TIME.pattern})+", compact):
        return None
    return sum(int(number) * _SECONDS[unit or None] for number, unit in _TIME.findall(compact))


def read_size(text: str) -> int | None:
    """Bytes. `8m` -> 8388608; None when it is no size."""
    found = re.fullmatch(r"(\d+)([kKmMgG]?)", text)
    return int(found[1]) * _SIZES[found[2].lower()] if found else None


def read_rate(text: str) -> float | None:
    """Requests a second. `30r/m` -> 0.5; None when it is no rate (nginx manual, limit_req_zone)."""
    found = re.fullmatch(r"(\d+)r/([sm])", text)
    return int(found[1]) / (60 if found[2] == "m" else 1) if found else None


def read_time_or_open(text: str) -> float | None:
    """Seconds, also where they are left to deployment: an OpenNumber."""
    return read_time(text) if (made := open_time(text, _NAMED_UNITS)) is None else made


def read_size_or_open(text: str) -> int | None:
    """Bytes, also where they are left to deployment: an OpenNumber."""
    return read_size(text) if (made := open_size(text, _SIZES)) is None else made


# nginx manual, core, proxy and headers modules, "Embedded Variables".
VARIABLES: dict[str, Variable] = {
    "scheme": Variable.SCHEME, "host": Variable.HOST, "http_host": Variable.AUTHORITY, "server_port": Variable.PORT,
    "server_name": Variable.SITE_NAME, "request_method": Variable.METHOD, "request_uri": Variable.TARGET,
    "uri": Variable.PATH, "document_uri": Variable.PATH, "args": Variable.QUERY, "query_string": Variable.QUERY,
    "is_args": Variable.QUERY_MARK, "remote_addr": Variable.CLIENT, "realip_remote_addr": Variable.PEER,
    "proxy_add_x_forwarded_for": Variable.CLIENT_CHAIN, "proxy_host": Variable.POOL, "upstream_addr": Variable.ORIGIN_ADDRESS, "document_root": Variable.ROOT,
    "status": Variable.SENT_STATUS, "upstream_cache_status": Variable.CACHE_STATUS, "server_protocol": Variable.PROTOCOL, "remote_user": Variable.USER, "request_id": Variable.REQUEST_ID, "remote_port": Variable.CLIENT_PORT,
    "server_addr": Variable.SERVER_ADDRESS, "hostname": Variable.MACHINE_NAME, "ssl_protocol": Variable.TLS_VERSION, "ssl_cipher": Variable.TLS_CIPHER, "ssl_server_name": Variable.TLS_NAME,
    "ssl_client_verify": Variable.CERTIFICATE, "ssl_client_s_dn": Variable.CERTIFICATE_SUBJECT, "ssl_client_i_dn": Variable.CERTIFICATE_ISSUER,
}
# Variables that are made of others.
_MADE: dict[str, Template] = {
    "content_type": (Var(Variable.FIELD, "Content-Type"),), "content_length": (Var(Variable.FIELD, "Content-Length"),),
    "request": (Var(Variable.METHOD_SENT), " ", Var(Variable.TARGET), " ", Var(Variable.PROTOCOL)),
    "https": (Lookup("over_tls", (Var(Variable.SCHEME),), (LookupRow("https", ("on",)),)),),
}
_PREFIXED = (("arg_", Variable.ARGUMENT), ("http_", Variable.FIELD), ("cookie_", Variable.COOKIE))
_KNOWN_UNREAD = frozenset(
    "ssl_client_cert request_time time_iso8601 time_local msec pid request_filename realpath_root body_bytes_sent"
    " bytes_sent connection connection_requests limit_rate nginx_version pipe request_body"
    " request_completion request_length tcpinfo_rtt proxy_port upstream_status upstream_response_time"
    " proxy_protocol_addr gzip_ratio invalid_referer".split()
)
# Beginnings of the names of nginx's own variables.
_OF_MODULES = ("https", "http2", "ssl_", "sent_", "upstream_", "proxy_", "fastcgi_", "realip_", "geoip_", "connections_", "tcpinfo_", "date_", "binary_", "time_", "uid_")
_REFERENCE = re.compile(r"\{\{.*?\}\}|\$\{(\w+)\}|\$(\d)|\$(\w+)|\$")


def is_placeholder(name: str) -> bool:
    """`${PORT}`: nginx's own variables are lower case, so an all-capitals name in braces is one for deployment."""
    return bool(re.fullmatch(r"[A-Z][A-Z0-9_]*", name))


def read_template(text: str, set_names: frozenset[str] = frozenset(), captures: frozenset[str] = frozenset(),
                  *, escapes: bool = False, table: Callable[[str], Lookup | Unread | None] = lambda name: None) -> Template:
    """A word with variables -> template.

    set_names: variables that a `set` makes; captures: named groups of the patterns in sight
    escapes:   captures by number go out percent-encoded (in the replacement of a rewrite that redirects)
    table:     what looks a variable up, if a table makes it
    """
    parts: list[Part] = []
    at = 0
    for found in _REFERENCE.finditer(text):
        parts.append(text[at:found.start()])
        at = found.end()
        parts += _parts(found, set_names, captures, escapes, table)
    parts.append(text[at:])
    return _with_marks(join(*parts))


def _with_marks(template: Template) -> Template:
    """`$is_args$args` is one thing: the query, with its mark where there is one."""
    out: list[Part] = []
    for part in template:
        if part == Var(Variable.QUERY) and out and out[-1] == Var(Variable.QUERY_MARK):
            out[-1] = Var(Variable.QUERY, "?")
        else:
            out.append(part)
    return tuple(out)


def _parts(found: re.Match[str], set_names: frozenset[str], captures: frozenset[str], escapes: bool,
           table: Callable[[str], Lookup | Unread | None]) -> Template:
    made = _part(found, set_names, captures, escapes, table)
    return _MADE.get(made.spelling.strip("${}").lower(), (made,)) if isinstance(made, Unread) else (made,)


def _part(found: re.Match[str], set_names: frozenset[str], captures: frozenset[str], escapes: bool,
          table: Callable[[str], Lookup | Unread | None]) -> Part:
    whole, braced, number, bare = found[0], found[1], found[2], found[3]
    if whole.startswith("{{"):
        return Placeholder(whole)
    if number or (braced and braced.isdigit()):
        return Capture(int(number or braced), escaped=escapes)
    name = braced or bare
    if not name:
        return "$"
    if braced and is_placeholder(braced):
        return Placeholder(whole)
    # ngx_http_variables.c: names of variables have no case.
    group = next((held for held in captures if held.lower() == name.lower()), None)
    if group is not None:
        return Capture(group)  # a variable, which is not escaped (1.22.1, probed)
    written, name = name, name.lower()
    if name in set_names:
        return Var(Variable.VARIABLE, name)
    if (found_table := table(name)) is not None:
        return found_table
    if name in VARIABLES:
        return Var(VARIABLES[name])
    if name == "sent_http_content_type":
        return Var(Variable.ANSWER_TYPE)
    if name.startswith("upstream_http_"):
        return Var(Variable.ORIGIN_FIELD, name.removeprefix("upstream_http_").replace("_", "-"))
    if name not in _KNOWN_UNREAD:
        for prefix, variable in _PREFIXED:
            if name.startswith(prefix):
                return Var(variable, name[len(prefix):].replace("_", "-") if variable is Variable.FIELD else written[len(prefix):])
    return Unread(whole)


def placeholders_in(text: str) -> list[str]:
    """The spellings of placeholders in a word."""
    return re.findall(r"\{\{.*?\}\}", text) + [f"${{{name}}}" for name in re.findall(r"\$\{(\w+)\}", text) if is_placeholder(name)]


# --- writing ----------------------------------------------------------------------------------------------------------

WRITE: dict[Variable, str] = {}
for _name, _variable in VARIABLES.items():
    WRITE.setdefault(_variable, _name)
WRITE[Variable.HOST_SENT] = "host"
WRITE[Variable.METHOD_SENT] = "request_method"
WRITE[Variable.FOUND] = "uri"
WRITE[Variable.URL_PATH] = "uri"
_SPECIAL = re.compile(r"[\s;{}\"'#]|^$|\\$")


def write_variable(part: Var, rewritten: bool = False) -> str | Unwritable:
    """A variable by nginx's name. rewritten: the path may have been changed, so that the target as received is another one."""
    variable, name = part.variable, part.name
    match variable:
        case Variable.TARGET_NOW:
            # Not escaped again, as $request_uri is; only where nothing was rewritten do both mean one thing.
            return "$uri$is_args$args" if rewritten else "$request_uri"
        case Variable.PATH_ESCAPED:
            return Unwritable("the path as it goes on the wire")
        case Variable.QUERY:
            return {"": "$args", "?": "$is_args$args"}.get(name) or Unwritable(f"a query with {name!r} before it only when there is one")
        case Variable.SCRIPT_NAME:
            return "$fastcgi_script_name"  # of the pattern that the location says
        case Variable.FIELD:
            return "$http_" + name.lower().replace("-", "_")
        case Variable.ANSWER_TYPE:
            return "$sent_http_content_type"
        case Variable.ORIGIN_FIELD:
            return "$upstream_http_" + name.lower().replace("-", "_")
        case Variable.COOKIE:
            return f"$cookie_{name}"
        case Variable.ARGUMENT | Variable.ARGUMENTS:
            return f"$arg_{name}"
        case Variable.VARIABLE:
            return f"${variable_name(name)}"
    if variable in WRITE:
        return f"${WRITE[variable]}"
    return Unwritable(f"the {variable.value.replace('_', ' ')}")


def variable_name(name: str) -> str:
    """The name of a variable that the configuration sets: small letters, digits and _, since nginx does not tell case apart, and none of nginx's own."""
    plain = re.sub(r"\W", "_", name).lower()
    own = plain in VARIABLES or plain in _KNOWN_UNREAD or plain in _MADE or plain.startswith((*(prefix for prefix, _ in _PREFIXED), *_OF_MODULES))
    return f"own_{plain}" if own or not re.match(r"[A-Za-z_]", plain) else plain


def quote(text: str) -> str:
    """A word as nginx reads it back. ngx_conf_read_token: a backslash goes before quotes, itself, t, r and n."""
    escaped = re.sub(r"\\(?=[\"'\\trn]|$)", r"\\\\", text)
    # A value that is left to deployment may be empty.
    bare = MARKED.sub("", re.sub(r"\{\{.*?\}\}|\$\{\w+\}", "", text))
    if not _SPECIAL.search(bare):
        return escaped
    return '"' + escaped.replace('"', '\\"') + '"'


def write_time(seconds: float) -> str:
    """`90` -> `90s`, `86400` -> `1d`."""
    if isinstance(seconds, OpenNumber):
        return seconds.spelling + next((unit for unit, factor in _NAMED_UNITS.items() if factor == seconds.factor), "")
    if seconds != int(seconds):
        return f"{int(seconds * 1000)}ms"
    for unit in ("d", "h", "m"):
        if seconds and seconds % _SECONDS[unit] == 0:
            return f"{int(seconds // _SECONDS[unit])}{unit}"
    return f"{int(seconds)}s"


def write_size(size: int) -> str | Unwritable:
    if isinstance(size, OpenNumber):
        unit = next((unit for unit, factor in _SIZES.items() if factor == size.factor), None)
        return Unwritable(NO_UNIT) if size.factor and unit is None else size.spelling + (unit or "")
    for unit in ("g", "m", "k"):
        if size and size % _SIZES[unit] == 0:
            return f"{size // _SIZES[unit]}{unit}"
    return str(size)
