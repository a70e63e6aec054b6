"""decide(estate, request, facts) -> Outcome: the model's executable meaning, a plain interpreter of steps.

docs/model.md is its specification. No exception steers a decision: every step returns what happens next.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from ..model import (
    CONTENT, SITE, TLS_ERRORS, Abort, AnswerLimit, AnswerPlainly, AskFirst, Block, BodyLimit, Choose, Compress, Credentials, ErrorPages, Estate, Field, FileKind,
    SPEED, ForgetFields, Forward, Gateway, Leave, Limits, LogTo, MediaTypes, Note, Operation, Protect,
    Redirect, Respond, Restart, Rewrite, ServeFiles, SetPath, SetVariable, Side, Site, Span, Step,
    StripPrefix, StripSuffix, Unserved, Var, Variable, Written,
)
from . import answering, asking, blanks, caching, client_certificates, content_types, contents, cookies, early, forwarding, gateway, heads, inside, limiting, origin_errors, paths, redirects, targets
from .balancing import choice_of, one_of
from .choosing import choose_listener, choose_site
from .client import seen_from
from .evaluate import holds, said, text, user_of, with_placeholders
from .folder_walks import walked_first
from .inside import Jump
from .networks import in_network
from .origin_answers import SELF, VERDICT, wanted
from .outcome import OWN_WORDS, Limited, OriginRequest, Outcome, TraceEntry
from .request import Facts, Request, one_slash
from .route_index import RouteIndex
from .serving import AskIndexes, Found, GoOn, Methods, Missing, Moved, ranges, serve
from .state import State


_Next = Outcome | Jump | None
# Steps met for one request before we call it a loop of our own making; a real program meets a few dozen.
_LIMIT_STEPS = 20_000
# How a trace says that a block was entered more often than the server allows.
CYCLE = "a cycle of rewrites"


def decide(estate: Estate, request: Request, facts: Facts, reads: dict[tuple[str, str], None] | None = None, index: RouteIndex | None = None) -> Outcome:
    """What happens to a request, with the trace that led there.

    reads: is filled with what the decision looked at: (kind, name), in order
    index: for those who decide by the thousand: with it, routes that were tried and did not hold are left out of the trace
    """
    listener = choose_listener(estate, request)
    if listener is None:
        return Outcome(None, trace=(TraceEntry(f"nothing listens for {request.scheme} on port {request.port}", None),))
    if listener.secure != (request.scheme == "https"):
        # nginx answers 400 to plain HTTP on a TLS port; the other way the handshake fails.
        return Outcome(None if request.scheme == "https" else 400, trace=(TraceEntry("the listener speaks the other of plain and TLS", listener.span),))
    site, span, captures, numbered = choose_site(estate, listener, request.host)
    taken = heads.in_force(listener, site)
    received = request
    dropped, request = [name for name, _ in request.fields if heads.drops(taken, name)], heads.without_dropped(taken, request)
    over = heads.over(listener, site, request)
    if over is None and heads.refuses_host(taken, request.host):
        over = 400, False, None
    if not isinstance(site, Site):
        if over is not None and isinstance(site, AnswerPlainly):
            return heads.answer(estate, listener, site, request, facts, over, lambda state: _Run(estate, state).outcome())
        status = (400 if heads.is_none(estate, listener, request) else site.status) if isinstance(site, AnswerPlainly) else None  # net/url (Caddy 2.6.2, probed)
        return Outcome(status, body="" if status and status != 400 else None, trace=(TraceEntry("no site has this name", listener.span, request.host),))
    if request.method == "TRACE" and site.trace is not None:
        # httpd redirects first, then asks nobody who he is; what fields such an answer has is not read.
        return Outcome(None, site=site.key, decided_by=site.trace.span, gave_up="what is answered to TRACE is not known", trace=(TraceEntry(f"site {site.key}", site.span, request.host),))
    raw, query = paths.split_target(request.target)
    path = paths.read_path(raw, site.reading)
    if path is None or site.reading.cuts_parameters and query is not None and paths.is_no_query(query):
        return heads.malformed(estate, listener, site, request, facts, lambda state: _Run(estate, state).outcome(), captures, numbered)
    port: str | None = None
    if site.client_from is not None:
        if reads is not None:
            reads["client", ""] = None
            reads["field", site.client_from.field.lower()] = None
        told, (request, port) = request, seen_from(request, site.client_from)
    state = State(request, site, facts, path, raw, query, request.method, raw_last=raw, received=received, dialect=estate.dialect, drops_empty=estate.dialect == "nginx", looks_once=estate.dialect == "nginx", named=dict(captures), numbered=numbered, index=index, reads=reads, drops_final_dot=listener.drops_final_dot, client_port=port)
    if site.client_from is not None and site.client_from.consumes and request is not told:
        # What is left of the field goes on to the origin, if anything is.
        name = site.client_from.field
        left = request.field(name)
        state.request_fields.append(Field(Side.REQUEST, Operation.SET if left else Operation.REMOVE, name, (left or "",), span=site.client_from.span))
    # What no rule speaks of would pass: what is dropped is said to be taken away.
    state.request_fields += [Field(Side.REQUEST, Operation.REMOVE, name) for name in dropped]
    if "%2f" in raw.lower() and not site.reading.cuts_parameters:
        state.refused = site.reading.encoded_slash_status
    if request.method in dict(taken.methods):
        state.refused = dict(taken.methods)[request.method]
        if any(isinstance(step, ErrorPages) and any(page.statuses is None or state.refused in page.statuses for page in step.pages) for step in site.early):
            # The page is looked up as any path is, though no rule was asked before.
            return Outcome(None, site=site.key, decided_by=site.span, gave_up=f"the page for {state.refused} is not known where the method is refused", trace=tuple(state.trace))
    state.note(f"site {site.key}", span or site.span, request.host, True)
    if (asked := client_certificates.asked_of(site, request)) is not None:
        state.looked_at("field", client_certificates.CERTIFICATE)
        certificate = client_certificates.shown(request)
        state.unproven = client_certificates.refusal(asked, certificate)
        state.note("the client's certificate", asked.span, certificate or "none", state.unproven is None)
        if state.unproven == ():
            return Outcome(None, site=site.key, decided_by=asked.span, handshake=True, trace=tuple(state.trace))
    if over is not None:
        return heads.answer(estate, listener, site, request, facts, over, lambda state: _Run(estate, state).outcome(), dict(captures), numbered)
    outcome = _Run(estate, state).outcome()
    if asked is not None and asked.verified and certificate == client_certificates.TRUSTED:
        outcome = replace(outcome, trusts=", ".join(asked.trusted))
    return outcome


class _Run:
    """One request through one program."""

    def __init__(self, estate: Estate, state: State) -> None:
        self.estate, self.state, self.steps, state.allows = estate, state, 0, lambda name, as_file: inside.allows(self, name, as_file)
        self.kept: dict[str, tuple[list[Field], list[Field], ErrorPages | None, Compress | None, MediaTypes | None, tuple[Limited, ...]]] = {}

    def outcome(self) -> Outcome:
        result = self.run(self.state.site.program)
        if isinstance(result, Outcome):
            return result
        # A program that ends without an answer: 200, empty (Caddy's rule; nginx's programs always end).
        # Nothing is written then, so nothing deferred takes place.
        return self.end(None, status=200, body="", is_error=True)

    def anew(self, state: State) -> Outcome:
        return _Run(self.estate, state).outcome()

    def run(self, steps: tuple[Step, ...]) -> _Next:
        for step in steps:
            self.steps += 1
            if self.steps > _LIMIT_STEPS:
                self.state.gave_up = "the program did not come to an end"
                return self.end(step.span, status=500)
            if self.state.refused is not None and not self.state.site.early and (early.is_of_parts(step) or early.is_unasked(step, self.state.unread)):
                continue
            if self.state.refused is not None and (not isinstance(step, Block) if self.state.site.early else not early.holds_for_all(step)):
                # Only what the whole site has is in force for a target that is refused before anything is looked for. Blocks are entered: pages start them anew.
                status, self.state.refused = self.state.refused, None
                self.run(self.state.site.early)
                if status == self.state.site.reading.encoded_slash_status:
                    self.state.note("an encoded slash is refused", self.state.site.span, self.state.request.target)
                elif status == 405:
                    self.state.note("the method is refused, wherever it leads", self.state.site.span, self.state.request.method)
                return self.fail(status, self.state.site.span)
            if self.state.blanks is not None and blanks.is_past_rules(step):
                return self._refuse_blanks()
            if self.state.unproven is not None and not isinstance(step, Block):
                # ngx_http_process_request: before any rule is looked at, but with the pages for errors of the whole site.
                steps, self.state.unproven = self.state.unproven, None
                return self.run(steps)
            result = _HANDLERS[type(step)](self, step)
            if result is not None:
                return result
        return None

    # --- flow ---------------------------------------------------------------------------------------------------------

    def block(self, step: Block) -> _Next:
        state = self.state
        if step.fresh:
            self.forget(None)
        state.rule_path = None if step.anew else state.rule_path
        self.kept[step.label] = (list(state.fields), list(state.request_fields), state.pages, state.compress, state.types, state.limits.get(SPEED, ()))
        entries = 0
        while True:
            state.entered[step.label], state.entered_at[step.label] = state.rewrites, state.path
            result = self.run(step.steps)
            if result is None and state.blanks is not None:
                return self._refuse_blanks()
            if not isinstance(result, Jump) or result.label != step.label:
                return result
            if not result.again:
                return None
            entries += 1
            if entries > step.limit:
                state.note(CYCLE, step.span)
                if self.estate.dialect == "nginx" and result.label == SITE:
                    # ngx_http_internal_redirect (1.22.1, probed): rounds are counted before the path and the query are changed.
                    state.path, state.raw_path, state.query = state.before
                # http_request.c, ap_die (2.4.71, probed): on the way to an error's page the first error stays, and its request is answered.
                if first := state.in_error and state.keeps_first:
                    state.back_to_first()
                return self.end(step.span, status=state.error_status if first and state.error_status else 500, is_error=True)
            fields, request_fields, state.pages, state.compress, state.types, state.limits[SPEED] = self.kept[step.label]
            state.answer_limit = None
            for name in state.of_place:
                state.variables.pop(name, None)
            if step.new_request:
                # http_request.c, rename_original_env (2.4.71, probed): what was set is there under another name, and once more so the next time.
                renamed = {f"REDIRECT_{name}": state.variables.pop(name) for name in state.environment if name in state.variables}
                state.variables.update(renamed)
                state.environment = frozenset(renamed)
                state.asked_inside, state.user = True, None
                state.variables["REDIRECT_STATUS"] = str(state.error_status or 200)
            # mod_headers changes the request itself, which a page for an error is asked with, in the place of whoever answers it (2.4.71, probed).
            handed_on = state.as_handled if step.new_request and state.as_handled else request_fields
            state.fields, state.request_fields = list(fields), list(handed_on)

    def choose(self, step: Choose) -> _Next:
        index = self.state.index
        for route in step.routes if index is None else index.routes(step, self.state.path):
            held = holds(route.condition, self.state)
            if held or (route.label and index is None):
                self.state.note(route.label or (route.span.directive if route.span else "route"), route.span, self.state.path, held)
            if held:
                return self.run(route.steps)
        return None

    def _refuse_blanks(self) -> _Next:
        """The refusal of a query with blanks that rules have made (mod_rewrite.c, hook_uri2file and hook_fixup: once all are through; 2.4.71, probed)."""
        (span, query), self.state.blanks = self.state.blanks or (None, ""), None
        self.state.note("a query with blanks is refused", span, query)
        return self.fail(403, span)

    def jump(self, step: Restart | Leave) -> _Next:
        if isinstance(step, Restart) and step.asks:
            found, refused = inside.ask_inside(self, step.span, tuple(text(path, self.state) for path in step.asks), step.indexes)
            return self.fail(refused, step.span) if found is None and refused is not None else found
        again = isinstance(step, Restart)
        # ngx_http_handler: a request that begins again inside has its proxied path replaced as usual (1.22.1, probed).
        self.state.pinned = self.state.pinned and not again
        if again and step.unless is not None and step.walks is not None:
            walked_first(step.walks[0], self.state.entered_at[step.unless[0]].removeprefix(step.walks[1]), self.state)
        if again and step.unless is not None and targets.says_same_file(step.unless[0], self.state):
            self.state.note("the same file as before, so that nothing is rewritten", step.span, self.state.path)
            self.state.path, self.state.raw_path, self.state.rewrites = self.state.entered_at[step.unless[0]], None, self.state.entered[step.unless[0]]
            return Jump(step.unless[1], False)
        if again and step.label == SITE and self.state.asked_inside and self.state.depth:
            return inside.handed_on(self, step)
        if again and step.reads_anew:
            targets.read_anew(self.state)
        self.state.note("begins again" if again else "leaves the rewriting", step.span, self.state.path)
        return Jump(step.label, again)

    def _changed_raw(self, raw: str) -> None:
        """rewrite.go, changePath (2.6.2, probed): a path that is the same decoded is escaped anew."""
        state = self.state
        state.path, state.raw_last = paths.decoded(raw), raw
        state.raw_path = raw if raw != state.path else None

    def rewrite(self, step: Rewrite) -> _Next:
        state = self.state
        before = state.path
        state.before = before, state.raw_path, state.query
        state.url = (before if state.url is None else state.url) if step.keeps_url else None
        query = state.query
        if step.query is not None:
            query = targets.query_of(step.query, state)
            state.blanks = (step.span, query or "") if step.query.refuses_blanks and targets.has_blanks(query) else None
            if query == "" and not step.query.keeps_mark and not (step.query.encodes and state.request.target.endswith("?")):
                # mod_rewrite.c, splitout_queryargs: a query of nothing is none, mark and all (httpd 2.4.71, probed); Caddy keeps the client's mark.
                query = None
        match step.edit:
            case SetPath(template):
                if step.edit.refuses_marks and targets.brings_mark(template, state):
                    return self._mark_refused(step.span)
                if len(template) == 1 and isinstance(template[0], Var) and template[0].variable is Variable.SCRIPT_NAME:
                    state.found_rest = text((Var(Variable.PATH_INFO, template[0].name),), state)
                raw, (state.path, state.raw_path) = state.raw_last, targets.path_made(step.edit, state)
                if not state.path and step.edit.refuses_nothing:
                    # ngx_http_script_regex_end_code: "the rewritten URI has a zero length".
                    state.path = before
                    return self.fail(500, step.span)
                if step.edit.cuts_at_mark or step.edit.splits_at_mark:
                    query = targets.parted(step, query, raw, state)
            case StripPrefix(prefix, True):
                self._changed_raw(paths.without_prefix(paths.clean_or_dot(state.escaped_path), prefix))
            case StripPrefix(prefix):
                if state.path.startswith(prefix):
                    state.path = state.path[len(prefix):] or "/"
                    if not state.path.startswith("/"):
                        state.path = "/" + state.path
                    state.raw_path = None
            case StripSuffix(suffix, True):
                self._changed_raw(paths.without_suffix(paths.clean_or_dot(state.escaped_path), suffix))
            case StripSuffix(suffix):
                state.path = state.path.removesuffix(suffix)
                state.raw_path = None
        state.query = query
        if step.internal:
            state.rewrites += 1
            state.internal = True
        state.below = step.below if step.edit is not None else state.below
        state.pinned = state.pinned or step.pins
        state.note("rewrite", step.span, f"{before} -> {state.path}")
        return None

    def set_variable(self, step: SetVariable) -> _Next:
        if step.outside and self.state.depth:
            return None  # mod_setenvif.c has no hook that a request inside comes by (httpd 2.4.71, probed)
        if step.by_rule:
            self.state.set_by.append((step.span, step.name, self.state.variables.get(step.name)))
        self.state.variables[step.name] = said(step.value, self.state)
        if self.state.dialect == "nginx":
            self.state.named[step.name] = self.state.variables[step.name]  # one variable, whatever gives it its value (1.22.1, probed)
        if step.environment:
            self.state.environment |= {step.name}
        if step.of_place:
            self.state.of_place.add(step.name)
        return None

    def _mark_refused(self, span: Span | None) -> _Next:
        """The refusal of a question mark that a path brings: it comes before the rule sets its variables (mod_rewrite.c; 2.4.71, probed)."""
        for by, name, before in reversed(self.state.set_by):
            if by == span and before is None:
                self.state.variables.pop(name, None)
            elif by == span:
                self.state.variables[name] = before
        self.state.standing = [item for item in self.state.standing if not item.stays or item.span != span]
        return self.fail(403, span, insists=True)

    def forget(self, step: ForgetFields | None) -> _Next:
        state = self.state
        state.fields, state.pages, state.compress, state.types = [], None, None, None
        state.limits.pop(SPEED, None)
        return None

    def field(self, step: Field) -> _Next:
        if step.when is not None and not step.asked_last and not holds(step.when, self.state):
            return None
        if step.at_once:
            # mod_headers does it last of all before a request is answered.
            self.state.let_in = self.estate.dialect == "apache" and not step.stays
            step = replace(step, value=(with_placeholders(step.value, self.state, says=True),))
            self.state.let_in = False
        if step.side is Side.REQUEST and step.operation is Operation.SET and step.name.lower() == "host" and self.estate.dialect in ("apache", "caddy"):
            # mod_headers, and headers.go, change the request itself, so that what comes after it sees another Host (2.4.71, 2.6.2, probed).
            self.state.host_set = text(step.value, self.state)
        if step.side is Side.RESPONSE:
            answering.take(step, self.state)
        else:
            self.state.request_fields.append(step)
        return None

    def error_pages(self, step: ErrorPages) -> _Next:
        self.state.pages = step.onto(self.state.pages)
        return None

    def compress(self, step: Compress) -> _Next:
        self.state.compress = step
        return None

    def limits(self, step: Limits) -> _Next:
        limiting.meet(step, self.state)
        return None

    def media_types(self, step: MediaTypes) -> _Next:
        self.state.types = step.onto(self.state.types)
        return None

    def body_limit(self, step: BodyLimit) -> _Next:
        if step.when_read:
            self.state.body_limit = step
            return None
        return self.fail(step.status, step.span) if self._too_large(step) else None

    def answer_limit(self, step: AnswerLimit) -> _Next:
        if step.when is None or holds(step.when, self.state):
            self.state.answer_limit = step
        return None

    def _too_large(self, step: BodyLimit | AnswerLimit) -> bool:
        self.state.looked_at("length")
        length = self.state.request.field("Content-Length")
        return step.limit_bytes is not None and length is not None and length.isdigit() and int(length) > step.limit_bytes

    def nothing(self, step: LogTo | Note) -> _Next:
        return None

    def protect(self, step: Protect) -> _Next:
        client = self.state.request.client
        self.state.looked_at("client")
        for rule in step.rules:
            if any(in_network(client, network) for network in rule.networks):
                self.state.note("allowed" if rule.allows else "denied", rule.span, client, rule.allows)
                return None if rule.allows else self.fail(403, rule.span)
        return None

    def credentials(self, step: Credentials) -> _Next:
        # Nobody here knows a password: who is known is taken to know his own.
        self.state.looked_at("field", "Authorization")
        # RFC 7616 section 3.3: who is never asked by this server has no number to prove a password with.
        name = "" if step.digest and self.state.unheard and self.state.user is None else user_of(self.state.request.field("Authorization") or "", step.digest)
        held = name in step.names
        self.state.note("known" if held else "not known", step.span, name, held)
        # Whoever names himself, refused or not, and in no lookup inside (httpd 2.4.71, probed).
        self.state.user = self.state.user if self.state.depth else name if held or name and self.estate.dialect == "apache" else None
        if held:
            return None
        # RFC 9110 section 11.6.1: the challenge goes with the answer, whatever page the error leads to; httpd escapes quotes (1.22.1, 2.4.71, 2.6.2, probed).
        realm = text(step.realm, self.state).replace('"', '\\"' if self.estate.dialect == "apache" else '"')
        how = Operation.ADD if self.estate.dialect == "nginx" else Operation.SET  # a page that is closed as well asks once more
        answering.stand(Field(Side.RESPONSE, how, "WWW-Authenticate", (asking.challenge(step, realm, text(step.domain, self.state)),), span=step.span), self.state)
        return self.fail(401, step.span)

    def ask_first(self, step: AskFirst) -> _Next:
        """Who is asked lets the request in, or what it answers comes to something else. Its own target is no part of the request's way."""
        state, asks = self.state, step.forward
        state.looked_at("field", VERDICT)
        origin = state.asked_first = forwarding.request_of(self.estate, asks, state, "GET", self.rewrite)
        verdict = state.verdict = asking.verdict_of(self.estate, state.received or state.request)
        state.note(f"asked first: {verdict.status}", step.span, f"{state.pool_label}{origin.target}", verdict.lets_in)
        if step.keeps_length and (state.request.field("Content-Length") or "0") != "0":
            state.gave_up = "who is asked first waits for content that does not come"
        if verdict.is_silence and self.estate.dialect != "nginx":
            return self.fail(verdict.status, step.span)
        if verdict.lets_in:
            state.request_fields += step.fields
            return None
        instead = next((item for item in asks.in_place if (item.statuses is None or verdict.status in item.statuses) and (not item.field or verdict.field(item.field) is not None)), None)
        if instead is None:
            location = verdict.field("location")
            return self.end(step.span, status=verdict.status, location=forwarding.mapped(asks, location, state, self.estate.dialect) if location else None, origin=origin, extra=asks.response_fields,
                            sent=tuple(pair for pair in verdict.fields if pair[0] != "location"))
        steps = instead.steps
        if self.estate.dialect == "nginx":
            # ngx_http_auth_request_handler (1.22.1, probed): the challenge stands among the answer's fields, whatever page the error leads to.
            state.standing += [item for item in steps if isinstance(item, Field)]
            steps = tuple(item for item in steps if not isinstance(item, Field))
        result = self.run(steps)
        return result if result is not None else self.fail(500, step.span)

    # --- answers ------------------------------------------------------------------------------------------------------

    def redirect(self, step: Redirect) -> _Next:
        if step.refuses_marks and targets.brings_mark(step.location, self.state):
            return self._mark_refused(step.span)
        self.state.sending = step.status  # ngx_http_send_response: it is the answer's before the text is completed
        location = redirects.location_of(step, self.state)
        if location is None:
            return self.fail(403, step.span)
        self.state.redirected = self.estate.dialect == "apache" and step.insists and self.state.in_error
        if not location and self.estate.dialect != "apache":
            location = None  # a field without a value leads nowhere (1.22.1, 2.6.2, probed)
        self.state.note(f"redirect {step.status}", step.span, location or "nowhere")
        if self.state.in_error and self.state.keeps_first and not step.insists:
            return self.fail(step.status, step.span)
        self.state.forced_status = None
        return self.end(step.span, status=step.status, location=location)

    def respond(self, step: Respond) -> _Next:
        self.state.note(f"answer {step.status}", step.span)
        if step.raises:
            return self.fail(step.status, step.span, insists=step.insists)
        status = step.status if step.insists else self.state.forced_status or step.status
        self.state.sending = status
        body = with_placeholders(step.body, self.state)
        # staticresp.go (2.6.2, probed): a text that comes out empty has no type.
        kind = step.media_type if body or self.estate.dialect != "caddy" else ""
        return self.end(step.span, status=status, body=body, is_error=self.state.in_error and self.state.keeps_first, media_type=kind)

    def abort(self, step: Abort) -> _Next:
        self.state.note("connection closed", step.span)
        return self.end(step.span, status=None)

    def unserved(self, step: Unserved) -> _Next:
        self.state.note("a handler or protection that is not read", step.span, step.spelling)
        self.state.gave_up = f"what {step.spelling} answers is not known"
        return self.end(step.span, status=200)

    def fail(self, status: int, span: Span | None, insists: bool = False) -> _Next:
        """The server's own error: its error page, or the plain status."""
        state = self.state
        # http_request.c, ap_die (2.4.71, probed): an error that a rule makes on the way to a page is an error of its own, which may have a page; from the
        # second of them on it goes round until the server has enough of it, and says what the first one was.
        anew = insists and state.in_error and state.keeps_first and self.estate.dialect == "apache"
        round_again, state.first_error = anew and state.first_error is not None, state.first_error or (state.error_status if anew else None)
        page = None if state.pages is None or (state.in_error and not state.recurs and (not anew or round_again)) else next(
            (page for page in state.pages.pages if page.statuses is None or status in page.statuses), None)
        if round_again:
            status = state.first_error or status
        if state.in_error and (state.restored or state.keeps_first and not insists):
            # caddyhttp server.ServeHTTP: an error while an error is handled leaves the first one's status.
            status = state.error_status or status
        if state.in_error and state.keeps_first and (not anew or round_again):
            state.back_to_first()
        state.error_status = status
        if page is not None and state.unparsed and self.estate.dialect == "nginx" and page.restarts is None and not page.redirect:
            # ngx_http_named_location (1.22.1, probed): without a path there is no way to a named location.
            return self.end(page.span, status=500, is_error=True)
        if page is None:
            # httpd: an answer that is no error, made like one, has words of the server's own where no page is written for it.
            own = OWN_WORDS if self.estate.dialect == "apache" else ""
            words = own if 200 <= status < 300 and status != 204 else None
            return self.end(span, status=self._sent_status(status), is_error=True, body=words)
        state.before = state.path, state.raw_path, state.query
        # ngx_http_special_response_handler: the place of the error says whether further ones are looked up, not the place they lead to.
        state.recurs = state.pages is not None and state.pages.recurs
        state.in_error, state.keeps_first = True, page.keeps_first
        if not anew:
            state.first_fields, state.first_path = list(state.fields), state.path if state.url is None else state.url
            state.first_variables, state.first_query, state.first_user = dict(state.variables), state.query, state.user
        state.forced_status = page.status.fixed if page.status.fixed is not None else None if page.status.pages_own else self._sent_status(status)
        state.note(f"error page for {status}", page.span)
        if page.redirect:
            assert page.target is not None
            redirects = (301, 302, 303, 307, 308)
            fixed = page.status.fixed if page.status.fixed in redirects else 302
            if not state.depth:
                state.error_status = fixed  # http_request.c, ap_die (2.4.71, probed): what is asked of the status by now is the redirect's
            return self.end(page.span, status=fixed, location=text(page.target, state), is_error=page.keeps_first)
        if page.restarts is None:
            state.fields = [item for item in state.fields if item.survives_errors]
            state.restored = page.restores
            if page.restores:
                raw, state.query = paths.split_target(state.request.target)
                state.path, state.raw_path, state.method = paths.decoded(raw), raw, state.request.method
            result = self.run(page.steps)
            return result if result is not None else self.end(span, status=status, is_error=True)
        assert page.target is not None
        path, mark, query = text(page.target, state).partition("?")
        state.path, state.raw_path, state.url, state.internal = path, None, None, True
        # nginx (1.22.1, probed): the client's query does not go along to an error page.
        state.query = query if mark else None
        state.pinned = False
        # http_request.c (2.4.71, probed): httpd asks for a page by GET, whatever the client asked by; nginx leaves HEAD as it is.
        if not page.keeps_method and (state.method != "HEAD" or self.estate.dialect == "apache"):
            state.method = "GET"
        return Jump(page.restarts, True)

    def _sent_status(self, status: int) -> int:
        """ngx_http_special_response_handler: errors of TLS have numbers of their own, by which pages are found, and go out as 400."""
        return 400 if self.estate.dialect == "nginx" and status in TLS_ERRORS else status

    def forward(self, step: Forward) -> _Next:
        state = self.state
        state.as_handled = list(state.request_fields)
        if state.body_limit is not None and not origin_errors.leaves_content(step, self.estate.dialect) and self._too_large(state.body_limit):
            return self.fail(origin_errors.too_large(step, state.body_limit, self.estate.dialect), state.body_limit.span)
        state.let_in = True
        origin = forwarding.request_of(self.estate, step, state, step.method or caching.asked_by(step.cache, state), self.rewrite)
        if self.estate.dialect == "apache" and isinstance(step.target, Written) and not step.target.adds_query and "?" in origin.target:
            # mod_rewrite.c, splitout_queryargs (2.4.71, probed): the query that a rule asks an origin with is the request's from then on.
            state.query = origin.target.partition("?")[2]
        if forwarding.is_refused(step, origin.target, state):
            return self.fail(400, step.span)
        if isinstance(step.target, Written) and step.target.plain:
            if re.search(r"[\x00-\x20\x7f]", origin.target):
                # mod_proxy_http.c, proxy_http_canon (2.4.71, probed): what is not escaped may hold no blanks.
                return self.fail(403, step.span)
        elif re.search(r"[^\x21-\x7e]", origin.target):
            state.gave_up = "the origin would get a malformed request line"
        state.note("forward", step.span, f"{state.pool_label}{origin.target}")
        answer = asking.answer_of(self.estate, step.pool, state.received or state.request)
        caching.meet(step.cache, answer, state)
        state.answered_by = state.member_label
        if (late := origin_errors.unanswered(step, answer, self.estate.dialect)) is not None:
            return self.fail(late, step.span)
        instead = next((item for item in step.in_place if item.statuses is None or answer.status in item.statuses), None)
        if instead is not None:
            state.note(f"in the place of {answer.status}", instead.span)
            result = self.run(instead.steps)
            return result if result is not None else self.end(instead.span, status=200, body="", is_error=True)
        if origin_errors.intercepts(step, answer.status, state):
            return self.fail(origin_errors.known_status(answer.status, step, state), step.intercepts_span or step.span, insists=True)
        # On an error page nginx keeps the error's status over the origin's; Caddy (2.6.2, probed) and httpd send the origin's.
        status = answer.status if state.restored or state.keeps_first else state.forced_status or answer.status
        if state.keeps_first and state.error_status and state.request.method != "HEAD" and origin_errors.intercepts(step, state.error_status, state):
            status = state.error_status  # mod_proxy_http.c: but not where ProxyErrorOverride holds for it (2.4.71, probed)
        status = origin_errors.sent(step, origin_errors.replaced(step, status, state), self.estate.dialect)
        return self.end(step.span, status=status, location=self._sent_back(step, answer.location, origin) if answer.location else None, origin=origin,
                        extra=step.response_fields, sent=tuple(cookies.mapped(pair, step.cookies, state) for pair in answering.arrived(answer.fields, self.estate.dialect)))

    def _sent_back(self, step: Forward, location: str, origin: OriginRequest) -> str:
        """The Location that a client gets for an origin's."""
        if location == SELF:
            return origin.mapped_back
        return forwarding.mapped(step, location, self.state, self.estate.dialect)

    def gateway(self, step: Gateway) -> _Next:
        state = self.state
        # core.c (2.4.71, probed): a limit counts for no request that is proxied, whatever protocol the application speaks.
        if state.body_limit is not None and self.estate.dialect != "apache" and not origin_errors.leaves_content(step, self.estate.dialect) and self._too_large(state.body_limit):
            return self.fail(413, state.body_limit.span)
        pool = self.estate.pool(step.pool)
        members = tuple(member.address for member in pool.members if not member.down and not member.backup) if pool else (step.pool,)
        script, parameters = gateway.parameters(step, state)
        state.note("application", step.span, f"{pool.name if pool else step.pool} {script}")
        origin = OriginRequest(members, False, parameters.pop("REQUEST_METHOD", ""), script, tuple(sorted(parameters.items())), choice_of(step, pool, members, state.request.method, state.request), protocol=step.protocol)
        # PHP's process manager answers 404 by itself for a script that is not there; what other applications do, they alone know.
        missing = step.protocol == "fastcgi" and script.lower().endswith(".php") and state.facts.lookup(script) is not FileKind.FILE
        answer = wanted(state.received or state.request)
        state.answered_by, state.by_script = one_of(members), step.protocol in ("fastcgi", "scgi")
        caching.meet(step.cache, replace(answer, status=404) if missing else answer, state)
        if (late := origin_errors.unanswered(step, answer, self.estate.dialect)) is not None and not (missing and (state.asked_inside or answer.after)):
            # mod_dir.c, fixup_dir: the index file was found by then, so that no other is looked for (2.4.71, probed).
            state.intercepted = state.intercepted or state.for_index
            return self.fail(late, step.span)
        said = 404 if missing else answer.status
        # An index script that is not there has no page for errors: the next one is looked for (mod_dir.c; 2.4.71, probed).
        if origin_errors.intercepts(step, said, state) and not (missing and state.for_index):
            return self.fail(origin_errors.known_status(said, step, state), step.intercepts_span or step.span)
        status = origin_errors.replaced(step, said if missing or state.restored or state.keeps_first else state.forced_status or said, state)
        return self.end(step.span, status=status, location=answer.location if answer.location not in ("", SELF) and not missing else None, origin=origin, extra=step.response_fields, sent=answering.arrived(answer.fields, self.estate.dialect, False))

    # --- files --------------------------------------------------------------------------------------------------------

    def serve(self, step: ServeFiles) -> _Next:
        state = self.state
        state.as_handled = list(state.request_fields)
        if step.folders.walks and state.body_limit is not None and self._too_large(state.body_limit):
            # core.c, default_handler (2.4.71, probed): the content is read and thrown away before the file is looked for.
            return self.fail(state.body_limit.status, state.body_limit.span)
        match served := serve(step, state):
            case Found(file, listing, packed):
                state.gave_up = state.gave_up or ranges(state)
                return self.end(step.span, status=step.status or state.forced_status or 200, file=file, listing=listing, packed=packed)
            case Missing(status):
                state.missing = True
                return self.fail(status, step.span)
            case Moved(status, location):
                if state.in_error and state.keeps_first:
                    return self.fail(status, step.span)
                return self.end(step.span, status=status, location=redirects.front_of(step.folders.location_absolute, state) + location)
            case Methods():
                return self._methods(step, served)
            case GoOn(label, path):
                state.before = state.path, state.raw_path, state.query
                state.path, state.raw_path, state.internal, state.pinned = path, None, True, False
                return Jump(label, True)
            case AskIndexes(names, otherwise):
                return self._indexes(step, names, otherwise)

    def _methods(self, step: ServeFiles, said: Methods) -> Outcome:
        return self.end(step.span, status=said.status, body="", named=said.named, media_type="" if said.named else content_types.forced(self.state) or "httpd/unix-directory")

    def _indexes(self, step: ServeFiles, names: tuple[str, ...], otherwise: Found | Missing | Methods) -> _Next:
        found, refused = inside.ask_inside(self, step.span, names, for_index=True)
        if found is not None:
            return found
        if refused is not None:
            return self.fail(refused, step.span)
        if isinstance(otherwise, Found):
            return self.end(step.span, status=step.status or self.state.forced_status or 200, file=otherwise.file, listing=True)
        if isinstance(otherwise, Methods):
            return self._methods(step, otherwise)
        self.state.missing = True
        return self.fail(otherwise.status, step.span)

    # --- the end ------------------------------------------------------------------------------------------------------

    def end(self, span: Span | None, *, status: int | None, location: str | None = None, origin: OriginRequest | None = None,
            file: str | None = None, body: str | None = None, listing: bool = False, is_error: bool = False,
            extra: tuple[Field, ...] = (), media_type: str = "", named: str = "", sent: tuple[tuple[str, str], ...] = (), packed: tuple[str, str] | None = None) -> Outcome:
        state = self.state
        if origin is None and status is not None and state.answer_limit is not None and self._too_large(state.answer_limit):
            limit, state.answer_limit = state.answer_limit, None
            result = self.fail(limit.status, limit.span, insists=True)
            return result if isinstance(result, Outcome) else Outcome(limit.status, site=state.site.key, decided_by=limit.span, trace=tuple(state.trace))
        state.sent, state.let_in, state.sending = sent, state.let_in or file is not None, status
        # http_request.c, ap_internal_fast_redirect (2.4.71, probed): what was found is answered in the name of the request outside.
        state.method = state.method_outside or state.method
        file = one_slash(file) if file else file
        # ngx_http_header_filter: what stands so is a field of its own, to which a line adds another (1.22.1, probed); elsewhere it is put there last.
        said = [*state.standing, *state.fields] if self.estate.dialect == "nginx" else answering.with_standing(state, status is not None and status >= 300 and not (file or origin))
        operations, types = [*extra, *said], None
        if origin is not None:
            operations = [replace(item, statuses=item.statuses | item.also_of_origins) if item.statuses is not None and item.also_of_origins else item for item in operations]
        if status is not None:
            own, asked = (content_types.handlers_own(
                kinds, state, status=status, file=file or named or None, listing=listing, body=None if body == OWN_WORDS or is_error and not media_type else body, media_type=media_type, origin=origin is not None)
                for kinds in (state.types, content_types.before_charset(state.types)))
            state.answer_type = state.handlers_type = content_types.before_operations(
                asked, state, content_types.before_charset(state.types), status=status, origin=origin is not None, is_error=is_error, listing=listing, body=body)
            of_type = sorted((item for item in operations if item.name.lower() == "content-type"), key=lambda item: not item.apart)
            if state.types is not None:
                types = content_types.sent(own, answering.taking_place(of_type, status, is_error, state), state, listing=listing)
                state.answer_type = state.handlers_type
        edits = contents.edits_of(operations, state) if status is not None and (file and not listing or origin or body not in (None, "", OWN_WORDS)) else ()
        operations = [item for item in operations if item.name != CONTENT]
        extra = tuple(item for item in extra if item.name != CONTENT)
        if status is None:
            fields: tuple[tuple[str, str], ...] = ()
        elif origin is not None and self.estate.dialect == "caddy":
            operations = [item for item in operations if types is None or item not in of_type]
            fields = answering.joined_fields([item for item in operations if item not in extra], tuple(item for item in operations if item in extra), status, state, sent)
        else:
            # util_script.c: what a program says goes into the table of `always` (httpd 2.4.71, probed).
            apart = self.estate.dialect == "apache" and origin is not None and origin.protocol in ("fastcgi", "scgi")
            fields = answering.response_fields(operations, status, is_error, state, sent, "" if types is None else "content-type", apart)
        # RFC 9112 section 6.3: how long an answer is belongs to the connection; a server corrects what a rule says of it (nginx 1.22.1 does not, for 204).
        fields = tuple(pair for pair in fields if pair[0] != "content-length")
        caching.settle(fields, state)
        return Outcome(
            status, location.strip(answering.BLANKS) if location else location, origin, file, body, fields, f"{packed[0]} as it lies there" if packed else answering.coding(state, status, file, origin), listing, state.missing,
            state.site.key, span, state.gave_up, tuple(state.trace), types, asked_first=state.asked_first, edits=edits, limits=limiting.in_force(state, bool(file or origin)), kept=state.kept, by_name=state.types if file is not None and not listing else None, packed=packed[1] if packed else "",
        )


_HANDLERS: dict[type, Callable[..., _Next]] = {
    Block: _Run.block, Choose: _Run.choose, Restart: _Run.jump, Leave: _Run.jump, Rewrite: _Run.rewrite,
    SetVariable: _Run.set_variable, ForgetFields: _Run.forget, Field: _Run.field, ErrorPages: _Run.error_pages,
    Compress: _Run.compress, MediaTypes: _Run.media_types, BodyLimit: _Run.body_limit, AnswerLimit: _Run.answer_limit, LogTo: _Run.nothing, Note: _Run.nothing,
    Limits: _Run.limits, Protect: _Run.protect, Credentials: _Run.credentials, AskFirst: _Run.ask_first, Redirect: _Run.redirect, Respond: _Run.respond, Abort: _Run.abort, Forward: _Run.forward, Gateway: _Run.gateway, Unserved: _Run.unserved,
    ServeFiles: _Run.serve,
}
