"""A request on its way through a program, as it stands at each step."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

from ..model import (
    AnswerLimit, Below, BodyLimit, Cache, Compress, ErrorPages, Field, FileKind, MediaTypes, Site, Span, Step,
)
from . import paths
from .origin_answers import OriginAnswer
from .outcome import Kept, Limited, OriginRequest, TraceEntry
from .request import Facts, Request
from .route_index import RouteIndex
from .verdicts import Verdict

# Go, url.validEncoded (Caddy 2.6.2, probed): a path with anything else in it is escaped anew.
_NOT_KEPT = re.compile(r"[^\w\-.~!$&'()*+,;=:@\[\]%/]", re.ASCII)


@dataclass
class State:
    """A request on its way through a program. `raw_path` is None once the path was changed; `raw_last`: the last there was."""

    request: Request
    site: Site
    facts: Facts
    path: str
    raw_path: str | None
    query: str | None
    method: str
    raw_last: str = ""
    received: Request | None = None  # as the client sent it, where the server sees another
    url: str | None = None  # the path that sections see, where a rewrite changed it for the file only
    variables: dict[str, str] = field(default_factory=dict)
    environment: frozenset[str] = frozenset()  # the variables among them that a block which begins again forgets
    of_place: set[str] = field(default_factory=set)  # those that are forgotten where a search begins again
    numbered: tuple[str, ...] = ()
    named: dict[str, str] = field(default_factory=dict)
    labelled: dict[str, tuple[str, ...]] = field(default_factory=dict)
    fields: list[Field] = field(default_factory=list)
    request_fields: list[Field] = field(default_factory=list)
    as_handled: list[Field] = field(default_factory=list)  # those in force when a handler took the request
    sent: tuple[tuple[str, str], ...] = ()  # what is known of the fields that the origin answered
    walk: tuple[str, tuple[str, FileKind | None, str], bool] | None = None  # the folder that the last walk came to, and what it found
    walked_to: str | None = None  # the folder whose settings alone counted when somebody was last let in, or not
    first_error: int | None = None  # what the first of several errors was, where a rule made more on the way to its page
    host_set: str | None = None  # what a rule has put into the Host field by now
    asked_inside: bool = False  # the request is one of the server's own, whose target the client never sent
    allows: Callable[[str, bool], bool] | None = None  # what AnsweredInside asks
    unheard: bool = False  # and what it asks of the client nobody hears
    client_port: str | None = None  # as a field told it, "" if it told the address alone; None: that of the connection
    first_query: str | None = None
    first_path: str = ""  # of the request that an error page is asked for
    first_variables: dict[str, str] = field(default_factory=dict)
    first_user: str | None = None
    pages: ErrorPages | None = None
    compress: Compress | None = None
    types: MediaTypes | None = None
    cache_status: str = ""
    keeping: tuple[Cache, OriginAnswer] | None = None  # the cache that an origin's answer comes to
    kept: Kept | None = None  # what becomes of it
    limits: dict[str, tuple[Limited, ...]] = field(default_factory=dict)  # by kind
    body_limit: BodyLimit | None = None
    answer_limit: AnswerLimit | None = None
    dialect: str = ""
    keeps: bool = False  # placeholders of Caddy that have no value stand for themselves
    says: bool = False  # what is made is a field's value, on which nothing else hangs
    user: str | None = None  # who was let in by name and password
    drops_empty: bool = False  # a field whose value comes out empty is not sent (nginx)
    answer_type: str = ""  # known when the answer goes out; handlers_type: before fields changed it
    handlers_type: str = ""
    drops_final_dot: bool = False  # as the listener does
    rewrites: int = 0
    internal: bool = False
    pinned: bool = False
    entered: dict[str, int] = field(default_factory=dict)
    before: tuple[str, str | None, str | None] = ("", None, None)  # path and query before what led elsewhere
    entered_at: dict[str, str] = field(default_factory=dict)  # the path then
    below: Below | None = None  # of the last rewrite
    in_error: bool = False
    restored: bool = False
    recurs: bool = False
    keeps_first: bool = False
    first_fields: list[Field] = field(default_factory=list)
    error_status: int | None = None
    rule_path: str | None = None  # the path as the rules of a list have written it so far (Tomcat)
    sending: int | None = None  # the status of the answer that goes out
    redirected: bool = False  # on the way to an error's page, by a rule whose redirect is the answer
    forced_status: int | None = None
    root: str = ""
    found: str = ""
    found_rest: str = ""  # what a file test cut off behind the script that it found (Caddy)
    script_name: str = ""
    path_info: str = ""
    pool_label: str = ""
    member_label: str = ""
    answered_by: str | None = None  # the member, when it has been asked
    missing: bool = False
    gave_up: str = ""
    looked_up: dict[str, str] = field(default_factory=dict)
    looks_once: bool = False
    depth: int = 0
    intercepted: bool = False  # an origin's error was taken over
    handed_on: str | None = None  # the label that a rule begins anew at, for a file that was looked up inside
    for_index: bool = False  # it is asked for as a folder's index file
    index_of: str = ""  # the path of that folder
    refused: int | None = None
    set_by: list[tuple[Span | None, str, str | None]] = field(default_factory=list)  # what rules have set, and what was there before
    blanks: tuple[Span | None, str] | None = None  # the rule that made a query with blanks, and the query
    unread: bool = False  # since its head is more than is taken
    unparsed: bool = False  # the request line was not read to its end
    let_in: bool = False
    by_script: bool = False  # an application answered whose type httpd has apart from the fields (FastCGI, SCGI)
    method_outside: str = ""  # of the request that this one is asked inside of
    verdict: Verdict | None = None  # what was answered by who was asked first, and what he was asked
    asked_first: OriginRequest | None = None
    standing: list[Field] = field(default_factory=list)  # operations on the answer's fields that no search for a place forgets
    unproven: tuple[Step, ...] | None = None  # what answers a client whose certificate does not do
    trace: list[TraceEntry] = field(default_factory=list)
    index: RouteIndex | None = None  # with it, routes that were tried and did not hold are not noted
    reads: dict[tuple[str, str], None] | None = None  # what of the request was looked at so far, where somebody asks

    def looked_at(self, what: str, name: str = "") -> None:
        if self.reads is not None:
            part = what, name.lower() if what == "field" else name
            self.reads[("length", "") if part == ("field", "content-length") else part] = None

    def note(self, rule: str, span: Span | None, saw: str = "", held: bool | None = None) -> None:
        self.trace.append(TraceEntry(rule, span, saw, held))

    def back_to_first(self) -> None:
        """The request that failed first is answered after all, with its own settings (http_request.c, ap_die; 2.4.71, probed)."""
        self.fields, self.path, self.url, self.variables = list(self.first_fields), self.first_path, None, dict(self.first_variables)
        self.query, self.user = self.first_query, self.first_user

    @property
    def query_part(self) -> str:
        """The query with its mark, as it goes on the wire."""
        return f"?{self.query}" if self.query or (self.query is not None and self.site.reading.keeps_empty_query) else ""

    @property
    def escaped_path(self) -> str:
        if self.raw_path is None or self.dialect == "caddy" and _NOT_KEPT.search(self.raw_path):
            return paths.escaped(self.path, self.site.reading.escapes)
        return self.raw_path
