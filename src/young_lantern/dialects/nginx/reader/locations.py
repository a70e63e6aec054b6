"""nginx `location` -> routes, in an order in which the first that holds is the one nginx would choose.

Source:   nginx manual, core module, "location"; ngx_http_core_find_location (1.22.1).
Rule:     an exact one wins at once; else the longest prefix is remembered, then the patterns of its level are tried in
          file order and the first beats it, unless the prefix carries ^~. Nested levels do the same, the inner patterns
          before the outer. Hence prefixes sorted by length, ^~ before and plain ones after the patterns, and, where
          levels nest, the patterns repeated within each prefix.
Cases:    tests/conformance/
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ....codes import VALUE_UNREAD
from ....model import (
    ALWAYS, AllOf, AnyOf, Block, Choose, Condition, Disposition, Field, ForgetFields, Forward, MethodIn, Not, PathIs, PathMatches, PathStartsWith,
    Redirect, Respond, Restart, Rewritten, Route, ServeFiles, Step, TextIs, Unserved, Var, Variable, join,
)
from ....model.walk import with_steps
from ....patterns import search
from .. import catalogue, defaults
from ..syntax import Directive
from . import access, answers, asking, client, compression, content, fields, files, gateways, grpc, inside, limits, logs, media_types, origins, redirect_names, rewrites
from .context import Context, Scope
from .load import broken

LOCATE = "locate"
_OWN_SETTINGS = ("add_header", "expires", "error_page", "charset", "sub_filter")


@dataclass(slots=True, eq=False)
class Location:
    """`kind` is "=", "^~", "~", "~*", "@" or "" (prefix)."""

    kind: str
    text: str
    scope: Scope
    directive: Directive
    children: list["Location"] = field(default_factory=list)

    @property
    def prefix(self) -> str | None:
        return self.text if self.kind in ("=", "^~", "") else None


def read_locations(scope: Scope, context: Context) -> list[Location]:
    """The locations written at a level."""
    found = []
    for directive in scope.own("location"):
        context.use(directive)
        words = directive.args
        if broken(context, directive):
            continue
        kind, text = (words[0], words[1]) if len(words) == 2 else ("", words[0])
        if len(words) == 1:
            for sign in ("=", "^~", "~*", "~", "@"):
                if text.startswith(sign):
                    kind, text = sign, text if sign == "@" else text[len(sign):]
                    break
        if kind not in ("=", "^~", "~", "~*", "@", ""):
            context.unread(directive, kind, "=, ^~, ~ or ~* was expected")
            continue
        prefix = text if kind in ("=", "^~", "") else None
        inner = Scope("location", context.block(directive), scope, directive, prefix)
        location = Location(kind, text, inner, directive)
        location.children = read_locations(inner, context)
        found.append(location)
    return found


class SiteLocations:
    """Builds the steps of a site's locations. Named ones are put in where they are called."""

    def __init__(self, server: Scope, context: Context) -> None:
        self.server, self.context = server, context
        everything = read_locations(server, context)
        self.top = [location for location in everything if location.kind != "@"]
        self.named = {location.text: location for location in everything if location.kind == "@"}
        inside.tell_of_origins(server, everything, context)
        self.calling: list[str] = []
        self.called: dict[tuple[str, int], tuple[Step, ...]] = {}
        # core module, recursive_error_pages: on the way to an error page no other is looked up unless that is on. Written out
        # in one another, pages of pages would grow beyond all bounds: five deep is as far as they are followed.
        self.pages_open, self.pages_deep = 0, 5 if _recurs(server, context) else 1
        self.made: dict[int, tuple[Step, ...]] = {}

    # --- choosing ---------------------------------------------------------------------------------------------------

    def steps(self) -> tuple[Step, ...]:
        """The search for a location and all that follows, as a block that rewriting may enter again."""
        holding = [location for location in self.top if location.children and location.kind in ("", "^~")]
        # Patterns that stand beside nothing nested are tried once, for all prefixes alike; so they are where nested ones are few.
        apart = not holding or any(location.kind in ("~", "~*") for location in self.top) and any(location.kind == "" and not location.children for location in self.top)
        routes = self._flat(self.top) if apart else self._nested(self.top, [])
        body = self.content(self.server, None)
        return (Block(LOCATE, (Choose((*routes, Route(ALWAYS, body, self._server_span(), label="(no location)"))),), limit=defaults.RESTARTS),)

    def _server_span(self):  # type: ignore[no-untyped-def]
        return self.server.opened_by.span if self.server.opened_by else None

    def _flat(self, level: list[Location]) -> list[Route]:
        exact, prefixes, patterns = _sorted(level)
        silent = [location for location in prefixes if location.kind == "^~" or location.children]
        plain = [location for location in prefixes if location.kind == "" and not location.children]
        routes = [self._route(location) for location in exact]
        routes += self._slashes(exact + prefixes)
        if not patterns:
            return routes + [self._route(location) for location in prefixes]
        for location in silent:
            longer = tuple(PathStartsWith(other.text, span=other.directive.span) for other in plain if other.text.startswith(location.text))
            guard = Not(AnyOf(longer) if len(longer) > 1 else longer[0]) if longer else None
            routes.append(self._holding(location, [] if location.kind == "^~" else patterns, guard) if location.children else self._route(location, guard))
        return routes + [self._route(location) for location in patterns] + [self._route(location) for location in plain]

    def _holding(self, location: Location, outer: list[Location], guard: Condition | None = None) -> Route:
        """A prefix with locations in it. outer: the patterns that are tried after those nested in it."""
        inside = self._nested(location.children, outer) if location.children else [self._route(item) for item in outer]
        leaf = Route(ALWAYS, self.content(location.scope, location.prefix), location.directive.span, location.directive.comments, _name(location))
        condition: Condition = PathStartsWith(location.text, span=location.directive.span)
        if guard is not None:
            condition = AllOf((condition, guard), location.directive.span)
        if inside:
            return Route(condition, (Choose((*inside, leaf), location.directive.span),), location.directive.span, label=_name(location))
        return Route(condition, leaf.steps, leaf.span, leaf.comments, leaf.label)

    def _nested(self, level: list[Location], outer: list[Location]) -> list[Route]:
        """`outer`: the patterns of the levels above that are still to be tried, inner ones first."""
        exact, prefixes, patterns = _sorted(level)
        routes = [self._route(location) for location in exact]
        routes += self._slashes(exact + prefixes)
        for location in prefixes:
            routes.append(self._holding(location, outer if location.kind == "^~" else [*patterns, *outer]))
        return routes + [self._route(location) for location in [*patterns, *outer]]

    def _route(self, location: Location, guard: Condition | None = None) -> Route:
        condition = self._condition(location)
        if guard is not None:
            condition = AllOf((condition, guard), location.directive.span)
        if location.children and location.kind in ("~", "~*"):
            # A pattern that was chosen is final: only what is nested in it is searched further.
            leaf = Route(ALWAYS, self.content(location.scope, None), location.directive.span)
            steps: tuple[Step, ...] = (Choose((*self._nested(location.children, []), leaf)),)
        else:
            steps = self.content(location.scope, location.prefix)
        return Route(condition, steps, location.directive.span, location.directive.comments, _name(location))

    def _condition(self, location: Location) -> Condition:
        span = location.directive.span
        if location.kind == "=":
            return PathIs(location.text, span=span)
        if location.kind in ("~", "~*"):
            return PathMatches(self.context.pattern(location.text, location.directive, ignores_case=location.kind == "~*"), span=span)
        return PathStartsWith(location.text, span=span)

    def _slashes(self, locations: list[Location]) -> list[Route]:
        """A location `/x/` for an origin of any kind sends `/x` to `/x/` (core module, location), before patterns are tried."""
        texts = {location.text for location in locations}
        routes = []
        proxied = {location.text for location in locations if location.scope.among(*catalogue.PASSES)}
        for text in dict.fromkeys(location.text for location in locations):
            # An exact and a prefix location of one text share a node, and the exact one's settings are taken.
            location = next(location for location in locations if location.text == text)
            bare = text[:-1]
            if text.endswith("/") and bare and bare not in texts and text in proxied:
                answer = Redirect(301, join((location.text,), Var(Variable.QUERY, "?")), redirect_names.absolute(location.scope, self.context), location.directive.span)
                routes.append(Route(PathIs(bare, span=location.directive.span), (*self._settings(location.scope), *self._refusal(location.scope), *access.read_body_limit(location.scope, self.context), answer), location.directive.span, label=f"{bare} (slash added)"))
        return routes

    # --- what a location does ---------------------------------------------------------------------------------------

    def content(self, scope: Scope, prefix: str | None) -> tuple[Step, ...]:
        if id(scope) not in self.made:
            before, verdicts = self.context.split, self.context.verdicts
            self.context.verdicts = asking.names_of(scope)
            found = files.split_of(scope, self.context)
            self.context.split = found.text if found else ""
            self.made[id(scope)] = self._content(scope, prefix)
            self.context.split, self.context.verdicts = before, verdicts
        return self.made[id(scope)]

    def _content(self, scope: Scope, prefix: str | None, named: bool = False) -> tuple[Step, ...]:
        """named: it is entered without a search, and ngx_http_core_find_config_phase, which asks for the length, and whether it is internal, is passed over (1.22.1, probed)."""
        context = self.context
        if scope.kind == "location":
            client.tell_within(scope, context)
        # ngx_http_core_find_config_phase: `internal` is asked before the length of the content.
        limit = access.read_body_limit(scope, context)
        steps: list[Step] = [*self._settings(scope), *(() if named else (*self._refusal(scope), *limit))]
        for item in scope.own("internal") if named else ():
            claim = context.claims[context.use(item).span]
            claim.disposition, claim.why = Disposition.IMPLIED, "no client can ask for a named location"
        if scope.kind == "location" and scope.own("access_log"):
            steps += logs.read_logs(scope, context)
        taken: list[tuple[str, Scope]] = []
        limited = access.read_limited(scope, context)
        if limited is not None:
            # Requests with other methods have a configuration of their own there, which inherits the handler, but neither what
            # is rewritten nor try_files (1.22.1, probed).
            refused = (Unserved(limited.span.directive, limited.span),) if limited.closed else self._guards(limited.others)
            below = (*refused, *self._handler(scope, prefix))
            steps.append(Choose((Route(Not(MethodIn(limited.methods, limited.span), limited.span), below, limited.span),), limited.span))
        if scope is not self.server:
            steps += self._rewriting(scope, taken)
        for_ifs = [
            Route(_taken(variable, inner), (*self._settings(inner), *self._left_by(taken[:number], inner), *self._handling(inner, prefix)), inner.opened_by.span if inner.opened_by else None)
            for number, (variable, inner) in reversed(list(enumerate(taken)))
            if not _ends(inner)
        ]
        if for_ifs:
            steps.append(Choose((*for_ifs, Route(ALWAYS, self._handling(scope, prefix)))))
        else:
            steps += self._handling(scope, prefix)
        return files.with_root_said(tuple(steps), scope, context)

    def _left_by(self, before: list[tuple[str, Scope]], scope: Scope) -> tuple[Step, ...]:
        """ngx_http_update_location_config (1.22.1, probed): a true `if` without a handler leaves that of one before it, which finds nothing to ask here, and fails."""
        if any(self.own_handlers(scope, name) for name in catalogue.PASSES):
            return ()
        held = [_taken(variable, inner) for variable, inner in before if not _ends(inner) and any(inner.own(name) for name in catalogue.PASSES)]
        span = scope.opened_by.span if scope.opened_by else None
        return (Choose(tuple(Route(condition, (*self._guards(scope), Respond(500, raises=True, span=span)), span, accident=True) for condition in held), span),) if held else ()

    def _refusal(self, scope: Scope) -> list[Step]:
        """`internal`, which nested locations inherit: 404 for a target that the client itself sent."""
        if scope.kind != "location" or not (internal := scope.inherited("internal")):
            return []
        span = self.context.use(internal[0]).span
        return [Choose((Route(Not(Rewritten(span=span)), (Respond(404, raises=True, span=span),), span),), span)]

    def _rewriting(self, scope: Scope, taken: list[tuple[str, Scope]]) -> list[Step]:
        label = self.context.label("rewriting")
        phase = rewrites.Phase(label, LOCATE, at_server=False)

        def before_answer(inner: Scope) -> tuple[Step, ...]:
            if inner is not scope:
                return self._settings(inner, own=True)
            # The last true `if` above has put its settings in place of the location's, for this answer as well; one that brings
            # none has the location's again (1.22.1, probed).
            brings = [any(above.own(name) for name in _OWN_SETTINGS) for _, above in taken]
            routes = [Route(_taken(variable, above), self._settings(above) if own else ())
                      for (variable, above), own in reversed(list(zip(taken, brings, strict=True))[brings.index(True):])] if any(brings) else []
            return (Choose(tuple(routes)),) if routes else ()

        steps = rewrites.read_phase(scope, phase, self.context, before_answer, taken)
        if not steps:
            return []
        goes_on = any(directive.name == "rewrite" and len(directive.args) == 2 for directive in _rewriting_in(scope, self.context))
        if goes_on:
            # A path changed without a flag is looked up again when the phase ends; Leave skips that.
            steps = (*steps, Choose((Route(Rewritten(LOCATE), (Restart(LOCATE),)),)))
        return [Block(label, steps)]

    def _handling(self, scope: Scope, prefix: str | None) -> tuple[Step, ...]:
        guards = self._guards(scope)
        if guards and isinstance(guards[-1], Unserved):
            return guards
        handler = self._handler(scope, prefix)
        serving = next((step for step in handler if isinstance(step, ServeFiles)), None)
        return (*guards, *files.read_try_files(scope, self.call, serving, self.context), *handler)

    def _guards(self, scope: Scope) -> tuple[Step, ...]:
        """Who may enter: by his address, by what he says of himself, and by what an origin says of him."""
        asked = asking.read_question(scope, self._leading_to(scope), self.context)
        return (*limits.read_limits(scope, self.context), *access.read_guards(scope, self.context), *((asked,) if asked is not None else ()))

    def _leading_to(self, scope: Scope) -> tuple[Scope, str | None] | None:
        """The location, and its text, that the path of a question leads to; None where that is not one by a plain text."""
        line = next(iter(scope.inherited("auth_request")), None)
        path = line.args[0] if line is not None and line.args else ""
        level, found = self.top, None
        while level:
            if any(location.kind in ("~", "~*") and search(self.context.pattern(location.text, location.directive, ignores_case=location.kind == "~*"), path) for location in level):
                return None
            held = [location for location in level if location.kind == "=" and location.text == path] or sorted(
                (location for location in level if location.kind in ("", "^~") and path.startswith(location.text)), key=lambda location: len(location.text))
            if not held:
                break
            found, level = held[-1], held[-1].children
        return (found.scope, found.prefix) if found is not None else None

    def _handler(self, scope: Scope, prefix: str | None) -> tuple[Step, ...]:
        """The content handler of a scope: an origin, files, or one that is not read."""
        steps: list[Step] = []
        proxied = scope.own("proxy_pass") or (scope.parent.own("proxy_pass") if scope.kind == "if" and scope.parent else [])
        forwarded: tuple[Step, ...] | None = None
        if proxied and not broken(self.context, proxied[-1]):
            with self.context.gather() as spans:
                forwarded = origins.read_origins(proxied[-1], scope, prefix, self.context)
            forwarded = forwarded and tuple(with_steps(forwarded, lambda step: [replace(step, also=tuple(spans)) if isinstance(step, Forward) else step]))
        if by_grpc := self.own_handlers(scope, "grpc_pass"):
            if not broken(self.context, by_grpc[-1]):
                with self.context.gather() as spans:
                    made = grpc.read_grpc(by_grpc[-1], scope, self.context)
                forwarded = (replace(made, also=tuple(spans)),) if made else None
        passed = next((found for name in catalogue.GATEWAYS if (found := self.own_handlers(scope, name))), [])
        gateway = None
        if passed and not broken(self.context, passed[-1]):
            with self.context.gather() as spans:
                gateway = gateways.read_gateway(passed[-1], scope, self.context)
            gateway = gateway and replace(gateway, also=tuple(spans))
        handler = next((directive for name in catalogue.HANDLERS for directive in self.own_handlers(scope, name)), None)
        guard = next((directive for name in catalogue.GUARDS for directive in scope.inherited(name) if directive.args != ["off"]), None)
        if guard is not None:
            steps.append(Unserved(" ".join([guard.name, *guard.args]), guard.span))
        elif forwarded:
            steps.extend(forwarded)
        elif gateway:
            steps.append(gateway)
        elif proxied:
            # Where it goes is not read; it goes to no file.
            steps.append(Unserved(" ".join([proxied[-1].name, *proxied[-1].args]), proxied[-1].span))
        elif handler is not None:
            status = handler.name == "stub_status"
            steps.append(Unserved(" ".join([handler.name, *handler.args]), self.context.use(handler).span if status else handler.span, "status" if status else ""))
        else:
            with self.context.gather() as spans:
                serving = files.read_serving(scope, self.context)
            steps.append(replace(serving, also=tuple(spans)))
        return tuple(steps)

    def own_handlers(self, scope: Scope, name: str) -> list[Directive]:
        """A content handler that is written in the location, or in the one around an `if`."""
        return scope.own(name) or (scope.parent.own(name) if scope.kind == "if" and scope.parent else [])

    def _settings(self, scope: Scope, own: bool = False) -> tuple[Step, ...]:
        """What answers given at a scope carry. own: only what an `if` has in place of its location's."""
        context = self.context
        pages: tuple[Step, ...] = ()
        if self.pages_open < self.pages_deep:
            pages = answers.read_error_pages(scope, self.call, context)
        elif context.switch(scope, "recursive_error_pages", False):
            # What comes after so many is not foretold, rather than foretold wrongly.
            pages = answers.read_error_pages(scope, lambda name, by: (Unserved(by.span.directive, by.span),), context)
        added: tuple[Field, ...] = (*fields.read_fields(scope, context), *content.read_edits(scope, context))
        if own and not any(scope.own(name) for name in _OWN_SETTINGS):
            return ()
        made = (*pages, *added, *compression.read_compression(scope, context), *limits.read_speed(scope, context), *media_types.read_media_types(scope, context))
        if own or scope.kind == "if":
            made = (ForgetFields(), *made)
        return files.with_root_said(made, scope, context)

    def call(self, name: str, by: Directive) -> tuple[Step, ...]:
        """The steps of a named location, put in place; a name that calls itself ends with 500, as in the server."""
        location = self.named.get(name)
        if location is None:
            self.context.claims[by.span].finding = self.context.say(VALUE_UNREAD, by.span, value=name, directive=by.name, expected="a named location of this site was expected")
            return (Respond(500, raises=True, span=by.span),)
        # A page for an error may lead to itself where errors on the way there have pages, too; it ends when those are not looked up any more.
        if name in self.calling and not (by.name == "error_page" and 0 < self.pages_open < self.pages_deep):
            return (Respond(500, raises=False, span=by.span),)
        self.pages_open += by.name == "error_page"
        key = name, self.pages_open
        if key not in self.called:
            self.calling.append(name)
            self.called[key] = (Block(name, self._content(location.scope, None, named=True), fresh=True, span=location.directive.span),)
            self.calling.pop()
        self.pages_open -= by.name == "error_page"
        return self.called[key]


def _recurs(scope: Scope, context: Context) -> bool:
    """Whether recursive_error_pages is on anywhere in a site, or above it."""
    if any(directive.args == ["on"] for directive in scope.inherited("recursive_error_pages")):
        return True
    return any(_recurs(Scope(inner.name, context.block(inner)), context) for inner in scope.directives if inner.block is not None)


def _taken(variable: str, scope: Scope) -> Condition:
    """Whether the `if` with this scope held."""
    return TextIs((Var(Variable.VARIABLE, variable),), ("1",), span=scope.opened_by.span if scope.opened_by else None)


def _rewriting_in(scope: Scope, context: Context) -> list[Directive]:
    found = []
    for directive in scope.directives:
        found.append(directive)
        if directive.name == "if":
            found += _rewriting_in(Scope("if", context.block(directive), scope), context)
    return found


def _ends(scope: Scope) -> bool:
    """An `if` that always ends with its own answer leaves no settings behind."""
    return any(directive.name == "return" for directive in scope.directives)


def _name(location: Location) -> str:
    return " ".join(["location", *(word.raw for word in location.directive.words[1:])])


def _sorted(level: list[Location]) -> tuple[list[Location], list[Location], list[Location]]:
    exact = [location for location in level if location.kind == "="]
    prefixes = sorted((location for location in level if location.kind in ("", "^~")), key=lambda location: -len(location.text))
    patterns = [location for location in level if location.kind in ("~", "~*")]
    return exact, prefixes, patterns
