"""Two sites -> every combination of their path conditions that some path has, each with its shortest path.

Rule:     all exact paths, prefixes, patterns and globs of both are compiled into languages and walked at once (patterns/reach.py). A condition that is met
          behind a rewrite is traced back: the paths that the rewrite turns into one that meets it are a condition of their own, twice over.
Unknown:  conditions that are no languages of paths alone (a template of several parts, captures compared with each other) and patterns that are not
          regular are named in `loose`: there the comparison goes by examples.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from ..model import (
    Always, Block, Capture, Choose, Condition, ErrorPages, FileExists, Lookup, Mapped, PathForm, PathGlob, PathIs, PathMatches, PathStartsWith, Part, Pattern, Restart, Rewrite, ServeFiles, SetPath, Site, Step, StripPrefix, StripSuffix,
    Template, TextIs, TextMatches, Var, Variable,
)
from ..model.walk import all_within, walk
from ..patterns import PatternUnreadable
from ..patterns.languages import Language, Languages
from ..patterns.path_languages import path_language, prefix
from ..patterns.reach import reach
from ..patterns.regular import Reading

# Chosen among 5,000, 20,000 and 100,000: a site with 200 routes and 40 patterns has some 6,000, and 20,000 take two seconds.
LIMIT_STATES = 20_000
# Conditions that rewrites make; chosen among 100, 400 and 1,600.
_MOST_TRACED = 400
# Ways to divide a path among several captures.
_MOST_WAYS = 60
# (label of its pattern, group) of a capture, and what it must be; None: the path itself.
_Values = dict[tuple[str, int | str] | None, Language]
_PATHS = frozenset({Variable.PATH, Variable.URL_PATH, Variable.PATH_ESCAPED, Variable.TARGET, Variable.TARGET_NOW, Variable.ORIGINAL_PATH})


@dataclass(frozen=True, slots=True)
class PathTest:
    """One thing that is asked of a path, as a person says it (`begins with`, `/loans/`).

    language: the paths that pass
    dotted:   dots and blanks at the end of a path do not count
    any_case: letters of either case are alike
    """

    verb: str
    text: str
    language: Language
    dotted: bool = False
    any_case: bool = False

    @property
    def words(self) -> str:
        return f"{self.verb} {self.text}"


@dataclass
class PathClasses:
    """held: a path for each class, decoded, shortest first, and the tests that it passes; complete: whether the walk came to its end; loose: what is asked of paths besides."""

    tests: list[PathTest] = field(default_factory=list)
    held: dict[str, frozenset[int]] = field(default_factory=dict)
    complete: bool = True
    states: int = 0
    loose: set[str] = field(default_factory=set)


def path_classes(sites: list[Site], roots: frozenset[str] = frozenset(), limit: int = LIMIT_STATES) -> PathClasses:
    """The classes of paths that some sites tell apart. roots: document roots; that a request's path is the name of a file below one is not asked."""
    finder = _Finder(roots)
    for site in sites:
        finder.add(site)
    found = finder.found
    made = finder.languages
    reached = reach(made, [test.language for test in found.tests], finder.within, limit)
    found.held = {path: tests for tests, path in reached.texts.items()}
    found.complete, found.states = reached.complete, reached.states
    return found


class _Finder:
    """Collects what is asked of paths."""

    def __init__(self, roots: frozenset[str] = frozenset()) -> None:
        self.roots = tuple(root for root in roots if root.count("/") > 1)
        self.languages = Languages()
        self.reading = Reading(self.languages)
        self.found = PathClasses()
        self.known: set[Language] = set()
        self.within_steps: dict[int, tuple[Step, tuple[frozenset[Language], bool, bool]]] = {}
        made = self.languages
        slash = made.word("/")
        middle = made.either(made.word("//"), made.word("/./"), made.word("/../"))
        end = made.either(made.word("/."), made.word("/.."))
        odd = made.either(made.join(made.any, made.join(middle, made.any)), made.join(made.any, end))
        # Other spellings are read as one of these before any rule is asked.
        self.within = made.both(made.join(slash, made.any), made.other(odd))

    def add(self, site: Site) -> None:
        before = len(self.found.tests)
        if any(isinstance(item, ServeFiles | FileExists) for item in all_within(site.program)):
            # The root is a folder always, and what ends in a slash is asked for as one.
            self._keep(PathTest("is", "/", self.languages.word("/")))
            self._keep(PathTest("ends in", "/", self.languages.join(self.languages.any, self.languages.word("/"))))
        for item in all_within(site.program):
            for test in self._asked(item):
                self._keep(test)
        labels = {pattern.label: pattern for pattern in all_within(site.program) if isinstance(pattern, Pattern) and pattern.label}
        changes = list(_changes(site.program, None, (), set()))
        asked: list[tuple[_Change, list[PathTest]]] = []
        for change in changes:
            known = [self._within_step(step) for step in change.after]
            wanted = frozenset[Language]().union(*(languages for languages, _, _ in known))
            again = any(restarts for _, restarts, _ in known)
            asked.append((change, [test for test in self.found.tests[before:] if again or test.language in wanted]))
        # What is behind one rewrite, and then what is behind two.
        for _ in range(2):
            here = len(self.found.tests)
            for change, tests in asked:
                for test in tests:
                    made = self._traced(test, change, labels)
                    if made is not None and len(self.found.tests) - here < _MOST_TRACED:
                        self._keep(made)
                    elif made is not None:
                        self.found.loose.add(f"more than {_MOST_TRACED} conditions behind rewrites")
            asked = [(change, self.found.tests[here:]) for change in changes if any(rewrites for _, _, rewrites in map(self._within_step, change.after))]

    def _within_step(self, step: Step) -> tuple[frozenset[Language], bool, bool]:
        """What a step asks of paths; whether it leads back to what came before; whether it may change the path."""
        # The step is kept beside its number, so that no other one gets the same while this is known. What lies in a step within it is asked of that one.
        if id(step) not in self.within_steps:
            asked: set[Language] = set()
            restarts = rewrites = False
            for item in walk(step, (Choose, Block)):
                if item is not step and isinstance(item, Choose | Block):
                    inner, inner_restarts, inner_rewrites = self._within_step(item)
                    asked |= inner
                    restarts, rewrites = restarts or inner_restarts, rewrites or inner_rewrites
                else:
                    asked.update(test.language for test in self._asked(item))
                    restarts, rewrites = restarts or isinstance(item, Restart), rewrites or isinstance(item, Rewrite)
            self.within_steps[id(step)] = step, (frozenset(asked), restarts, restarts or rewrites)
        return self.within_steps[id(step)][1]

    def _keep(self, test: PathTest) -> None:
        language = test.language
        if any(root in test.text.replace("\\", "") for root in self.roots):
            # mod_rewrite takes a changed path for a file's name, if there is such a folder on the server; which are there, nobody here knows.
            return
        if language not in self.known and language is not self.languages.none and language is not self.languages.any:
            self.known.add(language)
            self.found.tests.append(test)

    # --- what is asked ----------------------------------------------------------------------------------------------------------

    def _asked(self, item: object) -> Iterator[PathTest]:
        made = self.languages
        match item:
            case PathIs(text) | PathStartsWith(text) | PathGlob(text):
                verb = "is" if isinstance(item, PathIs) else "begins with" if isinstance(item, PathStartsWith) else "is like"
                found = path_language(item, self.reading)
                assert found is not None
                if not found.exact:
                    self.found.loose.add(f"the glob {text}")
                yield PathTest(verb, text, found.language, item.form is PathForm.CLEAN, item.ignores_case)
            case PathMatches(pattern):
                yield from self._pattern(pattern)
            case TextMatches((Var(variable),), pattern) if variable in _PATHS:
                yield from self._pattern(pattern)
            case TextIs((Var(variable),), values, ignores_case) if variable in _PATHS:
                for value in values:
                    if value.startswith("/"):
                        yield PathTest("is", value, made.word(value, ignores_case))
            case TextMatches(template, pattern) if len(template) > 1 and any(isinstance(part, Var) and part.variable in _PATHS for part in template):
                language = self.reading.told(pattern, self.found.loose)
                yield from self._in_text(template, f"matches {pattern.text}", language or made.none)
            case TextIs(template, values, ignores_case) if len(template) > 1 and any(isinstance(part, Var) and part.variable in _PATHS for part in template):
                for value in values:
                    yield from self._in_text(template, f"is {value}", made.word(value, ignores_case))
            case TextMatches(template) | TextIs(template) if any(isinstance(part, Capture) for part in template):
                self.found.loose.add("a text made of what a pattern captured")
            case Lookup((Var(variable),), rows=rows, ignores_case=ignores_case) if variable in _PATHS:
                for row in rows:
                    if isinstance(row.value, Pattern):
                        yield from self._pattern(row.value)
                    elif row.value.startswith("/"):
                        yield PathTest("is", row.value, made.word(row.value, ignores_case))
            case StripPrefix(text) | Mapped(text) | ServeFiles(strip=text) if text:
                yield PathTest("begins with", text, prefix(made, text))
                if not text.endswith("/"):
                    # What is left is taken for a path again: `/a./x` without `/a` names a dot segment.
                    dots = made.either(made.word("."), made.word(".."))
                    border = made.either(made.empty, made.join(made.word("/"), made.any))
                    yield PathTest("begins with", f"{text} and a dot segment", made.join(made.word(text), made.join(dots, border)))

    def _pattern(self, pattern: Pattern) -> Iterator[PathTest]:
        language = self.reading.told(pattern, self.found.loose)
        if language is not None:
            yield PathTest("matches", pattern.text + (" in any case" if pattern.ignores_case else ""), language)

    def _in_text(self, template: Template, words: str, wanted: Language) -> Iterator[PathTest]:
        """Paths that a text made of the path and other things may be wanted with."""
        for values in self._split(wanted, template, {}):
            if (language := values.get(None)) is not None:
                yield PathTest("stands in what", words, language)

    # --- behind rewrites --------------------------------------------------------------------------------------------------------

    def _traced(self, test: PathTest, change: "_Change", labels: dict[str, Pattern]) -> PathTest | None:
        """The paths that a rewrite turns into one that passes a test."""
        made = self.languages
        words = f"what {test.words}"
        match change.edit:
            case StripPrefix(text, cleans):
                rest = made.either(made.both(test.language, prefix(made, "/")), made.after(test.language, "/"))
                return PathTest("is rewritten to", words, made.join(made.word(text, cleans), rest))
            case StripSuffix(suffix, cleans):
                return PathTest("is rewritten to", words, made.join(test.language, made.word(suffix, cleans)))
            case SetPath(template):
                return self._completed(words, test.language, template, change.pattern, labels)
        return None

    def _completed(self, words: str, wanted: Language, template: Template, pattern: Pattern | None, labels: dict[str, Pattern]) -> PathTest | None:
        """The paths out of which a template makes one that is wanted."""
        made = self.languages
        template = _path_part(template)
        if all(isinstance(part, str) for part in template):
            return None
        ways = []
        for values in self._split(wanted, template, {}):
            whole = values.pop(None, made.any)
            for label in {label for label, _ in values}:  # type: ignore[misc]
                found = labels.get(label) if label else pattern
                try:
                    inside = {group: language for (other, group), language in values.items() if other == label}  # type: ignore[misc]
                    whole = made.both(whole, self.reading.of_groups(found, inside)) if found is not None else made.none
                except PatternUnreadable:
                    whole = made.none
            ways.append(whole)
        return PathTest("is rewritten to", words, made.either(*ways)) if ways else None

    def _split(self, wanted: Language, template: Template, values: "_Values") -> Iterator["_Values"]:
        """What the parts of a template must be for the whole to be wanted, way by way. None: the path itself; other variables may be anything."""
        made = self.languages
        if not template:
            if wanted.nullable:
                yield dict(values)
            return
        part, rest = template[0], template[1:]
        if wanted is made.none or wanted is made.any:
            return
        if isinstance(part, str):
            yield from self._split(made.after(wanted, part), rest, values)
            return
        key = (part.pattern, part.group) if isinstance(part, Capture) else None
        kept = key is not None or (isinstance(part, Var) and part.variable in _PATHS)
        if all(isinstance(item, str) for item in rest):
            inside = made.before(wanted, "".join(map(str, rest)))
            yield {**values, key: made.both(values.get(key, made.any), inside)} if kept else dict(values)
            return
        ways = made.rests(wanted, _MOST_WAYS)
        if len(ways) >= _MOST_WAYS:
            self.found.loose.add("a path made of several captures")
        for way in ways:
            inside = made.leading(wanted, way)
            yield from self._split(way, rest, {**values, key: made.both(values.get(key, made.any), inside)} if kept else values)


def _path_part(template: Template) -> Template:
    """A template as far as its question mark."""
    out: list[Part] = []
    for part in template:
        if isinstance(part, str) and "?" in part:
            return (*out, part.partition("?")[0])
        out.append(part)
    return tuple(out)


@dataclass(frozen=True, slots=True)
class _Change:
    """pattern: whose captures are in sight; after: what is done next."""

    pattern: Pattern | None
    edit: SetPath | StripPrefix | StripSuffix
    after: tuple[Step, ...]


def _changes(steps: tuple[Step, ...], pattern: Pattern | None, after: tuple[Step, ...], seen: set[int]) -> Iterator[_Change]:
    """What changes the path."""
    for number, step in enumerate(steps):
        following = (*steps[number + 1:], *after)
        match step:
            case Choose(routes):
                for route in routes:
                    yield from _changes(route.steps, _last_pattern(route.condition) or pattern, following, seen)
            case Block() if id(step) not in seen:
                seen.add(id(step))
                yield from _changes(step.steps, pattern, following, seen)
            case ErrorPages(pages):
                for page in pages:
                    yield from _changes(page.steps, pattern, (), seen)
            case Rewrite(edit) if edit is not None:
                yield _Change(pattern, edit, following)


def _last_pattern(condition: Condition) -> Pattern | None:
    found = [item.pattern for item in walk(condition) if isinstance(item, PathMatches | TextMatches)] if not isinstance(condition, Always) else []
    return found[-1] if found else None
