"""nginx `proxy_cache*`, `fastcgi_cache*` and their like -> Cache. Mirror: ../writer/caches.py.

Source:   nginx manual, proxy module; ngx_http_upstream_cache, ngx_http_upstream_process_headers (1.22.1, probed).
Rule:     only where the place has `proxy_cache` with a zone. What is asked by GET or HEAD is looked for; HEAD goes out as GET. An answer's own fields
          come before `proxy_cache_valid`, which without statuses is for 200, 301 and 302. A text that comes out empty, or is 0, bypasses nothing.
Left out: zones that a variable names; what is sliced; `proxy_store`.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import AnyOf, Cache, CacheStore, Condition, Lifetime, Not, Template, TextIs, Var, Variable
from .. import defaults
from ..syntax import Directive
from ..values import read_size, read_time
from .context import Context, Scope
from .marks import condition_of

# Fields that say how long an answer may be kept; what else may be left unheeded is no matter of caches.
_HEEDED = frozenset({"x-accel-expires", "expires", "cache-control", "set-cookie", "vary"})
_KEY: Template = (Var(Variable.SCHEME), Var(Variable.POOL), Var(Variable.TARGET))
# How the server itself keeps what it keeps: no answer depends on it.
_OF_ITSELF = ("lock_age", "lock_timeout", "max_range_offset")


def read_cache(scope: Scope, module: str, context: Context) -> Cache | None:
    """The cache of a scope. module: the beginning of its directives' names, `proxy` say."""
    line = context.used(scope, f"{module}_cache")
    ignores = frozenset(word.lower() for item in scope.inherited(f"{module}_ignore_headers") for word in context.use(item).args)
    for item in scope.inherited(f"{module}_ignore_headers"):
        if others := [word for word in item.args if word.lower() not in _HEEDED]:
            context.unread(item, " ".join(others), f"fields that say how long an answer may be kept ({', '.join(sorted(_HEEDED))}) were expected")
    if line is None or line.args == ["off"]:
        return None
    store = _store(line, f"{module}_cache_path", scope, context)
    if store is None:
        return None
    with context.gather() as spans:
        made = _read(line, store, scope, module, ignores, context)
    return replace(made, also=tuple(dict.fromkeys(spans)))


def _read(line: Directive, store: CacheStore, scope: Scope, module: str, ignores: frozenset[str], context: Context) -> Cache:
    def last(name: str) -> Directive | None:
        return context.used(scope, f"{module}_cache_{name}")

    key, methods, stale, uses = last("key"), last("methods"), last("use_stale"), last("min_uses")
    for name in _OF_ITSELF:
        last(name)
    for item in scope.inherited(f"{module}_ignore_headers"):
        context.use(item)
    if uses is not None and not uses.args[0].isdigit():
        context.unread(uses, uses.args[0], "a number was expected")
    return Cache(
        store, context.template(key.args[0], key) if key is not None else _KEY if module == "proxy" else (),
        tuple(made for item in scope.inherited(f"{module}_cache_valid") for made in _lifetimes(context.use(item), context)),
        # ngx_http_upstream_cache_method_mask: these two, whatever else is named.
        tuple(dict.fromkeys(("GET", "HEAD", *(word.upper() for word in methods.args if methods is not None)))) if methods is not None else ("GET", "HEAD"),  # type: ignore[union-attr]
        ignores & _HEEDED, bypasses=_any(f"{module}_cache_bypass", scope, context), skips=_any(f"{module}_no_cache", scope, context),
        asks_whole=module == "proxy" and context.switch(scope, "proxy_cache_convert_head", True),
        stale=tuple(word.removeprefix("http_") for word in stale.args) if stale is not None and stale.args != ["off"] else (), locks=context.switch(scope, f"{module}_cache_lock", False),
        uses=int(uses.args[0]) if uses is not None and uses.args[0].isdigit() else 1, revalidates=context.switch(scope, f"{module}_cache_revalidate", False),
        background=context.switch(scope, f"{module}_cache_background_update", False), span=line.span, comments=line.comments,
    )


def _lifetimes(line: Directive, context: Context) -> list[Lifetime]:
    seconds = read_time(line.args[-1])
    words = line.args[:-1] or defaults.KEPT_STATUSES
    if seconds is None or any(word != "any" and not word.isdigit() for word in words):
        context.unread(line, " ".join(line.args), "statuses and a time such as 10m were expected")
        return []
    if "any" in words:
        return [Lifetime(None, seconds, line.span)]
    return [Lifetime(frozenset(map(int, words)), seconds, line.span)]


def _any(name: str, scope: Scope, context: Context) -> Condition | None:
    """Whether any of the texts of some lines is more than nothing."""
    found = tuple(_holds(word, context.use(item), scope, context) for item in scope.inherited(name) for word in item.args)
    return AnyOf(found, found[0].span) if len(found) > 1 else found[0] if found else None


def _holds(word: str, line: Directive, scope: Scope, context: Context) -> Condition:
    bare = word.strip("${}").lower()
    marked = condition_of(bare, scope, context) if bare in context.set_lines and re.fullmatch(r"\$(?:\w+|\{\w+\})", word) else None
    return marked or Not(TextIs(context.template(word, line), ("", "0"), span=line.span), line.span)


def _store(line: Directive, name: str, scope: Scope, context: Context) -> CacheStore | None:
    top = scope
    while top.parent is not None:
        top = top.parent
    for found in top.own(name):
        words = dict(word.partition("=")[::2] for word in found.args[1:])
        zone, _, memory = words.get("keys_zone", "").partition(":")
        if zone == line.args[0]:
            context.use(found)
            rest = tuple(word for word in found.args[1:] if word.partition("=")[0] not in _READ)
            levels = tuple(int(part) for part in words.get("levels", "").split(":") if part.isdigit())
            return CacheStore(found.args[0], zone, levels, read_size(memory) or 0, read_size(words.get("max_size", "")) or 0, read_time(words.get("inactive", "10m")) or 0, rest, found.span)
    context.unread(line, line.args[0], f"a zone that {name} makes was expected")
    return None


_READ = ("levels", "keys_zone", "max_size", "inactive")
