"""Where rules of a RewriteValve stand, and the texts with variables that they are made of. Used by: rewrites.py, conditions.py.

Source:   ResolverImpl, Substitution (10.1.60).
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ....model import Step, Template, Unread, Var, Variable, literal
from .. import values
from .secure import Secure


@dataclass
class Level:
    """Where rules stand.

    prefix: the path of the context whose rules they are; "" for those of a host
    label:  of the block that the rules are
    path:   what REQUEST_PATH is: for a host's rules one of many paths, by the context that the request is mapped to, and its welcome file
    roots:  (path of a context, its folder, its welcome files) that files may be looked for in, the longest path first
    in_context: they are a context's
    made: the paths that they may make
    goes_on: a rule before the one that is read may have made the path, and the list goes on
    groups: how many groups the pattern of each label has
    saved: what the request was before, by the names that later rules ask for it by
    guarded: constraints of the context act behind them
    after: what valves of the host do behind them
    followed: other rules act behind them
    secure: what is taken to have come by TLS
    asks_both: the rule that is read asks for neither file nor folder, so that a folder's welcome file says nothing more
    """

    prefix: str
    label: str
    path: Template
    roots: list[tuple[str, str, tuple[str, ...]]]
    in_context: bool = False
    made: list[Template] = field(default_factory=list)
    asks_both: bool = False
    goes_on: bool = False
    saved: dict[str, Template] = field(default_factory=dict)
    groups: dict[str, int] = field(default_factory=dict)
    guarded: bool = False
    after: tuple[Step, ...] = ()
    followed: bool = False
    secure: Secure = field(default_factory=Secure)

    @property
    def rewrites(self) -> bool:
        return bool(self.made)

    def may_make(self, path: str) -> bool:
        """Whether a rule may make exactly this path."""
        for template in self.made:
            said = literal(template)
            first, last = (template[0], template[-1]) if template else ("", "")
            if said == path or said is None and path.startswith(first if isinstance(first, str) else "") and path.endswith(last if isinstance(last, str) else ""):
                return True
        return False


# What stays as it was while rules go on (ResolverImpl asks the request, which is changed when all are through; 10.1.60, probed).
_SAVED: dict[str, tuple[str, Template]] = {
    "REQUEST_URI": ("asked_uri", (Var(Variable.PATH_ESCAPED),)), "QUERY_STRING": ("asked_query", (Var(Variable.QUERY),)),
    "THE_REQUEST": ("asked_line", (Var(Variable.METHOD), " ", Var(Variable.PATH_ESCAPED), " ", Var(Variable.PROTOCOL))), "REQUEST_PATH": ("asked_path", ()),
}


def substitution(text: str, labels: tuple[str, str], level: Level) -> Template:
    """A text with variables, which say what the request was before any rule."""
    given: dict[str, Template] = {}
    for name, (own, template) in _SAVED.items() if level.goes_on else ():
        if f"%{{{name}}}" in text and (name != "REQUEST_PATH" or level.in_context):
            level.saved[own] = template or level.path
            given[name] = (Var(Variable.VARIABLE, own),)
    # What a proxy says of them is a question, and no text.
    given |= {name: (Unread(f"%{{{name}}}"),) for name, unread in (("HTTPS", not level.secure.plain), ("HTTP_HOST", bool(level.secure.host_field))) if unread}
    return values.substitution(text, *labels, path=given.pop("REQUEST_PATH", level.path), context=level.prefix, given=given, groups=level.groups)
