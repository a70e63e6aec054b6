"""Requests that a server makes inside for one of its own: index files of a folder, and what else is asked whether it is there. Used by: decide.py.

Source:   mod_dir.c, fixup_dir; http_request.c, ap_internal_fast_redirect (httpd 2.4.71, probed).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Protocol

from ..model import FileKind, Restart, Span
from .folder_walks import walked
from .outcome import Outcome
from .serving import KNOWN_METHODS
from .state import State
from .targets import read_anew

# Index files within index files: a folder may lie where the index file's name is.
_LIMIT = 10


@dataclass(frozen=True, slots=True)
class Jump:
    """Where a program goes on: behind the labelled block, or at its start again."""

    label: str
    again: bool


class Run(Protocol):
    """One request through one program."""

    state: State

    def anew(self, state: State) -> Outcome:
        """What another request of the same program comes to."""

    def fail(self, status: int, span: Span | None, insists: bool = False) -> "Outcome | Jump | None": ...

    def end(self, span: Span | None, **more: Any) -> Outcome: ...


def _inner(state: State, name: str, for_index: bool, unheard: bool) -> State:
    return replace(
        state, path=name, raw_path=None, url=None, internal=True, method="GET", method_outside=state.method_outside or state.method, fields=[], request_fields=[], as_handled=[], pages=None, compress=None, types=None, entered={}, entered_at={}, trace=[],
        variables={key: value for key, value in state.variables.items() if key in state.environment}, depth=state.depth + 1, intercepted=False,
        for_index=for_index, index_of=state.path, asked_inside=True, unheard=unheard, in_error=False, handed_on=None, named=dict(state.named), labelled=dict(state.labelled))


def handed_on(run: Run, step: Restart) -> "Outcome | Jump | None":
    """What a request inside comes to whose rules lead elsewhere.

    mod_dir.c, fixup_dir, fixup_dflt (2.4.71, probed): a file that is there is found; what a rule has made of it is asked for in the place of the folder.
    """
    state = run.state
    if step.unless is not None and step.walks is not None and walked(step.walks[0], state.entered_at[step.unless[0]].removeprefix(step.walks[1]), state.facts)[1] is None:
        return run.fail(404, step.span, True)
    if step.reads_anew:
        read_anew(state)
    state.handed_on = step.label
    return Outcome(None)


def allows(run: Run, name: str, as_file: bool) -> bool:
    """What rules ask of a path: whether what comes of it is no error, be a file there or not.

    mod_rewrite.c, apply_rewrite_cond, subreq_ok (2.4.71, probed): the request for a path that is made for this very path asks no further.
    """
    state = run.state
    if state.depth >= _LIMIT or state.depth and state.index_of == state.path:
        return False
    inner = _inner(state, name, True, True)
    before = len(state.standing)
    outcome = run.anew(inner)
    del state.standing[before:]
    state.gave_up = state.gave_up or inner.gave_up
    if inner.handed_on is not None:
        return not as_file  # hook_fixup: what a rule of a folder makes of it is not gone after, and is no file's name
    held = inner.missing or outcome.status is None or outcome.status < (300 if as_file else 400) or bool(outcome.file or outcome.origin)
    return held and (not as_file or inner.path.startswith(name))


def ask_inside(run: Run, span: Span | None, names: tuple[str, ...], for_index: bool = False) -> tuple[Outcome | Jump | None, int | None]:
    """Requests inside for some paths: what the first that finds something answers; else the last status that is not 404."""
    # mod_dir.c, fixup_dir (2.4.71, probed): a redirect is passed on, a file or an origin's answer too, and of all other answers but 404 the
    # last one counts, so that nothing is listed that is closed.
    state = run.state
    refused = None
    for number, name in enumerate(names, 1):
        inner = _inner(state, name, for_index, not for_index or number < len(names))
        before = len(state.standing)
        outcome = run.anew(inner) if inner.depth < _LIMIT else Outcome(500)
        if not for_index or number < len(names):
            # mod_dir.c, fixup_dir, fixup_dflt (2.4.71, probed): what is asked of the client for the last of the index files is asked for the folder; of one before it, and of what is fallen back to, nobody hears.
            state.standing[before:] = [item for item in state.standing[before:] if item.stays]
        state.gave_up = state.gave_up or inner.gave_up
        if inner.handed_on is not None:
            state.path, state.raw_path, state.url, state.query, state.internal, state.refused = inner.path, None, None, inner.query, True, inner.refused
            state.walk = inner.walk
            state.trace += inner.trace
            if state.depth:
                # http_request.c, ap_internal_fast_redirect (2.4.71, probed): what a request inside has come to is handed on with it.
                state.handed_on = inner.handed_on
                return Outcome(None), None
            return Jump(inner.handed_on, True), None
        if inner.intercepted:
            # It was found: what an application says comes later, and is no matter of looking for it.
            return replace(outcome, trace=(*state.trace, *inner.trace)), None
        origin = outcome.origin
        if origin is not None and origin.protocol == "fastcgi" and state.facts.lookup(origin.target) is not FileKind.FILE:
            # mod_dir.c, fixup_dir: a file that some handler is for must be there; a path that is proxied need not.
            outcome = Outcome(404)
        if outcome.status is not None and 300 <= outcome.status < 400 and not outcome.file and not outcome.origin and not inner.in_error:
            # What is said of the answer is what is said of the folder (2.4.71, probed).
            state.trace += inner.trace
            return run.end(outcome.decided_by or span, status=outcome.status, location=outcome.location, is_error=True), None
        if outcome.status is not None and (outcome.file or outcome.origin) and not inner.in_error:
            state.trace += inner.trace
            state.fields, state.pages, state.compress, state.types = inner.fields, inner.pages, inner.compress, inner.types
            if outcome.file and state.method == "OPTIONS":
                return replace(outcome, file=None, body="", trace=tuple(state.trace)), None  # core.c, default_handler: what it takes, not the file
            if outcome.file and state.method not in ("GET", "HEAD", "POST"):
                # The request is the index file's by then (http_request.c, ap_internal_fast_redirect; 2.4.71, probed).
                state.path, state.raw_path, state.url = name, None, None
                return run.fail(405 if state.method in KNOWN_METHODS else 501, span), None
            origin = outcome.origin and replace(outcome.origin, method=state.method)
            return replace(outcome, origin=origin, trace=tuple(state.trace)), None
        status = inner.error_status if inner.in_error else outcome.status
        if status != 404:
            refused = status
    return None, refused
