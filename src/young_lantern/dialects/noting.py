"""What the writers of all dialects note while they write: what is not simply kept of a source directive, each said once.

Unknown:  what cannot be written is Unwritable, with words for it; the caller notes it with the source line.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from ..codes import CLIENTS_LOOSE, COOKIE_AGE, NO_COUNTERPART, OTHER_DEFAULT, POLICY_DIFFERS, TLS_VERSIONS_SHARED, TRACE_ECHO_LOST, TRACE_PASSED, TRACE_REFUSED
from ..fitting.constants import with_constants, without_lengths, without_server_names
from ..fitting.sent_status import with_status_pages
from ..fitting.own_names import with_whole_urls
from ..fitting.cookies import with_ages
from ..fitting.names import apart_by_names
from ..model import TLS_ERRORS, Cache, Code, Credentials, Disposition, ErrorPage, Estate, Field, FileKind, Limit, Listener, Operation, Placeholder, Pool, Rewrite, ServeFiles, Side, Site, SiteTls, Span, Unserved, finding
from ..model.walk import transform, walk
from .dialect import WriterNote, WriterOptions


# What is asked of files besides whether they are there.
BESIDES = {FileKind.PROGRAM: "a file may be executed", FileKind.LINK: "a file is a symbolic link"}


@dataclass(frozen=True, slots=True)
class Unwritable:
    """What of the model the target has no way to say, in words."""

    what: str


NO_UNIT = "a size that is left to deployment, in a unit that is none there"
TLS_VERSIONS = ("TLSv1", "TLSv1.1", "TLSv1.2", "TLSv1.3")
EARLY = "it is done before the origin answers, so that it sees nothing of what the origin sends"


@dataclass
class Noting:
    """One writing. `target`: the dialect's name; `site`: the one that is written.

    deciding: variables of the site on which it hangs whether somebody is kept out
    reached: spans that some answer depends on
    left:    what stands in a route that could not be written
    idle:    lines that come to nothing in some place, and why; said of those that are written nowhere
    """

    estate: Estate
    options: WriterOptions
    target: str = ""
    site: Site | None = None
    deciding: frozenset[str] = frozenset()
    notes: list[WriterNote] = field(default_factory=list)
    reached: set[Span] = field(default_factory=set)
    left: set[Span] = field(default_factory=set)
    idle: dict[Span | None, str] = field(default_factory=dict)
    _said: set[tuple[Span, str]] = field(default_factory=set)

    def note(self, span: Span | None, disposition: Disposition, code: Code, **facts: object) -> None:
        """Says once for each span and code what becomes of a source directive."""
        key = (span or Span("", 0), code.name + str(sorted(facts.items())) if span is None else code.name)
        if key not in self._said:
            self._said.add(key)
            self.notes.append(WriterNote(span, disposition, finding(code, span, **{"target": self.target, "source": self.estate.dialect, **facts})))  # type: ignore[arg-type]

    def port_of(self, listener: Listener) -> str:
        return listener.port.spelling if isinstance(listener.port, Placeholder) else str(listener.port)

    def is_told(self, span: Span) -> bool:
        """Whether something is noted of a source directive already."""
        return any(note.span == span for note in self.notes)

    def implied(self, span: Span | None, reason: str) -> None:
        if span is not None:
            self.notes.append(WriterNote(span, Disposition.IMPLIED, None, reason))

    def cut_in_vain(self, rewrite: Rewrite) -> None:
        if rewrite.span is not None:
            self.idle.setdefault(rewrite.span, "the path has just been set to one that begins otherwise, so that nothing is cut off")

    def lost(self, span: Span | None, what: str, reason: str, advice: str = "write it by hand, or change the source so that it is not needed") -> None:
        """A source directive that has no equivalent."""
        directive = re.split(r"(?<![${])\{(?![{$])", span.directive)[0].strip() if span else what
        self.note(span, Disposition.UNSUPPORTED, NO_COUNTERPART, directive=directive or what, reason=reason, advice=advice)

    def lose_packed(self, step: ServeFiles, reason: str, advice: str) -> None:
        """Notes that files which lie there compressed are not sent, or not as before; of a line that says more than that the rest is carried."""
        span = step.precompressed.span if step.precompressed is not None else None
        alone = span is not None and span != step.span
        self.note(span, Disposition.UNSUPPORTED if alone else Disposition.CHANGED, NO_COUNTERPART, directive=span.directive.split("{")[0].strip() if span and alone else "precompressed", reason=reason, advice=advice)

    def lose_limits(self, *kinds: str) -> None:
        """Notes the limits of these kinds, each with the lines that belong to it."""
        for site in self.estate.sites:
            for item in walk(site.program):
                if isinstance(item, Limit) and item.kind in kinds:
                    for span in (item.span, *item.also):
                        self.lost(span, "this", f"{self.target} as packaged has no limit on {item.kind}, so that nothing holds clients back", "put the limit where requests come in before, or add a module for it, before the move")

    def lose_caches(self, reason: str, written: frozenset[Span | None] = frozenset()) -> None:
        """Notes each line of each cache that was not written; they are known by the line that names them. Whatever has a word already keeps it."""
        for site in self.estate.sites:
            for item in walk(site.program):
                if isinstance(item, Cache) and item.span not in written:
                    for span in (item.span, *item.also, *(() if written else (item.store.span, *item.store.also))):
                        if span is not None and not self.is_told(span):
                            self.lost(span, "the cache", reason, "see that the origin bears it, or put a cache in between, before the move")

    def chosen_otherwise(self, pool: Pool, after: str, reason: str = "") -> None:
        """The members of a pool are chosen in another way. after: which; reason: why, unless the target has no such way."""
        span = (pool.sticky.span if pool.sticky is not None else None) or pool.policy_span or pool.span
        reason = reason or f"{self.target} has no such way of choosing"
        if pool.kept_by:
            self.note(span, Disposition.CHANGED, CLIENTS_LOOSE, before=pool.kept_by, after=after, reason=reason)
        else:
            self.note(span, Disposition.CHANGED, POLICY_DIFFERS, before=pool.policy.replace("_", " "), after=after, reason=reason)

    def pages_of_tls(self, page: ErrorPage) -> ErrorPage | None:
        """A page without the statuses that only nginx gives to errors of TLS; None where nothing is left of it."""
        if page.statuses is None or not page.statuses & TLS_ERRORS:
            return page
        if 497 in page.statuses:
            self.lost(page.span, "the page for 497", "a request in plain HTTP on the port for TLS is answered with 400 there, without a page", "ask those who use the port so to write https")
        rest = page.statuses - TLS_ERRORS
        if not rest:
            self.implied(page.span, "a client without a certificate that holds is refused in the handshake, and gets no page")
        return replace(page, statuses=rest) if rest else None

    def with_constants(self, estate: Estate) -> Estate:
        """The estate with all that is the same for every request of a site put in."""
        # First of all: what a site is called is the first name of the whole, whichever part of it answers.
        made, unsent = with_constants(with_whole_urls(estate))
        for span in unsent:
            self.implied(span, "its value is empty for every request here, so that it was never sent")
        made, lengths = without_lengths(made)
        for span in lengths:
            self.implied(span, "how long an answer is the server says by itself")
        if self.target in ("nginx", "apache") and estate.dialect not in (self.target, "apache"):
            made, named = without_server_names(made)
            for span in named:
                self.lost(span, "Server", f"{self.target} says its own name there, whatever a line says", "switch its version off (server_tokens, ServerTokens), if it is not to be told")
        if self.target != "caddy":
            made, statuses = with_status_pages(made)
            for served in statuses:
                self.lost(served.span, f"the status {served.status}", f"{self.target} has no other status for a file that it sends", "see whether somebody asks for just that status")
        if self.target != "apache":
            # Nobody else asks by digest, and from such hashes no other kind can be made: what is guarded so stays closed.
            made = transform(made, lambda value: Unserved(value.span.directive if value.span else "", value.span) if isinstance(value, Credentials) and value.digest else value)
        made, aged = with_ages(made)
        for span in aged:
            self.note(span, Disposition.CHANGED, COOKIE_AGE)
        return made if self.options.strict else apart_by_names(made)

    def tell_trace(self) -> None:
        """What becomes of the method TRACE, which httpd alone has a directive for."""
        if self.target == "apache" and self.estate.dialect == "caddy":
            self.note(None, Disposition.CHANGED, TRACE_REFUSED)
        for site in self.estate.sites if self.target != "apache" else ():
            if site.trace is None:
                continue
            code = TRACE_ECHO_LOST if site.trace.echoed else TRACE_PASSED if self.target == "caddy" else None
            if code is None:
                self.implied(site.trace.span, f"{self.target} refuses the method TRACE by itself")
            else:
                self.note(site.trace.span, Disposition.CHANGED, code, does="refuses it" if self.target == "nginx" else "takes it for any other method")

    def has_other_default(self, listener: Listener) -> bool:
        """Whether hosts that no site names go elsewhere on IPv6, which a target that opens all addresses at once cannot say: so noted. nginx keeps the families apart."""
        if listener.address != "::" or not isinstance(listener.fallback, str):
            return False
        other = next((item for item in self.estate.listeners if (item.port, item.secure) == (listener.port, listener.secure) and item.address in ("", "0.0.0.0")), None)
        if other is None or other.fallback == listener.fallback:
            return False
        self.note(listener.span, Disposition.CHANGED, OTHER_DEFAULT, port=listener.port, here=other.fallback if isinstance(other.fallback, str) else "none", there=listener.fallback)
        return True

    def versions_of_all(self, listeners: Iterable[Listener], own: SiteTls) -> SiteTls:
        """The TLS of a site where one set of versions counts for all sites of a listener: those that any of them offers, so that no client is shut out; noted where the site did not."""
        held = {site.key: site.tls for site in self.estate.sites if site.tls is not None}
        on = [key for listener in listeners if listener.secure for key in {row.site for row in listener.rows} | {listener.fallback} if isinstance(key, str) and key in held]
        said = [held[key] for key in on]
        versions = tuple(version for version in TLS_VERSIONS if any(not tls.protocols or version in tls.protocols for tls in said))
        if not own.protocols or not said or set(versions) == set(own.protocols):
            return own
        self.note(own.protocols_span or own.span or (self.site.span if self.site else None), Disposition.CHANGED, TLS_VERSIONS_SHARED, before=", ".join(own.protocols), after=", ".join(versions))
        return replace(own, protocols=versions)

    def acts_early(self, field: Field) -> bool:
        """Whether a change of an answer's field is made before an origin's fields have come: Caddy's, unless it is deferred (2.6.2, probed)."""
        return self.estate.dialect == "caddy" and field.side is Side.RESPONSE and field.operation is Operation.EDIT and field.at_once and not field.deferred

    def lose_the_rest(self, written: Iterable[Span]) -> None:
        """What stood in a route that was lost, and has no word of its own yet."""
        told = {note.span for note in self.notes}
        for span in self.left - told - set(written):
            self.lost(span, "this", "the route that it belongs to could not be written")

    def say_idle(self, written: Iterable[Span]) -> None:
        """Why what was written nowhere, and has no word of its own yet, comes to nothing."""
        told = {note.span for note in self.notes} | set(written)
        for span, why in self.idle.items():
            if span not in told:
                self.implied(span, why)
