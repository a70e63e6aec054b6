"""Codecs of Caddy: words <-> templates, durations, sizes.

Source:   Caddy documentation, "Placeholders" (Caddyfile shorthands), "Durations"; go-humanize for sizes.
Unknown:  a placeholder that is not here is an Unread part of the template when read; Unwritable when written.
"""

from __future__ import annotations

import contextlib
import json
import re

from ...model import Capture, Remade, Hashed, HttpDate, Lookup, Part, Placeholder, Template, Unread, Var, Variable, join
from ...model.placeholders import OpenNumber, open_size, open_time
from ..noting import Unwritable

# Both spellings are read; the first of a variable is the one written. The `port` placeholder is left out: it is the port
# in the Host field and not the listener's (2.6.2, probed). `prefixed_query` came after 2.6.
_NAMES: tuple[tuple[str, Variable], ...] = (
    ("scheme", Variable.SCHEME), ("host", Variable.HOST_SENT), ("hostport", Variable.AUTHORITY),
    ("method", Variable.METHOD), ("http.request.orig_uri", Variable.TARGET), ("path", Variable.PATH),
    ("http.request.orig_uri.path", Variable.ORIGINAL_PATH), ("uri", Variable.TARGET_NOW), ("query", Variable.QUERY),
    ("remote_host", Variable.CLIENT), ("upstream_hostport", Variable.MEMBER), ("err.status_code", Variable.STATUS), ("err.status_text", Variable.STATUS_WORDS),
    ("http.vars.root", Variable.ROOT), ("vars.root", Variable.ROOT),
    ("http.request.scheme", Variable.SCHEME), ("http.request.host", Variable.HOST_SENT),
    ("http.request.hostport", Variable.AUTHORITY), ("http.request.method", Variable.METHOD),
    ("http.request.uri", Variable.TARGET_NOW), ("http.request.uri.path", Variable.PATH),
    ("http.request.uri.query", Variable.QUERY), ("http.request.remote.host", Variable.CLIENT),
    ("http.reverse_proxy.upstream.hostport", Variable.MEMBER), ("http.error.status_code", Variable.STATUS), ("http.error.status_text", Variable.STATUS_WORDS),
    ("http.request.orig_method", Variable.METHOD_SENT), ("http.request.uuid", Variable.REQUEST_ID), ("remote_port", Variable.CLIENT_PORT), ("http.request.remote.port", Variable.CLIENT_PORT), ("http.request.proto", Variable.PROTOCOL),
    ("system.hostname", Variable.MACHINE_NAME),
    ("http.matchers.file.relative", Variable.FOUND), ("file_match.relative", Variable.FOUND), ("orig_uri", Variable.TARGET), ("orig_path", Variable.ORIGINAL_PATH),
)
READ = dict(_NAMES)
# What has no value without TLS, or where nobody was let in: the placeholder itself stands in a text then (2.6.2, probed).
SOMETIMES = {
    "http.request.tls.version": Variable.TLS_VERSION, "http.request.tls.cipher_suite": Variable.TLS_CIPHER, "http.request.tls.server_name": Variable.TLS_NAME,
    "http.auth.user.id": Variable.USER,
}
# In a field of an answer it is who gave it, in one of a request whoever will be asked.
ORIGIN = "http.reverse_proxy.upstream.hostport"
# Names that a table may not have: those that stand for longer ones (shorthands.go; 2.6.2, probed).
RESERVED = frozenset({
    "dir", "file", "host", "hostport", "port", "method", "path", "query", "remote", "remote_host", "remote_port", "scheme", "uri", "tls_cipher", "tls_version", "tls_client_fingerprint", "tls_client_issuer",
    "tls_client_serial", "tls_client_subject", "tls_client_certificate_pem", "tls_client_certificate_der_base64", "upstream_hostport", "client_ip",
})
_SHORT = {"tls_version": "http.request.tls.version", "tls_cipher": "http.request.tls.cipher_suite"}
# Of the client's certificate; where there is none, the placeholder itself stands in a text (2.6.2, probed), and nothing in what is looked up in a table.
CERTIFICATE_NAMES = {"subject": Variable.CERTIFICATE_SUBJECT, "issuer": Variable.CERTIFICATE_ISSUER, "fingerprint": Variable.CERTIFICATE_FINGERPRINT}
CERTIFICATE = frozenset(CERTIFICATE_NAMES.values())

WRITE: dict[Variable, str] = {}
for _name, _variable in _NAMES:
    WRITE.setdefault(_variable, _name)
WRITE[Variable.HOST] = "host"
WRITE |= {variable: f"http.request.tls.client.{name}" for name, variable in CERTIFICATE_NAMES.items()}
WRITE |= {variable: name for name, variable in SOMETIMES.items()} | {Variable.ORIGIN_ADDRESS: ORIGIN}
WRITE[Variable.URL_PATH] = "http.request.uri.path"
_PREFIXED = (
    ("http.request.header.", Variable.FIELD), ("header.", Variable.FIELD), ("http.request.cookie.", Variable.COOKIE),
    ("cookie.", Variable.COOKIE), ("http.request.uri.query.", Variable.ARGUMENTS), ("query.", Variable.ARGUMENTS),
    ("http.vars.", Variable.VARIABLE), ("vars.", Variable.VARIABLE),
)
# httptype.go, the short names of placeholders (2.6.2).
_OF_REQUESTS = {
    "dir": "http.request.uri.path.dir", "file": "http.request.uri.path.file", "host": "http.request.host", "hostport": "http.request.hostport", "port": "http.request.port",
    "method": "http.request.method", "path": "http.request.uri.path", "query": "http.request.uri.query", "remote": "http.request.remote",
    "remote_host": "http.request.remote.host", "remote_port": "http.request.remote.port", "scheme": "http.request.scheme", "uri": "http.request.uri",
}
_BRACE = re.compile(r"\\([{}])")
_REFERENCE = re.compile(r"\{\{.*?\}\}|\{\$(\w+)(?::[^}]*)?\}|\$\{(\w+)\}|\{([A-Za-z_?][\w.\-?*]*)\}")

# The status of the error that a page is for.
OF_ERROR = ("{err.status_code}", "{http.error.status_code}")


def read_template(text: str) -> Template:
    """A word with placeholders -> template. A brace after a backslash is a brace."""
    parts: list[Part] = []
    at = 0
    for found in _REFERENCE.finditer(text):
        if text[found.start() - 1:found.start()] == "\\":
            continue
        parts.append(_plain(text[at:found.start()]))
        at = found.end()
        parts.append(_part(found))
    parts.append(_plain(text[at:]))
    return join(*parts)


def nameless(text: str) -> str:
    """What stands in braces and has no name that is known: replacer.go takes all between two braces for a name, which in the target of a rewrite or redirect is
    nothing (2.6.2, probed); "" where there is none such."""
    return next((found[0] for found in re.finditer(r"(?<!\\)\{(?![{$])[^}]*\}", text) if not _REFERENCE.fullmatch(found[0])), "")


def _plain(text: str) -> str:
    """What is left of a text whose braces have backslashes; httptype.go puts short names into their long form before that (2.6.2, probed)."""
    for name, found in _OF_REQUESTS.items():
        text = text.replace(f"\\{{{name}}}", f"\\{{{found}}}")
    return _BRACE.sub(r"\1", text)


def _part(found: re.Match[str]) -> Part:
    name = found[3]
    if name is None or name.startswith("env."):
        return Placeholder(found[0])
    if name in READ:
        return Var(READ[name])
    if (long := _SHORT.get(name, name)) in SOMETIMES:
        return Var(SOMETIMES[long], f"{{{long}}}")
    for start in ("tls_client_", "http.request.tls.client."):
        if name.startswith(start) and (variable := CERTIFICATE_NAMES.get(name[len(start):])) is not None:
            return Var(variable, "" if variable is Variable.CERTIFICATE_FINGERPRINT else f"{{http.request.tls.client.{name[len(start):]}}}")
    for start in ("rp.header.", "http.reverse_proxy.header."):
        if name.startswith(start):
            return Var(Variable.VERDICT_FIELD, name[len(start):])
    for start in ("re.", "http.regexp."):
        if name.startswith(start):
            label, _, group = name[len(start):].rpartition(".")
            return Capture(int(group) if group.isdigit() else group, label)
    for prefix, variable in _PREFIXED:
        if name.startswith(prefix):
            return Var(variable, name[len(prefix):])
    return Unread(found[0])


def write_template(template: Template, patterns: dict[str, str], *, rewritten: bool = False) -> str | Unwritable:
    """Template -> a word's text, not yet quoted. Mirror of read_template.

    patterns:    label of a pattern -> the name that its captures have
    rewritten:     the path was changed before, so that the target as received needs its long name
    """
    out: list[str] = []
    for part in template:
        match part:
            case str():
                # Both braces: what looks like a short name is put in its long form whatever stands before it.
                out.append(re.sub(r"([{}])", r"\\\1", part) if re.search(r"\{[\w.$]|\{$", part) else part)
            case Placeholder(spelling):
                out.append(spelling)
            case Capture(group, label):
                if label not in patterns:
                    return Unwritable("a capture whose pattern is not in sight")
                out.append(f"{{re.{patterns[label]}.{group}}}")
            case Hashed():
                return Unwritable("a share of clients, by a number made of what they send")
            case Remade():
                return Unwritable(part.what)
            case HttpDate():
                return Unwritable("a date reckoned from now")
            case Lookup():
                return Unwritable(f"the table that makes {part.name}")
            case Unread(spelling):
                return Unwritable(f"the variable {spelling}")
            case Var(variable, name):
                written = _write_variable(variable, name, rewritten)
                if isinstance(written, Unwritable):
                    return written
                out.append(written)
    return "".join(out)


def _write_variable(variable: Variable, name: str, rewritten: bool) -> str | Unwritable:
    match variable:
        case Variable.TARGET if not rewritten:
            return "{uri}"
        case Variable.QUERY if name:
            return Unwritable(f"a query with {name!r} before it only when there is one")
        case Variable.QUERY_MARK:
            return Unwritable("a question mark only when there is a query")
        case Variable.FIELD:
            return f"{{header.{name}}}"
        case Variable.COOKIE:
            return f"{{cookie.{name}}}"
        case Variable.ARGUMENT | Variable.ARGUMENTS:
            return f"{{query.{name}}}"
        case Variable.VARIABLE:
            return f"{{vars.{name}}}"
        case Variable.VERDICT_FIELD:
            # Fields are kept by their canonical names (Go, http.CanonicalHeaderKey).
            return f"{{http.reverse_proxy.header.{'-'.join(word.capitalize() for word in name.split('-'))}}}"
    if variable in WRITE:
        return f"{{{WRITE[variable]}}}"
    return Unwritable(f"the {variable.value.replace('_', ' ')}")


def quote(text: str) -> str:
    """A word's text quoted if Caddy would otherwise read it as something else."""
    if text and not re.search(r"[\s\"`#]|^[{}]$|\\$|^import$", text):
        return text
    if "`" not in text and ("\"" in text or "\\" in text):
        return f"`{text}`"
    return '"' + text.replace('"', '\\"') + '"'


# Signs that mean something else in the new path of a rewrite.
SPOILS = "?#"
_WHOLE = re.compile(r"[+-]?\d+")
_PART = re.compile(r"[+-]?(?:\d+(?:_\d+)*\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_TRUTHS = {"t": "true", "T": "true", "TRUE": "true", "true": "true", "True": "true", "f": "false", "F": "false", "FALSE": "false", "false": "false", "False": "false"}


def scalar(text: str) -> str | None:
    """What a word without quotes stands for where it is a number or a truth value; None for any other text (dispenser.go, ScalarVal; 2.6.2, probed)."""
    if _WHOLE.fullmatch(text):
        return str(int(text))
    if _PART.fullmatch(text):
        number = float(text)
        return str(int(number)) if number == int(number) and abs(number) < 1e21 else repr(number)
    return _TRUTHS.get(text)


_DURATION = re.compile(r"(\d+(?:\.\d+)?)(ns|us|ms|s|m|h|d)")
_SECONDS = {"ns": 1e-9, "us": 1e-6, "ms": 1e-3, "s": 1.0, "m": 60.0, "h": 3600.0, "d": 86400.0}


def read_duration(text: str) -> float | None:
    """Seconds. `1m30s` -> 90; None when it is no duration."""
    if not re.fullmatch(f"({_DURATION.pattern})+", text):
        return None
    return sum(float(number) * _SECONDS[unit] for number, unit in _DURATION.findall(text))


def write_duration(seconds: float) -> str:
    if isinstance(seconds, OpenNumber):
        return seconds.spelling + next((unit for unit, factor in _SECONDS.items() if factor == seconds.factor), "")
    return f"{int(seconds)}s" if seconds == int(seconds) else f"{int(seconds * 1000)}ms"


_UNITS = {"": 1, "b": 1, "kb": 10**3, "mb": 10**6, "gb": 10**9, "kib": 2**10, "mib": 2**20, "gib": 2**30, "k": 10**3, "m": 10**6}
_WRITTEN_UNITS = {"KB": 10**3, "MB": 10**6, "GB": 10**9, "KiB": 2**10, "MiB": 2**20, "GiB": 2**30}


def read_size(text: str) -> int | None:
    found = re.fullmatch(r"(\d+)\s*([A-Za-z]*)", text)
    return int(found[1]) * _UNITS[found[2].lower()] if found and found[2].lower() in _UNITS else None


def read_duration_or_open(text: str) -> float | None:
    """Seconds, also where they are left to deployment: an OpenNumber."""
    return read_duration(text) if (made := open_time(text, _SECONDS)) is None else made


def read_size_or_open(text: str) -> int | None:
    """Bytes, also where they are left to deployment: an OpenNumber."""
    return read_size(text) if (made := open_size(text, _UNITS)) is None else made


def write_size(size: int) -> str:
    if isinstance(size, OpenNumber):
        return size.spelling + next((unit for unit, factor in _WRITTEN_UNITS.items() if factor == size.factor), "")
    for unit, factor in (("MiB", 2**20), ("KiB", 2**10)):
        if size % factor == 0:
            return f"{size // factor}{unit}"
    return str(size)


def text_type(body: str) -> str:
    """The Content-Type that `respond` gives a text by itself (staticresp.go, 2.6.2: a text that is JSON is told from all others)."""
    trimmed = body.strip()
    if len(trimmed) > 2 and (trimmed[0], trimmed[-1]) in (("{", "}"), ("[", "]")):
        with contextlib.suppress(ValueError):
            json.loads(trimmed)
            return "application/json"
    return "text/plain; charset=utf-8"


def odd_stars(host: str) -> bool:
    """Whether a name has a star as another label than the first of several.

    MatchHost (2.6.2, probed): each stands for one label, so that a lone star is no name that is looked up in the DNS, and `*.*.example` is two labels deep.
    """
    return "{" not in host and "*" in host.split(".")[1 if "." in host else 0:]


def status_at_end(word: str) -> int | None:
    """The status of `=404` in a list of files: an error where none of those before it is there (fileserver/matcher.go, parseErrorCode; 2.6.2, probed)."""
    return int(word[1:]) if re.fullmatch(r"=\d{3}", word, re.ASCII) else None
