"""Files of httpd that other origins' pages may read -> the answer to a browser that asks beforehand.

Source:   core.c, default_handler (2.4.71, probed): httpd answers OPTIONS itself, with all the fields of the place. A server that refuses the
          method there makes browsers give up the request that was to follow (Fetch standard, CORS-preflight fetch).
Left out: places without such fields, where no browser's request depends on it; and those that ask for a user, since nothing shall be
          answered before that.
"""

from __future__ import annotations

from ..model import Field, MethodIn, Operation, Respond, ServeFiles, Side
from .tree import Branch, Chain, Fork, Leaf, Settings, leaves

_WHY = "Browsers ask with this method before they send some requests to another origin; it is answered here, as before."


def answer_preflights(chain: Chain) -> None:
    """Has OPTIONS answered without content where files are served with fields for other origins; changes the chain in place."""
    found = list(leaves(chain))
    asked = next((leaf for leaf in found if isinstance(leaf.answer, ServeFiles) and _for_others(leaf.settings)), None)
    if asked is None:
        return
    if all(_answers_options(leaf) for leaf in found):
        assert isinstance(asked.answer, ServeFiles) and asked.answer.options_status is not None
        answer = Respond(asked.answer.options_status, span=asked.answer.span)
        first = next(number for number, item in enumerate(chain.items) if isinstance(item, Branch | Leaf))
        fork = Fork(MethodIn(("OPTIONS",)), Chain([Leaf(answer, asked.settings)]), comments=(_WHY,))
        chain.items.insert(first, Branch([fork]))
        return
    for item in chain.items:
        for fork in item.forks if isinstance(item, Branch) else ():
            answer_preflights(fork.chain)
    last = chain.items[-1]
    if isinstance(last, Leaf) and len(chain.items) > 1:
        alone = Chain([last], chain.shared)
        answer_preflights(alone)
        chain.items[-1:] = alone.items


def _answers_options(leaf: Leaf) -> bool:
    return isinstance(leaf.answer, ServeFiles) and leaf.answer.options_status is not None and leaf.settings.guard is None


def _for_others(settings: Settings) -> bool:
    return any(_lets_others(field) for field in settings.fields)


def _lets_others(field: Field) -> bool:
    return field.side is Side.RESPONSE and field.name.lower().startswith("access-control-allow-") and field.operation is not Operation.REMOVE
