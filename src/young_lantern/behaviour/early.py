"""What of a site's program counts for a request that is refused before anything is looked for. Used by: decide.py.

Source:   request.c, protocol.c (httpd 2.4.71, probed): an encoded slash, a method, a head that is more than is taken.
"""

from __future__ import annotations

from ..model import AnswerLimit, Block, Choose, ErrorPages, Field, SetVariable, Step


def holds_for_all(step: Step) -> bool:
    """Whether a step is one that the whole site has, or that is taken before anything is asked of the path (mod_setenvif)."""
    if isinstance(step, Choose):
        return all(route.steps and all(isinstance(item, SetVariable) and item.environment for item in route.steps) for route in step.routes)
    if isinstance(step, SetVariable):
        return step.environment
    if isinstance(step, Field):
        return not step.of_section
    return isinstance(step, Block | ErrorPages | AnswerLimit) and getattr(step, "when", None) is None and not getattr(step, "merges", False)


def is_of_parts(step: Step) -> bool:
    """Whether a step is what parts of a site say of its answers, none of which is looked for then."""
    if isinstance(step, Choose):
        return not holds_for_all(step) and all(isinstance(item, ErrorPages | Field | AnswerLimit) for route in step.routes for item in route.steps)
    return isinstance(step, Field | AnswerLimit) and not holds_for_all(step)


def is_unasked(step: Step, unread: bool) -> bool:
    """Whether a step only sets variables that nobody sets by then: rules for rewriting come after the refusal; a request that could not be read has none at all (httpd 2.4.71, probed)."""
    if isinstance(step, Choose):
        return bool(step.routes) and all(route.steps and all(is_unasked(item, unread) for item in route.steps) for route in step.routes)
    return isinstance(step, SetVariable) and step.environment and (step.by_rule or unread)
