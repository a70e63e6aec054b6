"""Chains, branches and leaves -> levels of Caddy directives. Mirror: reader/routes.py.

Rule:     a level is written in the order it shall run. If Caddy's own order keeps what matters, it stays so; if Caddy would
          run it otherwise, it goes into a `route`, with a comment that says why.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from itertools import takewhile

from ....codes import STATUS_PAGE
from ....fitting import Branch, Chain, Fork, Leaf, Settings, disjoint, leaves
from ....fitting.aliases import cut
from ....fitting.closing import by_paths, must_close
from ....fitting.static import lasting
from ....model import (
    ALWAYS, Abort, AllOf, AnyOf, Condition, Credentials, Disposition, FileExists, FileKind, Forward, Gateway, Mapped, Not, PathIs, PathMatches, PathStartsWith, Redirect, Respond,
    Operation, Rewrite, ServeFiles, Span, TextIs, Unserved, Var, Variable,
)
from ....model.walk import walk
from ..catalogue import POSITION
from ..order import sort_items
from ..stable_sort import BLOCK
from ..values import Unwritable
from . import access, answers, asking, compression, fields, files, forwards, gateways, limits, logs, rewrites
from .context import Context, Matcher
from .matchers import write_matcher
from .output import Node

# So many lines may yet come before those of a level.
_MOST_AHEAD = 8
_WHY_ROUTE = ("Kept in the order written: sorted as usual, Caddy would run these otherwise.",)


def write_chain(chain: Chain, context: Context) -> list[Node]:
    """A chain -> the nodes of one level, arranged."""
    return arrange(chain_nodes(chain, context))


def chain_nodes(chain: Chain, context: Context) -> list[Node]:
    before = context.rewritten
    nodes = _chain_nodes(chain, context)
    context.rewritten = before
    return nodes


def _chain_nodes(chain: Chain, context: Context) -> list[Node]:
    guard = _guard(chain.shared.guard, chain, context)
    if guard is None:
        return _closed()
    nodes = [*guard, *write_settings(chain.shared, chain, context)]
    items = list(chain.items)
    number = 0
    while number < len(items):
        item = items[number]
        following = items[number + 1:]
        if isinstance(item, Branch):
            tried = files.write_try_files(item, following, context)
            if tried is not None:
                nodes += tried[0]
                context.rewritten = True
            elif (folded := fold_found(item, following)) is not None:
                nodes += write_branch(folded, context)
                break
            else:
                nodes += write_branch(item, context)
                context.rewritten = context.rewritten or any(isinstance(inner, Rewrite) for inner in walk(item))
        elif isinstance(item, Leaf):
            made = write_leaf(item, chain, context)
            earlier = [node for node in nodes if _answers_elsewhere(node)]
            apart = bool(earlier) and any(node.setting and not (_defaults_type(node) and all(map(_sends_nothing, earlier))) for node in made)
            # What is set at a level is set for all that the level answers: for this answer alone it stands in a level of its own.
            nodes += [Node(["handle"], arrange(made))] if apart else made
        else:
            nodes += _checked(rewrites.write_rewrite(item, context) if isinstance(item, Rewrite) else rewrites.write_variable(item, context), item.span, context)
            context.rewritten = True
        number += 1
    return _in_order(nodes) if guard else nodes


def _answers_elsewhere(node: Node) -> bool:
    return not node.setting and not node.words[0].startswith("@") and node.kind not in ("rewrite", "uri", "try_files", "vars", "map")


def _defaults_type(node: Node) -> bool:
    return node.words[:2] == ["header", "?Content-Type"]


def _sends_nothing(node: Node) -> bool:
    """Whether what answers there has no content of its own that could lack a type."""
    last = node.block[-1] if node.words[0] in ("handle", "route") and node.block else node
    return isinstance(last, Node) and last.words[0] in ("error", "abort", "redir")


def fold_found(branch: Branch, following: list[object]) -> Branch | None:
    """A branch over files whose first forks just go on, or go on with what they found -> one fork "found" with what follows, and the rest as it was."""
    going = list(takewhile(lambda fork: isinstance(fork.condition, FileExists) and files.goes_there(fork.condition, fork.chain.items), branch.forks))
    rest = branch.forks[len(going):]
    if any(fork.chain.items for fork in going) and ([fork.condition for fork in rest] != [ALWAYS] or any(fork.condition.strip for fork in going)):  # type: ignore[union-attr]
        going = list(takewhile(lambda fork: not fork.chain.items, going))
        rest = branch.forks[len(going):]
    if not going or not following or not rest or any(fork.chain.falls for fork in rest):
        return None
    conditions = tuple(fork.condition for fork in going)
    found = conditions[0] if len(conditions) == 1 else AnyOf(conditions, branch.span)
    chosen = [Branch(going, branch.span)] if any(fork.chain.items for fork in going) else []
    return Branch([Fork(found, Chain([*chosen, *following]), branch.span, going[0].comments, "found"), *rest], branch.span)  # type: ignore[list-item]


def write_settings(settings: Settings, below: Chain, context: Context) -> list[Node]:
    """Response fields, compression and the limit on request content."""
    forwards_below = any(isinstance(leaf.answer, Forward | Gateway) for leaf in leaves(below))
    nodes = fields.write_fields(settings.fields, forwards_below, context)
    if settings.log is not None:
        nodes += logs.write_skip(settings.log, context)
    if settings.limit is not None and (forwards_below or settings.limit.span is not None):
        nodes += limits.write_limit(settings.limit, context)
    if settings.compress is not None:
        nodes += compression.write_compress(settings.compress, context)
    if nodes:
        placed = {span for node in nodes for line in (node, *(node.block or ())) for span in line.spans}
        nodes[0].spans = tuple(dict.fromkeys((*nodes[0].spans, *(span for span in settings.also if span not in placed))))
    for field in settings.request_fields:
        if field.operation is Operation.DEFAULT:
            # request_header knows no `?`: it is set where the client has not sent it.
            unsent: Condition = TextIs((Var(Variable.FIELD, field.name),), ("",), span=field.span)
            field = replace(field, operation=Operation.SET, when=unsent if field.when is None else AllOf((field.when, unsent)))
        words = fields.write_operation(field, True, context)
        if isinstance(words, Unwritable):
            context.lost(field.span, field.name, f"its value needs {words.what}")
            continue
        node = Node(["request_header", *words], None, (field.span,) if field.span else (), setting=True)
        nodes += [node] if field.when is None else fields.matched(field.when, (field,), [node], context)
    return nodes


def _guard(guard: Credentials | None, behind: object, context: Context) -> list[Node] | None:
    """Who is let in; None where Caddy cannot say it, so that nobody is."""
    if guard is None:
        return []
    made = access.write_guard(guard, context)
    if isinstance(made, Unwritable):
        context.left.update(item for item in walk(behind) if isinstance(item, Span))
        context.lost(guard.span, "these credentials", made.what, "set the passwords anew with caddy hash-password")
        return None
    return made


def write_leaf(leaf: Leaf, chain: Chain, context: Context) -> list[Node]:
    below = Chain([leaf])
    guard = _guard(leaf.settings.guard, leaf, context) if not isinstance(leaf.answer, Abort) else []
    if guard is None:
        return _closed()
    if leaf.settings.asks and not isinstance(leaf.answer, Abort):
        return _asked(leaf, guard, below, context)
    settings = [*guard, *([] if isinstance(leaf.answer, Abort) else write_settings(leaf.settings, below, context))]
    nodes = [*settings, *_checked(_answer(leaf.answer, context), leaf.answer.span, context)]
    nodes[-1].spans = (*nodes[-1].spans, *leaf.through)
    return _in_order(nodes) if guard else nodes


def _in_order(nodes: list[Node]) -> list[Node]:
    """Questions and an answer behind them: by Caddy's order of directives a redirect would come first."""
    return [Node(["route"], nodes)] if any(node.words[0] == "redir" for node in nodes) else nodes


def _asked(leaf: Leaf, guard: list[Node], below: Chain, context: Context) -> list[Node]:
    """An answer to those whom an origin lets in."""
    answer, settings = leaf.answer, leaf.settings
    last, answer, fields = asking.with_copies(settings.asks[-1], answer, settings.request_fields)
    asks: list[Node] = []
    for step in (*settings.asks[:-1], last):
        made = asking.write_question(step, context)
        if isinstance(made, Unwritable):
            context.left.update(item for item in walk(leaf) if isinstance(item, Span))
            context.lost(step.span, "asking an origin first", f"Caddy cannot say {made.what}")
            return _closed()
        asks += made
    nodes = [*guard, *asks, *write_settings(replace(settings, request_fields=fields), below, context), *_checked(_answer(answer, context), leaf.answer.span, context)]
    nodes[-1].spans = (*nodes[-1].spans, *leaf.through)
    return _in_order(nodes)


def _answer(answer: object, context: Context) -> list[Node] | Unwritable:
    match answer:
        case Forward():
            return forwards.write_forward(answer, context)
        case Gateway():
            return gateways.write_gateway(answer, context)
        case ServeFiles():
            return files.write_serving(answer, context)
        case Unserved(page="status"):
            context.note(answer.span, Disposition.CHANGED, STATUS_PAGE)
            return [Node(["metrics"], None, (answer.span,) if answer.span else ())]
        case Unserved(spelling):
            return Unwritable(f"what {spelling} answers")
    return answers.WRITES[type(answer)](answer, context)  # type: ignore[index]


def _checked(nodes: list[Node] | Unwritable, span: Span | None, context: Context) -> list[Node]:
    if not isinstance(nodes, Unwritable):
        return nodes
    context.lost(span, "this", f"Caddy has no placeholder or matcher for {nodes.what}")
    return _closed()


def _closed() -> list[Node]:
    # Nothing may answer in its stead by chance: an error is seen, another page is not.
    return [Node(["error", "501"], None, (), ("Not carried over: see the report.",))]


# --- branches ---------------------------------------------------------------------------------------------------------

def write_branch(branch: Branch, context: Context) -> list[Node]:
    """Forks -> lines with a matcher where all are redirects or all are rewrites, else `handle` blocks."""
    if len(branch.forks) == 1 and branch.forks[0].condition is ALWAYS:
        return chain_nodes(branch.forks[0].chain, context)
    branch = _without_idle(branch, context)
    exclusive = not any(fork.chain.falls for fork in branch.forks[:-1])
    nodes: list[Node] = []
    before: list[Condition] = []
    plain = all(_is_plain(fork) for fork in branch.forks) and len({type(fork.chain.items[0]) for fork in branch.forks}) == 1
    leading = True
    for fork in branch.forks:
        leading = leading and _is_redirect(fork)
        if not exclusive and not plain:
            # `handle` blocks exclude those of every other branch of their level; `route` blocks nothing, so that each
            # says itself that the forks before it did not hold.
            guards = tuple(Not(condition) for condition in before if not disjoint(condition, fork.condition))
            before.append(fork.condition)
            parts = (*(() if fork.condition is ALWAYS else (fork.condition,)), *guards)
            fork = replace(fork, condition=ALWAYS if not parts else parts[0] if len(parts) == 1 else AllOf(parts))
        matcher = write_matcher(fork.condition, _wish(fork), context, fork.span)
        if isinstance(matcher, Unwritable):
            nodes += _lose_fork(fork, matcher, context)
            continue
        definition = [matcher.definition] if matcher.definition is not None else []
        line = _plain_line(fork, matcher, context) if (plain or leading) and _is_plain(fork) else None
        node = line or _handle(fork, matcher, context)
        if not line and fork.chain.falls and node.words[0] == "handle":
            node.words[0] = "route"
            node.block = [inner for inner in node.block or []]
        if definition:
            assert isinstance(definition[0], Node)
            definition[0].comments, node.comments = node.comments, ()
            definition[0].spans = tuple(dict.fromkeys((*((fork.span,) if fork.span else ()), *definition[0].spans)))
            definition[0].setting = True
        nodes += [*definition, node]  # type: ignore[list-item]
    return nodes


def _without_idle(branch: Branch, context: Context) -> Branch:
    """The branch without forks that do nothing: what they keep others from is said in the conditions of those."""
    forks: list[Fork] = []
    idle: list[Condition] = []
    for fork in branch.forks:
        if not fork.chain.items and not fork.chain.shared.fields:
            idle.append(fork.condition)
            for span in (fork.span, *fork.also):
                context.implied(span, "nothing happens there that an answer depends on")
            continue
        guards = tuple(Not(condition) for condition in idle if not disjoint(condition, fork.condition))
        if guards:
            parts = (*(() if fork.condition is ALWAYS else (fork.condition,)), *guards)
            fork = replace(fork, condition=parts[0] if len(parts) == 1 else AllOf(parts))
        forks.append(fork)
    return Branch(forks, branch.span)


def _wish(fork: Fork) -> str:
    """What the name of a matcher should remind of: the words of the path or pattern, else of the source line."""
    for item in walk(fork.condition):
        if isinstance(item, PathMatches):
            return re.sub(r"\\[a-zA-Z]|\(\?[a-zA-Z:<>P]*", " ", item.pattern.text)
        if isinstance(item, FileExists):
            return "found" if fork.label == "found" or isinstance(fork.condition, FileExists) else "files"
    text = fork.label or (fork.span.directive if fork.span else "")
    if text.startswith(("allow", "deny")):
        return "denied"
    return re.sub(r"^\W*(location|if)\b|http_", " ", text)


def _is_plain(fork: Fork) -> bool:
    items = fork.chain.items
    if len(items) != 1 or fork.chain.shared != Settings() or fork.condition is ALWAYS:
        return False
    return _is_redirect(fork) or isinstance(items[0], Rewrite)


def _is_redirect(fork: Fork) -> bool:
    items = fork.chain.items
    return len(items) == 1 and isinstance(items[0], Leaf) and isinstance(items[0].answer, Redirect) and not items[0].settings.fields and fork.condition is not ALWAYS


def _plain_line(fork: Fork, matcher: Matcher, context: Context) -> Node | None:
    item = fork.chain.items[0]
    made = answers.write_redirect(item.answer, context) if isinstance(item, Leaf) else rewrites.write_rewrite(item, context)  # type: ignore[arg-type]
    if isinstance(made, Unwritable) or len(made) != 1 or made[0].block is not None:
        return None
    node = made[0]
    words = [word for word in node.words[1:] if word not in ("", "*")]
    spans = tuple(dict.fromkeys(span for span in (fork.span, *fork.also, *node.spans) if span))
    return Node([node.words[0], matcher.word, *words], None, spans, (*fork.comments, *node.comments), fork.condition,
                paths=matcher.paths, leads_to=node.leads_to)


def _handle(fork: Fork, matcher: Matcher, context: Context) -> Node:
    words = ["handle", *([matcher.word] if matcher.word else [])]
    before = context.root, context.strip, context.rewritten
    head: list[Node] = []
    chain = fork.chain
    exact = isinstance(fork.condition, PathIs)
    strip = _strip_of(chain)
    below = cut(chain, strip) if strip and strip.rstrip("/") and isinstance(fork.condition, PathStartsWith) and fork.condition.prefix == strip else None
    if exact:
        chain = _with_exact_files(chain, fork.condition)  # type: ignore[arg-type]
    elif below is not None:
        chain = below
        context.strip, context.rewritten = strip, True
        if strip.endswith("/") and matcher.word == f"{strip}*":
            words[0] = "handle_path"
        else:
            if any(isinstance(leaf.answer, ServeFiles) for leaf in leaves(chain)) and not strip.endswith("/"):
                # Once the prefix is cut off, nothing is left that file_server could add the folder's slash to.
                head.append(Node(["redir", strip, strip + "/", "301"]))
            head.append(Node(["uri", "strip_prefix", strip.removesuffix("/")]))
    else:
        chain = with_slash_added(chain, fork.condition)
    spans = tuple(span for span in (fork.span, *fork.also) if span)
    block = [*head, *write_chain(chain, context)]
    context.root, context.strip, context.rewritten = before
    return Node(words, block, spans, fork.comments, fork.condition, paths=matcher.paths)


_WHY_SLASH = ("Once the prefix is cut off, nothing is left that file_server could add the folder's slash to.",)


def with_slash_added(chain: Chain, condition: Condition) -> Chain:
    """For `/x` and all below it, which lie below an alias: `/x` itself is led to `/x/`, if the alias is a folder's and no file's."""
    match condition:
        case AnyOf((PathIs(path, False), PathStartsWith(prefix, False))) if prefix == path + "/":
            served = {(leaf.answer.root, leaf.answer.folders.added_slash) for leaf in leaves(chain) if isinstance(leaf.answer, ServeFiles) and leaf.answer.strip == path and leaf.answer.whole_path is None}
            if len(served) == 1 and (found := served.pop())[1] is not None:
                there = AllOf((PathIs(path), FileExists(found[0], ("",), FileKind.FOLDER)))
                redirect = Redirect(found[1], (path + "/", Var(Variable.QUERY, "?")), comments=_WHY_SLASH)
                return Chain([Branch([Fork(there, Chain([Leaf(redirect, Settings())]))]), *chain.items], chain.shared)
    return chain


def _strip_of(chain: Chain) -> str:
    """The prefix that every leaf of a chain, and every file test in it, cuts off the path; "" if they do not agree."""
    found = set()
    for leaf in leaves(chain):
        if isinstance(leaf.answer, ServeFiles):
            found.add(leaf.answer.strip)
        elif isinstance(leaf.answer, Forward) and isinstance(leaf.answer.target, Mapped):
            prefix, first = leaf.answer.target.prefix, leaf.answer.target.replacement[:1]
            both = prefix.endswith("/") and len(leaf.answer.target.replacement) >= 1 and str(leaf.answer.target.replacement[-1]).endswith("/")
            found.add(prefix if both and first else "")
        elif not isinstance(leaf.answer, Redirect | Respond | Abort):
            found.add("")
    return found.pop() if len(found) == 1 else ""


def _with_exact_files(chain: Chain, condition: PathIs) -> Chain:
    """In a route for one path, an alias names one file, and a mapped target is one target."""
    for leaf in leaves(chain):
        answer = leaf.answer
        if isinstance(answer, ServeFiles) and answer.strip == condition.path:
            leaf.answer = files.exact_file(answer)
    return chain


def _lose_fork(fork: Fork, lost: Unwritable, context: Context) -> list[Node]:
    context.lost(fork.span, "this route", f"Caddy has no matcher for {lost.what}")
    context.left.update(item for item in walk(fork) if isinstance(item, Span))
    for leaf in leaves(fork.chain):
        for span in (leaf.answer.span, *getattr(leaf.answer, "also", ())):
            if span is not None and span != fork.span:
                context.lost(span, "this", "the route that it belongs to could not be written")
    if not must_close(fork, context.deciding):
        return []
    # Whom it keeps out cannot be said: all are, within the paths that can, rather than nobody.
    matcher = write_matcher(by_paths(fork.condition), _wish(fork), context, None)
    if isinstance(matcher, Unwritable) or not matcher.word:
        return _closed()
    definition = [matcher.definition] if isinstance(matcher.definition, Node) else []
    return [*definition, Node(["handle", matcher.word], _closed(), (), (), by_paths(fork.condition), paths=matcher.paths)]


# --- order ------------------------------------------------------------------------------------------------------------

# A variable, or a table's name, which may look at one.
_ASKS_VARIABLES = re.compile(r"\{(?:vars\.|http\.vars\.|(?!(?:query|path|host|hostport|uri|scheme|method|port|remote_host|remote_port|remote|dir|file|labels)\})[a-z][a-z0-9_]*\})")


def _sets_variables(node: Node) -> bool:
    """Whether what comes after it finds other variables than before; after a handle nothing comes."""
    return node.words[0] == "vars" or not node.words[0].startswith("handle") and any(_sets_variables(inner) for inner in node.block or ())  # type: ignore[arg-type]


def arrange(nodes: list[Node]) -> list[Node]:
    """The nodes of a level so that Caddy runs them as they stand: in its own order where that is the same, else in a `route`."""
    settings = [node for node in nodes if node.setting and not node.words[0].startswith("@")]
    rest = [node for node in nodes if not node.setting or node.words[0].startswith("@")]
    items = [node for node in rest if not node.words[0].startswith("@")]
    setting = [node for node in items if _sets_variables(node)]
    asking = [node for node in settings if any(_ASKS_VARIABLES.search(word) for line in (node, *(node.block or ())) for word in line.words)] if setting else []
    if asking:
        # Fields that hold what a variable says come after it, which Caddy's own order does not have.
        items = [*setting, *asking, *(node for node in items if node not in setting)]
        settings = [node for node in settings if node not in asking]
        return [*settings, *(node for node in rest if node.words[0].startswith("@")), Node(["route"], items, (), _WHY_ROUTE)]
    ahead = [node for node in settings if node.kind in POSITION]
    for order in (_run(ahead, items), items) if _groups_hold(items) else ():
        # Versions of Caddy sort differently in one point: what is written shall hold in all of them. And what was sorted may be sorted otherwise again.
        found = {tuple(map(id, held)): held for held in (order, *_runs(ahead, order))}
        if all(_exchangeable(items, held) for held in found.values()):
            return [*settings, *(rest if order == items else _with_definitions(order, rest))]
    return [*settings, *(node for node in rest if node.words[0].startswith("@")), Node(["route"], items, (), _WHY_ROUTE)]


def _runs(ahead: list[Node], items: list[Node]) -> Iterator[list[Node]]:
    """All orders in which Caddy may run the items when they are written like this.

    Many routes are sorted in blocks, and where a block ends depends on how many there are before them: tables, and what is shared, are put there later.
    """
    many = sum(node.routes for node in (*ahead, *items)) + _MOST_AHEAD > BLOCK
    for number in range(BLOCK) if many else (0,):
        padded = [*(Node(["map"]) for _ in range(number)), *ahead]
        yield _run(padded, items)
        yield _run(padded, items, stem_first=True)


def _run(ahead: list[Node], items: list[Node], *, stem_first: bool = False) -> list[Node]:
    """The order in which Caddy runs the items when they are written like this, behind what is set."""
    before = {id(node) for node in ahead}
    return [node for node in sort_items([*ahead, *items], stem_first=stem_first) if id(node) not in before]


def _exchangeable(items: list[Node], ordered: list[Node]) -> bool:
    """Whether the nodes that change places are for different requests, before and after what the later one rewrites."""
    place = {id(node): number for number, node in enumerate(ordered)}
    return all(
        place[id(first)] < place[id(second)] or _indifferent(first, second) or (
            disjoint(first.condition, second.condition)
            and (second.leads_to is None or (second.leads_to != "" and disjoint(first.condition, PathStartsWith(second.leads_to))))
        )
        for number, first in enumerate(items) for second in items[number + 1:]
    )


def _indifferent(first: Node, second: Node) -> bool:
    """Whether a refusal by what the client is comes to the same before a change of the path and after it."""
    asked = first.condition.condition if isinstance(first.condition, Not) else first.condition
    refuses = first.block is not None and [node.words[0] for node in first.block] in (["error"], ["abort"])
    return refuses and lasting(asked) and second.kind in ("rewrite", "uri", "try_files") and not any(word.startswith("=") for word in second.words)


def _groups_hold(items: list[Node]) -> bool:
    """Neighbours without a matcher would be consolidated, and rewrites of one level exclude each other: neither is meant."""
    loose = [node for node in items if node.kind in ("rewrite", "handle") and not node.matched]
    rewrites_here = [node for node in items if node.kind == "rewrite"]
    return len([node for node in loose if node.kind == "handle"]) < 2 and (len(rewrites_here) < 2 or not any(not node.matched for node in rewrites_here))


def _with_definitions(ordered: list[Node], rest: list[Node]) -> list[Node]:
    definitions = {node.words[0]: node for node in rest if node.words[0].startswith("@")}
    out: list[Node] = []
    for node in ordered:
        for word in node.words[1:2]:
            if word in definitions:
                out.append(definitions.pop(word))
        out.append(node)
    return [*definitions.values(), *out]
