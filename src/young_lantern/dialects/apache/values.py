"""Codecs of httpd: words <-> templates, module names, times, expressions' variables.

Source:   Apache HTTP Server manual, mod_rewrite (variables of TestString), mod_headers (format specifiers), mod_expires.
Rule:     within quotes a backslash goes before the quote and before another backslash; elsewhere it stands for itself.
Unknown:  an unknown variable is an Unread part of the template.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.parse import quote as encoded

from ...model import Capture, GroupEncoding, Lookup, LookupRow, Part, Placeholder, Template, Unread, Var, Variable, join
from ...model.placeholders import OpenNumber, open_size, open_time
from ..noting import NO_UNIT, Unwritable

BUILT_IN = frozenset({"core", "so", "watchdog", "http_core", "log_config", "logio", "version", "unixd", "mpm"})


def module_name(text: str) -> str:
    """`mod_rewrite.c` and `rewrite_module` -> `rewrite`."""
    name = text.strip().lower()
    if name.endswith(".c"):
        name = name.removesuffix(".c").removeprefix("mod_")
    name = name.removesuffix("_module")
    return "mpm" if name.startswith("mpm_") or name in ("event", "worker", "prefork") else name


def read_environment(file: Path) -> Iterator[tuple[str, str]]:
    """Debian's `envvars`: `export NAME=value`, `$SUFFIX` being empty for the usual instance."""
    if file.is_file():
        for name, value in re.findall(r"^\s*export\s+(\w+)=(\S*)", file.read_text("utf-8", "replace"), re.MULTILINE):
            yield name, re.sub(r"\$\{?SUFFIX\}?", "", value).strip("\"'")


def version_holds(version: tuple[int, ...], sign: str, wanted: str) -> bool:
    """`<IfVersion >= 2.4>`; a pattern (`=~`) never holds for the version we take the server for."""
    if not re.fullmatch(r"\d+(\.\d+)*", wanted):
        return False
    numbers = tuple(map(int, wanted.split(".")))
    mine = version[:len(numbers)]
    return {"=": mine == numbers, "==": mine == numbers, ">": mine > numbers, ">=": mine >= numbers, "<": mine < numbers, "<=": mine <= numbers}.get(sign, False)


# mod_rewrite, "Server-Variables"; the same names serve mod_headers' expressions.
VARIABLES: dict[str, Template] = {
    "HTTP_HOST": (Var(Variable.AUTHORITY),), "SERVER_NAME": (Var(Variable.HOST),), "SERVER_PORT": (Var(Variable.PORT),),
    "REQUEST_METHOD": (Var(Variable.METHOD),), "REQUEST_SCHEME": (Var(Variable.SCHEME),), "REQUEST_URI": (Var(Variable.PATH),),
    "QUERY_STRING": (Var(Variable.QUERY),), "REMOTE_ADDR": (Var(Variable.CLIENT),), "CONN_REMOTE_ADDR": (Var(Variable.PEER),), "REMOTE_HOST": (Var(Variable.CLIENT),),
    "THE_REQUEST": (Var(Variable.METHOD_SENT), " ", Var(Variable.TARGET), " HTTP/1.1"), "SERVER_PROTOCOL": (Var(Variable.PROTOCOL),),
    "REMOTE_USER": (Var(Variable.USER),), "REMOTE_PORT": (Var(Variable.CLIENT_PORT),), "HTTPS": (Lookup("over_tls", (Var(Variable.SCHEME),), (LookupRow("https", ("on",)),), ("off",)),),
    "HTTP_USER_AGENT": (Var(Variable.FIELD, "User-Agent"),), "HTTP_REFERER": (Var(Variable.FIELD, "Referer"),),
    "HTTP_COOKIE": (Var(Variable.FIELD, "Cookie"),), "HTTP_ACCEPT": (Var(Variable.FIELD, "Accept"),),
    "HTTP_FORWARDED": (Var(Variable.FIELD, "Forwarded"),),
}
RULE, GROUPS, TEXT = "rule", "groups", "text"
_REFERENCE = re.compile(r"\\(.)|\$\{(\w+)\}|\{\{.*?\}\}|\$(\d|&)|%(\d)|%\{([^}]+)\}")


# What stands before the target in a request line, at the beginning or behind a blank, and after it (RFC 9112 section 3).
# mod_ssl, "Environment Variables": of the client's certificate.
CERTIFICATE = {"SSL_CLIENT_VERIFY": Variable.CERTIFICATE, "SSL_CLIENT_S_DN": Variable.CERTIFICATE_SUBJECT, "SSL_CLIENT_I_DN": Variable.CERTIFICATE_ISSUER}
# The same, of the connection.
CONNECTION = {"SSL_PROTOCOL": Variable.TLS_VERSION, "SSL_CIPHER": Variable.TLS_CIPHER, "SSL_TLS_SNI": Variable.TLS_NAME}
OF_TLS = CERTIFICATE | CONNECTION
# mod_unique_id: the environment variable that it sets.
UNIQUE_ID = "UNIQUE_ID"
REQUEST_LINE = r"(?:^|\s)\S+ (\S+) HTTP/\S+$"


def only_target(value: Template) -> Template | None:
    """A value that ends in the request line, with just the target of it; None for another one."""
    if value[-4:] != (Var(Variable.METHOD_SENT), " ", Var(Variable.TARGET), " HTTP/1.1"):
        return None
    front = value[-5] if len(value) > 4 else " "
    return join(*value[:-5], front[:-1], Var(Variable.TARGET)) if isinstance(front, str) and front.endswith(" ") else None


def read_template(text: str, *, rule: str = "", condition: str = "", escapes: bool = False, document_root: str = "",
                  by: str = GROUPS, own: dict[str, Template] | None = None, encoding: GroupEncoding | None = None) -> Template:
    """A word with `$1`, `%1`, `%{NAME}` -> template.

    rule, condition: labels of the patterns that `$1` and `%1` speak of; escapes: captures go out percent-encoded; encoding: and before that by flag B
    own: values of names that stand for something else here
    by: whose text it is: RULE has all of these (mod_rewrite.c, do_expand), GROUPS has `$1` alone (util.c, ap_pregsub), and in both a backslash takes its meaning from
        whatever follows; TEXT has neither (2.4.71, probed)
    """
    parts: list[Part] = []
    at = 0
    for found in _REFERENCE.finditer(text):
        whole, escaped, placeholder, number, other, name = found[0], found[1], found[2], found[3], found[4], found[5]
        if escaped is not None and by == TEXT or number is not None and (by == TEXT or number == "&") or other is not None and by != RULE:
            continue
        parts.append(text[at:found.start()])
        at = found.end()
        if escaped is not None:
            parts.append(escaped)
        elif placeholder or whole.startswith("{{"):
            parts.append(Placeholder(whole))
        elif number is not None:
            parts.append(Capture(int(number), rule, escapes, encoding))
        elif other is not None:
            parts.append(Capture(int(other), condition, escapes, encoding))
        else:
            parts += variable(name, document_root, own or {})
    parts.append(text[at:])
    return join(*parts)


# What stays as it is in a path, besides letters and digits (ap_os_escape_path).
SPARED = "$-_.+!*'(),:;@&=/~"
_FRONT = re.compile(r"(?:unix:[^|]*\|)?[a-z][a-z+.-]*://[^/?#]*", re.IGNORECASE)


def as_path(template: Template, ends: str = "?") -> Template:
    """A path that is percent-encoded as a whole, percent signs and all: what is written out in it, up to a sign that ends it; a scheme and host in front stay."""
    made: list[Part] = []
    ended = False
    for number, part in enumerate(template):
        if isinstance(part, str) and not ended:
            front = _FRONT.match(part) if number == 0 else None
            start = front.end() if front else 0
            end = next((at for at in range(start, len(part)) if part[at] in ends), len(part))
            ended = end < len(part)
            part = part[:start] + encoded(part[start:end], SPARED, errors="surrogateescape") + part[end:]
        made.append(part)
    return tuple(made)


def variable(name: str, document_root: str = "", own: dict[str, Template] | None = None) -> Template:
    """`%{NAME}` of a rewrite rule or condition -> template."""
    upper = name.upper()
    if own and upper in own:
        return own[upper]
    if upper in VARIABLES:
        return VARIABLES[upper]
    if upper == "DOCUMENT_ROOT" and document_root:
        return (document_root,)
    if upper.startswith("HTTP:"):
        return (Var(Variable.AUTHORITY),) if upper == "HTTP:HOST" else (Var(Variable.FIELD, name[5:]),)
    if upper.startswith("ENV:"):
        return (Var(Variable.VARIABLE, name[4:]),)
    if upper.startswith("SSL:") and upper[4:] in OF_TLS:
        return (Var(OF_TLS[upper[4:]]),)
    return (Unread(f"%{{{name}}}"),)


def expression_variable(name: str) -> Template:
    """`%{NAME}` of the expression language -> template."""
    kind, _, inner = name.partition(":")
    if kind in ("HTTP", "req", "http"):
        return (Var(Variable.AUTHORITY),) if inner.lower() == "host" else (Var(Variable.FIELD, inner),)
    if kind in ("ENV", "reqenv", "env"):
        return (Var(Variable.VARIABLE, inner),)
    if name == "REQUEST_URI":
        return (Var(Variable.URL_PATH),)
    if name.removeprefix("SSL:") in OF_TLS:
        return (Var(OF_TLS[name.removeprefix("SSL:")]),)
    return VARIABLES.get(name, (Unread(f"%{{{name}}}"),))


def or_null(name: str, there: str = "") -> Template:
    """mod_headers.c: a variable that is not set reads "(null)". there: the variable that tells whether it is."""
    subject = Var(Variable.VARIABLE, there or name)
    return (Lookup(f"{name}_or_null", (subject,), (LookupRow("", ("(null)",)),), (Var(Variable.VARIABLE, name),)),)


# ssl_engine_vars.c, ssl_var_lookup: what mod_ssl knows of every request, over TLS or not (2.4.71, probed).
_ALSO_BY_TLS = ("REMOTE_ADDR", "REQUEST_METHOD", "REQUEST_SCHEME", "HTTP_HOST", "SERVER_NAME", "SERVER_PORT", "SERVER_PROTOCOL", "HTTPS", "REMOTE_USER", "REQUEST_URI")


def read_field_value(text: str, of_environment: Callable[[str], Template] = or_null, by_tls: bool = True) -> Template:
    """The value of a Header line: `%%` is a percent sign, `%{NAME}e` an environment variable, `%{NAME}s` one of TLS.

    by_tls: mod_ssl is there, which knows the latter. After `expr=` it is a text of the expression language: plain variables in it are read, functions are not.
    """
    if text.startswith("expr="):
        pieces = re.split(r"(%\{[^}]*\})", text[5:].strip("\""))
        read = [expression_variable(piece[2:-1]) if piece.startswith("%{") else piece for piece in pieces]
        return join(*read)
    parts: list[Part] = []
    at = 0
    for found in re.finditer(r"%%|%\{([^}]*)\}([es])|%[tDlbi]|%\{[^}]*\}|\$\{\w+\}|\{\{.*?\}\}", text):
        parts.append(text[at:found.start()])
        at = found.end()
        if found[0] == "%%":
            parts.append("%")
        elif found[0].startswith(("${", "{{")):
            parts.append(Placeholder(found[0]))
        elif found[2] == "e":
            parts += of_environment(found[1])
        elif found[2] == "s" and not by_tls:
            parts.append("(null)")
        elif found[2] == "s" and found[1] in OF_TLS:
            parts.append(Var(OF_TLS[found[1]], "(null)"))
        elif found[2] == "s" and found[1] in _ALSO_BY_TLS:
            parts += VARIABLES[found[1]] if found[1] != "REMOTE_USER" else (Var(Variable.USER, "(null)"),)
        else:
            parts.append(Unread(found[0]))
    parts.append(text[at:])
    return join(*parts)


_UNITS = {"year": 31536000, "month": 2592000, "week": 604800, "day": 86400, "hour": 3600, "minute": 60, "second": 1}


def read_expiry(text: str) -> int | None:
    """Seconds from the request: `access plus 1 month 2 days`, `A3600`. None: not relative to the request, or no time."""
    if found := re.fullmatch(r"A(\d+)", text):
        return int(found[1])
    words = text.lower().split()
    if not words or words[0] not in ("access", "now"):
        return None
    words = [word for word in words[1:] if word != "plus"]
    if len(words) % 2:
        return None
    seconds = 0
    for number, unit in zip(words[::2], words[1::2], strict=True):
        if not number.isdigit() or unit.rstrip("s") not in _UNITS:
            return None
        seconds += int(number) * _UNITS[unit.rstrip("s")]
    return seconds


def read_seconds(text: str) -> float | None:
    """A time-out: bare seconds, or with ms, s, mi(n), h."""
    found = re.fullmatch(r"(\d+)(ms|s|mi?n?|h)?", text)
    return int(found[1]) * {"ms": 0.001, "s": 1, "m": 60, "h": 3600}[(found[2] or "s") if found[2] in ("ms", "s", "h", None) else "m"] if found else None


# What the letters behind the number of a time-out stand for.
_TIMES = {"s": 1, "ms": 0.001, "min": 60, "mi": 60, "h": 3600}


def read_seconds_or_open(text: str) -> float | None:
    """A time-out, also where it is left to deployment: an OpenNumber."""
    return read_seconds(text) if (made := open_time(text, _TIMES)) is None else made


def read_bytes(text: str) -> int | None:
    """A number of bytes, also where it is left to deployment: an OpenNumber."""
    return int(text) if text.isdigit() else open_size(text, {}, 1)


# --- writing ----------------------------------------------------------------------------------------------------------------

WRITE: dict[Variable, str] = {
    Variable.AUTHORITY: "HTTP_HOST", Variable.HOST: "SERVER_NAME", Variable.HOST_SENT: "SERVER_NAME", Variable.PORT: "SERVER_PORT", Variable.METHOD: "REQUEST_METHOD",
    Variable.SCHEME: "REQUEST_SCHEME", Variable.PATH: "REQUEST_URI", Variable.CLIENT: "REMOTE_ADDR", Variable.PEER: "CONN_REMOTE_ADDR", Variable.QUERY: "QUERY_STRING",
    Variable.USER: "REMOTE_USER", Variable.CLIENT_PORT: "REMOTE_PORT", Variable.PROTOCOL: "SERVER_PROTOCOL", Variable.REQUEST_ID: f"ENV:{UNIQUE_ID}",
}
WRITE |= {variable: f"SSL:{name}" for name, variable in OF_TLS.items()}
_BARE = re.compile(r"[\w.:/*+@=,!-]+")


def write_seconds(seconds: float) -> str:
    """A time-out, a second at the least."""
    if isinstance(seconds, OpenNumber):
        return seconds.spelling + next((unit for unit, factor in _TIMES.items() if factor == seconds.factor), "")
    return str(max(1, round(seconds)))


def write_bytes(size: int) -> str | Unwritable:
    if isinstance(size, OpenNumber):
        return Unwritable(NO_UNIT) if size.factor not in (None, 1) else size.spelling
    return str(size)


def quote(text: str) -> str:
    """A word in quotes, as the server reads it back (ap_getword_conf)."""
    escaped = re.sub(r'\\(?=["\\]|$)', r"\\\\", text).replace('"', '\\"')
    return f'"{escaped}"'


def word(text: str) -> str:
    """A word, in quotes only where it needs them."""
    return text if _BARE.fullmatch(text) else quote(text)


def variable_text(part: Var) -> str | None:
    """`%{NAME}` for a variable in rules and expressions; None when the server has none."""
    if part.variable is Variable.FIELD:
        return f"%{{HTTP:{part.name.title() if part.name.islower() else part.name}}}"
    if part.variable is Variable.VARIABLE:
        return f"%{{ENV:{part.name}}}"
    if part.variable is Variable.QUERY and part.name:
        return None
    return f"%{{{WRITE[part.variable]}}}" if part.variable in WRITE else None
