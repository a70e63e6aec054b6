"""A site's program -> Chain: what a restart leads to is looked up beforehand, settings go down to the leaves.

Rule:     settings met on the way are those in force when an answer is made, so each leaf carries them all; a block that
          is entered again forgets those set within it, so what it led to before leaves no trace.
Unknown:  a restart whose path cannot be known well enough is a LostRestart, for the caller to report with its line.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from ..model import (
    ALWAYS, Abort, AllOf, AnswerLimit, AnyOf, AskFirst, Block, BodyLimit, Capture, Choose, Compress, Condition, Credentials, ErrorPages, Field, Limits, SPEED, FileExists,
    ForgetFields, Forward, Gateway, Leave, LogTo, LookupRow, MediaTypes, Not, Note, PathForm, PathGlob, PathIs, PathMatches, PathStartsWith, Pattern, Protect, Redirect, Respond, Restart, Rewrite,
    Rewritten, Route, ServeFiles, SetPath, SetVariable, Side, Span, Step, TextIs, TextMatches, Unserved, Var, Variable, fixed, literal, with_field,
)
from ..model.media_types import of_name
from ..model.walk import transform, walk
from ..patterns import goes_on, may_end_in_slash
from .addresses import denied
from .anew import another_where, asks_whether_anew, forgotten, surely_another
from .endings_added import adds_again
from .flow import falls_through, without_leaves
from .static import Known, narrowed, plainly, simplified, truth, with_groups, without
from .tree import Branch, Chain, Effect, Fork, Leaf, Settings, leaves

# How often a path that is not fully known may be looked up again, and how many leaves a site may grow to: more would be
# no configuration that a person reads. Chosen among 1, 2, 4 and 200, 600, 2000.
LIMIT_UNKNOWN = 2
_LIMIT_LEAVES = 600
_SMALL = 40
# The label of captures that the choice of the site made.
HOST = "host"
_ENDS = (Redirect, Respond, Abort, Forward, Gateway, ServeFiles, Unserved)


@dataclass(frozen=True, slots=True)
class LostRestart:
    span: Span | None
    reason: str


@dataclass(frozen=True, slots=True)
class _End:
    """Marks where a block ends. `before`: the settings when it was entered."""

    block: Block
    before: Settings
    entries: int = 0


@dataclass(frozen=True, slots=True)
class _Stop:
    """Marks where a fork falls through to what follows its branch."""


_Item = Step | _End | _Stop


@dataclass(slots=True)
class _Walker:
    lost: list[LostRestart] = field(default_factory=list)
    labels: dict[int, str] = field(default_factory=dict)
    leaves: int = 0
    own_requests: bool = False
    strict: bool = True
    own_indexes: bool = False
    most_unknown: int = LIMIT_UNKNOWN
    patterns: dict[str, Pattern] = field(default_factory=dict)  # those asked of the path, by label
    natively: bool = False
    forgets: set[str] = field(default_factory=set)  # variables that are empty again where the site begins anew
    cycles: dict[int, Leaf] = field(default_factory=dict)  # the leaves are kept, so that no other gets the number of one


@dataclass(frozen=True, slots=True)
class _Env:
    settings: Settings = Settings()
    known: Known = Known()
    capture: str = ""
    named: tuple[tuple[str, str], ...] = ()
    unknown_restarts: int = 0
    visited: frozenset[tuple[str, str]] = frozenset()
    through: tuple[Span, ...] = ()
    begun: str | None = None  # the path with which it last began again
    below: bool = False  # the last rewrite said the name of a file
    tests_files: bool = False  # and what is there was asked since
    previous: Known | None = None  # what was known before the last rewrite
    moved: frozenset[str] = frozenset()  # blocks that are left with another path than they were entered with, whatever it is


def unroll(program: tuple[Step, ...], captures_host: bool = False, own_requests: bool = False, strict: bool = True, own_indexes: bool = False, most_unknown: int = LIMIT_UNKNOWN,
           natively: bool = False) -> tuple[Chain, list[LostRestart]]:
    """The program as a chain. Patterns in it carry a label each, and captures the label of their pattern.

    own_requests:  the target makes requests of its own that go through the whole again: for index files and error pages, so that nothing is written for
                   those, and for paths that are not known beforehand, which end in a leaf that restarts
    own_indexes:   the target looks a folder's index file up as a path of its own, so that nothing is written for those
    strict:        a path that comes round for ever where a file is missing is an error, as it was; else such a round is left out
    captures_host: the site was chosen by a pattern of its names, whose captures are in sight from the start
    most_unknown:  how often a path that is not fully known may be looked up again
    natively:      the target looks a changed path up again by itself: where the whole site begins anew with it, and nothing else is as it was not at the
                   first, a path that is not known beforehand ends in a leaf that restarts
    """
    labelled = transform(program, _labeller())
    elsewhere = {item.pattern.label for item in walk(labelled) if isinstance(item, TextMatches) or isinstance(item, PathMatches) and item.form is not PathForm.CURRENT}
    patterns = {item.pattern.label: item.pattern for item in walk(labelled) if isinstance(item, PathMatches) and item.pattern.label not in elsewhere}
    walker = _Walker(own_requests=own_requests, strict=strict, own_indexes=own_indexes or own_requests, most_unknown=most_unknown, patterns=patterns, natively=natively)
    known = Known(internal=None) if own_requests else Known()
    chain = _chain(list(labelled), _Env(capture=HOST if captures_host else "", known=known), walker)
    _drop_unused(chain, program)
    if walker.forgets & _names_used(chain):
        return unroll(program, captures_host, own_requests, strict, own_indexes, most_unknown)
    return chain, walker.lost


def _drop_unused(chain: Chain, program: tuple[Step, ...]) -> None:
    """Variables that settled a condition beforehand are asked by nobody any more."""
    used = _names_used(chain)

    def clean(inner: Chain) -> None:
        inner.items = [item for item in inner.items if not isinstance(item, SetVariable) or item.name in used]
        for item in inner.items:
            if isinstance(item, Branch):
                for fork in item.forks:
                    clean(fork.chain)

    clean(chain)


def _names_used(chain: Chain) -> set[str]:
    found: set[str] = set()
    for item in chain.items:
        if isinstance(item, Branch):
            for fork in item.forks:
                found |= _variables(fork.condition) | _names_used(fork.chain)
        elif isinstance(item, Leaf):
            found |= _variables(item.answer) | _variables(item.settings)
        else:
            found |= _variables(item)
    return found


def _variables(value: object) -> set[str]:
    return {item.name for item in walk(value) if isinstance(item, Var) and item.variable is Variable.VARIABLE}


def _labeller():  # type: ignore[no-untyped-def]
    numbers: dict[Pattern, str] = {}

    def label(value: object) -> object:
        if isinstance(value, Pattern) and not value.label:
            return replace(value, label=numbers.setdefault(value, f"pattern{len(numbers) + 1}"))
        if isinstance(value, LookupRow) and isinstance(value.value, Pattern):
            # The captures in a row's result are those of its own pattern.
            mine = value.value.label
            return replace(value, result=tuple(replace(part, pattern=mine) if isinstance(part, Capture) else part for part in value.result))
        return value

    return label


def _chain(steps: list[_Item], env: _Env, walker: _Walker) -> Chain:
    items: list[Effect | Branch | Leaf] = []
    while steps:
        step, steps = steps[0], steps[1:]
        match step:
            case _Stop():
                break
            case _End():
                continue
            case Block():
                if step.span is not None:
                    env = replace(env, through=(*env.through, step.span))
                if step.fresh:
                    env = replace(env, settings=Settings(limit=env.settings.limit, guard=env.settings.guard, asks=env.settings.asks, limits=_but(SPEED, env.settings.limits)))
                body = without_leaves(list(step.steps), step.label)
                env = replace(env, known=replace(env.known, entered=env.known.entered | {step.label}, unsure=env.known.unsure - {step.label}))
                steps = [*body, _End(step, env.settings), *steps]
            case Leave(label):
                steps = _after(steps, label)
            case Restart(label, asks=asks) if asks:
                # What is not found inside is missing all the same: the comparison shows what comes of that.
                if step.reads_anew:
                    env = replace(env, known=replace(env.known, queried=frozenset()))
                steps = [Rewrite(SetPath(asks[0]), span=step.span), Restart(label, step.span), *steps]
            case Restart(label) if walker.own_requests and env.known.path is None and any(isinstance(item, _End) and item.block.label == label for item in steps):
                items.append(Leaf(Restart(label, step.span), Settings()))
                return Chain(items)
            case Restart(unless=(since, leaves)) if env.below and env.begun is not None and env.known.path == env.begun and (walker.strict or not env.tests_files):
                # mod_rewrite.c, hook_fixup: nothing is rewritten where the file stays the same; what was made of the query stays.
                if items and isinstance(items[-1], Rewrite) and items[-1].query is None:
                    items.pop()
                env = replace(env, known=replace(env.known, entered=env.known.entered | {since}))
                steps = _after(steps, leaves)
            case Restart(unless=(since, leaves)) if walker.natively and (apart := _apart_if_there(step, items, steps, env, walker)) is not None:
                items[-1:] = [apart]
                assert env.previous is not None
                env = replace(env, known=replace(env.previous, entered=env.previous.entered | {since}), previous=None)
                steps = _after(steps, leaves)
            case Restart() if walker.natively and _begins_alike(step, steps, env, walker):
                items.append(Leaf(Restart(step.label, step.span), Settings()))
                return Chain(items)
            case Restart(label):
                # Where it has no line of its own, the one that gave the path is told.
                where = step.span or next((item.span for item in reversed(items) if isinstance(item, Rewrite)), None)
                again = _restart(replace(step, span=where), steps, env, walker)
                if again is None:
                    ends = Leaf(Respond(500, raises=True, span=step.span), env.settings)
                    walker.cycles[id(ends)] = ends
                    items.append(ends)
                    return Chain(items)
                steps, env = again
            case Rewrite(None, None, internal=False):
                continue  # it only says what a later Forward does with the path
            case Rewrite() | SetVariable():
                step, env = _effect(step, env, walker)
                items.append(step)
            case Field() | ErrorPages() | Compress() | MediaTypes() | BodyLimit() | ForgetFields() | Credentials() | AskFirst() | Limits():
                env = replace(env, settings=_set(env, step))
            case LogTo():
                env = replace(env, settings=replace(env.settings, log=step))
            case Note() | AnswerLimit():
                continue
            case Protect(rules):
                refused = denied(rules)
                spans = tuple(rule.span for rule in rules if rule.span)
                if refused is not None:
                    steps = [Choose((Route(refused, (Respond(403, raises=True, span=step.span),), step.span, also=spans),), step.span), *steps]
            case Choose():
                branch, done, env = _choose(step, steps, env, walker)
                items += branch
                if done:
                    return Chain(items)
            case _:
                assert isinstance(step, _ENDS), step
                walker.leaves += 1
                if isinstance(step, ServeFiles) and not walker.own_indexes:
                    items += _indexes(step, steps, env, walker)
                settings = _settled(env)
                if isinstance(step, ServeFiles):
                    settings = _typed_by_path(step, settings, env)
                step = _mapped(_typed(_with_its_text(step, settings), settings, env), env)
                items.append(Leaf(_cached(_captured(step, env), env), _relevant(step, settings, walker.strict), env.through))
                return Chain(items)
    return Chain(items)


def _choose(step: Choose, rest: list[_Item], env: _Env, walker: _Walker) -> tuple[list[Branch], bool, _Env]:
    """The branch of a Choose; whether every request was answered within it; what is known after it."""
    forks: list[Fork] = []
    known_after = known_here = env.known
    falling: list[Route] = []
    total = False
    if any(isinstance(item, FileExists) for route in step.routes if not route.accident and truth(route.condition, env.known) is not False for item in walk(route.condition)):
        env = replace(env, tests_files=True)
    for route in step.routes:
        value = truth(route.condition, known_here)
        if value is False or not walker.strict and adds_again(route.condition, known_here):
            continue
        if value and known_here.path is not None:
            route = with_groups(route, known_here.path)
        captures = value and not isinstance(route.condition, Not) and any(isinstance(item, PathMatches | TextMatches) for item in walk(route.condition)) and any(
            isinstance(item, Capture) for item in walk(route.steps))
        captured = frozenset(item.pattern for item in walk((route.condition, route.steps)) if isinstance(item, Capture))
        condition = ALWAYS if value and not captures else route.condition if captures else simplified(route.condition, known_here, captured)
        condition = plainly(condition)
        inner = replace(_with_captures(env, condition), known=narrowed(known_here, route.condition))
        known_before = known_here
        known_here = without(known_here, route.condition)
        falls = falls_through(list(route.steps))
        if falls and (_touches(route.steps) or _decides(route.steps, rest)):
            chain = _chain([*route.steps, *rest], inner, walker)
        else:
            chain = _chain([*route.steps, *([_Stop()] if falls else []), *rest], inner, walker)
            if falls:
                known_after = _after_effects(route.steps, known_after)
                falling.append(route)
        if not walker.strict and not value and _cycles(chain, walker) and any(isinstance(item, FileExists) for item in walk(route.condition)):
            known_here = known_before  # the file that the rules lead to is missing: nobody means what comes of that
            continue
        if not walker.strict and value and route.condition is ALWAYS and _cycles(chain, walker) and forks and all(
                isinstance(fork.condition, FileExists) and (not fork.chain.items or env.known.path is not None and _only_names(fork.chain)) for fork in forks):
            return [], False, env  # the same, where what is looked for goes on
        forks.append(Fork(_captured(condition, env), chain, route.span, route.comments, route.label, route.also, bool(captures)))
        if value:
            total = True
            break
    if not forks:
        return [], False, env
    if not falling and not any(fork.chain.falls for fork in forks):
        known_after = known_here  # none of the conditions held for what goes on from here
    if total and len(falling) == 1:
        # Only one fork goes on from here, so that what follows knows its condition.
        known_after = narrowed(_where_it_leads(falling[0].steps, known_after), falling[0].condition)
    if len(forks) == 1 and total and not forks[0].sure:
        # Only one way leads on from here: no branch at all.
        return forks[0].chain.items, not forks[0].chain.falls, replace(env, known=known_after)  # type: ignore[return-value]
    # A line whose own routes can never hold here, as `/old` within `location = /api`, is not one that the branch depends on.
    never = all(truth(route.condition, env.known) is False for route in step.routes if route.span == step.span)
    branch = Branch(forks, None if never and any(route.span == step.span for route in step.routes) else step.span)
    done = total and not any(fork.chain.falls for fork in forks)
    if not done and not total and not any(fork.chain.falls for fork in forks) and _ends_all(rest):
        # All forks answer: if a branch is all that follows, its forks are further ones of this branch.
        tail = _chain(rest, replace(env, known=known_after), walker)
        if len(tail.items) == 1 and isinstance(tail.items[0], Branch):
            forks += tail.items[0].forks
            return [branch], True, env
        return [branch, *tail.items], True, env  # type: ignore[list-item]
    return [branch], done, replace(env, known=known_after)


def _where_it_leads(steps: tuple[Step, ...], known: Known) -> Known:
    """What is known where these steps were taken for certain: of a path that is written out, all."""
    rewrites = [step for step in steps if isinstance(step, Rewrite)]
    sure = rewrites and not any(isinstance(item, Rewrite) for step in steps if not isinstance(step, Rewrite) for item in walk(step))
    edit = rewrites[-1].edit if sure else None
    text = literal(edit.template) if isinstance(edit, SetPath) else None
    return replace(known.with_path((text,)), internal=known.internal) if text is not None and text.startswith("/") else known


def _cycles(chain: Chain, walker: _Walker) -> bool:
    return bool(chain.items) and id(chain.items[-1]) in walker.cycles and all(isinstance(item, Rewrite | SetVariable) for item in chain.items[:-1])


def _only_names(chain: Chain) -> bool:
    """Whether a chain only takes path information off, which a path that is known has none of."""
    return all(isinstance(item, Rewrite) and isinstance(item.edit, SetPath) and [getattr(part, "variable", None) for part in item.edit.template] == [Variable.SCRIPT_NAME]
               for item in chain.items)


def _ends_all(steps: list[_Item]) -> bool:
    return not falls_through([step for step in steps if not isinstance(step, _End | _Stop)]) if not any(isinstance(step, _Stop) for step in steps) else False


def _touches(steps: tuple[Step, ...]) -> bool:
    return any(isinstance(item, Field | ErrorPages | Compress | MediaTypes | BodyLimit | ForgetFields | Credentials | AskFirst | Limits) for item in walk(steps))


def _decides(steps: tuple[Step, ...], rest: list[_Item]) -> bool:
    """Whether what follows asks for something that these steps settle, and is short enough to be written twice."""
    sets = {item.name for item in walk(steps) if isinstance(item, SetVariable)}
    rewrites = any(isinstance(item, Rewrite) and item.internal for item in walk(steps))
    following: list[object] = []
    for item in rest:
        if isinstance(item, _Stop):
            break
        if isinstance(item, _End):
            continue
        following += walk(item)
        if len(following) > 4000:
            return False
    asks = any(
        (isinstance(item, Rewritten) and rewrites)
        or (isinstance(item, TextIs) and any(getattr(part, "name", None) in sets for part in item.template))
        for item in following
    )
    return asks and sum(isinstance(item, _ENDS) for item in following) <= _SMALL


def _after_effects(steps: tuple[Step, ...], known: Known) -> Known:
    for item in walk(steps):
        if isinstance(item, Rewrite) and _changes_query(item):
            known = replace(known, queried=frozenset())
        if isinstance(item, Rewrite) and (item.edit is not None or item.internal):
            target = item.edit.template if isinstance(item.edit, SetPath) else ()
            last = target[-1] if target else ""
            folder = (known.folder or known) if isinstance(last, str) and last and not last.endswith("/") else None
            stays = bool(target) and isinstance(target[0], str) and target[0].startswith("/") and known.prefix.startswith("/")
            known = replace(known, path=None, prefix="/" if stays else "", suffix="", excluded=frozenset(), file_root=None, matched=(), unmatched=(), stem=None, held=frozenset(), cleaned="", folder=folder, internal=None if item.internal else known.internal)
            if item.internal:
                known = replace(known, entered=frozenset(), unsure=known.unsure | known.entered)
        elif isinstance(item, SetVariable):
            known = known.with_variable(item.name, None)
    return known


def _effect(step: Rewrite | SetVariable, env: _Env, walker: _Walker) -> tuple[Effect, _Env]:
    made = _captured(step, env)
    known = env.known
    if isinstance(made, SetVariable):
        return made, replace(env, known=known.with_variable(made.name, fixed(made.value)))
    if made.edit is None and not made.internal:
        return made, env
    if made.edit is not None:
        env = replace(env, below=made.below is not None, previous=known, moved=known.entered if surely_another(made, walker.patterns) else frozenset())
    known = known.with_path(made.edit.template) if isinstance(made.edit, SetPath) else replace(known, path=None, prefix="", suffix="", excluded=frozenset(), file_root=None, matched=(), unmatched=(), stem=None, held=frozenset(), cleaned="")
    known = replace(known, by_file=made.edit is not None and made.keeps_url)
    if _changes_query(made):
        known = replace(known, queried=frozenset())
    if made.internal:
        known = replace(known, internal=True, entered=frozenset(), unsure=frozenset())
    return made, replace(env, known=known)


def _apart_if_there(step: Restart, items: list[Effect | Branch | Leaf], steps: list[_Item], env: _Env, walker: _Walker) -> Branch | None:
    """The rewrite and the restart of a path that stays what it was where a group of the pattern took nothing, as a branch for where it took something."""
    rewrite = items[-1] if items else None
    if not isinstance(rewrite, Rewrite) or env.previous is None or step.unless is None or step.unless[0] not in env.previous.entered:
        return None
    there = another_where(rewrite, walker.patterns)
    if there is None or not _begins_alike(step, steps, replace(env, moved=env.previous.entered), walker):
        return None
    return Branch([Fork(there, Chain([rewrite, Leaf(Restart(step.label, step.span), Settings())]), rewrite.span)], rewrite.span)


def _begins_alike(step: Restart, steps: list[_Item], env: _Env, walker: _Walker) -> bool:
    """Whether a path that is not known beforehand is looked up again just as that of a request is, by all that the site does."""
    block = next((item for item in steps if isinstance(item, _End) and item.block.label == step.label), None)
    if block is None or env.known.path is not None or steps[-1] is not block or step.asks or step.unless is not None and step.unless[0] not in env.moved:
        return False
    if env.settings.guard != block.before.guard or env.settings.asks != block.before.asks or asks_whether_anew(block.block):
        return False
    walker.forgets |= forgotten(block.block)
    return True


def _changes_query(step: Rewrite) -> bool:
    return step.query is not None or isinstance(step.edit, SetPath) and step.edit.cuts_at_mark


def _with_its_text(answer: Step, settings: Settings) -> Step:
    """An answer that is no error, made like one so that a page gives it its text (httpd) -> the answer with the text."""
    if not isinstance(answer, Respond) or not answer.raises or not 200 <= answer.status < 300 or settings.pages is None:
        return answer
    page = next((page for page in settings.pages.pages if page.statuses and answer.status in page.statuses), None)
    match page and page.steps:
        case (Respond(body=body, raises=False) as told,):
            return replace(answer, body=body, raises=False, media_type=told.media_type)
    return answer


def _typed(answer: Step, settings: Settings, env: _Env) -> Step:
    """A text whose type goes by the path (nginx) -> the text with its type; of a path that is not known, that of one without an extension."""
    types = settings.types
    if not isinstance(answer, Respond) or answer.raises or answer.media_type or not answer.body or types is None or not types.by_path:
        return answer
    return replace(answer, media_type=of_name(types, (literal(env.known.path) if env.known.path is not None else None) or "") or "")


def _mapped(answer: Step, env: _Env) -> Step:
    """A forward with the mappings of redirects that may hold for it."""
    if not isinstance(answer, Forward) or all(mapping.when is None for mapping in answer.redirects):
        return answer
    made = [(mapping, True if mapping.when is None else truth(mapping.when, env.known)) for mapping in answer.redirects]
    return replace(answer, redirects=tuple(replace(mapping, when=None) if known else mapping for mapping, known in made if known is not False))


def _typed_by_path(answer: ServeFiles, settings: Settings, env: _Env) -> Settings:
    """The settings where a file has its type by the path that it is asked for (nginx), and the path says another one than its name does."""
    path, types = literal(env.known.path) if env.known.path is not None else None, settings.types
    file = literal(answer.whole_path) if answer.whole_path is not None else literal(answer.root) if answer.strip and answer.strip == path else None
    if types is None or not types.by_path or types.forced or path is None or file is None or not path.rpartition("/")[2] or not file.rpartition("/")[2]:
        return settings
    made = of_name(types, path)
    return settings if not made or made == of_name(types, file) else replace(settings, types=replace(types, forced=made))


def _cached(step: Step, env: _Env) -> Step:
    """The answer, with what its cache asks of a request as far as that is not known."""
    cache = getattr(step, "cache", None)
    if cache is None:
        return step
    while cache is not None and cache.when is not None and truth(cache.when, env.known) is False:
        cache = cache.otherwise
    if cache is None:
        return replace(step, cache=None)  # type: ignore[call-arg]
    asked = {name: None if condition is None or truth(condition, env.known) is gone else simplified(condition, env.known)
             for name, gone in (("when", True), ("bypasses", False), ("skips", False)) for condition in (getattr(cache, name),)}
    return replace(step, cache=replace(cache, **asked, otherwise=cache.otherwise if asked["when"] is not None else None))  # type: ignore[call-arg]


def _settled(env: _Env) -> Settings:
    """The settings where an answer is made: what is asked only now is asked."""
    def asked(fields: tuple[Field, ...]) -> tuple[Field, ...]:
        made = []
        for item in fields:
            if item.asked_last and item.when is not None:
                known = truth(item.when, env.known)
                if known is False:
                    continue
                item = replace(item, when=None if known else simplified(item.when, env.known), asked_last=False)
            made.append(item)
        return tuple(made)

    return replace(env.settings, fields=asked(env.settings.fields), request_fields=asked(env.settings.request_fields))


def _both_guards(before: Credentials | None, step: Credentials) -> Credentials:
    """Who was asked already is asked again: only those enter whom both let in."""
    if before is None or set(before.names) == set(step.names):
        return step
    spans = tuple(span for span in (*step.also, before.span, *before.also) if span is not None)
    return replace(step, users=tuple(name for name in step.names if name in before.names), also=spans)


def _set(env: _Env, step: Field | ErrorPages | Compress | MediaTypes | BodyLimit | ForgetFields | Credentials | AskFirst | Limits) -> Settings:
    settings = env.settings
    match step:
        case ForgetFields():
            return Settings(request_fields=settings.request_fields, limit=settings.limit, guard=settings.guard, asks=settings.asks, limits=_but(SPEED, settings.limits))
        case Field():
            known = None if step.when is None or step.asked_last else truth(step.when, env.known)
            if known is False:
                return settings
            when = None if step.when is None or known else plainly(step.when if step.asked_last else simplified(step.when, env.known))
            made = _captured(replace(step, when=when), env)
            if made.side is Side.REQUEST:
                return replace(settings, request_fields=(*settings.request_fields, made))
            return replace(settings, fields=tuple(with_field(settings.fields, made)))
        case ErrorPages():
            return replace(settings, pages=step.onto(settings.pages))
        case Compress():
            return replace(settings, compress=step)
        case MediaTypes():
            return replace(settings, types=step.onto(settings.types))
        case BodyLimit():
            return replace(settings, limit=step)
        case Limits(kind):
            # Speed is that of the last place, and all else counts once, where the request came to it first.
            held = kind != SPEED and any(item.kind == kind for item in settings.limits)
            return settings if held else replace(settings, limits=(*_but(kind, settings.limits), step))
        case AskFirst():
            return replace(settings, asks=(*settings.asks, _captured(step, env)))
        case Credentials():
            return replace(settings, guard=_both_guards(settings.guard, step))
    raise AssertionError(step)


def _but(kind: str, limits: tuple[Limits, ...]) -> tuple[Limits, ...]:
    return tuple(item for item in limits if item.kind != kind)


def _indexes(step: ServeFiles, steps: list[_Item], env: _Env, walker: _Walker) -> list[Branch]:
    """Index files that another route than their folder's answers: a fork for each, before the file server.

    Only for servers that look up the index file's path like any other (nginx, httpd).
    """
    folders, known = step.folders, env.known if env.known.path is not None else env.known.folder or env.known
    if folders.restarts is None or known.file_root is not None or not all(may_end_in_slash(pattern) for pattern in known.matched) or step.strip or step.whole_path is not None or (known.path is not None and not known.path.endswith("/")):
        return []
    forks: list[Fork] = []
    needed = False
    for name in folders.index:
        text = literal(name)
        if text is None or walker.leaves > _LIMIT_LEAVES:
            break
        target = (text,) if text.startswith("/") else (known.path + text,) if known.path is not None else (Var(Variable.PATH), text)
        exists: Condition | None = None if text.startswith("/") else FileExists(step.root, target, span=step.span)
        # What is known of a folder holds where nothing has rewritten its path: then it still ends in a slash.
        ends = () if env.known.path is not None else (PathGlob("*/", span=step.span),)
        conditions = (*ends, *((exists,) if exists else ()))
        condition = ALWAYS if not conditions else conditions[0] if len(conditions) == 1 else AllOf(conditions, step.span)
        there = replace(known.with_path(target), internal=True, inside=folders.walks, by_file=known.by_file)
        if exists and known.path is None:
            # What a pattern found at the folder's path it finds at the file's, unless it asks for the end, or what it took is used.
            used = {item.pattern for item in walk(steps) if isinstance(item, Capture)}
            there = replace(there, matched=() if "" in used else tuple(pattern for pattern in known.matched if pattern.label not in used and goes_on(pattern)))
        if exists:
            there = replace(there, file_root=step.root)
        if known.path is None and not text.startswith("/"):
            there = replace(there, suffix="/" + text, stem=known.of_folder())
        below = [part.prefix for condition, said in known.held if said and isinstance(condition, AnyOf) and (part := _folder_of(condition)) is not None]
        if known.path is None and exists:
            # A prefix that is none of the folder's is none of the file's, unless the file's name continues it.
            there = replace(there, prefix=max([known.prefix, *below], key=len), excluded=frozenset(prefix for prefix in known.excluded if not _reaches(prefix, text)),
                            held=frozenset(pair for pair in known.held if not pair[1] and _stays_out(pair[0], text)))
        chain = _restarted(Restart(folders.restarts, step.span), steps, replace(env, known=there), walker)
        if chain is None:
            break
        same = len(chain.items) == 1 and isinstance(chain.items[0], Leaf) and _alike(chain.items[0], step, env)
        # httpd asks for each as for a path of its own: written where something other than the file would come of it.
        same = same or folders.walks and all(isinstance(leaf.answer, ServeFiles | Respond) for leaf in leaves(chain))
        needed = needed or not same
        forks.append(Fork(condition, Chain([] if same else [Rewrite(SetPath(target), span=step.span), *chain.items]), step.span))
        if exists is None:
            break
    while folders.walks and forks and not forks[-1].chain.items:
        forks.pop()
    return [Branch(forks, step.span)] if needed else []


def _folder_of(condition: AnyOf) -> PathStartsWith | None:
    """For `/x` and all below it: what paths that end in a slash begin with."""
    match condition.conditions:
        case (PathIs(path, False), PathStartsWith(prefix, False) as below) if prefix == path + "/":
            return below
    return None


def _stays_out(condition: Condition, name: str) -> bool:
    """Whether `folder/name` cannot lie below prefixes, of which `folder/` is in none."""
    parts = condition.conditions if isinstance(condition, AnyOf) else (condition,)
    return all(isinstance(part, PathIs | PathStartsWith) and not _reaches(part.path if isinstance(part, PathIs) else part.prefix, name) for part in parts)


def _reaches(prefix: str, name: str) -> bool:
    """Whether `folder/name` can begin with a prefix that `folder/` does not begin with."""
    last = prefix.rpartition("/")[2]
    return bool(last) and name.startswith(last)


def _restarted(step: Restart, steps: list[_Item], env: _Env, walker: _Walker) -> Chain | None:
    for item in steps:
        if isinstance(item, _End) and item.block.label == step.label and (item.entries or (step.label, env.known.path or "?") in env.visited):
            return None  # one index file leads to no other
    again = _restart(step, steps, replace(env, known=replace(env.known, path=env.known.path)), walker)
    return None if again is None else _chain(again[0], again[1], walker)


def _alike(leaf: Leaf, step: ServeFiles, env: _Env) -> bool:
    """Whether a leaf serves files as the step does, with the same settings."""
    answer = leaf.answer
    return (isinstance(answer, ServeFiles) and (answer.root, answer.strip, answer.whole_path) == (step.root, step.strip, step.whole_path)
            and (leaf.settings.fields, leaf.settings.pages, leaf.settings.compress, leaf.settings.guard) == (env.settings.fields, env.settings.pages, env.settings.compress, env.settings.guard))


def _relevant(answer: Step, settings: Settings, strict: bool) -> Settings:
    """The settings that an answer can show; unless strict, what only the slash that is added to a folder's path would show is left out."""
    if isinstance(answer, Abort):
        return Settings()
    if not isinstance(answer, ServeFiles | Forward | Gateway):
        settings = replace(settings, limits=_but(SPEED, settings.limits))  # a few words of the server's own go out at any speed
    if isinstance(answer, ServeFiles) and not strict:
        settings = replace(settings, fields=tuple(item for item in settings.fields if item.statuses is None or any(not 300 <= status < 400 for status in item.statuses)))
    final = isinstance(answer, Redirect) or (isinstance(answer, Respond) and not answer.raises)
    pages = settings.pages
    if final and pages is not None and not any(page.statuses and answer.status in page.statuses for page in pages.pages):  # type: ignore[union-attr]
        return replace(settings, pages=None)
    return settings


def _after(steps: list[_Item], label: str) -> list[_Item]:
    for number, item in enumerate(steps):
        if isinstance(item, _End) and item.block.label == label:
            return steps[number + 1:]
    return []


def _restart(step: Restart, steps: list[_Item], env: _Env, walker: _Walker) -> tuple[list[_Item], _Env] | None:
    for number, item in enumerate(steps):
        if not isinstance(item, _End) or item.block.label != step.label:
            continue
        if env.known.path is None:
            env = replace(env, unknown_restarts=env.unknown_restarts + 1)
        if env.unknown_restarts > walker.most_unknown or walker.leaves > _LIMIT_LEAVES:
            walker.lost.append(LostRestart(step.span, "the path it was given is not known well enough beforehand"))
            return None
        # A known path that comes round again will come round for ever: files do not change on the way.
        turn = (step.label, env.known.path or "")
        if item.entries >= item.block.limit or (env.known.path is not None and turn in env.visited):
            return None
        env = replace(env, visited=env.visited | {turn}, begun=env.known.path, tests_files=False)
        known = replace(env.known, internal=True, entered=frozenset({step.label}), unsure=frozenset())
        # Who was let in on the way there was asked for his name all the same.
        again = replace(env, settings=replace(item.before, guard=item.before.guard or env.settings.guard, asks=item.before.asks or env.settings.asks), known=known)
        body = without_leaves(list(item.block.steps), step.label)
        said = dict(env.known.variables)
        of_place = {inner.name: inner for inner in walk(item.block) if isinstance(inner, SetVariable) and inner.of_place and said.get(inner.name, "") != ""}
        body = [*(SetVariable(name, (), inner.span) for name, inner in of_place.items()), *body]
        if item.block.new_request:
            forgotten = {inner.name: inner for inner in walk(item.block) if isinstance(inner, SetVariable) and inner.environment}
            renamed = [SetVariable(f"REDIRECT_{name}", (Var(Variable.VARIABLE, name),) if (text := said.get(name)) is None else (text,) if text else (), inner.span)
                       for name, inner in forgotten.items() if f"REDIRECT_{name}" in _variables(item.block.steps)]
            body = [*renamed, *(SetVariable(name, (), inner.span) for name, inner in forgotten.items()), SetVariable("REDIRECT_STATUS", ("200",)), *body]
        return [*body, replace(item, entries=item.entries + 1), *steps[number + 1:]], again
    return None


def _with_captures(env: _Env, condition: Condition) -> _Env:
    """The captures in sight once the condition held: those of the last pattern in it."""
    if isinstance(condition, Not):
        return env
    for item in walk(condition):
        if isinstance(item, PathMatches | TextMatches):
            label = item.pattern.label
            names = re.findall(r"\(\?P?<([A-Za-z_]\w*)>", item.pattern.text)
            env = replace(env, capture=label, named=(*env.named, *((name, label) for name in names)))
    return env


def _captured(value, env: _Env):  # type: ignore[no-untyped-def]
    """The value with the pattern's label in each capture."""
    named = dict(env.named)

    def label(item: object) -> object:
        if isinstance(item, Capture) and not item.pattern:
            found = named.get(item.group, env.capture) if isinstance(item.group, str) else env.capture
            # No pattern was matched on the way here, so that the capture is empty.
            return replace(item, pattern=found) if found else ""
        return item

    return transform(value, label)
