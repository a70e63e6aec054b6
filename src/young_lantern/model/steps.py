"""The program of a site: an ordered tree of steps. docs/model.md is its specification, behaviour/decide.py its meaning."""

from __future__ import annotations

from dataclasses import dataclass

from .conditions import Condition
from .fields import Field
from .caches import Cache, CacheStore, Guess, Lifetime  # noqa: F401
from .limits import CONNECTIONS, REQUESTS, SPEED, Limit, Limits  # noqa: F401
from .media_types import MediaType, MediaTypes, TypeTable  # noqa: F401
from .origins import Forward, Gateway
from .span import Span
from .text import Template


@dataclass(frozen=True, slots=True)
class SetPath:
    """`cuts_at_mark`: a question mark that a capture brings into the path ends it (Caddy).

    splits_at_mark: one that a variable brings parts the path from the query (nginx, try_files)
    refuses_marks: a question mark that a capture or variable brings in is 403 (httpd)
    refuses_nothing: a path that comes out empty is 500 (nginx)
    one_slash: slashes that something put in brings to the beginning, behind the one that is written there, are one (httpd)
    decodes: what is put together is percent-decoded once more, and slashes and dots in it are seen to (Tomcat)
    keeps_raw: the path goes out as it did (Tomcat, welcome files)
    """

    template: Template
    cuts_at_mark: bool = False
    splits_at_mark: bool = False
    refuses_marks: bool = False
    refuses_nothing: bool = False
    one_slash: bool = False
    decodes: bool = False
    keeps_raw: bool = False


@dataclass(frozen=True, slots=True)
class StripPrefix:
    """`cleans`: slashes are merged and dots resolved first, and letter case does not count (Caddy)."""

    prefix: str
    cleans: bool = False


@dataclass(frozen=True, slots=True)
class StripSuffix:
    """`cleans` as in StripPrefix."""

    suffix: str
    cleans: bool = False


@dataclass(frozen=True, slots=True)
class QueryEdit:
    """The query becomes the template, and the client's query follows when `appends_query`.

    encodes: values put into the template are percent-encoded, but for a whole query (Caddy)
    encodes_form: all of the template is encoded as forms are, but for ends of arguments and percent signs (Tomcat)
    keeps_mark: a query of nothing is one nevertheless (Tomcat)
    refuses_blanks: a query with blanks or controls in it is 403 (httpd)
    """

    template: Template = ()
    appends_query: bool = False
    encodes: bool = False
    encodes_form: bool = False
    keeps_mark: bool = False
    refuses_blanks: bool = False


@dataclass(frozen=True, slots=True)
class Rewrite:
    """Changes the target inside the server.

    pins:      the path of a later Forward is ignored (nginx `break`)
    keeps_url: it says which file is meant; sections, index files and the added slash go by the path as it was (httpd)
    below:     the new path is the name of a file below a folder (httpd, rules of a folder)
    """

    edit: SetPath | StripPrefix | StripSuffix | None
    query: QueryEdit | None = None
    pins: bool = False
    internal: bool = True
    span: Span | None = None
    comments: tuple[str, ...] = ()
    keeps_url: bool = False
    below: "Below | None" = None


@dataclass(frozen=True, slots=True)
class Below:
    """A path without `base` is the name of a file in `folder`; paths without `strip` are walked from `root` on."""

    folder: str
    base: str
    root: str
    strip: str


@dataclass(frozen=True, slots=True)
class Route:
    """`accident`: what the server does here is no one's intention; a translation may leave the route out, and say so, unless it is strict."""

    condition: Condition
    steps: tuple["Step", ...]
    span: Span | None = None
    comments: tuple[str, ...] = ()
    label: str = ""
    also: tuple[Span, ...] = ()
    accident: bool = False


@dataclass(frozen=True, slots=True)
class Choose:
    """Enters the first route whose condition holds; then goes on after the Choose."""

    routes: tuple[Route, ...]
    span: Span | None = None


# The label of the block that a redirect inside a server enters again: all that a site does with a request.
SITE = "site"


@dataclass(frozen=True, slots=True)
class Block:
    """Labelled steps, for Restart and Leave. Entering it again forgets the fields and error pages set within it.

    fresh: entering it the first time forgets, too, what was set since the site was chosen
    anew: rules in it read the path as it is then, and not as others before have written it (Tomcat)
    limit: how often it may be entered again before the server gives up with 500
    new_request: entering it again is a request of the server's own: its environment begins anew, with what was set under names with REDIRECT_ before them, and REDIRECT_STATUS (httpd)
    """

    label: str
    steps: tuple["Step", ...]
    fresh: bool = False
    anew: bool = False
    limit: int = 10
    new_request: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Restart:
    """`asks`: not this request begins again, but one for each of these paths is made inside, until one finds a file or an origin; if none does, the
    program goes on after this step, or fails with the last status that is not 404 (httpd FallbackResource, DirectoryIndex).

    indexes:    they are index files of a folder
    reads_anew: the path is read as a client's target is, so that what looks percent-encoded in it is decoded once more
    unless:     (since, leaves): where a rewrite says the file that the path was when a block was entered, the path stays what it was, and another block is left
    walks:      (root, strip): the path with which that block was entered was walked from the root on, which sections go by afterwards
    """

    label: str
    span: Span | None = None
    asks: tuple[Template, ...] = ()
    indexes: bool = False
    reads_anew: bool = False
    unless: tuple[str, str] | None = None
    walks: tuple[str, str] | None = None


@dataclass(frozen=True, slots=True)
class Leave:
    label: str
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class ForgetFields:
    """Response fields, error pages and compression set so far are forgotten: other settings take their place."""

    span: Span | None = None


@dataclass(frozen=True, slots=True)
class SetVariable:
    """`environment`: it is part of what the server keeps for a request: requests made inside see it, a block that begins again does not (httpd). `late`: it is set for every handler.
    `of_place`: it is forgotten where the search for a place begins again (nginx, what an `if` changes of its location).
    `outside`: requests made inside keep the value of the one that they are made for. `by_rule`: rules for rewriting do it, which nobody asks for what is refused before."""

    name: str
    value: Template
    span: Span | None = None
    environment: bool = False
    late: bool = False
    of_place: bool = False
    outside: bool = False
    by_rule: bool = False


@dataclass(frozen=True, slots=True)
class AddressRule:
    allows: bool
    networks: tuple[str, ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Protect:
    """Client addresses: the first rule that holds the address decides; none lets it pass. Denied is 403."""

    rules: tuple[AddressRule, ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Credentials:
    """Basic credentials (RFC 7617), or a proof by digest (RFC 7616): whoever does not say who he is, or is none of the users, gets 401.

    users: the names that may enter; None: all that are known
    known: (name, hash) pairs as they were read; none where the file is not on this machine
    file:  where the server keeps them; "": in the configuration itself
    digest: by digest; a hash is one of the name, the realm and the password then, so that no other kind can check it
    domain: by digest: the places that the client is told to use it for
    """

    realm: Template
    users: tuple[str, ...] | None = None
    known: tuple[tuple[str, str], ...] = ()
    file: str = ""
    span: Span | None = None
    also: tuple[Span, ...] = ()
    digest: bool = False
    domain: Template = ()

    @property
    def names(self) -> tuple[str, ...]:
        """Who may enter, as far as that is known: a user of a file that is not here has a made-up name."""
        there = tuple(name for name, _ in self.known)
        if self.users is None:
            return there or ("lantern",)
        return tuple(name for name in self.users if name in there) if there else self.users


@dataclass(frozen=True, slots=True)
class PageStatus:
    """What status an error page goes out with: the error's (both None/False), a fixed one, or the page's own."""

    fixed: int | None = None
    pages_own: bool = False


@dataclass(frozen=True, slots=True)
class ErrorPage:
    """For errors that the server makes itself: go to `target` (a path, or a label), or redirect, or run `steps`.

    restarts: label of the block that is entered again with the path `target`; None where `steps` or `redirect` say it all
    keeps_first: an error on the way to the page leaves the first one's status, without a page; a redirect to it, or a text of the
              configuration, still counts as the server's own error (httpd)
    restores: `steps` see the target and method as the client sent them, whatever was rewritten before (Caddy)
    """

    statuses: frozenset[int] | None
    target: Template | None = None
    restarts: str | None = None
    keeps_method: bool = False
    redirect: bool = False
    steps: tuple["Step", ...] = ()
    restores: bool = False
    status: PageStatus = PageStatus()
    span: Span | None = None
    comments: tuple[str, ...] = ()
    keeps_first: bool = False


# nginx manual, ssl module, "Error Processing": a bad certificate of a client's, none, and plain HTTP; too large a field among them. They go out as 400.
TLS_ERRORS = frozenset({494, 495, 496, 497})


@dataclass(frozen=True, slots=True)
class ErrorPages:
    """Replaces the error pages in force.

    merges:  those for other statuses stay
    ended:   statuses that have no page any more where it merges, but the server's own words (httpd `default`)
    recurs:  an error met on the way to one of these pages is looked up in the pages in force there (nginx recursive_error_pages)
    """

    pages: tuple[ErrorPage, ...]
    span: Span | None = None
    merges: bool = False
    recurs: bool = False
    ended: frozenset[int] = frozenset()

    def onto(self, others: "ErrorPages | None") -> "ErrorPages":
        """What is in force after this step, `others` being in force before it."""
        if not self.merges or others is None:
            return self
        said = self.ended.union(*(page.statuses or frozenset() for page in self.pages))
        return ErrorPages((*self.pages, *(page for page in others.pages if page.statuses is None or not page.statuses <= said)), span=self.span)


@dataclass(frozen=True, slots=True)
class Compress:
    """Content codings offered, for which media types (globs), from which length in bytes."""

    codings: tuple[str, ...]
    media_types: tuple[str, ...]
    minimum_bytes: int
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class BodyLimit:
    """The largest request content taken; None is no limit.

    when_read: it acts only where the content is read, that is when the request is forwarded
    """

    limit_bytes: int | None
    status: int = 413
    when_read: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class AnswerLimit:
    """The largest request content taken where nobody asks for it, that is with whatever answer is not an origin's: a redirect and a refusal, too.

    The last one that holds counts, and lasts as long as the request does. None is no limit.
    """

    limit_bytes: int | None
    when: Condition | None = None
    status: int = 413
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class LogTo:
    """Access log. `file` None means switched off."""

    file: str | None
    format: str = ""
    span: Span | None = None
    format_span: Span | None = None


@dataclass(frozen=True, slots=True)
class Redirect:
    """`absolute`: a location that is a path gets scheme and authority of the request in front, or what this template says (the server's own name).
    `insists`: as in Respond; `refuses_marks` as in SetPath.

    splits_at_mark: a question mark, or the sign of a fragment, that a capture brings in ends the path, and nothing is encoded from there on (httpd RedirectMatch)
    encodes_path: the current path in it goes out percent-encoded (httpd, mod_rewrite)
    encodes_query: variables in its query are percent-encoded, the client's query among them, so that what was encoded is so twice (httpd, mod_rewrite)
    decodes:  what is percent-encoded in it without need is decoded up to the query, whose mark may come out of it (nginx, rewrite)
    encodes_form: what values bring into its query is encoded as forms are, but for ends of arguments and percent signs (Tomcat)
    unescapes: what comes out is percent-decoded once more, as a whole (Tomcat, flag NE)
    """

    status: int
    location: Template
    absolute: bool | Template = False
    span: Span | None = None
    comments: tuple[str, ...] = ()
    insists: bool = False
    refuses_marks: bool = False
    splits_at_mark: bool = False
    encodes_path: bool = False
    encodes_query: bool = False
    decodes: bool = False
    encodes_form: bool = False
    unescapes: bool = False


@dataclass(frozen=True, slots=True)
class Respond:
    """An answer made by the server.

    raises:  the status goes through the error pages; otherwise it is final
    insists: on an error page it keeps this status rather than the error's
    media_type: its Content-Type; "": by the MediaTypes in force
    """

    status: int
    body: Template = ()
    raises: bool = False
    insists: bool = False
    media_type: str = ""
    span: Span | None = None
    comments: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Abort:
    """The connection is closed without an answer."""

    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Folders:
    """How a file server treats folders, and names that do not fit what lies there.

    canonical:    the index file is looked for first; then the target as the client sent it gets a slash if it was a
                  folder's, and loses it if it was a file's, unless its last segment was rewritten (Caddy)
    walks:        the path is walked from the root on, and what follows a file is no part of its name; each index file is asked for
                  like a request of its own, and an answer other than 404 counts, file or not (httpd)
    path_info:    with `walks`: what follows a file is information for whoever answers, and no fault
    added_slash:  status of the redirect from `/dir` to `/dir/`; None: none
    no_index_status: `/dir/` without index file and listing
    location_absolute: of the added slash, as `absolute` of a Redirect
    slash_as_sent: the slash is put behind the path as it came, percent-encoded or not, unless it was rewritten (Tomcat)
    """

    index: tuple[Template, ...] = ()
    restarts: str | None = None
    listing: bool = False
    canonical: bool = False
    walks: bool = False
    path_info: bool = False
    added_slash: int | None = 301
    no_index_status: int = 403
    location_absolute: bool | Template = False
    slash_as_sent: bool = False


@dataclass(frozen=True, slots=True)
class Precompressed:
    """Files that lie compressed beside others, and are sent in their place to who takes the coding.

    codings: (content coding, what the name ends in besides), the most wanted first; of those that a client weighs alike the first one there is sent
    always:  whoever asks
    alone:   also where the file itself is not there
    """

    codings: tuple[tuple[str, str], ...]
    always: bool = False
    alone: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class ServeFiles:
    """The file at root + path, with `strip` cut off the path first and `whole_path` instead of both where given.

    status:   of a file that is sent, if it is not the usual one
    methods_after_lookup: refused like any other not in `methods`, but only when the file was found
    options_status: of OPTIONS, whatever lies there: the server says itself which methods it takes (RFC 9110 section 9.3.7); None: like any other
    """

    root: Template
    strip: str = ""
    whole_path: Template | None = None
    folders: Folders = Folders()
    status: int | None = None
    methods: tuple[str, ...] = ("GET", "HEAD")
    methods_after_lookup: tuple[str, ...] = ()
    wrong_method_status: int = 405
    options_status: int | None = None
    missing_status: int = 404
    precompressed: Precompressed | None = None
    span: Span | None = None
    root_span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Unserved:
    """An answer by a handler, or behind a protection, that the model has no word for. It ends the program; what the answer is,
    nobody here knows. `page`: what it is in any dialect: "status", a page on the server's own state."""

    spelling: str
    span: Span | None = None
    page: str = ""


@dataclass(frozen=True, slots=True)
class Note:
    """A directive with a place in the program but no say in any answer the model knows; carried for the writers."""

    subject: str
    value: str = ""
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class AskFirst:
    """An origin is asked whether the request may go on: by GET, without content, with the request's fields (nginx, auth_request; Caddy, forward_auth).

    forward: the question. An answer of success (2xx) lets in; `in_place` says what others come to, and those that it does not name go to the client
    keeps_length: the question says how much content the request has, which does not come with it (nginx, unless its lines see to it)
    fields:  operations on the request's fields when it is let in, where Variable.VERDICT_FIELD is a field of the answer
    """

    forward: Forward
    fields: tuple[Field, ...] = ()
    keeps_length: bool = False
    span: Span | None = None
    also: tuple[Span, ...] = ()
    comments: tuple[str, ...] = ()


Step = (
    Choose | Block | Restart | Leave | ForgetFields | Rewrite | Field | SetVariable | Protect | Credentials | AskFirst | Limits | ErrorPages | Compress | MediaTypes | BodyLimit | AnswerLimit
    | LogTo | Redirect | Respond | Abort | Forward | Gateway | ServeFiles | Unserved | Note
)
ENDS = (Redirect, Respond, Abort, Forward, Gateway, ServeFiles, Unserved, Restart, Leave)
