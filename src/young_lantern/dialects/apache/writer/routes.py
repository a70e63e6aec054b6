"""A chain -> rules in the chain's order, lines that map paths to origins and folders, and a case for each answer. Mirror: reader/program.py.

Rule:     rules come first and in order, so that whatever a rule can answer is a rule. Files and origins by path alone are mapped by the
          lines made for it (ProxyPass, Alias, DocumentRoot), which come after all rules: where a later rule would take such a
          path, a rule before it stops the rewriting. A changed path names a file, or goes to an origin, in the same rule; what
          sections say goes on by the path as it came.
Source:   Apache HTTP Server manual, mod_rewrite, "Technical Details"; SERVER-FACTS, httpd.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ....fitting import Branch, Chain, Fork, Leaf, leaves
from ....fitting.aliases import moved_below, stripped_below
from ....fitting.closing import by_paths, keeps_out, of_paths
from ....fitting.static import bare
from ....model import (
    ALWAYS, AllOf, AnyOf, AsReceived, Capture, ClientIn, Condition, FileExists, FileKind, Forward, Mapped, Not, PathIs, PathMatches, PathStartsWith, Pattern, Respond, Restart, Rewrite, ServeFiles, SetPath,
    SetVariable, Span, StripPrefix, StripSuffix, Template, TextIs, Unserved, Var, Variable, join, literal,
)
from ....model.walk import walk
from ...noting import Unwritable
from . import answers, files, forwards, gateways, limits, rewrites
from .conditions import Asked, behind_alias, write_conditions
from .context import Context
from .output import Node
from .paths import apart, escaped
from .plans import WHY_501, Case, Event, Plan, wish




@dataclass(frozen=True)
class _Where:
    """parts: what holds there; path_parts: the same, as asked of the path as it came; moved: the path may be another by now."""

    parts: tuple[Condition, ...] = ()
    came: tuple[Condition, ...] = ()
    by_path: bool = True
    moved: bool = False
    before: tuple[tuple[Condition, tuple[Case, ...]], ...] = ()
    denied: Condition | None = None
    denied_span: Span | None = None
    passes: bool = False

    def under(self, condition: Condition) -> "_Where":
        came = self.came if self.moved else (*self.came, condition)
        return replace(self, parts=(*self.parts, condition), came=came, by_path=self.by_path and (of_paths(condition) and not self.moved))


def write_plan(chain: Chain, passing: set[int], context: Context) -> Plan:
    """The rules and lines of a site."""
    plan = Plan(passing=passing)
    plan.again = any(isinstance(leaf.answer, Restart) for leaf in leaves(chain))
    # Rules that begin anew see a path that may have been changed.
    context.rewritten = plan.again
    if chain.falls:
        chain = Chain([*chain.items, Leaf(Respond(200), chain.shared)])
    _walk(chain.items, _Where(), plan, context)
    return plan


# --- walking -----------------------------------------------------------------------------------------------------------------

def _walk(items: list, where: _Where, plan: Plan, context: Context) -> list[Case]:  # type: ignore[type-arg]
    made: list[Case] = []
    items, where = _stripped(items, where)
    for number, item in enumerate(items):
        rest = items[number + 1:]
        if isinstance(item, Leaf):
            made.append(_leaf(item, where, plan, context))
        elif isinstance(item, Branch):
            if rest and where.parts and any(_changes(fork.chain) for fork in item.forks if fork.chain.falls):
                where = _entered(where, plan, context)
            made += _branch(item, where, rest, plan, context)
            where = _after(item, where, rest, context)
        elif isinstance(item, Rewrite) and len(rest) == 1 and isinstance(rest[0], Leaf) and isinstance(rest[0].answer, Restart) and _changed_again(item, rest[0], where, plan, context):
            break
        elif isinstance(item, Rewrite) and len(rest) == 1 and isinstance(rest[0], Leaf) and _passes(item, rest[0], where, plan, context):
            break
        elif isinstance(item, Rewrite) and len(rest) == 1 and isinstance(rest[0], Leaf) and (case := _moved_leaf(item, rest[0], where, plan, context)) is not None:
            made.append(case)
            break
        else:
            after = _effect(item, where, bool(rest) or bool(where.parts), plan, context)
            if after is None:
                context.left.update(span for span in walk(tuple(rest)) if isinstance(span, Span))
                context.left.update(span for leaf in leaves(Chain(rest)) for span in walk((leaf.answer, leaf.settings)) if isinstance(span, Span))
                break
            where = after
    if any(isinstance(item, Branch) and any(not of_paths(fork.condition) for fork in item.forks) for item in items):
        for case in made:
            case.peers += [other for other in made if other is not case and other not in case.peers]
    return made


def _stripped(items: list, where: _Where) -> tuple[list, _Where]:  # type: ignore[type-arg]
    """A prefix that is cut off is a pattern whose group is the rest; what is put before the rest next goes along."""
    first = items[0] if items else None
    if not isinstance(first, Rewrite) or not isinstance(first.edit, StripPrefix) or first.query is not None:
        return items, where
    for part in where.parts if not where.moved else ():
        below = stripped_below(first, items[1:], part.prefix) if isinstance(part, PathStartsWith) and not part.ignores_case and part.prefix.endswith("/") else None
        if below is not None:
            return below, where
    prefix = first.edit.prefix.rstrip("/")
    if not prefix or not any(_lies_below(part, prefix) for part in where.parts):
        return items, where
    label = f"below {prefix}"
    second = items[1] if len(items) > 1 else None
    put = _put_back(second)
    if put is None and not any(isinstance(part, PathStartsWith | PathIs) and _text(part).startswith(prefix + "/") for part in where.parts):
        return items, where
    if put is not None:
        # Of the prefix alone nothing is left, so that nothing, and no slash, is put behind what comes in its place.
        below = any(isinstance(part, PathStartsWith) and part.prefix.startswith(prefix + "/") for part in where.parts)
        more: Template = ("/", Capture(1, label)) if below else (Capture(1, label),)
        template = join(*(more if part == Var(Variable.PATH) else part for part in put))
        pattern = Pattern(f"^{escaped(prefix)}/(.*)$" if below else f"^{escaped(prefix)}(/.*)?$", label=label)
        return _put(items, template), where.under(PathMatches(pattern, span=first.span))
    rest: Template = ("/", Capture(1, label))
    if isinstance(second, Rewrite) and isinstance(second.edit, SetPath) and Var(Variable.PATH) in second.edit.template:
        template = join(*(rest if part == Var(Variable.PATH) else part for part in second.edit.template))
        items = [replace(second, edit=SetPath(template)), *items[2:]]
    else:
        items = [replace(first, edit=SetPath(rest)), *items[1:]]
    return items, where.under(PathMatches(Pattern(f"^{escaped(prefix)}/(.*)$", label=label), span=first.span))


def _lies_below(part: Condition, prefix: str) -> bool:
    """Whether all paths for which it holds are the prefix or lie below it."""
    if isinstance(part, AnyOf):
        return all(_lies_below(inner, prefix) for inner in part.conditions)
    return isinstance(part, PathStartsWith | PathIs) and (_text(part).startswith(prefix + "/") or isinstance(part, PathIs) and part.path == prefix)


def _put_back(item: object) -> Template | None:
    """What is put before the path, which follows at once; None for all else."""
    match item:
        case Rewrite(edit=SetPath(template)) if literal(template[:1]) and Var(Variable.PATH) in template[1:]:
            return template
        case Leaf(answer=Forward(target=Mapped("", replacement, _, False))) if (literal(replacement) or "").startswith("/"):
            return join(replacement, (Var(Variable.PATH),))
    return None


def _put(items: list, template: Template) -> list:  # type: ignore[type-arg]
    """A prefix cut off, and something put in its place, as one change of the path."""
    first, second, *rest = items
    if isinstance(second, Leaf):
        return [replace(first, edit=SetPath(template)), replace(second, answer=replace(second.answer, target=AsReceived()))]
    return [replace(second, edit=SetPath(template)), *rest]


def _text(part: PathStartsWith | PathIs) -> str:
    return part.path if isinstance(part, PathIs) else part.prefix


def _after(branch: Branch, where: _Where, rest: list, context: Context) -> _Where:  # type: ignore[type-arg]
    """What follows a branch, some of whose forks changed the path and go on."""
    moved = any(_changes(fork.chain) for fork in branch.forks if fork.chain.falls)
    if moved:
        context.rewritten = True
    first = branch.forks[0] if len(branch.forks) == 1 else None
    if first is not None and _denies(first) and where.by_path and not where.moved and rest and _is_content(rest):
        # Content that not all clients may have: its section says who.
        return replace(where, denied=first.condition, denied_span=first.span)
    return replace(where, moved=where.moved or moved)


def _entered(where: _Where, plan: Plan, context: Context) -> _Where:
    """A place whose path is about to be changed for some: a variable says from now on which requests are in it."""
    asked = write_conditions(where.parts, (), context)
    if isinstance(asked, Unwritable):
        return where
    name = context.name(wish(where.parts) or "here")
    plan.marks.append(name)
    plan.events.append(Event(where.parts, rewrites.rule(asked, "-", [f"E={name}:1"], context), needed=True))
    return replace(where, parts=(TextIs((Var(Variable.VARIABLE, name),), ("1",)),))


def _changes(chain: Chain) -> bool:
    """Whether a path may be changed there and go on."""
    return any(isinstance(item, Rewrite) or isinstance(item, Branch) and any(_changes(fork.chain) for fork in item.forks if fork.chain.falls) for item in chain.items)


def _branch(branch: Branch, where: _Where, rest: list, plan: Plan, context: Context) -> list[Case]:  # type: ignore[type-arg]
    made: list[Case] = []
    forks = branch.forks
    if (shorter := _unless_found(branch)) is not None:
        forks = shorter
    for number, fork in enumerate(forks):
        later = forks[number + 1:]
        spans = tuple(span for span in (fork.span, *fork.also) if span)
        context.structure.update(spans)
        context.structure.update(item for item in walk(fork.condition) if isinstance(item, Span))
        if not later and _denies(fork) and where.by_path and not where.moved and rest and _is_content(rest):
            context.structure.update(span for span in walk(fork.chain.items[0]) if isinstance(span, Span))
            continue
        inner = where if fork.condition is ALWAYS else where.under(fork.condition)
        rewritten = context.rewritten
        if not fork.chain.items:
            if later:
                where = where.under(Not(fork.condition))
            continue
        start = len(plan.events)
        found = _walk(fork.chain.items, inner, plan, context)
        _tell(plan.events[start:], fork, spans, context)
        made += found
        if fork.chain.falls and later:
            where = _passed(fork, plan, start, where, context)
        elif not fork.chain.falls:
            context.rewritten = rewritten
            if fork.condition is not ALWAYS:
                where = replace(where, before=(*where.before, (_all((*where.came[len(where.came):], fork.condition)), tuple(found))))
    return made


def _all(parts: tuple[Condition, ...]) -> Condition:
    return parts[0] if len(parts) == 1 else AllOf(parts)


def _unless_found(branch: Branch) -> list[Fork] | None:
    """Files that are found are served, and the rest goes on: one fork for what is not found."""
    *found, last = branch.forks
    if not found or last.condition is not ALWAYS or any(not isinstance(fork.condition, FileExists) or fork.condition.cleans for fork in found):
        return None
    ends = [fork.chain.items[0] if len(fork.chain.items) == 1 else None for fork in found]
    if not all(isinstance(end, Leaf) and isinstance(end.answer, ServeFiles) for end in ends):
        return None
    first = ends[0]
    if any(bare((end.answer, end.settings)) != bare((first.answer, first.settings)) for end in ends):  # type: ignore[union-attr]
        return None
    missing = AllOf(tuple(Not(fork.condition, fork.span) for fork in found), branch.span) if len(found) > 1 else Not(found[0].condition, found[0].span)
    match last.chain.items:
        case [Leaf(answer=Respond(status=404, raises=True))] if {fork.condition.kind for fork in found} >= {FileKind.FILE, FileKind.FOLDER}:  # type: ignore[union-attr]
            return [Fork(ALWAYS, Chain([first]), found[0].span, found[0].comments, "", tuple(span for fork in branch.forks for span in (fork.span,) if span))]
    return [replace(last, condition=missing, also=(*last.also, *(fork.span for fork in found if fork.span))), Fork(ALWAYS, Chain([first]), found[0].span)]


def _passed(fork: Fork, plan: Plan, start: int, where: _Where, context: Context) -> _Where:
    """A fork that goes on keeps the later ones from being asked."""
    events = [event for event in plan.events[start:] if not event.stops and event.nodes]  # what could not be said has no rule
    if not events:
        return where.under(Not(fork.condition))
    name = context.name(fork.label or "went on")
    plan.marks.append(name)
    for event in events:
        event.mark(name, context)
    return where.under(TextIs((Var(Variable.VARIABLE, name),), ("",)))


def _tell(events: list[Event], fork: Fork, spans: tuple[Span, ...], context: Context) -> None:
    """The fork's line and comments stand with the first rule that came of it."""
    first = next((event for event in events if event.nodes), None)
    if first is not None and first.nodes:
        for node in first.nodes:
            node.spans = tuple(dict.fromkeys((*spans, *node.spans)))
        first.nodes[0].comments = (*fork.comments, *first.nodes[0].comments)


def _is_content(rest: list) -> bool:  # type: ignore[type-arg]
    return len(rest) == 1 and isinstance(rest[0], Leaf) and isinstance(rest[0].answer, ServeFiles | Forward)


def _denies(fork: Fork) -> bool:
    asked = fork.condition.condition if isinstance(fork.condition, Not) else fork.condition
    match fork.chain.items:
        case [Leaf(answer=Respond(status=403, raises=True))]:
            return isinstance(asked, ClientIn)
    return False


# --- effects ------------------------------------------------------------------------------------------------------------------

def _effect(item: Rewrite | SetVariable, where: _Where, followed: bool, plan: Plan, context: Context) -> _Where | None:
    """Where what follows stands; None when it could not be said, so that nothing may follow."""
    if isinstance(item, SetVariable):
        asked = write_conditions(where.parts, item.value, context, whole=rewrites.needs_path(item.value) and context.rewritten)
        made = asked if isinstance(asked, Unwritable) else rewrites.write_variable(item, asked, context)
        if isinstance(made, Unwritable):
            if item.name in context.deciding:
                _lose(item.span, made, where, plan, context, True)
            else:
                context.lost(item.span, "this variable", f"httpd cannot say {made.what}")
            return where
        plan.events.append(Event(where.parts, made, needed=item.name in context.parameters))
        return where
    asked = write_conditions(where.parts, item, context, whole=rewrites.needs_path(item) or context.rewritten and rewrites.needs_path(item))
    made = asked if isinstance(asked, Unwritable) else rewrites.write_rewrite(item, asked, [], context)
    if isinstance(made, Unwritable):
        _lose(item.span, made, where, plan, context)
        return None
    marking = None
    if followed and _may_miss(item, where) and not isinstance(plain := write_conditions(where.parts, (), context), Unwritable):
        # The rule is for paths only that have what it cuts off; what follows is for the others, too.
        marking = Event(where.parts, rewrites.rule(plain, "-", [], context, (item.span,)))
        plan.events.append(marking)
    event = Event(where.parts, made, moved=True)
    plan.events.append(event)
    context.rewritten = True
    passes = id(item) in plan.passing
    if not where.parts or not followed:
        return replace(where, moved=True, passes=passes)
    name = context.name("changed path")
    plan.marks.append(name)
    (marking or event).mark(name, context)
    return replace(where, parts=(TextIs((Var(Variable.VARIABLE, name),), ("1",)),), moved=True, passes=passes)


def _may_miss(item: Rewrite, where: _Where) -> bool:
    """Whether what is cut off the path may not be there."""
    match item.edit:
        case StripSuffix(suffix):
            return suffix != ""
        case StripPrefix(prefix):
            return not any(_lies_below(part, prefix.rstrip("/")) for part in where.parts)
    return False


def _lose(span: Span | None, what: Unwritable, where: _Where, plan: Plan, context: Context, refused: bool = False) -> Event:
    """What cannot be said answers 501, where its place can be told; else nothing is written."""
    context.lost(span, "this", f"httpd cannot say {what.what}")
    asked = write_conditions(where.parts, (), context)
    if isinstance(asked, Unwritable):
        # Whom it is for cannot be said: of what refuses, all are refused within the path that can be said; else nobody is kept from anything.
        said = (part if not isinstance(write_conditions((part,), (), context), Unwritable) else by_paths(part) for part in where.parts)
        by_path = tuple(part for part in said if part is not ALWAYS)
        asked = write_conditions(by_path, (), context) if refused else asked
    event = Event(where.parts, [] if isinstance(asked, Unwritable) else rewrites.rule(asked, "-", ["R=501", "L"], context, (span,), WHY_501))
    plan.events.append(event)
    return event


# --- answers -------------------------------------------------------------------------------------------------------------------

def _leaf(leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Case:
    answer = leaf.answer
    event: Event | None
    if where.passes and isinstance(answer, ServeFiles | Forward):
        asked = write_conditions(where.parts, (), context)
        if not isinstance(asked, Unwritable):
            event = Event(where.parts, rewrites.rule(asked, "-", ["PT"], context, (answer.span, *leaf.through)))
            plan.events.append(event)
            plan.passed.append((leaf, event))
            return Case(leaf, where.came, False, event)
    if isinstance(answer, Forward):
        _limit(leaf, where, plan, context)
    elif leaf.settings.limit is not None:
        context.idle.setdefault(leaf.settings.limit.span, "where no origin is asked, httpd takes no content")
    if isinstance(answer, Restart):
        return Case(leaf, (), False, _again(answer, answer.span or next((item for item in walk((leaf.through, where.parts)) if isinstance(item, Span)), None), where, plan, context))
    match answer:
        case Forward() if (made := _mapped_forward(answer, leaf, where, plan, context)) is not None:
            event = made
        case ServeFiles() if (made := _mapped_files(answer, leaf, where, plan, context)) is not None:
            event = made
        case _:
            event = _rule_answer(leaf, where, plan, context)
    case = Case(leaf, where.came, where.by_path, event, where.before, where.denied, where.denied_span, where.moved)
    plan.cases.append(case)
    for span in (*leaf.through, *getattr(answer, "also", ())):
        context.structure.add(span)
    return case


def _limit(leaf: Leaf, where: _Where, plan: Plan, context: Context) -> None:
    """What is too large for an origin."""
    limit = leaf.settings.limit
    asked = write_conditions(where.parts, (), context) if limit is not None and limit.limit_bytes is not None else None
    if limit is None or asked is None or isinstance(asked, Unwritable):
        return
    made = limits.write_limit(limit, asked, context)
    plan.events.append(Event(where.parts, made))


def _again(answer: Restart, span: Span | None, where: _Where, plan: Plan, context: Context) -> Event:
    """A changed path that is looked up again: the rules begin anew."""
    asked = write_conditions(where.parts, (), context)
    if isinstance(asked, Unwritable):
        return _lose(span, asked, where, plan, context)
    event = Event(where.parts, rewrites.rule(asked, "-", plan.anew(), context, (answer.span,), _WHY_AGAIN))
    plan.events.append(event)
    return event


_WHY_AGAIN = ("The new path is looked up from the start, as before.",)


def _stop(leaf: Leaf, where: _Where, spans: tuple[Span | None, ...], plan: Plan, context: Context) -> Event | Unwritable:
    asked = write_conditions(where.parts, values_of(leaf), context)
    if isinstance(asked, Unwritable):
        return asked
    # A path that was changed, and looked up again, is mapped like any other only when it is passed through.
    event = Event(where.parts, rewrites.rule(asked, "-", ["PT" if plan.again else "L"], context, spans), stops=True, needed=plan.again, asked=asked)
    plan.events.append(event)
    return event


def _mapped_forward(answer: Forward, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Event | None:
    """A forward by path alone: a ProxyPass line; None when it takes a rule."""
    if where.moved or context.rewritten and not plan.again or not all(of_paths(part) for part in where.parts):
        return None
    made = forwards.write_mapping(answer, where.parts, not plan.again and not plan.passing and not context.asked_indexes, context)
    if made is None or isinstance(made, Unwritable):
        return None
    event = _stop(leaf, where, (), plan, context)
    if isinstance(event, Unwritable):
        return None
    made.spans = tuple(dict.fromkeys((*made.spans, *leaf.through)))
    plan.mappings.append(made)
    plan.reverses += forwards.write_reverses(answer, context)
    return event


def _mapped_files(answer: ServeFiles, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Event | None:
    """Files by path: an Alias line unless they lie in the document root; kept from the proxies that come later."""
    if where.moved and not files.in_document_root(answer, context):
        return None
    asked = tuple(part for part in where.parts if of_paths(part))
    alias = None
    if not files.in_document_root(answer, context):
        alias = files.write_alias(answer, asked, _served_elsewhere(where, plan), context)
        if alias is None:
            return None
    event = _named(leaf, where, plan, context) if where.moved else _stop(leaf, where, (), plan, context)
    if isinstance(event, Unwritable):
        return None
    if alias is not None:
        plan.aliases.append(alias)
    elif not where.moved:
        _asked_indexes(answer, leaf, where, plan, context)
    exclusion = forwards.write_exclusion(asked, (answer.span,), context)
    if exclusion is not None:
        plan.mappings.append(exclusion)
    return event


def _asked_indexes(answer: ServeFiles, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> None:
    """Index files that an origin answers: mod_dir would ask it whether or not the file is there, so a rule asks for the file first."""
    before: list[Condition] = []
    stop = plan.events.pop()
    for name in answer.folders.index:
        text = literal(name)
        if text is None or text.startswith("/"):
            continue
        there = FileExists(answer.root, (Var(Variable.PATH), text), FileKind.FILE)
        if text in context.asked_indexes:
            inner = where.under(AllOf((PathMatches(Pattern("/$", label="a folder")), *before, there)))
            asked = write_conditions(inner.parts, (), context, whole=True)
            if not isinstance(asked, Unwritable):
                asked.pattern = asked.pattern.removesuffix("(/.*)$").replace("(?=.*?/$)", "") + "(/(?:.*/)?)$"
                plan.events.append(Event(inner.parts, rewrites.rule(asked, f"$1{text}", ["PT"], context, (answer.span,)), needed=True))
        before.append(Not(there))
    plan.events.append(stop)


def indexes_of_origins(chain: Chain) -> set[str]:
    """The names of index files that some origin answers."""
    names = {text for leaf in leaves(chain) if isinstance(leaf.answer, ServeFiles) for name in leaf.answer.folders.index if (text := literal(name)) is not None and not text.startswith("/")}
    return {name for name in names if files.passed_on(chain, f"/some/{name}")}


def _named(leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Event | Unwritable:
    """A path that was changed, as the name of a file in the document root."""
    asked = write_conditions(where.parts, values_of(leaf), context, whole=True)
    if isinstance(asked, Unwritable):
        return asked
    made = rewrites.rule(asked, f"{files.ROOT}{asked.whole}" if asked.whole else "-", ["L"], context, ())
    event = Event(where.parts, gateways.by_url(made) if id(leaf) in context.scripts else made, asked=asked)
    plan.events.append(event)
    return event


def _served_elsewhere(where: _Where, plan: Plan) -> tuple[Condition, ...]:
    """Paths among these that files were found for before, which an alias would take."""
    return tuple(
        condition for condition, cases in where.before
        if any(isinstance(case.leaf.answer, ServeFiles) for case in cases) and of_paths(condition) and not any(apart(condition, part) for part in where.parts)
    )


def _rule_answer(leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Event:
    answer = leaf.answer
    spans = (answer.span, *leaf.through)
    whole = rewrites.needs_path(answer) and (context.rewritten or isinstance(answer, Forward)) or context.rewritten and (isinstance(answer, Forward) or isinstance(answer, ServeFiles) and not any(isinstance(part, PathIs) for part in where.parts))
    parts = where.parts
    if isinstance(answer, ServeFiles) and answer.strip and answer.whole_path is None and not any(isinstance(part, PathIs) for part in parts) and (
            behind := behind_alias(answer.strip, parts)) is not None:
        whole, parts = False, (*parts, behind)
        answer = replace(answer, whole_path=(*answer.root, Capture(1, behind.pattern.label)))
    asked = write_conditions(parts, (answer, values_of(leaf)), context, whole=whole)
    made: list[Node] | Unwritable
    if isinstance(asked, Unwritable):
        made = asked
    elif isinstance(answer, Unserved):
        made = Unwritable(f"what {answer.spelling} answers")
    elif isinstance(answer, Forward):
        made = forwards.write_rule(answer, asked, context)
        plan.reverses += forwards.write_reverses(answer, context)
    elif isinstance(answer, ServeFiles):
        made = files.write_rule(answer, where.parts, asked, context)
        if not isinstance(made, Unwritable) and id(leaf) in context.scripts:
            made = gateways.by_url(made)
    else:
        made = answers.WRITES[type(answer)](answer, asked, context)
    if isinstance(made, Unwritable):
        context.left.update(item for item in walk(leaf) if isinstance(item, Span))
        return _lose(answer.span, made, where, plan, context, keeps_out(Chain([leaf])))
    for node in made:
        node.spans = tuple(dict.fromkeys((*node.spans, *(span for span in spans if span))))
    event = Event(where.parts, made, asked=asked if isinstance(asked, Asked) else None)
    plan.events.append(event)
    return event


def _changed_again(item: Rewrite, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> bool:
    """A change of the path, and the rules from the start, in one rule."""
    asked = write_conditions(where.parts, item, context, whole=rewrites.needs_path(item))
    made = asked if isinstance(asked, Unwritable) else rewrites.write_rewrite(item, asked, plan.anew(), context)
    if isinstance(made, Unwritable):
        return False
    made[0].comments = (*made[0].comments, *_WHY_AGAIN)
    plan.events.append(Event(where.parts, made))
    return True


def _passes(item: Rewrite, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> bool:
    """A changed path that is mapped like any other of its name, in one rule."""
    if id(item) not in plan.passing or not isinstance(leaf.answer, ServeFiles | Forward):
        return False
    asked = write_conditions(where.parts, item, context, whole=rewrites.needs_path(item))
    made = asked if isinstance(asked, Unwritable) else rewrites.write_rewrite(item, asked, ["PT"], context)
    if isinstance(made, Unwritable):
        return False
    if isinstance(leaf.answer, Forward):
        _limit(leaf, where, plan, context)
    event = Event(where.parts, made)
    plan.events.append(event)
    plan.passed.append((leaf, event))
    return True


def _moved_leaf(item: Rewrite, leaf: Leaf, where: _Where, plan: Plan, context: Context) -> Case | None:
    """A changed path and what answers it, in one rule."""
    answer = leaf.answer
    if not isinstance(answer, ServeFiles | Forward):
        return None
    parts = where.parts
    if isinstance(answer, ServeFiles) and answer.strip and isinstance(item.edit, SetPath) and item.edit.template[:1] == (Var(Variable.PATH),):
        behind = behind_alias(answer.strip, parts)
        if behind is not None:
            parts = (*parts, behind)
            item = replace(item, edit=SetPath((answer.strip, Capture(1, behind.pattern.label), *item.edit.template[1:])))
    if isinstance(answer, ServeFiles) and (below := moved_below(item, answer)) is not None:
        item, answer = below
    root = files.front(answer, context) if isinstance(answer, ServeFiles) else ""
    if root is None:
        return None
    asked = write_conditions(parts, (item, answer, values_of(leaf)), context, whole=rewrites.needs_path(item))
    if isinstance(asked, Unwritable):
        return None
    if isinstance(answer, ServeFiles):
        made = rewrites.write_rewrite(item, asked, ["NS", "L"] if _may_leave_folders(where.parts) else ["L"], context, root)
        if isinstance(made, Unwritable):
            return None
        made = gateways.by_url(made) if id(leaf) in context.scripts else made
    else:
        made = forwards.write_moved(item, answer, asked, context)
        if isinstance(made, Unwritable):
            return None
        _limit(leaf, where, plan, context)
        plan.reverses += forwards.write_reverses(answer, context)
    for node in made:
        node.spans = tuple(dict.fromkeys((*node.spans, *(span for span in (answer.span, *leaf.through) if span))))
    event = Event(where.parts, made, asked=asked)
    plan.events.append(event)
    case = Case(leaf, where.came, where.by_path, event, where.before, where.denied, where.denied_span, where.moved, changed=True)
    plan.cases.append(case)
    return case


def _may_leave_folders(parts: tuple[Condition, ...]) -> bool:
    """Whether folders may be left alone, whose index files the server looks for in requests of its own (mod_dir.c, fixup_dir): one that is not there is none of the rule's."""
    return any(isinstance(item, FileExists) or isinstance(item, Not) and isinstance(item.condition, FileExists) and item.condition.kind is FileKind.FOLDER
               for part in parts for item in (part.conditions if isinstance(part, AllOf) else (part,)))


def values_of(leaf: Leaf) -> tuple[object, ...]:
    """The values of fields that an answer carries, which may ask for captures."""
    return tuple(item.value for item in (*leaf.settings.fields, *leaf.settings.request_fields, *getattr(leaf.answer, "fields", ()), *getattr(leaf.answer, "response_fields", ())))
