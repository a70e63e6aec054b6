"""Cache -> `CacheEnable` and its like. Mirror: ../reader/caches.py.

Source:   Apache HTTP Server manual, mod_cache, mod_cache_disk; mod_cache.c (2.4.71, probed).
Rule:     `CacheQuickHandler Off`, so that who may enter, and where a path leads, is asked before what is kept is looked for, as in other servers. An answer
          that sets a cookie would be kept, and the cookie sent to everybody: it is said to be private, as is one whose time httpd cannot read. For whom the origin is asked whatever is kept, the
          request says so itself, for the variable no-cache only keeps answers from being kept.
"""

from __future__ import annotations

import re

from ....codes import CACHE_LESS, CACHE_OTHERWISE, CACHE_OWN_FOLDER
from ....fitting.static import bare
from ....model import AllOf, AnyOf, Cache, Condition, Disposition, Lookup, Not, PathStartsWith, Pattern, Span, TextIs, TextMatches, Var, Variable, literal
from ..values import quote
from .context import Context
from .output import Node

FOLDER = "/var/cache/apache2/mod_cache_disk"
# What httpd would keep for too long, or for too many; it knows nothing of the second field, by which an origin says how long a cache of its own has an answer.
_PRIVATE = {"set-cookie": "What sets a cookie is for one client only.", "x-accel-expires": "How long this holds is for another server to read."}
_BY_ITSELF = frozenset({200, 203, 300, 301})
_NEVER = "no-cache"


def write_host(caches: list[Cache], context: Context) -> list[Node]:
    """What stands once for a host that keeps anything."""
    written = [cache for cache in caches if _problem(cache) is None]
    if not written:
        return []
    spans = tuple(dict.fromkeys(span for cache in written for span in (cache.store.span, *cache.store.also) if span))
    own = context.estate.dialect == "apache"
    folder = written[0].store.folder if own else FOLDER
    if not own:
        context.note(written[0].store.span or written[0].span, Disposition.CHANGED, CACHE_OWN_FOLDER, folder=folder)
    nodes = [context.line("CacheRoot", quote(folder), spans=spans), context.line("CacheQuickHandler", "Off", spans=spans)]
    if any(cache.locks for cache in written):
        nodes.append(context.line("CacheLock", "On", spans=spans))
    if all(_is_without_query(cache) for cache in written):
        nodes.append(context.line("CacheIgnoreQueryString", "On", spans=spans))
    if not any(cache.heeds_clients or cache.bypasses is not None for cache in written):
        nodes.append(context.line("CacheIgnoreCacheControl", "On", spans=spans))
    out = dict.fromkeys(prefix for cache in written for prefix in _left_out(cache) or ())
    nodes += [context.line("CacheDisable", quote(prefix), spans=spans) for prefix in out]
    context.modules |= {"cache", "cache_disk"}
    return nodes


def _is_without_query(cache: Cache) -> bool:
    return "query" not in cache.told_apart()


def _problem(cache: Cache) -> str | None:
    """Why nothing is kept here: what is kept for the wrong requests is worse than nothing kept."""
    if _left_out(cache) is None:
        return "a condition under which answers are kept, other than by paths that are left out"
    if cache.by_more_than_the_url():
        return "a key that tells requests apart by more than their URL"
    if any(_tests(condition) is None for condition in (cache.bypasses, cache.skips)):
        return "a condition under which nothing is kept, other than a cookie, a field or an argument"
    return None


def _left_out(cache: Cache) -> list[str] | None:
    """The beginnings of paths whose answers are not kept; None where that is said otherwise."""
    found = []
    for condition in cache.when.conditions if isinstance(cache.when, AllOf) else [cache.when] if cache.when is not None else []:
        match condition:
            case Not(PathStartsWith(prefix, False)):
                found.append(prefix)
            case _:
                return None
    return found


# mod_cache.c, cache_save_filter (2.4.71, probed): any Cache-Control is enough for an answer that would not be kept by itself, and the default time counts.
_BY_CHANCE = "%{REQUEST_STATUS} -ge 302 && -n resp('Cache-Control') && ! (resp('Cache-Control') =~ m#max-?age=#)"
_KEPT_ELSE = "An error, or a redirect, is kept only where its origin says for how long."


def write_cache(cache: Cache | None, context: Context, of_application: bool) -> list[Node]:
    """The lines of a place whose answers are kept. of_application: by FastCGI and the like, where no line sees a cookie that is set (util_script.c: it is in the other table)."""
    if cache is None:
        return []
    spans = tuple(dict.fromkeys(span for span in (cache.span, *cache.also) if span))
    reason = _problem(cache)
    if reason is None and of_application and "set-cookie" not in cache.ignores:
        reason = "cookies that an application sets, which httpd would keep with its answers"
    if reason is not None:
        for span in (*spans, *(span for span in (cache.store.span,) if span)):
            context.lost(span, "the cache", f"it goes by {reason}, so that nothing is kept here")
        return []
    context.caches.add(cache.span)
    nodes = [context.line("CacheEnable", "disk", spans=spans, comments=cache.comments)]
    nodes += _lifetimes(cache, spans, context)
    for name, why in _PRIVATE.items() if context.estate.dialect != "apache" else ():
        if name not in cache.ignores:
            nodes.append(context.line("Header", "always", "merge", "Cache-Control", "private", quote(f"expr=-n resp('{name.title()}')"), spans=spans, comments=(why,)))
            context.modules.add("headers")
    if context.estate.dialect != "apache":
        nodes.append(context.line("Header", "always", "merge", "Cache-Control", "private", quote(f"expr={_BY_CHANCE}"), spans=spans, comments=(_KEPT_ELSE,)))
        context.modules.add("headers")
    alike = cache.skips is not None and cache.bypasses is not None and bare(cache.skips) == bare(cache.bypasses)
    name = _NEVER if alike else "asks-anew"
    tests: dict[tuple[str, ...], list[str]] = {}
    for variable, condition in ((_NEVER, cache.skips), (name, None if alike else cache.bypasses)):
        for words in _tests(condition) or ():
            tests.setdefault(words, []).append(variable)
    nodes += [context.line(*words, *variables, spans=spans) for words, variables in tests.items()]
    if cache.bypasses is not None:
        nodes.append(context.line("RequestHeader", "set", "Cache-Control", "no-cache", f"env={name}", spans=spans))
        context.modules.add("headers")
    if not {"error", "timeout"} & set(cache.stale):
        nodes.append(context.line("CacheStaleOnError", "Off", spans=spans))
    for is_said, what in ((cache.uses > 1, "that something is asked for several times before it is kept"), (cache.background, "that answers are renewed behind clients' backs"),
                          (bool(set(cache.methods) - {"GET", "HEAD"}), "that answers to other methods than GET and HEAD are kept"), ("updating" in cache.stale, "that old answers go out while new ones are asked for")):
        if is_said:
            context.note(cache.span, Disposition.CHANGED, CACHE_OTHERWISE, what=what)
    return nodes


def _lifetimes(cache: Cache, spans: tuple[Span, ...], context: Context) -> list[Node]:
    usual = next((row.seconds for row in cache.lifetimes if row.statuses is None or 200 in row.statuses), None)
    plain = cache.plain and usual is not None
    others = sorted({status for row in cache.lifetimes for status in row.statuses or ()} - _BY_ITSELF)
    others_said = [str(status) for status in others] + (["errors"] if any(row.statuses is None for row in cache.lifetimes) else [])
    if others_said:
        context.note(cache.span, Disposition.CHANGED, CACHE_LESS, what=", ".join(others_said))
    elif plain and cache.queried and not _is_without_query(cache):
        context.note(cache.span, Disposition.CHANGED, CACHE_LESS, what="those to queries")
    if not plain or usual is None:
        nodes = [] if cache.lifetimes and context.estate.dialect == "apache" else [context.line("CacheMaxExpire", "0", spans=spans), context.line("CacheDefaultExpire", "0", spans=spans)]
        return [*nodes, *([context.line("CacheDefaultExpire", f"{cache.lifetimes[0].seconds:g}", spans=spans)] if not nodes else [])]
    nodes = [context.line("CacheIgnoreNoLastMod", "On", spans=spans), context.line("CacheDefaultExpire", f"{usual:g}", spans=spans)]
    if cache.guess is None:
        # What is reckoned from the date of a file is the same time.
        nodes += [context.line("CacheMinExpire", f"{usual:g}", spans=spans), context.line("CacheMaxExpire", f"{usual:g}", spans=spans)]
    return nodes


def _as_rows(table: Lookup) -> Condition | None:
    """When a table says more than nothing, and not 0; None where its rows do not all say so."""
    if table.networks or literal(table.fallback) not in ("", "0") or not table.rows or any(literal(row.result) in (None, "", "0") for row in table.rows):
        return TextIs((), ())  # no line says that
    return AnyOf(tuple(TextMatches(table.subject, row.value) if isinstance(row.value, Pattern) else TextIs(table.subject, (row.value,), table.ignores_case) for row in table.rows))


def _tests(condition: Condition | None) -> list[tuple[str, ...]] | None:
    """Lines, but for the variable that they set, of which each holds where the condition may; None where it cannot be said so."""
    match condition:
        case None:
            return []
        case AnyOf(conditions):
            made = [_tests(item) for item in conditions]
            return None if any(item is None for item in made) else [words for item in made for words in item or ()]
        case Not(Not(inner)):
            return _tests(inner)
        case Not(TextIs((Var(Variable.QUERY, ""),), ("",) | ("", "0"))):
            return [("SetEnvIfExpr", quote("-n %{QUERY_STRING}"))]
        case Not(TextIs((Var(variable, name),), ("", "0") | ("",) as values)):
            filled = "0?" if "0" in values else ""
            if variable is Variable.COOKIE:
                return [("SetEnvIf", "Cookie", quote(rf"(?:^|;\s*){re.escape(name)}=(?!{filled}(?:;|$))"))]
            if variable is Variable.FIELD:
                return [("SetEnvIf", quote(name.replace("_", "-")), quote(rf"^(?!{filled}$)"))]
            if variable is Variable.ARGUMENT:
                return [("SetEnvIfExpr", quote(rf"%{{QUERY_STRING}} =~ /(?:^|&){re.escape(name)}=(?!{filled}(?:&|$))/"))]
            if variable is Variable.VARIABLE:
                return [] if name == _NEVER else [("SetEnvIfExpr", quote(f"reqenv('{name}') !~ /^{filled}$/"))]
        case Not(TextIs((Lookup() as table,), ("", "0"))):
            return _tests(_as_rows(table))
        case TextIs((Var(Variable.METHOD | Variable.METHOD_SENT),), methods):
            return [("SetEnvIf", "Request_Method", quote(f"^(?:{'|'.join(map(re.escape, methods))})$"))]
        case TextMatches((Var(Variable.TARGET),), pattern) if pattern.engine == "pcre" and not re.search(r"[$^]", pattern.text.removeprefix("^")) and not ("|" in pattern.text and pattern.text.startswith("^")):
            start = "" if pattern.text.startswith("^") else r"\S*?"
            text = rf"^\S+ {start}(?:{pattern.text.removeprefix('^')})"
            # util_expr_scan.l: nothing stands for the sign at the end within an expression's pattern (2.4.71, probed).
            sign = next((sign for sign in "#,;!%:|" if sign not in text), None)
            return [("SetEnvIfExpr", quote(f"%{{THE_REQUEST}} =~ m{sign}{text}{sign}{'i' if pattern.ignores_case else ''}"))] if sign else None
        case TextMatches((Var(Variable.FIELD, name),), pattern) if pattern.engine == "pcre":
            return [("SetEnvIfNoCase" if pattern.ignores_case else "SetEnvIf", quote(name.replace("_", "-")), quote(pattern.text))]
    return None
