"""What a virtual host does with a request, in httpd's own order -> the program of a site.

Source:   Apache HTTP Server manual, "Configuration Sections", "Request Processing"; server/request.c ap_process_request_internal.
Rule:     fields of the table `always`, then rewriting, proxy mapping, redirects, aliases, the document root; there the sections are merged:
          who may come in, rewriting of the folder, redirects of the section, fields, and the file. What is changed inside begins again.
Left out: index files are looked for without a new search for sections (httpd makes one), so that a section for the index
          file's own path does not count for its folder.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial

from ....model import (
    ALWAYS, SITE, AllOf, AnswerLimit, Block, Choose, Condition, Credentials, Field, FileExists, FileKind, FileNameMatches, ForgetFields, LetInBefore, Mapped, MethodIn, Not, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, Placeholder, QueryEdit, Redirect, Respond, Restart, Rewrite, Rewritten, Route, SetPath, SetVariable, Step, Template, TextIs, Unserved,
    Var, Variable, Written, join,
)
from ....model.placeholders import PLACEHOLDER
from ....model.walk import transform, walk, with_steps
from ....patterns.path_languages import exclude_each_other
from .. import catalogue, defaults, values
from . import access, caches, compression, content, environment, fields, files, fixups, forwards, gateways, hosts, late_environment, limits, mappings, media_types, rates, rewrites, rule_lists, tls
from .asked_files import open_file
from .context import Context, Node
from .host import Host
from .places import EARLY, NEVER, Place, Section, below, condition, is_within, merged, where_on
from .rule_lists import HANDLER
from .section_rules import SectionRules

_SERVING = ("directoryindex", "directoryslash", "options", "acceptpathinfo")
# What decides who is answered, and what with: an `<If>` that is not read is no hint that it does not.
_DECIDING = ("authtype", "sslrequiressl", "allowmethods", "limitrequestbody", "rewriterule", *mappings.REDIRECTS)
_PHASE = "server rewriting"
_DOMAIN = "digest_domain"


class Program:
    """Builds the steps of one site."""

    def __init__(self, host: Host, context: Context) -> None:
        self.host, self.context = host, context
        self.sections = merged(host.sections)
        self.place = Place("", host.document_root.rstrip("/"))
        merges = context.last(host.levels, "mergeslashes")
        context.keeps_slashes = merges is not None and [word.lower() for word in merges.args] == ["off"]
        self.proxies = forwards.Proxies(host.levels, self.sections, host.server_name, context, host.document_root.rstrip("/"), lambda section: self._condition(section, None))
        # mod_rewrite.c, hook_uri2file: a host without a line of the module's has the configuration of the main server, which is for that alone
        # (2.4.71, probed: not even InheritDown reaches it).
        self.server_rules = rule_lists.in_force([host.main, host.own], context) if any(node.name in rule_lists.OWN for node in host.own) else []
        everywhere = [*host.levels, *(node for section in self.sections for node in section.nodes)]
        context.answer_fields, context.merged_alike = fields.changed_fields(everywhere)
        context.set_to, context.of_own_fields = environment.values_set(everywhere), environment.of_own_fields(everywhere)
        # Such a rule, or alias, says which file is meant and leaves the path that sections are chosen by.
        names_files = any(rule_lists.names_file(rule) for rule in self.server_rules) or mappings.names_files(host.levels)
        self.form = PathForm.URL if names_files else PathForm.CURRENT
        self.rules = SectionRules(host, self.sections, context, self.form, self._condition, self._proxy_rule)
        self.made: dict[Place, tuple[Step, ...]] = {}
        self.lone: list[Route] = []

    def steps(self) -> tuple[Step, ...]:
        rules = self.server_rules
        late_environment.read_late(self.host.levels, [section.nodes for section in self.sections], self.host.secure, self.context)
        inside = [node for section in self.sections for node in section.nodes]
        self.context.environment |= environment.names_set(inside)
        self.context.maybe_empty |= environment.may_be_empty([*self.host.levels, *inside])
        known = environment.read_environment(self.host.levels, self.context)
        head = self._head()
        mapping = self._mapping()
        if rules and rule_lists.is_on(self.host.levels, self.context):
            named = self._named(rules)
            level = rewrites.Level(
                _PHASE, None, "/", named, partial(self._mapped_anew, mapping, head), self._proxy_rule, self.host.document_root.rstrip("/"), secure=self.host.secure, open_file=partial(open_file, self.host),
                by_came=tuple((route, partial(self._redirected, route, mapping, head)) for route in self.lone))
            phase = self.rules.unless_ended(rewrites.read_phase(rules, level, self.context))
            # A changed path skips the mapping; what an earlier round of the rules changed counts, too.
            changed = Choose((Route(Rewritten(SITE), named),))
            mapping = (Block(_PHASE, phase, limit=rule_lists.rounds(rules)), changed, *mapping)
        program: tuple[Step, ...] = (Block(SITE, (*known, *head, *mapping), limit=defaults.RESTARTS, new_request=True),)
        return caches.with_caches(program, self.host.levels, self.sections, lambda section: self._condition(section, None), self.context)

    def _condition(self, section: Section, place: Place | None) -> Condition:
        # request.c, ap_directory_walk (2.4.71, probed): where links are followed unseen, the last name is taken for a folder's without a look at it.
        around = [node for other in self.sections if other.kind == "directory" and other is not section and is_within(section, other) for node in other.nodes]
        return condition(section, place, self.context, self.form, files.follows_all_links([*self.host.levels, *around]))

    def _named(self, rules: list[rule_lists.Rule]) -> tuple[Step, ...]:
        """What is served where a rule changed the path: the file below the document root, or the one that it named in full.

        mod_rewrite.c, prefix_stat: a path whose first segment is there in the file system is a file's name; taken to be so for folders that the
        configuration speaks of.
        """
        places = {}
        for rule in rules:
            text = re.sub(r"%\{DOCUMENT_ROOT\}", self.place.folder, rule.node.args[1]) if len(rule.node.args) > 1 else "-"
            start = re.split(r"\$(?!\{)|%", text)[0]
            known = [folder for folder in self._folders() if (start + "/").startswith(folder + "/")]
            if known:
                places[max(known, key=len)] = None
        routes = [Route(PathStartsWith(folder + "/"), self.files(Place(folder, folder))) for folder in sorted(places, key=len, reverse=True)]
        # The path `/` is there always: it names the root of the file system, of which nothing is shown (2.4.71, probed), and not the document root.
        alone = next((rule.node.span for rule in rules if rule_lists.names_file(rule) and re.fullmatch(r"/(?:[$%]\d)*", rule.node.args[1])), None)
        if alone is not None:
            routes.insert(0, Route(PathIs("/", span=alone), (Respond(403, raises=True, span=alone),), alone, accident=True))
        return (Choose((*routes, Route(ALWAYS, self.files(self.place)))),) if routes else self.files(self.place)

    def _folders(self) -> set[str]:
        found = {self.place.folder, *(section.text.rstrip("/") for section in self.sections if section.kind == "directory" and not re.search(r"[*?\[]", section.text))}
        found |= {folder.rstrip("/") for nodes in (self.host.own, self.host.main) for _, _, folder in mappings.read_aliases(nodes, self.context)}
        return {folder for folder in found if folder.startswith("/") or PLACEHOLDER.match(folder)}

    def _mapped_anew(self, mapping: tuple[Step, ...], head: tuple[Step, ...], rule: rule_lists.Rule) -> tuple[Step, ...]:
        """The mapping of a path that a rule with PT has changed: sections are chosen by it once it is mapped, not for a redirect of the mapping (2.4.71, probed)."""
        # mod_proxy.c, proxy_trans (2.4.71, probed): a ProxyPass of a section counts where the path as it came lies in the section, too.
        asked = None if rule.node.args[0].startswith("!") else PathMatches(self.context.pattern(rule.node.args[0], rule.node))

        def is_passed_by(route: Route) -> bool:
            if route in self.lone:
                return True  # asked before, of the path as it came
            section = self.proxies.of_sections.get(route.span) if route.span else None
            return section is not None and asked is not None and exclude_each_other(asked, self._condition(section, None))

        def anew(route: Route) -> Route:
            if all(isinstance(step, Choose) for step in route.steps):
                return replace(route, steps=self._mapped_anew(route.steps, head, rule))  # redirects of a section, or what an exclusion from a proxy leaves
            early = all(isinstance(step, Redirect | Respond) for step in route.steps)
            return route if early else replace(route, steps=(ForgetFields(), *head, *route.steps))

        return tuple(replace(step, routes=tuple(anew(route) for route in step.routes if not is_passed_by(route))) if isinstance(step, Choose) else step for step in mapping)

    def _redirected(self, lone: Route, mapping: tuple[Step, ...], head: tuple[Step, ...], rule: rule_lists.Rule) -> tuple[Step, ...]:
        """Where a section's redirect holds for the path as it came: what comes before it in the mapping is asked of the new one (2.4.71, probed)."""
        def until(steps: tuple[Step, ...]) -> tuple[Step, ...]:
            first = steps[0] if len(steps) == 1 else None
            if not isinstance(first, Choose):
                return steps
            before = tuple(itertools.takewhile(lambda route: route not in self.lone, first.routes))
            if len(before) == len(first.routes):
                return steps
            nested = tuple(replace(route, steps=until(route.steps)) for route in before)
            return (replace(first, routes=(*nested, Route(ALWAYS, lone.steps))),) if nested else lone.steps

        return self._mapped_anew(until(mapping), head, rule)

    # --- settings that hold before a path is mapped -------------------------------------------------------------------------

    def _head(self, place: Place | None = None, is_mapped: bool = False) -> tuple[Step, ...]:
        """Error pages and fields of the table `always`, those of folders only where the place is known; before the mapping how long its redirects are good for."""
        context, levels = self.context, self.host.levels
        steps: list[Step] = [*files.read_error_pages(levels, context), *fields.read_response_fields(levels, True, context)]
        steps += limits.read_answer_limit(levels, context)
        for section in self.sections:
            if place is not None or section.kind in EARLY:
                steps += self._where(section, place, limits.read_answer_limit(section.nodes, context))
                said = (*files.read_error_pages(section.nodes, context, True), *fields.read_response_fields(section.nodes, True, context))
                steps += self._where(section, place, said)
        # Redirects of the mapping know what locations say of expiry, and not what folders do.
        if not is_mapped:
            steps += self._expiry(None, [section for section in self.sections if section.kind in EARLY])
        return tuple(steps)

    def _speaks_always(self, section: Section) -> bool:
        return any(node.name == "errordocument" or node.name == "header" and node.args[:1] == ["always"] for node in section.nodes)

    def _where(self, section: Section, place: Place | None, steps: tuple[Step, ...]) -> list[Step]:
        """Steps for what a section holds. Fields carry the condition themselves, so that no choice is made for each of them."""
        held = self._condition(section, place) if steps else NEVER
        if held == NEVER:
            return []
        steps = tuple(replace(step, of_section=True) if isinstance(step, Field) else step for step in steps)
        if held is ALWAYS:
            return list(steps)
        made: list[Step] = []
        others = tuple(step for step in steps if not isinstance(step, Field | AnswerLimit))
        for step in steps:
            if isinstance(step, Field | AnswerLimit):
                made.append(replace(step, when=held if step.when is None else AllOf((held, step.when), section.node.span)))
            elif others:
                made.append(Choose((Route(held, others, section.node.span, section.node.comments),), section.node.span))
                others = ()
        return made

    # --- mapping --------------------------------------------------------------------------------------------------------------

    def _mapping(self) -> tuple[Step, ...]:
        context, host = self.context, self.host
        redirects = [route for nodes in (host.own, host.main) for route in mappings.read_redirects(nodes, context)]
        unread = [route for nodes in (host.own, host.main) for route in mappings.read_unread_handlers(nodes, context)]
        aliases = []
        for nodes in (host.own, host.main):
            made: dict[int, Route] = {}
            for node, pattern, url, folder in mappings.read_pattern_aliases(nodes, context):
                place = Place(url.rstrip("/"), folder.rstrip("/"))
                made[id(node)] = Route(PathMatches(pattern, span=node.span), self.files(place, node), node.span, node.comments, url)
            for node, pattern, folder, name in mappings.read_other_pattern_aliases(nodes, context):
                file = Rewrite(SetPath(name), internal=False, keeps_url=True, span=node.span)
                made[id(node)] = Route(PathMatches(pattern, span=node.span), (file, *self.files(Place("", folder), node)), node.span, node.comments, label=folder)
            for node, url, folder in mappings.read_aliases(nodes, context):
                if url.endswith("/") and not folder.endswith("/") and url != "/":
                    # mod_alias puts the rest behind the folder's bare text, so that `/icons/a` becomes `…/iconsa`.
                    context.value(node, f"{url} {folder}", "a final slash on both, or on neither, was expected")
                    made[id(node)] = Route(below(url, node.span), (Unserved(node.span.directive, node.span),), node.span)
                    continue
                place = Place(url.rstrip("/"), folder.rstrip("/"))
                made[id(node)] = Route(below(url, node.span), self.files(place, node), node.span, node.comments, url)
            aliases += [made[id(node)] for node in nodes if id(node) in made]
        lone = [Route(held, (Choose(tuple(routes)),), section.node.span) for section in reversed(self.sections) if section.kind in ("location", "asked")
                if (routes := mappings.read_section_redirects(section.nodes, context)) and (held := self._condition(section, None)) != NEVER]
        self.lone = lone
        rest = (*lone, *redirects, *unread, *aliases, Route(ALWAYS, self.files(self.place, host.root), host.root.span if host.root else None, label="(document root)"))
        proxied = [replace(route, steps=self._proxied(route.steps)) for route in self.proxies.routes(host.own, host.main, rest)]
        number = next((number for number, route in enumerate(proxied, 1) if route.condition is ALWAYS), 0)
        return (Choose(tuple(proxied[:number]) if number else (*proxied, *rest)),)

    def _proxied(self, steps: tuple[Step, ...]) -> tuple[Step, ...]:
        return steps if steps and isinstance(steps[0], Choose) else self._around(None, (*self._handlers(None), *steps))

    def _proxy_rule(self, node: Node, target: Template, text: str, flags: frozenset[str], place: Place | None = None) -> tuple[Step, ...]:
        """A rule with [P]: the target is the origin's URL, completed; the query follows unless it has one. place: of the folder whose rule it is."""
        written_out = list(itertools.takewhile(lambda part: isinstance(part, str | Placeholder), target))
        path = "".join(part if isinstance(part, str) else part.spelling for part in written_out)
        found = forwards.split_url(path)
        if found is None:
            self.context.value(node, text, "http:// and an origin that does not depend on the request were expected")
            return (Unserved(node.span.directive, node.span),)
        front, rest = found
        more = target[len(written_out):]
        if more == (Var(Variable.PATH),) and "?" not in text and not flags & {"qsd", "ne", "noescape"}:
            # The whole path behind the origin, as ProxyPass has it: escaped anew (mod_proxy_http.c, proxy_http_canon).
            forward = self.proxies.forward(node, [front], None, Mapped("", (rest,) if rest else ()))
        else:
            forward = self.proxies.forward(node, [front], None, Written(join(rest, *more), "qsd" not in flags and "?" not in text, bool(flags & {"ne", "noescape"})))
        # A question mark that something brings in is refused when the rule is met, before anybody is asked who he is (2.4.71, probed).
        refused: tuple[Step, ...] = fixups.refuses_marks((rest, *more), node.span) if "unsafeallow3f" not in flags else ()
        if place is None and "qsd" in flags and "?" not in text and self._redirects(None):
            # A section's redirect, which comes before the origin is asked, has the query as the rule has left it (2.4.71, probed).
            refused = (*refused, Rewrite(None, QueryEdit(), internal=False, span=node.span))
        # In a folder the request was mapped to its file, and let in, before the rule was met: what folders say of fields counts.
        return (*refused, *(self._around(None, forward) if place is None else (*self._said(place), *forward)))

    # --- what is in force at a place --------------------------------------------------------------------------------------------

    def files(self, place: Place, root: Node | None = None) -> tuple[Step, ...]:
        """What is answered from a folder."""
        if place not in self.made:
            self.made[place] = self._around(place, (*self._handlers(place, root or self.host.root), *self._fallback(place), *self._serving(place, root or self.host.root)))
        return self.made[place]

    def _around(self, place: Place | None, content: tuple[Step, ...]) -> tuple[Step, ...]:
        steps: list[Step] = []
        if any(section.kind not in EARLY and (self._speaks_always(section) or self._ends_expiry(section)) and self._condition(section, place) != NEVER for section in self.sections):
            # What folders say comes between what the server says and what locations say, so that all is said once more, in this order.
            steps += [ForgetFields(), *self._head(place, is_mapped=True)]
        for section in self.sections:
            steps += self._where(section, place, environment.read_environment(section.nodes, self.context)) if environment.speaks(section.nodes) else []
        for section in self.sections:
            if section.kind not in EARLY:
                steps += self._where(section, place, limits.read_answer_limit(section.nodes, self.context))
        # mod_expires.c, expires_insert_filter: redirects of rules and sections are answers below 400, too (2.4.71, probed).
        steps += self._expiry(place, self.sections)
        steps += self._access(place)
        rewriting = list(self.rules.steps(place))
        redirects = list(self._redirects(place))
        if fixups.stays_open(rewriting, redirects, self.rules.stand_apart):
            for node in (node for section in self.sections for node in section.nodes if node.name in mappings.REDIRECTS):
                self.context.value(node, " ".join(node.args), "rules beside it that each stand for themselves, with L where they change the path, were expected: what comes of both is not read")
            redirects = list(fixups.left_open(tuple(redirects)))
        steps += fixups.in_order(rewriting, redirects, self.rules.stand_apart)
        said = self._said(place)
        return (*steps, *late_environment.late_steps(self.context), *said, *self.rules.types(), *content)

    def _said(self, place: Place | None) -> list[Step]:
        """What all levels and sections add to the answer besides its expiry."""
        levels = self.host.levels
        steps = list(self._settings(levels, [], place))
        for number, section in enumerate(self.sections):
            # What folders above it say is merged into a folder's section before it is asked whether it is on at all.
            around = [node for other in self.sections[:number] if _holds(other, section) for node in other.nodes]
            steps += self._where(section, place, self._settings(section.nodes, [*levels, *around], place))
        return steps

    def _expiry(self, place: Place | None, sections: list[Section]) -> list[Step]:
        """How long answers are good for. A media type's expiry counts before any default, wherever either is written."""
        steps: list[Step] = []
        for read in (fields.read_default_expiry, fields.read_typed_expiry):
            for section in (None, *sections):
                made = read(self.host.levels if section is None else section.nodes, self.context)
                active = self._expires(section, sections, place) if made else NEVER
                if active == NEVER:
                    continue
                if active is not ALWAYS:
                    made = tuple(replace(field, when=active if field.when is None else AllOf((active, field.when), field.span)) for field in made)
                steps += made if section is None else self._where(section, place, made)
        return steps

    def _expires(self, asking: Section | None, sections: list[Section], place: Place | None) -> Condition:
        """Where expiry is on for what a section says of it (None: the host): the last section that holds and speaks of it counts, as they are merged (2.4.71, probed)."""
        said: list[tuple[Condition, bool]] = [(ALWAYS, fields.turns_expiry_on(self.host.levels, self.context) is True)]
        own = ALWAYS if asking is None else self._condition(asking, place)
        for section in sections:
            is_on = fields.turns_expiry_on(section.nodes, self.context)
            if is_on is None:
                continue
            held = ALWAYS if asking is not None and _holds(section, asking) else self._condition(section, place)
            if held is ALWAYS or not exclude_each_other(own, held):
                said.append((held, is_on))
        return where_on(said)

    def _ends_expiry(self, section: Section) -> bool:
        """Whether a section turns off what was said for redirects of the mapping."""
        said = [self.host.levels, *(other.nodes for other in self.sections if other.kind in EARLY)]
        return fields.turns_expiry_on(section.nodes, self.context) is False and any(fields.turns_expiry_on(nodes, self.context) for nodes in said)

    def _settings(self, nodes: list[Node], above: list[Node], place: Place | None) -> tuple[Step, ...]:
        """What one level or section adds to answers that a handler makes."""
        context = self.context
        return (
            *fields.read_request_fields(nodes, context),
            *fields.read_response_fields(nodes, False, context), *content.read_edits(nodes, above, context), *compression.read_compression(nodes, above, context), *rates.read_speed(nodes, above, context),
            *media_types.read_media_types(nodes, not above, context),
            *limits.read_body_limit(nodes, place is None, context),
        )

    def _access(self, place: Place | None) -> list[Step]:
        refused: list[Step] = []
        for section in self.sections:
            if section.refused is not None:
                # config.c, ap_parse_htaccess: a file that cannot be read is 500, before anything else is asked of the folder.
                refused += self._where(section, place, (Respond(500, raises=True, span=section.refused),))
            if (node := self.context.last(section.nodes, "sslrequiressl")) is not None and not self.host.secure:
                # mod_ssl.c, ssl_hook_Access: before anything else is asked, whatever other sections say.
                refused += self._where(section, place, (Respond(403, raises=True, span=node.span),))
        closed = next((node for node in self.host.levels if self._closes(node) and not (node.name == "sslverifyclient" and tls.reads_clients(self.host.levels))), None)
        if closed is not None:
            return [Unserved(closed.span.directive, closed.span)]
        return [*refused, *self._unless_let_in([*self._methods(place), *self._clients(place)], place)]

    def _unless_let_in(self, guards: list[Step], place: Place | None) -> list[Step]:
        """request.c, ap_process_request_internal: who may come in is not asked once more for the page of an error, where its settings are those of the error's request."""
        pages = [node for nodes in (self.host.levels, *(section.nodes for section in self.sections)) for node in nodes
                 if node.name == "errordocument" and len(node.args) > 1 and node.args[1].startswith("/")]
        if not guards or not pages or place is None:
            return guards
        others = [self._condition(section, place) for section in self.sections if not section.kind.startswith("directory")]
        spared = LetInBefore(place.folder, place.url, tuple(held for held in others if held not in (ALWAYS, NEVER)), pages[0].span)
        if ALWAYS in others:
            return guards  # merged into all that is asked for
        return [Choose((Route(spared, (), pages[0].span, accident=True), Route(ALWAYS, tuple(guards))))]

    def _methods(self, place: Place | None) -> list[Step]:
        """mod_allowmethods: the last section that speaks of methods decides, before anything else is asked."""
        routes: list[Route] = []
        for section in reversed(self.sections):
            held = self._condition(section, place)
            steps = access.read_methods(section.nodes, self.context) if held != NEVER else None
            if steps is None:
                continue
            routes.append(Route(held, steps, section.node.span))
            if held is ALWAYS:
                break
        while routes and not routes[-1].steps:
            routes.pop()
        made = list(routes[0].steps) if len(routes) == 1 and routes[0].condition is ALWAYS else [Choose(tuple(routes))] if routes else []
        return self._unless_required(made, place) if made else made

    def _unless_required(self, refusals: list[Step], place: Place | None) -> list[Step]:
        """request.c, SATISFY_ANY (2.4.71, probed): whoever is refused before Require is asked gets in where that lets him."""
        # mod_access_compat merges nothing: the last section with lines of its own says which of both is enough.
        found: list[tuple[Condition, bool]] = []
        for section in reversed(self.sections):
            held = self._condition(section, place) if hosts.has_hosts(section.nodes) else NEVER
            if held != NEVER:
                found.append((held, hosts.satisfies_any(section.nodes)))
            if held is ALWAYS:
                break
        if not any(either for _, either in found):
            return refusals
        required = self._required(place)

        def change(step: Step) -> list[Step]:
            return [Choose((*(Route(held, required if either else (step,)) for held, either in found), Route(ALWAYS, (step,))))] if isinstance(step, Respond) else [step]

        return list(with_steps(tuple(refusals), change))

    def _required(self, place: Place | None) -> tuple[Step, ...]:
        # mod_authz_core.c, authorize_user_core (2.4.71, probed): where it is said how users are known, and nowhere who may enter, all fail.
        unsaid = tuple(self._last_of(place, access.names_a_kind, lambda section: access.without_rules(section.nodes, self.context)))
        made = tuple(self._last_of(place, access.has_rules, lambda section: access.read_access(
            hosts.without_hosts(section.nodes), self.context, self._lines_for(section, place)), unsaid))
        # mod_auth_digest.c, note_digest_auth_failure (2.4.71, probed): places are named to nobody whose request is proxied.
        if place is None:
            return transform(made, lambda value: replace(value, domain=()) if isinstance(value, Credentials) else value)
        return self._with_domains(made, place)

    def _with_domains(self, required: tuple[Step, ...], place: Place) -> tuple[Step, ...]:
        """mod_auth_digest.c: what is said of domains is merged by itself, whichever section asks for credentials (2.4.71, probed)."""
        if not any(isinstance(item, Credentials) and item.digest for item in walk(required)):
            return required
        said = [(section, node) for section in self.sections if (node := self.context.last(section.nodes, "authdigestdomain")) is not None and self._condition(section, place) != NEVER]
        if all(self._condition(section, place) is ALWAYS for section, _ in said):
            return transform(required, lambda value: replace(value, domain=(" ".join(said[-1][1].args),)) if said and isinstance(value, Credentials) and value.digest else value)
        steps = [SetVariable(_DOMAIN, (), said[0][1].span), *(step for section, node in said for step in self._where(section, place, (SetVariable(_DOMAIN, (" ".join(node.args),), node.span),)))]
        return (*steps, *transform(required, lambda value: replace(value, domain=(Var(Variable.VARIABLE, _DOMAIN),)) if isinstance(value, Credentials) and value.digest else value))

    def _lines_for(self, section: Section, place: Place | None) -> list[Node]:
        """What else may say how users are known to a section: those that all of it lies in, and those that hold for the whole place."""
        above = [other for other in self.sections if other is not section and (_holds(other, section) or any(node.name in access.LINES for node in other.nodes) and self._condition(other, place) is ALWAYS)]
        return [*self.host.levels, *(node for other in above for node in other.nodes)]

    def _clients(self, place: Place | None) -> list[Step]:
        """Protections that are not read, then who is let in by address, then what Require asks."""
        required = self._required(place)
        # Where one of both is enough, what Require asks stands in the routes of those sections, and at the end for all others.
        either = any(hosts.satisfies_any(section.nodes) for section in self.sections)
        let_in = self._last_of(place, hosts.has_hosts, lambda section: hosts.read_hosts(hosts.only_hosts(section.nodes), required if either else (), self.context), required if either else ())
        return [*self._guards(place), *let_in, *(() if either else required)]

    def _last_of(self, place: Place | None, speaks: Callable[[list[Node]], bool], read: Callable[[Section], tuple[Step, ...]], otherwise: tuple[Step, ...] = ()) -> list[Step]:
        """What the last section in force that speaks of something says of it; otherwise: where none does."""
        routes: list[Route] = []
        for section in reversed(self.sections):
            held = self._condition(section, place) if speaks(section.nodes) else NEVER
            if held == NEVER:
                continue
            routes.append(Route(held, read(section), section.node.span))
            if held is ALWAYS:
                break
        else:
            routes.append(Route(ALWAYS, otherwise))
        while routes and not routes[-1].steps:
            routes.pop()
        if len(routes) == 1 and routes[0].condition is ALWAYS:
            return list(routes[0].steps)
        return [Choose(tuple(routes))] if routes else []

    def _guards(self, place: Place | None) -> list[Step]:
        made: list[Step] = []
        for section in self.sections:
            guard = next((node for node in section.nodes if self._closes(node)), None)
            held = self._condition(section, place) if guard is not None else NEVER
            if guard is not None and held != NEVER:
                self.context.take(section.nodes, *access.LINES, *tls.CLIENT_LINES)
                made.append(Choose((Route(held, (Unserved(guard.span.directive, guard.span),), section.node.span),), section.node.span) if held is not ALWAYS else Unserved(guard.span.directive, guard.span))
        return made

    def _closes(self, node: Node) -> bool:
        """Whether a directive is a protection that is not read."""
        if node.name not in catalogue.GUARDS or id(node) in self.context.asking:
            return False
        if node.name.startswith("<"):
            inside = node.block or []
            return access.has_rules(inside) or hosts.has_hosts(inside) or any(inner.name in _DECIDING or self._closes(inner) for inner in inside)
        return (node.args[0].lower() if node.args else "") not in ("none", "off")

    def _redirects(self, place: Place | None) -> list[Step]:
        steps: list[Step] = []
        for section in reversed(self.sections):
            routes = mappings.read_redirects(section.nodes, self.context, section.kind in ("location", "asked", "asked of a folder"), self.form)
            if routes:
                steps += self._where(section, place, (Choose(tuple(routes)),))
        return steps

    # --- what answers -------------------------------------------------------------------------------------------------------------

    def _handlers(self, place: Place | None, root: Node | None = None) -> list[Step]:
        """Applications; and handlers that are not read: what they answer is not known, and must not be taken for a file."""
        # mod_rewrite.c, hook_mimetype, hook_fixup: what a rule says, on whatever level, counts for more than all lines (2.4.71, probed).
        of_rules = self.rules.handlers() if place is not None else {}
        routes = [Route(TextIs((Var(Variable.VARIABLE, HANDLER),), (name,), span=node.span), self._handled(node, None, place, root, self.rules.name_files(name)), node.span) for name, node in of_rules.items()]
        others: list[Step] = []
        for nodes, section in [*((section.nodes, section) for section in reversed(self.sections)), (self.host.levels, None)]:
            node = self.context.last(nodes, "sethandler")
            held: Condition = ALWAYS if section is None else self._condition(section, place) if node is not None else NEVER
            if node is None or not node.args or held == NEVER:
                continue
            routes.append(Route(held, self._handled(node, section, place, root, section is not None and section.kind.startswith("files")), node.span))
            if held is ALWAYS:
                break
        while routes and not routes[-1].steps:
            routes.pop()
        for nodes, section in [(self.host.levels, None), *((section.nodes, section) for section in self.sections)]:
            found: list[Step] = []
            for node in nodes:
                if place is None and node.name in ("addhandler", "addtype"):
                    continue  # mod_mime.c, find_ct: "but not for proxy requests"
                if node.name == "addhandler" and len(node.args) > 1 or node.name == "addtype" and len(node.args) > 1 and "httpd-php" in node.args[0]:
                    self.context.use(node)
                    endings = "|".join(word.lstrip(".") for word in node.args[1:])
                    assert place is not None
                    pattern = self.context.pattern(rf"\.(?:{endings})(?:\.|$)", node)
                    steps = self._handled(node, section, place, root, True)
                    # What names the files of other languages is no program and hides nothing: without it the file itself is sent.
                    open_ = node.args[0].lower() == "type-map"
                    if open_:
                        self.context.value(node, node.args[0], "a choice among files by language is not read, and such a file is sent as it is; another handler was expected")
                    held = PathMatches(pattern, span=node.span)  # type: ignore[assignment]
                    if steps and not open_:
                        # mod_mime.c, find_ct: in letters of either case, of the file that the path leads to, whatever follows it.
                        loose = self.context.pattern(rf"/[^/]*\.(?:{endings})(?:[./]|$)", node, ignores_case=True)
                        named = self.context.pattern(rf"\.(?:{endings})(?:\.|$)", node, ignores_case=True)
                        held = AllOf((PathMatches(loose, span=node.span), FileNameMatches(place.folder, named, place.url, node.span)), node.span)
                    found.append(Choose((Route(held, steps, node.span, accident=open_),)))
                elif node.name in ("dav", "virtualdocumentroot", "action") and node.args[:1] not in (["Off"], ["off"]):
                    found.append(Unserved(node.span.directive, node.span))
            others += found if section is None else self._where(section, place, tuple(found))
        if len(routes) == 1 and routes[0].condition is ALWAYS:
            return list(routes[0].steps)
        return [*([Choose(tuple(routes))] if routes else []), *others]

    def _handled(self, node: Node, section: Section | None, place: Place | None, root: Node | None, names_files: bool = False) -> tuple[Step, ...]:
        """What a handler does; () where it is the usual one. names_files: it is for names that no folder has."""
        if node.args[0].lower() == "none":
            return ()
        if node.args[0].lower() == "default-handler":
            return self._plain(node, place, root, names_files)
        within = [other for other in self.sections if other is section or section is not None and (other.kind, other.text) == (section.kind, section.text)
                  or other.kind in ("directory", "location") and self._condition(other, place) is ALWAYS]
        levels = [*self.host.levels, *(inner for other in within for inner in other.nodes)]
        for other in self.sections:
            if other not in within and (passing := self.context.last(other.nodes, "cgipassauth")) is not None and self._condition(other, place) != NEVER:
                self.context.value(passing, " ".join(passing.args), "a section that the application's handler is in, or one around it, was expected")
        gateway = gateways.read_handler(node, place, self.place.folder, levels, self.context) if place is not None else None
        if gateway is not None and place is not None:
            # mod_proxy_fcgi.c, proxy_fcgi_canon (2.4.71, probed): no script has such a sign in its name; path information may.
            odd = FileNameMatches(place.folder, Pattern(r"[?\x01-\x1f\x7f]"), place.url, node.span)
            refused = Choose((Route(odd, (Respond(403, raises=True, span=node.span),), node.span, accident=True),), node.span)
            return (*(() if names_files else self.rules.folder_first(place, node.span)), refused, gateway)
        return (gateway or Unserved(node.span.directive, node.span, "status" if node.args[0].lower() == "server-status" else ""),)

    def _plain(self, node: Node, place: Place | None, root: Node | None, names_files: bool) -> tuple[Step, ...]:
        """core.c, default_handler: files are sent whatever their names say, nothing falls back (mod_dir.c, dir_fixups), and no folder is listed (2.4.71, probed)."""
        everywhere = [*self.host.levels, *(line for section in self.sections for line in section.nodes)]
        if place is None or names_files and not any(line.name in ("fallbackresource", "addhandler", "addtype") for line in everywhere):
            return ()
        folder = FileExists((place.folder,), (Var(Variable.PATH),), FileKind.FOLDER, strip=place.url, span=node.span)
        asked = AllOf((MethodIn(("GET", "HEAD", "POST"), node.span), folder), node.span)
        unlisted = Choose((Route(asked, (Respond(404, raises=True, span=node.span),), node.span, accident=True),), node.span)
        return (*(() if names_files else (*self.rules.folder_first(place, node.span), unlisted)), *self._serving(place, root))

    def _fallback(self, place: Place) -> list[Step]:
        routes: list[Route] = []
        for nodes, section in [*((section.nodes, section) for section in reversed(self.sections)), (self.host.levels, None)]:
            node = self.context.last(nodes, "fallbackresource")
            held: Condition = ALWAYS if section is None else self._condition(section, place) if node else NEVER
            if node is None or held == NEVER:
                continue
            routes.append(Route(held, self._fall(node, place), node.span))
            if held is ALWAYS:
                break
        return [Choose(tuple(routes))] if any(route.steps for route in routes) else []

    def _fall(self, node: Node, place: Place) -> tuple[Step, ...]:
        if not node.args or node.args[0].lower() == "disabled":
            return ()
        missing = Not(FileExists((place.folder,), (Var(Variable.PATH),), FileKind.ANY, strip=place.url, span=node.span, walks=True), node.span)
        steps: tuple[Step, ...] = (Restart(SITE, node.span, asks=(self.context.template(node.args[0], node, by=values.TEXT),)),)
        return (Choose((Route(missing, steps, node.span, node.comments),), node.span),)

    def _serving(self, place: Place, root: Node | None) -> list[Step]:
        settings: list[Node] = list(self.host.levels)
        conditional: list[tuple[Condition, list[Node], Section]] = []
        for section in self.sections:
            own = [node for node in section.nodes if node.name in _SERVING]
            held = self._condition(section, place) if own else NEVER
            if held == NEVER:
                continue
            if held is ALWAYS and not conditional:
                settings += own
            else:
                conditional.append((held, own, section))
        return [self._served(conditional, [], (), settings, partial(files.read_serving, place=place, root=root, context=self.context))]

    def _served(self, earlier: list[tuple[Condition, list[Node], Section]], later: list[Node], inside: tuple[tuple[Condition, Section], ...], settings: list[Node], serve: Callable[[list[Node]], Step]) -> Step:
        """What a file is served with where the sections `inside` hold, which say `later`: of those before them all count that hold as well."""
        routes: list[Route] = []
        for number, (held, own, section) in reversed(list(enumerate(earlier))):
            if _is_overridden(own, later) or any(exclude_each_other(held, other) for other, _ in inside):
                continue
            made = self._served(earlier[:number], [*own, *later], (*inside, (held, section)), settings, serve)
            if any(held == other or is_within(inner, section) for other, inner in inside):
                return Choose((*routes, Route(ALWAYS, (made,)))) if routes else made
            routes.append(Route(held, (made,), section.node.span))
        plain = serve([*settings, *later])
        return Choose((*routes, Route(ALWAYS, (plain,)))) if routes else plain


def _is_overridden(own: list[Node], later: list[Node]) -> bool:
    """Whether what comes later says something else in the place of each line."""
    names = {node.name for node in later if node.name != "options" or node.args and not any(word[:1] in "+-" for word in node.args)}
    return all(node.name in names for node in own)


def _holds(outer: Section, inner: Section) -> bool:
    """Whether all that one section is for lies in the folder, or below the path, of another."""
    within = inner
    while within is not outer and within.stands_in is not None:
        within = within.stands_in
    if outer is within:
        return True
    same = outer.kind == within.kind and outer.kind in ("directory", "location")
    return same and "*" not in outer.text and (within.text == outer.text or within.text.startswith(outer.text.rstrip("/") + "/"))
