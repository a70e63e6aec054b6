"""Requests that differ -> the class they make, in words: the fewest conditions that hold for all of them and not for their like.

Rule:     of the paths that stand for their classes, those that differ are told from the others by conditions that all of them meet, and by conditions
          that none of them meets. Nothing is said where no such words are right for every class.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from itertools import chain

from .path_classes import PathClasses, PathTest
from .request import Request

# More conditions than these are no help to a reader.
_MOST = 3


def paths_in_words(classes: PathClasses, paths: set[str]) -> str:
    """`any path`, or `a path that begins with /loans/ and matches \\.pdf$, but not one that is /loans/x`; "" where no few words say it.

    paths: those that differ, out of classes.paths
    """
    held = classes.held
    inside = [held[path] for path in paths if path in held]
    if not inside:
        return ""
    others = [tests for path, tests in held.items() if path not in paths]
    wanted: list[int] = []
    common = frozenset.intersection(*inside)
    # The plainest condition first: of those that rule out as many of the others, the one that most of all paths meet.
    commonness = _met(held.values())
    while others:
        met = _met(others)
        best = max(sorted(common), key=lambda test: (-met[test], commonness[test]), default=None)
        if best is None or met[best] == len(others):
            break
        wanted.append(best)
        others = [tests for tests in others if best in tests]
    unwanted: list[int] = []
    never = frozenset(range(len(classes.tests))) - frozenset.union(*inside)
    while others:
        met = _met(others)
        best = max(sorted(never), key=lambda test: met[test], default=None)
        if best is None or not met[best]:
            return ""
        unwanted.append(best)
        others = [tests for tests in others if best not in tests]
    if len(wanted) > _MOST or len(unwanted) > _MOST:
        return ""
    used = _told_apart([classes.tests[test] for test in (*wanted, *unwanted)])
    said = "a path that " + " and ".join(test.words for test in used[:len(wanted)]) if wanted else "any path"
    said += ", but not one that " + _alternatives(used[len(wanted):]) if unwanted else ""
    return said + (" (dots at its end aside)" if any(test.dotted for test in used) else "")


def _told_apart(tests: list[PathTest]) -> list[PathTest]:
    """Of two that would be said in the same words the one that takes letters of either case says so."""
    words = Counter(test.words for test in tests)
    return [replace(test, text=f"{test.text} in any case") if test.any_case and words[test.words] > 1 else test for test in tests]


def _alternatives(tests: list[PathTest]) -> str:
    """`is /a, /b or matches \\.pdf$`"""
    by_verb: dict[str, dict[str, None]] = {}
    for test in tests:
        by_verb.setdefault(test.verb, {})[test.text] = None
    return " or ".join(f"{verb} {_listed(list(texts))}" for verb, texts in by_verb.items())


def _listed(texts: list[str]) -> str:
    return texts[0] if len(texts) == 1 else f"{', '.join(texts[:-1])} or {texts[-1]}"


def _met(held: Iterable[frozenset[int]]) -> Counter[int]:
    """How many paths meet each condition."""
    return Counter(chain.from_iterable(held))


def methods_in_words(requests: Iterable[Request]) -> str:
    """`GET`, `GET or HEAD`, or `any method`."""
    found = list(dict.fromkeys(request.method for request in requests))
    if {"GET", "POST", "DELETE"} <= set(found):
        return "any method"
    return "any method but GET and HEAD" if {"POST", "DELETE"} <= set(found) and not {"GET", "HEAD"} & set(found) else _listed(found)
