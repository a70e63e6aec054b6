"""Templates: text that is completed for each request (or at deployment).

A template is a tuple of parts. A plain string is a literal. The names of variables are ours, after the RFCs; each
dialect's values.py has the table from its own names to these.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from .placeholders import is_open
from .span import Span


ONE_SLASH = "one slash"
AS_DECODED = "as decoded"


class Variable(Enum):
    """What a request knows of itself. `argument`, `field` and `cookie` take a name."""

    SCHEME = "scheme"
    HOST = "host"  # lower case, without port; the site's first name if the request has none
    HOST_SENT = "host_sent"  # without port, in the client's letters
    AUTHORITY = "authority"  # the Host field as sent
    PORT = "port"  # of the listener
    SITE_NAME = "site_name"
    METHOD = "method"
    METHOD_SENT = "method_sent"  # as received, which a page for an error is no longer asked by
    TARGET = "target"  # as received: raw path and query
    PATH = "path"  # current path, decoded
    URL_PATH = "url_path"  # as PATH, but not changed by a rewrite that only says which file is meant (Rewrite.keeps_url)
    PATH_ESCAPED = "path_escaped"  # current path, as it goes on the wire; named ONE_SLASH: of several slashes at its start one is left; AS_DECODED: of those that came so, and escaped anew, without the dots that led elsewhere
    TARGET_NOW = "target_now"  # current path escaped, with the current query
    ORIGINAL_PATH = "original_path"
    QUERY = "query"
    QUERY_MARK = "query_mark"  # "?" when there is a query, else nothing
    CLIENT = "client"  # client address
    PEER = "peer"  # address of the connection's other end, whatever a proxy says of the client
    CLIENT_CHAIN = "client_chain"  # X-Forwarded-For with the client appended
    POOL = "pool"  # the authority that the pool is written with
    MEMBER = "member"  # the address of the pool's member that is asked
    STATUS = "status"  # of the error being handled
    STATUS_WORDS = "status_words"  # what stands for it in words
    SENT_STATUS = "sent_status"  # of the answer once it is known, on the way to an error's page what that is sent with; 000 before (nginx)
    ROOT = "root"
    SCRIPT_NAME = "script_name"  # the first group of the pattern `name` in the current path, the whole path where it does not match
    PATH_INFO = "path_info"  # its second group, or nothing
    FOUND = "found"  # the path that the last FileExists with `cleans` found
    ARGUMENT = "argument"
    ARGUMENTS = "arguments"  # all of one name, joined by commas (Caddy)
    FIELD = "field"
    COOKIE = "cookie"
    VARIABLE = "variable"  # set by a Set step
    ORIGIN_FIELD = "origin_field"  # of what the origin answered
    VERDICT_FIELD = "verdict_field"  # of what an origin answered that was asked first
    CERTIFICATE = "certificate"  # what came of the client's certificate: NONE, SUCCESS, FAILED:reason; nothing without TLS
    CERTIFICATE_SUBJECT = "certificate_subject"  # its subject (RFC 4514); the name is what stands there where there is none
    CERTIFICATE_FINGERPRINT = "certificate_fingerprint"  # 64 hexadecimal digits, or nothing
    CERTIFICATE_ISSUER = "certificate_issuer"  # its issuer, likewise
    PROTOCOL = "protocol"  # of the request line: HTTP/1.1
    USER = "user"  # who is let in by a name and a password; the name is what stands there where nobody is (nginx: whoever says so)
    REQUEST_ID = "request_id"  # from here to TLS_CIPHER: what the server makes or knows itself, and nobody foretells
    CLIENT_PORT = "client_port"
    SERVER_ADDRESS = "server_address"
    MACHINE_NAME = "machine_name"
    TLS_VERSION = "tls_version"  # the name is what stands there without TLS
    TLS_CIPHER = "tls_cipher"  # likewise
    TLS_NAME = "tls_name"  # the host that the client named in the handshake (RFC 6066 section 3), likewise
    ORIGIN_ADDRESS = "origin_address"  # of the origin that answered, once it has; the name is what stands there where none was asked
    CACHE_STATUS = "cache_status"  # what a cache says of a request: MISS, BYPASS; nothing where it was not asked
    ANSWER_TYPE = "answer_type"  # the Content-Type of the answer before field operations: of a file without charset, of an origin as it says it


# MatchVarsRE of Caddy (2.6.2, probed) looks for a placeholder among the variables first, where nothing of that name is, and that nothing is this text, so that a
# pattern which fits it holds for every request.
NO_VALUE = "<nil>"
# What has no value without TLS.
OF_TLS = frozenset({Variable.TLS_VERSION, Variable.TLS_CIPHER, Variable.TLS_NAME})


@dataclass(frozen=True, slots=True)
class Var:
    """`name` says which argument, field, cookie or variable; for QUERY it is what stands before a query that is not empty."""

    variable: Variable
    name: str = ""


@dataclass(frozen=True, slots=True)
class GroupEncoding:
    """How a group is percent-encoded as it is put into a text (httpd, flags B, BNP, BNE, BCTLS): letters, digits and `_` never are.

    only:     no other characters than these; spares: these not; controls: only control characters and blanks
    plus:     a blank becomes a plus sign
    """

    only: str | None = None
    spares: str = ""
    controls: bool = False
    plus: bool = True

    def applied(self, value: str) -> str:
        return "".join(map(self._one, value))

    def _one(self, character: str) -> str:
        if character.isascii() and (character.isalnum() or character == "_") or character in self.spares:
            return character
        control = character <= " " or character == "\x7f"
        if self.controls and not control or self.only is not None and character not in self.only:
            return character
        return "+" if character == " " and self.plus else "".join(f"%{byte:02x}" for byte in character.encode(errors="surrogateescape"))


@dataclass(frozen=True, slots=True)
class Capture:
    """A group of the last matching pattern: its number or its name. `escaped`: goes out percent-encoded; `encoding`: before that, once already."""

    group: int | str
    pattern: str = ""  # the label of the pattern it belongs to, where a dialect has several in sight
    escaped: bool = False
    encoding: GroupEncoding | None = None


@dataclass(frozen=True, slots=True)
class HttpDate:
    """The date that lies so many seconds ahead (RFC 9110 section 5.6.7).

    by_hyphens: with hyphens between day, month and year, as cookies had it (RFC 6265 section 5.1.1)
    """

    seconds_ahead: int
    by_hyphens: bool = False


@dataclass(frozen=True, slots=True)
class Placeholder:
    """A value left to deployment, in the spelling of its source: `${PORT}`, `{{ app_host }}`, `{$NAME}`."""

    spelling: str

    def __str__(self) -> str:
        return self.spelling


@dataclass(frozen=True, slots=True)
class Unread:
    """A variable of the dialect that the model has no word for; the finding says so, and decide() knows nothing of what hangs on it."""

    spelling: str


@dataclass(frozen=True, slots=True)
class Pattern:
    """A regular expression of some engine, searched for unless anchored.

    engine: `pcre` (nginx, httpd) or `re2` (Caddy); patterns/ knows how they differ.
    label:  how the dialect calls the pattern's captures, where it names them (Caddy's matcher name).
    """

    text: str
    engine: str = "pcre"
    ignores_case: bool = False
    label: str = ""


@dataclass(frozen=True, slots=True)
class Hashed:
    """A number made of a text, in ten digits, by which requests are divided into shares (nginx, split_clients): MurmurHash2 of 32 bits.

    shares: what each of them is of the whole, in hundredths of a percent
    """

    template: "Template"
    shares: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Remade:
    """A text that a function makes another one (httpd, RewriteMap int:…).

    how:     `small` or `large` letters, of ASCII; `encoded` or `decoded` percent signs
    escaped: percent-encoded after that, as a capture
    """

    template: "Template"
    how: str = "small"
    escaped: bool = False

    @property
    def what(self) -> str:
        """What is done, in words."""
        return {"encoded": "a text percent-encoded once more", "decoded": "a text whose percent signs are decoded"}.get(self.how, "letters made small, or large")


@dataclass(frozen=True, slots=True)
class LookupRow:
    """`value` is a text, a pattern or a network (CIDR). A result that begins with a capture is one of this row's pattern."""

    value: "str | Pattern"
    result: "Template"


@dataclass(frozen=True, slots=True)
class Lookup:
    """What a table says of a template's text: the result of the first row that holds it, else the fallback.

    name:     of the variable that the configuration calls it by; it is looked up once for a request, where it is used first
    networks: rows are networks, and the longest that holds the address comes first
    nothing:  where no row holds it there is no value, which equals no text (Caddy)
    exact rows are tried before patterns, wherever they stand, as the reader orders them
    """

    name: str
    subject: "Template"
    rows: tuple[LookupRow, ...]
    fallback: "Template" = ()
    networks: bool = False
    ignores_case: bool = True
    span: Span | None = None
    nothing: bool = False


Part = str | Var | Capture | HttpDate | Placeholder | Unread | Lookup | Hashed | Remade
Template = tuple[Part, ...]


def literal(template: Template) -> str | None:
    """The text of a template without variables, else None. A placeholder counts as its own spelling."""
    if all(isinstance(part, (str, Placeholder)) for part in template):
        return "".join(part if isinstance(part, str) else part.spelling for part in template)  # type: ignore[union-attr]
    return None


def fixed(template: Template) -> str | None:
    """The text of a template that is the same wherever it is deployed: None with a variable or a placeholder in it."""
    text = literal(template)
    return None if text is None or is_open(text) else text


def join(*pieces: Template | Part) -> Template:
    """Templates and parts one after the other, neighbouring literals merged and empty ones dropped."""
    flat: list[Part] = []
    for piece in pieces:
        for part in piece if isinstance(piece, tuple) else (piece,):
            if part == "":
                continue
            if isinstance(part, str) and flat and isinstance(flat[-1], str):
                flat[-1] += part
            else:
                flat.append(part)
    return tuple(flat)
