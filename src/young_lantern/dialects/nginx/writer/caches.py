"""Cache -> nginx `proxy_cache*`, `fastcgi_cache*` and their like, and the zone. Mirror: ../reader/caches.py.

Rule:     kept answers are files of the server that made them: another server begins with none, in a folder of its own.
"""

from __future__ import annotations

import re

from ....codes import CACHE_LESS, CACHE_OTHERWISE, CACHE_OWN_FOLDER
from ....model import AllOf, AnyOf, Cache, Condition, Disposition, Lookup, LookupRow, Not, PathIs, PathMatches, PathStartsWith, Pattern, Span, TextIs, TextMatches, Var, Variable
from ...noting import Unwritable
from .. import defaults
from ..values import quote, write_size, write_time
from .context import Context
from .output import Node

_FOLDER = "/var/cache/nginx/"
# Fields of answers by which nginx goes; httpd knows nothing of the first.
_HEEDED = frozenset({"x-accel-expires", "expires", "cache-control", "set-cookie", "vary"})
# The manual, fastcgi_cache_use_stale, uwsgi_cache_use_stale, scgi_cache_use_stale: an application has no gateway behind it (1.22.1, probed).
_OF_PROXIES = frozenset({"502", "504"})
_MEMORY = 10 * 1024**2


def write_cache(cache: Cache | None, module: str, context: Context) -> list[Node]:
    """The lines of a place; none where something of it cannot be said, for what is kept for the wrong requests is worse than nothing kept."""
    if cache is None:
        return []
    spans = tuple(span for span in (cache.span, *cache.also) if span)
    known = set(context.http), set(context.tables)
    key = context.template(cache.key, cache.span)
    tests = {name: _texts(condition, context) for name, condition in (("cache_bypass", _bypasses(cache)), ("no_cache", _skips(cache, context.estate.dialect)))}
    # What only leaves paths out leaves them out for all.
    asked = cache.when.conditions if isinstance(cache.when, AllOf) else (cache.when,)
    if cache.otherwise is not None and not all(isinstance(item, Not) for item in asked):
        tests["otherwise"] = Unwritable("what several caches have for one place")
    unsaid = next((made for made in (key, *tests.values()) if isinstance(made, Unwritable)), None)
    if isinstance(unsaid, Unwritable):
        # Tables that nobody asks are none.
        context.http = {name: node for name, node in context.http.items() if name in known[0]}
        context.tables = {name: table for name, table in context.tables.items() if name in known[1]}
        for span in (*spans, *(span for span in (cache.store.span, *cache.store.also) if span)):
            context.lost(span, "the cache", f"it goes by {unsaid.what}, so that nothing is kept here")
        return []
    words = [_store(cache, module, context)]
    nodes = [Node([f"{module}_cache", *words], None, spans, cache.comments)]

    def add(name: str, *words: str) -> None:
        nodes.append(Node([f"{module}_{name}", *words], None, spans))

    if module != "proxy" or key != "$scheme$proxy_host$request_uri":
        add("cache_key", quote(str(key)))
    whole = cache.plain and cache.queried
    if not whole:
        context.note(cache.span, Disposition.CHANGED, CACHE_LESS, what="those that only give a date or a tag" if not cache.plain else "those to queries, and others that do not say for how long")
    for row in cache.lifetimes if whole else ():
        statuses = ["any"] if row.statuses is None else sorted(map(str, row.statuses))
        nodes.append(Node([f"{module}_cache_valid", *([] if statuses == defaults.KEPT_STATUSES else statuses), write_time(row.seconds)], None, (row.span,) if row.span else spans))
    for name, texts in tests.items():
        if texts:
            add(name, *map(quote, texts))  # type: ignore[arg-type]
    if cache.methods != ("GET", "HEAD"):
        add("cache_methods", *cache.methods)
    if module == "proxy" and not cache.asks_whole:
        add("cache_convert_head", "off")
        if "method" not in str(key):
            # ngx_http_proxy_module, proxy_cache_convert_head: without that the key must tell the methods apart.
            nodes = [node for node in nodes if node.words[0] != "proxy_cache_key"]
            add("cache_key", quote(f"{key}$request_method"))
    if stale := [word for word in cache.stale if module == "proxy" or word not in _OF_PROXIES]:
        add("cache_use_stale", *(f"http_{word}" if word.isdigit() else word for word in stale))
    if len(stale) < len(cache.stale):
        context.note(cache.span, Disposition.CHANGED, CACHE_OTHERWISE, what="what is sent instead of an application's 502 or 504")
    for name, is_on in (("lock", cache.locks), ("revalidate", cache.revalidates), ("background_update", cache.background)):
        if is_on:
            add(f"cache_{name}", "on")
    if cache.uses != 1:
        add("cache_min_uses", str(cache.uses))
    ignored = {name for name in cache.ignores if name in _HEEDED} | ({"x-accel-expires"} if context.estate.dialect == "apache" else set())
    if ignored:
        add("ignore_headers", *sorted(name.title() for name in ignored))
    return nodes


# What a client says that wants nothing that was kept (RFC 9111 section 5.2.1).
_REFUSES = Pattern(r"no-cache|no-store|max-age=0\b", "pcre", ignores_case=True)


def _bypasses(cache: Cache) -> Condition | None:
    found = [cache.bypasses] if cache.bypasses is not None else []
    if cache.when is not None:
        found.insert(0, Not(cache.when, cache.span))
    if cache.heeds_clients:
        found.append(TextMatches((Var(Variable.FIELD, "Cache-Control"),), _REFUSES, span=cache.span))
        found.append(Not(TextIs((Var(Variable.FIELD, "Pragma"),), ("", "0"), span=cache.span), cache.span))
    return AnyOf(tuple(found), cache.span) if len(found) > 1 else found[0] if found else None


def _skips(cache: Cache, dialect: str) -> Condition | None:
    found = [cache.skips] if cache.skips is not None else []
    if cache.when is not None:
        found.insert(0, Not(cache.when, cache.span))
    if dialect == "apache":
        # RFC 9111 section 3.5: what somebody with credentials is sent is nobody else's; nginx by itself keeps it.
        found.append(Not(TextIs((Var(Variable.FIELD, "Authorization"),), ("",), span=cache.span), cache.span))
        found.append(Not(TextIs((Var(Variable.ORIGIN_FIELD, "pragma"),), ("", "0"), span=cache.span), cache.span))
    return AnyOf(tuple(found), cache.span) if len(found) > 1 else found[0] if found else None


def _store(cache: Cache, module: str, context: Context) -> str:
    store = cache.store
    own = context.estate.dialect == "nginx"
    name = store.name or re.sub(r"\W+", "_", store.folder.rsplit("/", 1)[-1]).strip("_") or "answers"
    other = context.http.get(f"cache {name}")
    if other is not None and other.words[0] != f"{module}_cache_path":
        name = f"{name}_{module}"  # ngx_shared_memory_add: a zone is for answers that come one way, by HTTP or from applications of one kind
    folder = store.folder if own else _FOLDER + name
    if not own:
        context.note(store.span or cache.span, Disposition.CHANGED, CACHE_OWN_FOLDER, folder=folder)
    words = [*([f"levels={':'.join(map(str, store.levels))}"] if store.levels else []), f"keys_zone={name}:{write_size(store.memory or _MEMORY)}",
             *([f"max_size={write_size(store.size)}"] if store.size else []), *([f"inactive={write_time(store.idle_seconds)}"] if store.idle_seconds and store.idle_seconds != 600 else []), *(store.words if own else ())]
    context.http.setdefault(f"cache {name}", Node([f"{module}_cache_path", quote(folder), *words], None, tuple(span for span in (store.span, *store.also) if span)))
    return name


def _texts(condition: Condition | None, context: Context) -> list[str] | Unwritable:
    """Texts of which one is more than nothing, and not 0, where the condition holds."""
    match condition:
        case None:
            return []
        case AnyOf(conditions):
            made = [_texts(item, context) for item in conditions]
            lost = next((item for item in made if isinstance(item, Unwritable)), None)
            return lost or [text for item in made for text in item]  # type: ignore[union-attr]
        case Not(Not(inner)):
            return _texts(inner, context)
        case Not(AllOf(conditions)):
            return _texts(AnyOf(tuple(Not(item, condition.span) for item in conditions), condition.span), context)
        case Not(TextIs(template, ("", "0") | ("0", ""))):
            text = context.template(template, condition.span)
            return text if isinstance(text, Unwritable) else [text]
    table = _table(condition)
    if table is None:
        return Unwritable("a condition that no table says")
    text = context.template((table,), condition.span)
    return text if isinstance(text, Unwritable) else [text]


def _table(condition: Condition) -> Lookup | None:
    """The condition as a table that says 1, or else 0."""
    holds, other = ("0", "1") if isinstance(condition, Not) else ("1", "0")
    asked = condition.condition if isinstance(condition, Not) else condition
    span: Span | None = condition.span if hasattr(condition, "span") else None
    match asked:
        case PathStartsWith(prefix, False):
            subject, value = (Var(Variable.PATH),), Pattern(f"^{re.escape(prefix)}", "pcre")
        case PathIs(path, False):
            subject, value = (Var(Variable.PATH),), Pattern(f"^{re.escape(path)}$", "pcre")
        case PathMatches(value):
            subject = (Var(Variable.PATH),)
        case TextMatches(subject, value):
            pass
        case TextIs(subject, ("",)):
            value = ""
        case TextIs(subject, values):
            value = Pattern(f"^(?:{'|'.join(map(re.escape, values))})$", "pcre")
        case _:
            return None
    return Lookup("not_kept", subject, (LookupRow(value, (holds,)),), (other,), span=span)
