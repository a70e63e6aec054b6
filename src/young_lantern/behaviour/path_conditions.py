"""The path as conditions see it, and shell patterns on it."""

from __future__ import annotations

import fnmatch
from functools import lru_cache

import regex

from ..model import PathForm
from . import paths
from .state import State


def path_in(form: PathForm, state: State, against: str) -> str:
    if form is PathForm.CURRENT:
        return state.path
    if form is PathForm.ENCODED:
        # RewriteValve, encodeForRewrite (Tomcat 10.1.60, probed)
        return state.rule_path if state.rule_path is not None else regex.sub("[%;?]", lambda found: f"%{ord(found[0]):02x}", state.path)
    if form is PathForm.URL:
        return state.path if state.url is None else state.url
    # Caddy (2.6.2, probed): a path that stripping left empty is not "/"; before a path is compared, not before a pattern is
    # tried, dots and blanks at its end are cut off, as Windows ignores them in the names of files.
    seen = state.path.rstrip(". ") if against else state.path
    if not seen:
        return ""
    # caddyhttp.CleanPath (2.6.2, probed): what a cut prefix leaves without a slash at its start gets none.
    cleaned = paths.clean(seen, merges_slashes="//" not in against)
    return cleaned if seen.startswith("/") else cleaned.removeprefix("/")


def is_like(glob: str, seen: str) -> bool:
    # caddyhttp MatchPath (2.6.2): a star at one end, or at both, is a suffix, prefix or part; else path.Match, whose
    # star does not cross a slash.
    if glob == "*":
        return True
    inner = glob.strip("*")
    if glob.count("*") == 2 and glob.startswith("*") and glob.endswith("*"):
        return inner in seen
    if glob.count("*") == 1 and glob.startswith("*"):
        return seen.endswith(inner)
    if glob.count("*") == 1 and glob.endswith("*"):
        return seen.startswith(inner)
    return _shell_glob(glob).fullmatch(seen) is not None


@lru_cache(maxsize=1024)
def _shell_glob(glob: str) -> regex.Pattern[str]:
    translated = fnmatch.translate(glob).removeprefix("(?s:").removesuffix(")\\Z")
    return regex.compile(translated.replace(".*", "[^/]*").replace("(?>[^/]*?", "(?:[^/]*?"))
