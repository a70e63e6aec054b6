"""httpd `CacheEnable` and its like -> Cache, at each origin whose answers are kept. Mirror: ../writer/caches.py.

Source:   Apache HTTP Server manual, mod_cache, mod_cache_disk; mod_cache.c, cache_util.c cache_get_providers (2.4.71, probed).
Rule:     a line of the server says for which paths, as they came, the others of a section that it is for; those work with `CacheQuickHandler Off`
          alone. `CacheDisable` takes paths out again. The variable no-cache keeps answers from being kept, and not from being given.
Left out: files, which are kept as they lie, and looked at each time; hosts and schemes in the URL of a line; lines about the age of answers in
          sections without a `CacheEnable` of their own.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ....codes import CACHE_BEFORE_ACCESS
from ....model import ALWAYS, AllOf, AnyOf, Cache, Capture, Choose, CacheStore, Condition, Credentials, Forward, Gateway, Guess, Lifetime, Lookup, Not, PathStartsWith, Protect, SetVariable, Step, TextIs, Var, Variable
from ....model.walk import transform, walk
from ....patterns.path_languages import exclude_each_other
from .. import defaults
from . import environment
from .context import Context, Node
from .places import NEVER, Section

_AGES = ("cachedefaultexpire", "cachemaxexpire", "cacheminexpire", "cachelastmodifiedfactor", "cacheignorenolastmod", "cachestaleonerror", "cachestorenostore", "cachestoreprivate", "cachestoreexpired")
# So many conditions at the most, one after the other, say how answers are kept.
_MOST = 12
_NEVER = "no-cache"
_OF_HOST = ("cachequickhandler", "cacheroot", "cachelock", "cacheignorequerystring", "cacheignorecachecontrol", "cacheignoreheaders", "cachedirlevels", "cachedirlength")


def with_caches(steps: tuple[Step, ...], levels: list[Node], sections: list[Section], condition: Callable[[Section], Condition], context: Context) -> tuple[Step, ...]:
    """The program of a host, with the cache that stands before each of its origins."""
    quick = context.last(levels, "cachequickhandler")
    is_quick = quick is None or [word.lower() for word in quick.args] != ["off"]
    found: list[tuple[Condition, Node, list[Node]]] = []
    for node in context.take(levels, "cacheenable"):
        url = node.args[1] if len(node.args) > 1 else "/"
        if node.args[:1] != ["disk"]:
            context.value(node, " ".join(node.args[:1]), "disk was expected; what is kept elsewhere is not read")
            continue
        if not url.startswith("/"):
            context.value(node, url, "a path was expected")
            continue
        found.append((ALWAYS if url == "/" else PathStartsWith(url, span=node.span), node, levels))
    for section in sections:
        node = context.last(section.nodes, "cacheenable")
        if node is not None and node.args[:1] != ["disk"]:
            context.value(node, " ".join(node.args[:1]), "disk was expected; what is kept elsewhere is not read")
        elif node is not None and not is_quick and (held := condition(section)) != NEVER:
            if len(found) > _MOST:
                context.value(node, " ".join(node.args), "fewer places that are kept each in a way of its own were expected")
                continue
            # What several sections say of one path is merged; a later one goes first.
            both = [(AllOf((held, before), node.span), node, [*lines, *section.nodes]) for before, _, lines in found if before is not ALWAYS and not exclude_each_other(held, before)]
            found += [(held, node, [*levels, *section.nodes]), *both]
        elif node is None:
            for item in section.nodes:
                if item.name in _AGES:
                    context.value(item, " ".join(item.args), "a CacheEnable beside it was expected")
    if not found:
        return steps
    for node in levels:
        if node.name == "cachedisable" and node.args and not node.args[0].startswith("/"):
            context.value(node, node.args[0], "a path was expected")
    out: list[Condition] = [PathStartsWith(node.args[0], span=node.span) for node in context.take(levels, "cachedisable") if node.args and node.args[0].startswith("/")]
    disabled = [section for section in sections if context.last(section.nodes, "cachedisable")]
    out += [held for section in disabled if (held := condition(section)) != NEVER]
    off = tuple(node.span for nodes in (levels, *(section.nodes for section in disabled)) for node in nodes if node.name == "cachedisable")
    if is_quick and any(isinstance(item, Credentials | Protect) for item in walk(steps)):
        context.say(CACHE_BEFORE_ACCESS, found[0][1].span)
    everywhere = [*levels, *(node for section in sections for node in section.nodes)]
    made: Cache | None = None
    # cache_util.c, cache_get_providers: what sections say goes first, of several the last.
    for held, node, nodes in found:
        asked = tuple(item for item in (held, *(Not(item, node.span) for item in out)) if item is not ALWAYS)
        when = AllOf(asked, node.span) if len(asked) > 1 else asked[0] if asked else None
        own = _cache(node, nodes, everywhere, when, is_quick, context)
        made = replace(own, also=(*own.also, *off), otherwise=made if held is not ALWAYS else None)
    return transform(steps, lambda value: replace(value, cache=made) if isinstance(value, Forward | Gateway) else value)


def _skips(own: Node, lines: list[Node], everywhere: list[Node], context: Context) -> Condition:
    """What sets the variable no-cache: the conditions themselves where only SetEnvIf and its like do, so that no variable stands in front of each route."""
    named = [node for node in lines if environment.speaks([node]) and _NEVER in node.args]
    here = {node.span for node in lines}
    elsewhere = any((node.span not in here or node.name in ("rewriterule", "setenv", "unsetenv")) and _NEVER in " ".join(node.args) and node.name != "requestheader" for node in everywhere)
    found: list[Condition] = []
    for node in named if not elsewhere else ():
        for step in environment.read_environment([node], context):
            routes = step.routes if isinstance(step, Choose) else ()
            if any(isinstance(item, Capture | Lookup) or isinstance(item, Var) and item.variable in (Variable.VARIABLE, Variable.PATH) for route in routes for item in walk(route.condition)):
                return _by_variable(own)
            found += [route.condition for route in routes if any(isinstance(item, SetVariable) and item.name == _NEVER for item in walk(route.steps))]
    if len(found) != len(named) or elsewhere or any(f"!{_NEVER}" in node.args for node in lines):
        return _by_variable(own)
    return AnyOf(tuple(found), own.span) if len(found) > 1 else found[0] if found else NEVER


def _by_variable(own: Node) -> Condition:
    return Not(TextIs((Var(Variable.VARIABLE, _NEVER),), ("",), span=own.span), own.span)


def _cache(own: Node, lines: list[Node], everywhere: list[Node], when: Condition | None, is_quick: bool, context: Context) -> Cache:
    with context.gather() as spans:
        said = {name: node for name in (*_AGES, *_OF_HOST) if (node := context.last(lines, name)) is not None and node.args}

    def number(name: str, silence: float) -> float:
        node = said.get(name)
        if node is None:
            return silence
        try:
            return float(node.args[0])
        except ValueError:
            context.value(node, node.args[0], "a number was expected")
            return silence

    def is_on(name: str) -> bool:
        return name in said and said[name].args[0].lower() == "on"

    for name in ("cachestorenostore", "cachestoreprivate", "cachestoreexpired"):
        if is_on(name):
            context.value(said[name], "On", "Off was expected: what answers forbid to be kept is kept")
    plain, queried = is_on("cacheignorenolastmod"), is_on("cacheignorequerystring")
    ignores = frozenset(word.lower() for word in said["cacheignoreheaders"].args) if "cacheignoreheaders" in said else frozenset()
    root = said.get("cacheroot")
    with context.gather() as setting:
        skips = _skips(own, lines, everywhere, context)
    return Cache(
        CacheStore(root.args[0] if root is not None else defaults.CACHE_FOLDER, span=root.span if root is not None else None),
        (Var(Variable.SCHEME), "://", Var(Variable.HOST), ":", Var(Variable.PORT), Var(Variable.PATH if queried else Variable.TARGET)),
        (Lifetime(frozenset({200, 203, 300, 301}), number("cachedefaultexpire", 3600)),), ("GET", "HEAD"), ignores - {"none"}, plain, queried,
        Guess(number("cachelastmodifiedfactor", 0.1), number("cacheminexpire", 0), number("cachemaxexpire", 86400)), when,
        skips=None if skips == NEVER else skips, heeds_clients=not is_on("cacheignorecachecontrol"), before_all=is_quick,
        stale=("error", "timeout", "500", "502", "503", "504") if "cachestaleonerror" not in said or is_on("cachestaleonerror") else (), locks=is_on("cachelock"),
        span=own.span, also=tuple(dict.fromkeys(span for span in (*spans, *setting) if root is None or span != root.span)), comments=own.comments,
    )
