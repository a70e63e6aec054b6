"""A query with blanks that a rule has made: when a list of rules is through, so that it is refused. Used by: decide.py.

Source:   mod_rewrite.c, hook_uri2file and hook_fixup (httpd 2.4.71, probed).
"""

from __future__ import annotations

from ..model import SITE, Forward, Gateway, Leave, Redirect, Respond, Restart, ServeFiles, Step, Written


def is_past_rules(step: Step) -> bool:
    """Whether a list of rules is through with such a step: an answer, of a rule or not, and what leads on. What a rule asks an origin for has a query of its own."""
    if isinstance(step, Forward):
        return not isinstance(step.target, Written) or step.target.adds_query
    return isinstance(step, Redirect | Respond | Gateway | ServeFiles | Leave) or isinstance(step, Restart) and step.label == SITE
