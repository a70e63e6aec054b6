"""Origins and applications that requests are passed on to, and what becomes of their answers. Used by: steps.py."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from .caches import Cache
from .conditions import Condition, Pattern
from .fields import Field
from .pools import Retry
from .span import Span
from .text import Template

if TYPE_CHECKING:
    from .steps import Rewrite, Step

# What a server answers when the connection to an origin is refused (nginx 1.22.1, Caddy 2.6.2, httpd 2.4.71, probed).
UNREACHABLE = {"nginx": 502, "caddy": 502, "apache": 503}

# What it answers when an origin takes longer than it waits, by HTTP and by FastCGI, and how many seconds it waits where nothing says it; None: as long as
# it takes (nginx manual, proxy_read_timeout; httpd manual, Timeout; 1.22.1, 2.4.71, 2.6.2, probed).
LATE = {"nginx": (504, 504), "caddy": (504, 504), "apache": (502, 504)}
WAITS: dict[str, float | None] = {"nginx": 60.0, "apache": 60.0, "caddy": None}


@dataclass(frozen=True, slots=True)
class AsReceived:
    """The raw target if nothing changed it, else the current path, escaped, with the current query."""


@dataclass(frozen=True, slots=True)
class Mapped:
    """`prefix` is cut off the current decoded path, the rest escaped and put behind `replacement`; the query follows.

    keeps_spelling: where the target as received begins with the prefix, what follows there goes on instead, query and all (httpd `nocanon`)
    spelt_like: and it matches this
    """

    prefix: str
    replacement: Template
    cuts_at_mark: bool = False
    keeps_spelling: bool = False
    spelt_like: Pattern | None = None


@dataclass(frozen=True, slots=True)
class Written:
    """Just this text, query and all; `adds_query`: the client's query follows; `plain`: nothing in it is escaped, and blanks are refused (httpd, flag NE)."""

    template: Template
    adds_query: bool = False
    plain: bool = False


@dataclass(frozen=True, slots=True)
class AfterRewrite:
    """What the target becomes by a rewrite that nothing but the origin sees (Caddy)."""

    rewrite: "Rewrite"


ForwardTarget = AsReceived | Mapped | Written | AfterRewrite


@dataclass(frozen=True, slots=True)
class LocationMapping:
    """A Location of the origin that begins with `prefix` goes out with `replacement` instead. when: only for requests that meet this."""

    prefix: Template
    replacement: Template
    span: Span | None = None
    when: Condition | None = None


@dataclass(frozen=True, slots=True)
class CookieMapping:
    """An attribute of the cookies that an origin sets goes out with another value; the first mapping that holds counts.

    attribute: `path`, which is compared by its beginning; or `domain`, by all of it but its first dot, without case
    before:   the beginning, or all of it; or a pattern: where that is found, the whole value gives way
    exact:    the whole path gives way to the new one, not its beginning only, and a dot that a domain begins with counts (httpd)
    """

    attribute: str
    before: Template | Pattern
    after: Template
    exact: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class CookieFlags:
    """Attributes that cookies of an origin get, or lose (`no…`): `secure`, `httponly`, `samesite=lax`. names: which cookies; None: all."""

    flags: tuple[str, ...]
    names: str | Pattern | None = None
    span: Span | None = None


# The system's own list of those whose signature counts: Debian, Red Hat, and others.
SYSTEM_TRUST = ("/etc/ssl/certs/ca-certificates.crt", "/etc/pki/tls/certs/ca-bundle.crt", "/etc/ssl/cert.pem")


@dataclass(frozen=True, slots=True)
class OriginTls:
    """How TLS to an origin is checked.

    checks:  `nothing`, `its name and dates` (httpd without SSLProxyVerify), or `all`: who signed it, too
    trusted: the file of those whose signature counts; "" for the system's own
    name:    the name that is asked for and checked, if it is not the origin's
    """

    checks: str = "nothing"
    trusted: str = ""
    name: str = ""
    span: Span | None = None
    also: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True)
class InPlace:
    """What is answered in the place of an origin's answer with one of these statuses (None: any). Operations on fields are as for answers of the server's own."""

    statuses: frozenset[int] | None
    steps: tuple["Step", ...]
    span: Span | None = None
    field: str = ""  # only if the answer has this field


@dataclass(frozen=True, slots=True)
class Forward:
    """Pass the request to a pool.

    protocol: that the origin is asked by: `http`, or `h2c`, HTTP/2 without HTTP/1.1 before it, over TLS too; writers for whose server an application is an origin like others have it here, too
    fields:   operations on the request fields, the server's own defaults included, so that they are the whole truth
    response_fields: operations on the origin's response fields
    redirects: how the origin's Location is mapped back
    cookies:  how the origin's cookies are changed, before response_fields see them
    intercepts_errors: errors that the origin answers are answered by the server: those with a page; `intercepts_all`: all from 400 on;
              `intercepted`: only these
    in_place:  answers in the place of the origin's; the first that is for its status counts
    sends_status: in the place of the origin's status; 0 is that of the error whose page this is
    method:    that the origin is asked by, if it is not the request's
    *_seconds: None is the server's own default (of read_seconds: WAITS)
    retry:     when another member is asked
    """

    pool: str
    protocol: str = "http"
    secure: bool = False
    tls: OriginTls = OriginTls()
    target: ForwardTarget = AsReceived()
    fields: tuple[Field, ...] = ()
    response_fields: tuple[Field, ...] = ()
    redirects: tuple[LocationMapping, ...] = ()
    cookies: tuple[CookieMapping | CookieFlags, ...] = ()
    intercepts_errors: bool = False
    intercepts_all: bool = False
    intercepted: frozenset[int] | None = None
    intercepts_span: Span | None = None
    in_place: tuple[InPlace, ...] = ()
    sends_status: int | None = None
    method: str = ""
    method_span: Span | None = None
    connect_seconds: float | None = None
    read_seconds: float | None = None
    send_seconds: float | None = None
    retry: Retry = Retry()
    buffers: bool = True
    upgrades: bool = False
    cache: Cache | None = None
    asks_gzip: bool = False  # where no coding is asked for, gzip is, and it is unpacked (Go, net/http, Transport)
    http_version: str = "1.1"
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()


# Parameters that an application gets about the request (RFC 3875 section 4.1, and what PHP asks for besides).
SENT_PARAMETERS = (
    "SCRIPT_FILENAME", "SCRIPT_NAME", "PATH_INFO", "QUERY_STRING", "REQUEST_METHOD", "REQUEST_URI", "DOCUMENT_URI", "DOCUMENT_ROOT", "HTTPS", "REQUEST_SCHEME", "REMOTE_ADDR",
    "SERVER_NAME", "SERVER_PORT",
)


@dataclass(frozen=True, slots=True)
class Gateway:
    """Pass the request to an application: it gets parameters, and the request fields as HTTP_NAME.

    protocol: `fastcgi`; `uwsgi` and `scgi`, whose applications are asked whatever lies on the disk
    target:     what such an application is told as path information, where the server finds it out by itself (httpd)
    info_apart: the path information is taken off the script's name (httpd, SCGI with proxy-scgi-pathinfo)
    root, strip: the script lies at root + its name, once `strip` is cut off the path
    split:      a pattern whose first group is the script's name and its second the path information behind it; where it does not
                match, or is None, the whole path names the script
    walks:      instead, the path is walked from the root on, and what follows a file is path information (httpd)
    remainder:  where nothing is split off any more, what a file test took off before is path information
    cleans:     slashes are merged and dots resolved in the script's file name (Caddy)
    index:      put behind a path that ends in a slash (nginx)
    encodes:    the script's file is named as a URL is, percent-encoded (httpd, ProxyPass)
    tells_authorization: the field Authorization is among those (httpd: only where CGIPassAuth says so)
    hyphens_only: fields with underscores in their names are not told (httpd: util_script.c, http2env)
    parameters: those that are written, in order; an empty value is not sent. All of SENT_PARAMETERS that are not among them are sent by
                their usual meaning
    server_name: what SERVER_NAME is, if it is not written
    response_fields: operations on the fields of the application's answer
    sends_status, method: as in Forward
    """

    pool: str
    root: Template
    protocol: str = "fastcgi"
    target: ForwardTarget | None = None
    info_apart: bool = False
    strip: str = ""
    split: Pattern | None = None
    walks: bool = False
    remainder: bool = False
    cleans: bool = False
    index: str = ""
    encodes: bool = False
    tells_authorization: bool = True
    hyphens_only: bool = False
    parameters: tuple[tuple[str, Template], ...] = ()
    server_name: Template = ()
    fields: tuple[Field, ...] = ()
    response_fields: tuple[Field, ...] = ()
    read_seconds: float | None = None
    retry: Retry = Retry()
    intercepts_errors: bool = False
    intercepts_all: bool = False
    intercepted: frozenset[int] | None = None
    intercepts_span: Span | None = None
    sends_status: int | None = None
    method: str = ""
    cache: Cache | None = None
    span: Span | None = None
    root_span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()
