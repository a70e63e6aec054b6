"""All that one configuration describes: listeners, sites, pools, certificates."""

from __future__ import annotations

from dataclasses import dataclass, field

from .conditions import Pattern
from .pools import Pool
from .span import Span
from .steps import LogTo, MediaType, Step
from .text import Placeholder


@dataclass(frozen=True, slots=True)
class HostName:
    """A host pattern: exact, `*.name` (one label or any number), `name.*`, a pattern, or any host (`*`)."""

    text: str
    pattern: Pattern | None = None
    one_label: bool = False
    span: Span | None = None

    @property
    def is_any(self) -> bool:
        return self.text == "*" and self.pattern is None

    @property
    def is_exact(self) -> bool:
        return self.pattern is None and "*" not in self.text


@dataclass(frozen=True, slots=True)
class HostRow:
    host: HostName
    site: str


@dataclass(frozen=True, slots=True)
class Refuse:
    """No site: the connection is closed, or the handshake fails."""


@dataclass(frozen=True, slots=True)
class AnswerPlainly:
    """No site: this status, empty."""

    status: int


Fallback = str | Refuse | AnswerPlainly


@dataclass(frozen=True, slots=True)
class RequestHeads:
    """What a server takes of a request before its content (RFC 9112 sections 3 and 5); None: whatever comes.

    line:   octets of the request line; a longer one is answered with 414
    field:  octets of a field line
    fields: how many field lines
    total:  octets of all of it
    status: answered where a field line, their number or the total is over its limit
    names:  characters that a field's name may have besides letters, digits and hyphens: a field with others is dropped
    methods: (method, status) for those that are refused whatever they ask for
    hosts:  names of hosts that are refused with 400, before a site is chosen by them; addresses in brackets are none
    """

    line: int | None = None
    field: int | None = None
    fields: int | None = None
    total: int | None = None
    status: int = 400
    names: str | None = None
    span: Span | None = None
    also: tuple[Span, ...] = ()
    names_spans: tuple[Span, ...] = ()
    methods: tuple[tuple[str, int], ...] = ()
    hosts: Pattern | None = None


@dataclass(frozen=True, slots=True)
class Listener:
    """An address and port, plain or TLS. `rows` are tried in order; the first that holds the host wins.

    address: "" is any IPv4 and IPv6, "0.0.0.0" any IPv4, "::" any IPv6
    heads:   counts for those whose site is not known yet, and for sites that have none of their own
    """

    address: str
    port: int | Placeholder
    secure: bool
    rows: tuple[HostRow, ...]
    fallback: Fallback
    http2: bool = False
    fallback_stated: bool = True  # the configuration says so, rather than the order of its blocks
    drops_final_dot: bool = True  # `name.` counts as `name`
    heads: RequestHeads = RequestHeads()
    span: Span | None = None
    also: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True)
class Certificate:
    chain_file: str
    key_file: str
    span: Span | None = None
    key_span: Span | None = None


@dataclass(frozen=True, slots=True)
class ClientCertificates:
    """What a site asks of its clients by TLS (RFC 8446 section 4.3.2).

    required: nobody without a certificate is answered; verified: nobody is whose certificate was not issued by one of those that are trusted
    trusted:  files of certificates of those issuers
    depth:    how many issuers a chain may have; None: as many as it likes
    revoked:  a file of certificates that hold no more (RFC 5280 section 5); "" for none
    refusals: steps that answer clients without a certificate, and those with one that does not hold; without them the handshake fails
    """

    required: bool
    verified: bool
    trusted: tuple[str, ...] = ()
    depth: int | None = None
    revoked: str = ""
    refusals: tuple[tuple[Step, ...], ...] = ()
    span: Span | None = None
    trusted_span: Span | None = None
    depth_span: Span | None = None
    revoked_span: Span | None = None


@dataclass(frozen=True, slots=True)
class SiteTls:
    """`protocols`: as in RFC 8446's names, "TLSv1.2"; empty is the server's default. `issued`: by the server itself. `http2`: None is as the listener says."""

    certificates: tuple[Certificate, ...] = ()
    protocols: tuple[str, ...] = ()
    protocols_span: Span | None = None
    ciphers: str = ""
    ciphers_span: Span | None = None
    issued: bool = False
    http2: bool | None = None
    clients: ClientCertificates | None = None
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class PathReading:
    """What a server does to the path of every request before any rule sees it, and how it looks for cookies."""

    merges_slashes: bool = True
    cuts_parameters: bool = False  # what follows a semicolon in a segment is none of the path; controls, and backslashes, are 400; a dot segment at the end leaves no slash (Tomcat)
    normalises_first: bool = False  # slashes and dots are seen to before escapes other than of unreserved characters are decoded; slashes at the start are one
    resolves_dots: bool = True
    refuses_upward: bool = True  # `/../` above the root is 400
    encoded_slash_status: int | None = None  # answered to a path with %2F, whatever it is
    keeps_encoded_slashes: bool = False  # `%2F` stays in the path as it came (httpd, NoDecode)
    keeps_empty_query: bool = False  # a lone "?" at the end of a target goes on with it
    decodes_arguments: bool = False  # values of a query are asked for decoded, their names by case (Caddy); else as they came, in any case
    cookies_mind_case: bool = True  # names of cookies are told apart by the case of their letters
    # ASCII characters that are percent-encoded when a changed path goes out, besides controls.
    escapes: str = " \"#%<>?\\^`{|}"
    escapes_in_captures: str = "&+"  # besides these, where a capture goes out escaped
    encoded_captures: bool = False  # percent signs in a capture are of what is encoded already (Tomcat)
    spares_plain_captures: bool = False  # none of a path that came without escapes, and without a plus sign (nginx)
    spares_plain_paths: bool = False  # a path that came without escapes goes out to origins without any, too (nginx)


@dataclass(frozen=True, slots=True)
class ClientFrom:
    """Where the client's address is taken from when a proxy in front of the server sends the request.

    field:    of the request, a list of addresses; the last is the nearest
    networks: the proxies that are believed (CIDR text); none: whoever it is
    walks:    as long as the address found is one of the proxies, the one before it is taken
    consumes: what was taken is taken out of the field (httpd); else the field stays as it was received
    takes_port: a port behind an address is left out (nginx); else such an address is none
    internal: those of the networks whose word counts for private addresses, too (httpd); None: every proxy's does
    """

    field: str
    networks: tuple[str, ...] = ()
    walks: bool = False
    consumes: bool = False
    takes_port: bool = False
    internal: tuple[str, ...] | None = None
    span: Span | None = None
    also: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True)
class TraceMethod:
    """What a server that knows the method TRACE (RFC 9110 section 9.3.8) does about it: it answers with the request itself, or refuses it."""

    echoed: bool
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Site:
    """A virtual host. `key` is unique in the estate; `file` is the source file it came from. trace: None where TRACE is no matter of the site's.
    early: what is in force for errors before a place is looked for, where the program does not begin with just that"""

    key: str
    names: tuple[HostName, ...]
    program: tuple[Step, ...]
    tls: SiteTls | None = None
    reading: PathReading = PathReading()
    logs: tuple[LogTo, ...] = ()
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()
    client_from: ClientFrom | None = None
    heads: RequestHeads | None = None
    trace: TraceMethod | None = None
    early: tuple[Step, ...] = ()


@dataclass(frozen=True, slots=True)
class Estate:
    dialect: str
    listeners: tuple[Listener, ...] = ()
    sites: tuple[Site, ...] = ()
    pools: tuple[Pool, ...] = ()
    media_types: tuple[MediaType, ...] = ()
    media_type_default: str = ""
    media_types_span: Span | None = None
    deciders: frozenset[str] | None = field(default=None, compare=False, repr=False, init=False)  # looked up once (behaviour/asking.py)

    def site(self, key: str) -> Site:
        return next(site for site in self.sites if site.key == key)

    def pool(self, name: str) -> Pool | None:
        return next((pool for pool in self.pools if pool.name == name), None)

    def heads_of(self, site: Site) -> RequestHeads:
        """What is taken of requests for a site."""
        return site.heads or next((listener.heads for listener in self.listeners_of(site.key)), RequestHeads())

    def listeners_of(self, key: str) -> tuple[Listener, ...]:
        return tuple(
            listener for listener in self.listeners
            if listener.fallback == key or any(row.site == key for row in listener.rows)
        )
