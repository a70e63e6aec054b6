"""Rules of sections -> steps: a folder's on the path below it, another section's where they ask for no path.

Source:   modules/mappers/mod_rewrite.c, hook_fixup, config_perdir_merge; Apache HTTP Server manual, mod_rewrite.
Rule:     one section's rules count, the last one that holds and has any; those of the folders above come with them as they are inherited.
Left out: rules that ask for a path in a section that is no folder's.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial

from ....model import (
    ALWAYS, AS_DECODED, SITE, AllOf, Block, Choose, Condition, FileExists, FileKind, Lookup, LookupRow, MediaTypes, Not, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, Redirect, Respond, Restart, Rewritten, Route, Span, Step, Template, TextIs, Unserved, Var, Variable,
)
from .. import defaults
from . import files, rewrites, rule_lists
from .asked_files import open_file
from .context import Context, Node
from .host import Host
from .places import NEVER, Place, Section, below, is_within, where_on


class SectionRules:
    """The rules of a host's sections.

    stand_apart: whether every rule that was read is for other paths than a redirect beside it may be.
    """

    def __init__(self, host: Host, sections: list[Section], context: Context, form: PathForm, condition: Callable[[Section, Place | None], Condition], proxied: Callable[..., tuple[Step, ...]]) -> None:
        self.host, self.sections, self.context, self.form = host, sections, context, form
        self.condition, self.proxied = condition, proxied
        self.stand_apart = True
        self.ends = any(rule_lists.ends_for_good(rule) for nodes in (host.main, host.own, *(section.nodes for section in sections)) for rule in rule_lists.read_rules(nodes, context))

    def steps(self, place: Place | None) -> list[Step]:
        routes: list[Route] = []
        for section in reversed(self.sections):
            if not any(node.name in rule_lists.OWN for node in section.nodes):
                continue
            held = self.condition(section, place)
            if held == NEVER:
                continue
            # mod_rewrite.c, hook_fixup: the rules of a folder are not for its own path without the final slash.
            bare = [item for item in getattr(held, "conditions", ()) if isinstance(item, PathIs)]
            if place is None or section.kind != "directory":
                bare = []  # it is compared with the file's name, which a proxied request has none of, and with which no other section's text agrees
            routes += [Route(PathIs(item.path, span=item.span), ()) for item in bare]
            if bare and held == below(bare[0].path, section.node.span):
                held = PathStartsWith(bare[0].path + "/", span=section.node.span)
            phase = self._phase(section, place) if place is not None else self._proxied_phase(section)
            routes.append(Route(held, phase, section.node.span, section.node.comments))
            if held is ALWAYS:
                break
        while routes and not routes[-1].steps:
            routes.pop()
        if routes and all(isinstance(route.condition, PathIs) for route in routes[:-1]) and isinstance(routes[-1].condition, PathStartsWith):
            routes = routes[-1:]  # the folder's own path is not below it anyhow
        if len(routes) == 1 and routes[0].condition is ALWAYS:
            return list(routes[0].steps)
        return [Choose(tuple(routes))] if routes else []

    def types(self) -> tuple[Step, ...]:
        """mod_rewrite.c, hook_mimetype: the type that a rule says is that of the file, after all else that is said of it."""
        rules = self._all()
        said = {rule_lists.type_of(rule): rule.node.span for rule in rules if rule_lists.type_of(rule)}
        routes = tuple(Route(TextIs((Var(Variable.VARIABLE, rule_lists.TYPE),), (media_type,), span=span), (MediaTypes(adds=True, forced=media_type, span=span),), span) for media_type, span in said.items())
        return (Choose(routes),) if routes else ()

    def handlers(self) -> dict[str, Node]:
        """What rules say that answers, each with a line that says it."""
        return {name: replace(rule.node, args=[name]) for rule in self._all() if (name := rule_lists.handler_of(rule)) and not re.search("[$%]", name)}

    def name_files(self, handler: str) -> bool:
        """Whether all rules that name a handler ask for the end of a file's name."""
        return all(re.search(r"\\\.\w+\)?\$$", rule.node.args[0]) for rule in self._all() if rule_lists.handler_of(rule) == handler)

    def _all(self) -> list[rule_lists.Rule]:
        return [rule for nodes in (self.host.main, self.host.own, *(section.nodes for section in self.sections)) for rule in rule_lists.read_rules(nodes, self.context)]

    def unless_ended(self, phase: tuple[Step, ...]) -> tuple[Step, ...]:
        """mod_rewrite, END: no rule is tried any more, on later rounds of the request neither."""
        if not self.ends:
            return phase
        return (Choose((Route(TextIs((Var(Variable.VARIABLE, rule_lists.ENDED),), ("1",)), ()), Route(ALWAYS, phase))),)

    def _proxied_phase(self, section: Section) -> tuple[Step, ...]:
        """The rules of a location for what is proxied: mod_rewrite.c, hook_fixup, tries them on `proxy:` and the origin's URL (2.4.71, probed)."""
        return self._pathless_phase(section, None, "the origin's URL")

    def _pathless_phase(self, section: Section, place: Place | None, tried_on: str) -> tuple[Step, ...]:
        """The rules of a section that is no folder's: what their patterns are tried on is not the path, so that those are read which ask for none."""
        context = self.context
        rules = rule_lists.read_rules(section.nodes, context)
        switches = self._switches(section, place) if rules else []
        if not switches:
            return ()
        phase = self._read_pathless(section, rules, tried_on)
        if place is not None:
            folders = [other for other in self.sections if other.kind == "directory" and (place.folder + "/").startswith(other.text.rstrip("/") + "/")]
            if not files.follows_links([*self.host.levels, *(node for other in [*folders, section] for node in other.nodes)]):
                phase = self.unless_ended((Respond(403, raises=True, span=section.node.span),))
            else:
                phase = (*self._unfollowed(folders, section, place), *phase)
        return phase if switches == [(ALWAYS, True)] else (Choose(tuple(Route(held, phase if is_on else ()) for held, is_on in switches)),)

    def _switches(self, section: Section, place: Place | None) -> list[tuple[Condition, bool]]:
        """Where rewriting is on for a section's rules, and where it is not: the last section that speaks of it counts, as they are merged (2.4.71, probed)."""
        made: list[tuple[Condition, bool]] = []
        for other in reversed(self.sections[:self.sections.index(section) + 1]):
            if self.context.last(other.nodes, "rewriteengine") is None:
                continue
            held = ALWAYS if other is section else self.condition(other, place)
            if held != NEVER:
                made.append((held, rule_lists.is_on(other.nodes, self.context)))
            if held is ALWAYS:
                break
        return made if any(is_on for _, is_on in made) else []

    def _unfollowed(self, above: list[Section], but: Section, place: Place) -> list[Choose]:
        """What is refused where another section that holds follows no links (mod_rewrite.c, hook_fixup)."""
        return [
            Choose((Route(held, (Respond(403, raises=True, span=other.node.span),), other.node.span),)) for other in self.sections
            if other not in above and other is not but and not files.follows_links(other.nodes) and (held := self.condition(other, place)) != NEVER
        ]

    def _read_pathless(self, section: Section, rules: list[rule_lists.Rule], tried_on: str) -> tuple[Step, ...]:
        context = self.context
        if rule_lists.inherits(section.nodes, [other.nodes for other in self.sections], context):
            node = rules[0].node
            context.value(node, section.node.span.directive, "rules that are inherited were expected in a folder's section alone; elsewhere they are not read")
            return (Unserved(node.span.directive, node.span),)
        odd = next((rule for rule in rules if not rule_lists.minds_no_path(rule)), None)
        if odd is not None:
            context.value(odd.node, " ".join(odd.node.args), f"a rule for every path was expected, which answers or sets a variable: a pattern is tried on {tried_on}, which is not read")
            return (Unserved(odd.node.span.directive, odd.node.span),)
        label = context.label("location rewriting")
        level = rewrites.Level(label, None, "/", (), lambda rule: (), self.proxied, self.host.document_root.rstrip("/"), secure=self.host.secure, user=self._looked_up_user(), open_file=partial(open_file, self.host))
        return self.unless_ended((Block(label, rewrites.read_phase(rules, level, context)),))

    def _looked_up_user(self) -> Template:
        """mod_rewrite.c, lookup_variable: the path is asked for once more as it was decoded, so that nobody is found for one that would be refused then (2.4.71, probed)."""
        slashes = self.context.last(self.host.levels, "allowencodedslashes")
        refused = "%00" if slashes is not None and slashes.args and slashes.args[0].lower() != "off" else "%(?:00|2f)"
        return (Lookup("user_looked_up", (Var(Variable.PATH),), (LookupRow(Pattern(f"{refused}|%(?![0-9a-f]{{2}})", "pcre", True), ()),), (Var(Variable.USER),)),)

    def _above(self, section: Section) -> list[Section]:
        """The sections of the folders that one is within, its own among them."""
        return [other for other in self.sections if other.kind == "directory" and is_within(section, other)]

    def _phase(self, section: Section, place: Place) -> tuple[Step, ...]:
        context = self.context
        if section.kind != "directory":
            # hook_fixup (2.4.71, probed): the name of the section stands at the front of no file's name, so that nothing is taken off it.
            self.stand_apart = self.stand_apart and rule_lists.stand_apart(rule_lists.read_rules(section.nodes, context))
            return self._pathless_phase(section, place, "the file's whole name")
        above = self._above(section)
        rules = rule_lists.in_force([other.nodes for other in above], context)
        # mod_rewrite.c, config_perdir_merge: whether rewriting is on comes down from the folders above.
        if not rules or not rule_lists.is_on([node for other in above for node in other.nodes], context):
            return ()
        self.stand_apart = self.stand_apart and rule_lists.stand_apart(rules)
        folder = section.text.rstrip("/")
        own = place.url + folder[len(place.folder):] if (folder + "/").startswith(place.folder + "/") else ""
        if not files.follows_links([*self.host.levels, *(node for other in above for node in other.nodes)]):
            return self.unless_ended(_but_for(own, (Respond(403, raises=True, span=section.node.span),)))
        lead = place.folder[len(folder):] if place.folder.startswith(folder + "/") else ""
        if lead and place.url != lead:
            # The rules see the path of the file below the section's folder, which is none of the request's here.
            self.context.value(rules[0].node, section.text, "rules for a folder whose path the request has were expected, not for one above an alias")
            return (Unserved(rules[0].node.span.directive, rules[0].node.span),)
        prefix = "/" if lead else place.url + (folder[len(place.folder):] if folder.startswith(place.folder + "/") else "") + "/"
        base = rule_lists.base_of([other.nodes for other in above], context)
        # mod_rewrite.c, hook_fixup: the document root is taken off a name in it, whatever alias led there; elsewhere the alias counts (2.4.71, probed).
        root = self.host.document_root.rstrip("/")
        named = folder[len(root):] + "/" if (folder + "/").startswith(root + "/") else prefix
        label = context.label("folder rewriting")
        # http_request.c, internal_internal_redirect: the new path is parsed and decoded as a client's is, `%61` to `a` (2.4.71, probed).
        ending = context.label("end of folder rewriting")
        by_handler = self._begins_by_handler()
        again: tuple[Step, ...] = (*by_handler, Restart(SITE, reads_anew=True, unless=(label, label), walks=(place.folder, place.url)),)
        # mod_dir.c, fixup_dir: the slash is added to a folder's path even if a rule has changed it to another one inside.
        folder_path = FileExists((place.folder,), (Var(Variable.PATH),), FileKind.FOLDER, strip=place.url, span=section.node.span)
        # What says that it has none is the path that came, though a rule of the server led from there into the folder (2.4.71, probed).
        bare = AllOf((folder_path, Not(PathMatches(Pattern("/$"), form=self.form, span=section.node.span))), section.node.span)
        adds_slash = self._adds_slash(above, place)
        level = rewrites.Level(label, prefix, (base.args[0].rstrip("/") + "/") if base and base.args else named, again, lambda rule: again, partial(self.proxied, place=place),
                               self.host.document_root.rstrip("/"), folder=folder if lead else place.folder, strip="" if lead else place.url, secure=self.host.secure, bare=bare if adds_slash is ALWAYS else AllOf((*bare.conditions, adds_slash), section.node.span) if adds_slash != NEVER else None,
                               # mod_rewrite.c, hook_fixup: without RewriteBase a relative redirect shows the folder's own name (2.4.71, probed).
                               shown="" if base and base.args else folder + "/",
                               indexes=self._indexes(above, place), by_url=self.form is PathForm.URL, open_file=partial(open_file, self.host))
        merges = self.context.last(self.host.levels, "mergeslashes")
        unmerged = merges is not None and merges.args[:1] != [] and merges.args[0].lower() == "off"
        # The file's name has its slashes merged all the same, and rules of a folder see that; the model has the path alone.
        slashes = (Choose((Route(PathMatches(Pattern("//"), span=merges.span), (Unserved(section.node.span.directive, section.node.span),), accident=True),)),) if unmerged and merges else ()
        return self.unless_ended((*slashes, *_but_for(own, tuple(self._unfollowed(above, section, place))), Block(label, rewrites.read_phase(rules, level, context)),
                                    Block(ending, (Choose((Route(Rewritten(label), (*by_handler, Restart(SITE, reads_anew=True, unless=(label, ending), walks=(place.folder, place.url)),)),)),))))

    def _begins_by_handler(self) -> tuple[Step, ...]:
        """mod_rewrite.c, hook_mimetype: what a rule says that answers is given a file of the name `redirect:/...`, so that nothing begins again (2.4.71, probed)."""
        said = next(iter(self.handlers().values()), None)
        held = Not(TextIs((Var(Variable.VARIABLE, rule_lists.HANDLER),), ("",)))
        return (Choose((Route(held, (Unserved(said.span.directive, said.span),), said.span, accident=True),), said.span),) if said is not None else ()

    def _adds_slash(self, above: list[Section], place: Place) -> Condition:
        """Where a folder's path gets its slash: what the last section that holds says of it."""
        plain = [node for nodes in (self.host.levels, *(other.nodes for other in above)) for node in nodes if node.name == "directoryslash" and node.args]
        said: list[tuple[Condition, bool]] = [(ALWAYS, not plain or plain[-1].args[0].lower() != "off")]
        for other in self.sections[self.sections.index(above[-1]) + 1 if above else 0:]:
            lines = [node for node in other.nodes if node.name == "directoryslash" and node.args]
            if lines:
                said.append((self.condition(other, place), lines[-1].args[0].lower() != "off"))
        return where_on(said)

    def folder_first(self, place: Place, span: Span) -> tuple[Step, ...]:
        """mod_dir.c, fixup_dir: a folder's path gets its slash, and its index files are looked for, whatever handler the folder has (2.4.71, probed)."""
        folder = FileExists((place.folder,), (Var(Variable.PATH),), FileKind.FOLDER, strip=place.url, span=span)
        if self.form is PathForm.URL:
            # A rule of the server may have said another file than the path's, whose slash is another matter then.
            return (Choose((Route(folder, (Unserved(span.directive, span),), span, accident=True),), span),)
        bare: tuple[Condition, ...] = (folder, Not(PathMatches(Pattern("/$"), form=self.form, span=span)))
        adds_slash = self._adds_slash([], place)
        slash = Redirect(defaults.ADDED_SLASH, (Var(Variable.PATH_ESCAPED, AS_DECODED), "/", Var(Variable.QUERY, "?")), absolute=True, span=span)
        added = (Choose((Route(AllOf(bare if adds_slash is ALWAYS else (*bare, adds_slash), span), (slash,), accident=True),), span),) if adds_slash != NEVER else ()
        indexes = self._indexes([], place)
        return (*added, *((rewrites.index_first(folder, indexes, span),) if indexes else ()))

    def _indexes(self, above: list[Section], place: Place) -> tuple[tuple[Condition, tuple[str, ...]], ...]:
        """The index files that are looked for where a folder's rules are: what its sections say, unless a later one that holds says something else."""
        plain = files.index_names([*self.host.levels, *(node for other in above for node in other.nodes)], self.context)
        last = self.sections.index(above[-1]) if above else -1
        said = [(held, files.index_names(other.nodes, self.context)) for other in reversed(self.sections[last + 1:])
                if any(node.name == "directoryindex" for node in other.nodes) and (held := self.condition(other, place)) != NEVER]
        return (*said, (ALWAYS, plain)) if plain or said else ()


def _but_for(own: str, refusals: tuple[Step, ...]) -> tuple[Step, ...]:
    """Refusals that the folder's own name without a slash is not among: mod_rewrite.c, hook_fixup, leaves it to mod_dir (2.4.71, probed)."""
    return (Choose((Route(PathIs(own), ()), Route(ALWAYS, refusals))),) if own and refusals else refusals
