"""nginx `try_files` beside an `alias`: what is looked for, what the path then is, and where the fallback leads.

Source:   ngx_http_try_files_module.c, ngx_http_try_files_handler; ngx_http_core_module.c, ngx_http_map_uri_to_path (1.22.1, probed).
Rule:     words without variables stand behind the alias as they are. What a word with variables comes to loses the part of the path that the alias stands for
          where it begins with it, and so does the fallback: `alias /srv/app/; try_files $uri /app/index.html?$args;` in `location /app/` goes on at
          `index.html`, which is no path of any location. Beside an alias in a location by pattern a word stands behind the whole alias.
"""

from __future__ import annotations

import re

from ....model import ALWAYS, Choose, Pattern, QueryEdit, Restart, Rewrite, Route, SetPath, Span, Step, Template, TextMatches, Unserved, Var, Variable, join

PATH = Var(Variable.PATH)
# Values that a client chooses freely.
_OF_CLIENTS = frozenset({Variable.ARGUMENT, Variable.COOKIE, Variable.FIELD})


def has_variables(word: str) -> bool:
    return "$" in word


def found_path(word: str, template: Template, strip: str, span: Span) -> tuple[Step, ...]:
    """The steps that make what was found below an alias the path. strip: the part of the path that the alias stands for; "": there is none."""
    if template == (PATH,):
        return ()
    behind = _set((strip, *template), span)
    if not strip:
        return (_set(template, span),)
    if not has_variables(word):
        return (behind,)
    begins = _begins(template, strip)
    if begins is None:
        return (Choose((Route(_asked(template, f"^{re.escape(strip)}", span), (_set(template, span),), span), Route(ALWAYS, (behind,), span)), span),)
    return (_set(template, span),) if begins else (behind,)


def fallback(word: str, path: Template, query: Template, strip: str, span: Span, label: str) -> tuple[Step, ...]:
    """The steps of a fallback that is a path."""
    def goes_on(path: Template) -> tuple[Step, ...]:
        return Rewrite(SetPath(path, splits_at_mark=any(not isinstance(part, str) for part in path)), QueryEdit(query), span=span), Restart(label, span)

    begins = _begins(path, strip) if strip and has_variables(word) else False
    if begins is None:
        return (Choose((Route(_asked(path, f"^(?:{re.escape(strip)}|(?!/))", span), (Unserved(span.directive, span),), span), Route(ALWAYS, goes_on(path), span)), span),)
    if not begins and path and isinstance(path[0], Var) and path[0].variable in _OF_CLIENTS:
        # What does not begin with a slash is no path that the server knows what to do with.
        return (Choose((Route(_asked(path, "^(?!/)", span), (Unserved(span.directive, span),), span), Route(ALWAYS, goes_on(path), span)), span),)
    if not begins:
        return goes_on(path)
    first = path[0]
    if not isinstance(first, str):
        return (Unserved(span.directive, span),)
    left = join(first[len(strip):], *path[1:])
    if left and isinstance(left[0], str):
        return goes_on(left)
    # Of nothing the server makes one thing or another.
    return (Choose((Route(_asked(left, "^$", span), (Unserved(span.directive, span),), span), Route(ALWAYS, goes_on(left), span)), span),)


def _begins(template: Template, strip: str) -> bool | None:
    """Whether a text begins with the part that an alias stands for; None: it depends on the request."""
    first = template[0] if template else ""
    if not isinstance(first, str):
        return True if first == PATH else None
    if first.startswith(strip) or len(template) == 1 or not strip.startswith(first):
        return first.startswith(strip)
    return None


def _asked(template: Template, pattern: str, span: Span) -> TextMatches:
    return TextMatches(template, Pattern(pattern, "pcre", label=f"begins {pattern}"), span=span)


def _set(template: Template, span: Span) -> Rewrite:
    return Rewrite(SetPath(join(*template)), internal=False, span=span)
