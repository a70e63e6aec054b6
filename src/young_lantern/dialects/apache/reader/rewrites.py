"""httpd `RewriteCond`, `RewriteRule` -> Choose, Rewrite, Redirect, Respond, Forward.

Source:   Apache HTTP Server manual, mod_rewrite, "RewriteRule Flags", "Technical Details"; mod_rewrite.c hook_uri2file, hook_fixup.
Rule:     at server level a changed path that has no PT skips proxy mapping, redirects and aliases; in a folder the path without the
          folder's own is matched, and a changed one begins the request again. Conditions see the groups of the rule's pattern. The client's query
          stays unless the substitution has one of its own; QSA keeps both.
Unknown:  a rule with a condition, flag or variable that is not read answers nothing where its pattern holds: it is `Unserved`.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from urllib.parse import quote

from ....codes import COMPARED_ROUND, LINK_BESIDE, PATH_INFORMATION_AGAIN, SIZE_UNASKED
from ....model import (
    ALWAYS, SITE, AllOf, AnsweredInside, AnyOf, Below, Capture, Choose, Condition, Field, FileExists, FileKind, GroupEncoding, Leave, LookedUpInside, MethodIn, Not, PathForm, PathMatches, PathStartsWith, Pattern, QueryEdit, Redirect, Respond,
    Restart, Rewrite, Rewritten, Route, SetPath, SetVariable, Span, Step, Template, TextIs, TextMatches, Unread, Unserved, Var, Variable, join,
)
from ....model.walk import transform, walk
from ....patterns import compiled, problem
from .. import values
from . import comparisons, compression, condition_groups, cookies, environment, maps
from .condition_groups import Kept
from .context import Context, Node
from .expressions import read_expression
from .places import NEVER
from .rule_lists import ANY, ENDED, HANDLER, TYPE, URL, Rule, answers, changes_inside, changes_midway, ends_for_good, goes_on_as_url, handler_of, may_match_url, minds_end, names_file, open_scheme, spares_folders, status_of, type_of
from .rule_patterns import under, under_with_whole

# A pattern whose first group stands at the path's start, so that it begins with the slash if it is not empty.
_AT_START = re.compile(r"\^(?:\(\?[=!](?:[^()\\]|\\.|\((?:[^()\\]|\\.|\((?:[^()\\]|\\.)*\))*\))*\))*\((?!\?)")
_MOST_TURNS = 3  # each doubles the ways through the rules that follow
_SILENT = frozenset({"nc", "nocase", "ne", "noescape", "l", "last", "pt", "passthrough", "qsa", "qsappend", "qsd", "qsdiscard", "ns", "nosubreq", "end", "f", "forbidden", "g",
                     "gone", "c", "chain", "n", "next", "p", "proxy", "b", "bnp", "backrefnoplus", "bne", "bctls", "dpi", "qsl", "r", "redirect", "s", "skip", "e", "env", "unsafeallow3f", "t", "type", "h", "handler", "co", "cookie"})

# Patterns whose first group is all that they are asked of.
_WHOLE = ("^(.*)$", "(.*)", "^(.*)", "^(.+)$", "(.+)")


@dataclass(slots=True)
class Level:
    """Where rules stand.

    prefix: for a folder its URL, with a final slash; None at server level
    base:   what a relative substitution is put behind
    goes_on: the steps after a rule that changed the path and ends the list; `passes`: after one with PT
    forward: the steps of a [P] rule; document_root: its folder, `folder` the one that files lie in once `strip` is cut off the path; `bare`: the path is a folder's without its slash; `after_query`: the rules that may see a query of an earlier one
    indexes: the index files looked for in folders, by what holds, the last that speaks first; shown: what a relative redirect is put behind
    user: what a lookahead for who asks finds
    by_url: rules of the server have said which file is meant, and left REQUEST_URI as it was
    by_came: the redirects that sections make by the path as it came, also where a rule with PT changes it, and what is done for one of them after such a rule
    open_file: the condition that another file than the request's is there, and open to whoever asks
    came: the path that index files are asked for by
    turns: how often a rule has led out of the folder, or back into it; out of it the whole path is matched
    """

    label: str
    prefix: str | None
    base: str
    goes_on: tuple[Step, ...]
    passes: Callable[[Rule], tuple[Step, ...]]
    forward: Callable[[Node, Template, str, frozenset[str]], tuple[Step, ...]]
    document_root: str
    folder: str = ""
    strip: str = ""
    secure: bool = False
    bare: Condition | None = None
    after_query: frozenset[int] = frozenset()
    indexes: tuple[tuple[Condition, tuple[str, ...]], ...] = ()
    shown: str = ""
    user: Template = ()
    by_url: bool = False
    turns: int = 0
    came: Var = Var(Variable.PATH)
    by_came: tuple[tuple[Route, Callable[[Rule], tuple[Step, ...]]], ...] = ()
    open_file: Callable[[Template, str, Span], Condition | None] = lambda template, rule, span: None

    @property
    def whole(self) -> bool:
        return self.turns % 2 == 1

    @property
    def names(self) -> Below:
        """What a relative substitution is the name of."""
        return Below((self.folder + (self.prefix or "/")[len(self.strip):]).rstrip("/"), self.base, self.folder, self.strip)


def read_phase(rules: list[Rule], level: Level, context: Context) -> tuple[Step, ...]:
    """The rules -> steps, to stand in a block with the level's label."""
    steps: list[Step] = []
    if any("REQUEST_URI" in word for rule in rules for node in (rule.node, *rule.conditions) for word in node.args) and changes_midway(rules):
        steps.append(SetVariable("request_uri", (Var(Variable.URL_PATH if level.by_url else Variable.PATH),)))
        own: dict[str, Template] = {"REQUEST_URI": (Var(Variable.VARIABLE, "request_uri"),)}
    else:
        own = {}
    if level.prefix is not None and level.indexes and changes_midway(rules) and any(rule.has("p", "proxy") for rule in rules[1:]):
        # mod_dir.c, fixup_dir (2.4.71, probed): whether it is a folder's, and which, the path says that came, whatever rules have made of it by then.
        steps.append(SetVariable("path_asked", (Var(Variable.PATH),)))
        level = replace(level, came=Var(Variable.VARIABLE, "path_asked"))
        if any(held is not ALWAYS for held, _ in level.indexes):
            # And so it is with the sections that say which files.
            said = enumerate(level.indexes)
            steps.append(Choose(tuple(Route(held, (SetVariable("indexes_asked", (str(number),)),), accident=True) for number, (held, _) in said)))
            level = replace(level, indexes=tuple((TextIs((Var(Variable.VARIABLE, "indexes_asked"),), (str(number),)), names) for number, (_, names) in enumerate(level.indexes)))
    first = next((number for number, rule in enumerate(rules) if len(rule.node.args) > 1 and "?" in rule.node.args[1] and changes_inside(rule)), len(rules))
    steps += _list(rules, replace(level, after_query=frozenset(map(id, rules[first + 1:]))), own, context)
    return tuple(steps)


def _list(rules: list[Rule], level: Level, own: dict[str, Template], context: Context, beyond: tuple[Rule, ...] = ()) -> list[Step]:
    """beyond: the rules that come behind these, which are a part of the list."""
    steps: list[Step] = []
    number = 0

    def outside(rule: Rule, rest: list[Rule]) -> tuple[Step, ...]:
        """The rules that follow one that leads out of the folder, or back; () for any other."""
        if level.prefix is None or not rest or level.turns == _MOST_TURNS or not _goes_out(rule, level):
            return ()
        return (*_list(rest, replace(level, turns=level.turns + 1, bare=None), own, context, beyond), Leave(level.label, rule.node.span))

    while number < len(rules):
        rule = rules[number]
        if rule.has("c", "chain"):
            # The rest of the chain is tried only where this rule matched.
            end = number
            while end < len(rules) - 1 and rules[end].has("c", "chain"):
                end += 1
            after = outside(rule, rules[number + 1:]) or tuple(_list(rules[number + 1:end + 1], level, own, context, (*rules[end + 1:], *beyond)))
            steps.append(_left_open(_rule(rule, level, own, context, after=after, later=(*rules[number + 1:], *beyond)), rule, rules[number + 1:], level, context))
            number = end + 1
        elif rule.has("s", "skip"):
            count = int(rule.flags.get("s", "") or rule.flags.get("skip", "") or "0")
            # Whoever skips the first rules of a chain comes to its others; whoever does not, comes to these by the first (2.4.71, probed).
            skips = end = number + 1 + count
            while skips > number + 1 and end < len(rules) and rules[end - 1].has("c", "chain"):
                end += 1
            skipped, rest = tuple(_list(rules[number + 1:end], level, own, context, (*rules[end:], *beyond))), rules[skips:]
            made = _left_open(_rule(rule, level, own, context, after=outside(rule, rest) or tuple(_list(rules[skips:end], level, own, context, (*rules[end:], *beyond))), later=(*rest, *beyond)), rule, rest, level, context)
            steps.append(Choose((*made.routes, Route(ALWAYS, skipped)), made.span))
            number = end
        else:
            later = rules[number + 1:]
            steps.append(_left_open(_rule(rule, level, own, context, after=outside(rule, later), later=(*later, *beyond)), rule, later, level, context))
            number += 1
    return steps


def _left_open(made: Choose, rule: Rule, later: list[Rule], level: Level, context: Context) -> Choose:
    """The rule, which in a folder leaves requests open that have path information: it comes behind the path once more for each rule that follows.

    mod_rewrite.c, apply_rewrite_rule (2.4.71, probed): `a.html/x`, changed to `b`, is `b/x` for the next rule, unless flag DPI says otherwise. What is
    behind the first name that is no folder is path information: there is some where what stands before the last slash is none.
    """
    if level.prefix is None or not level.folder or not changes_inside(rule) or not any(minds_end(other) for other in later) or rule.has("l", "last", "end", "n", "next", "dpi", "discardpath"):
        return made
    span = rule.node.span
    context.say(PATH_INFORMATION_AGAIN, span, directive=span.directive)
    before = Pattern("^(.*)/[^/]*$", label=context.label("folder asked for"))
    some = AllOf((Not(Rewritten(level.label), span), PathMatches(before, span=span), Not(FileExists((level.folder,), (Capture(1, before.label),), FileKind.FOLDER, strip=level.strip, span=span), span)), span)
    opened = Choose((Route(some, (Unserved(span.directive, span),), span, accident=True),), span)
    return replace(made, routes=tuple(replace(route, steps=(opened, *route.steps)) for route in made.routes))


def _goes_out(rule: Rule, level: Level) -> bool:
    """Whether rules follow one of a folder for which the path is another thing from then on: the whole one, where what follows the folder was, or that again.

    mod_rewrite.c, apply_rewrite_rule (2.4.71, probed): what begins with a slash is not put behind the folder, nor is the folder taken off it for later rules.
    """
    if not changes_inside(rule) or rule.has("l", "last", "end", "n", "next"):
        return False
    return rule.node.args[1].startswith(("/", "%{")) is not level.whole


def _rule(rule: Rule, level: Level, own: dict[str, Template], context: Context, after: tuple[Step, ...] = (), later: tuple[Rule, ...] = ()) -> Choose:
    node = rule.node
    if len(node.args) < 2:
        context.value(node, " ".join(node.args), "a pattern and a substitution were expected")
        return Choose((), node.span)
    text, substitution = node.args[0], node.args[1]
    negated = text.startswith("!")
    label, condition_label = context.label("rule"), context.label("condition")
    # In a folder `$0` is what the pattern found behind the folder, so that it needs a group of its own.
    needs_whole = level.prefix is not None and not level.whole and not negated and any("$0" in word or "$&" in word for item in (node, *rule.conditions) for word in item.args[(item is node):])
    pattern = _pattern(text.removeprefix("!"), level, rule.has("nc", "nocase"), node, context, needs_whole)
    unread = [name for name in rule.flags if name not in _SILENT]
    for name in unread:
        context.value(node, name, "a flag that is read was expected")
    if any(sign in type_of(rule) for sign in ("$", "%", "httpd-php", "httpd-cgi", "/x-httpd")):
        unread.append("t")
        context.value(node, type_of(rule), "a media type that is the same for every request, and names no application, was expected")
    if any(sign in handler_of(rule) for sign in "$%"):
        unread.append("h")
        context.value(node, handler_of(rule), "a handler that is the same for every request was expected")
    elif handler_of(rule) and level.prefix is not None and changes_inside(rule):
        # The handler is given a file of the name `redirect:/…`, which an application fails at (2.4.71, probed).
        unread.append("h")
        context.value(node, substitution, "a hyphen was expected beside H in a folder: with another path the request does not begin again")
    for flag in rule.cookies:
        if said := cookies.trouble(flag):
            unread.append("co")
            context.value(node, said, "an age, and marks, of a cookie that are the same for every request were expected")
    if rule.has("p", "proxy"):
        substitution = maps.with_origin(substitution, node, context)
    words = [substitution if word is node.args[1] else word for item in (node, *rule.conditions) for word in item.args]
    if any(maps.asks_map(word) for word in words) and (why := maps.trouble(words, substitution, rule.has("r", "redirect"), rule.has("ne", "noescape"), level.prefix is None, context)):
        unread.append("map")
        context.value(node, substitution, why)
    if goes_on_as_url(rule) and any(may_match_url(other.node.args[0]) for other in later if other.node.args):
        # mod_rewrite.c: the list goes on, and later patterns see the whole URL; those that begin with a slash, say, cannot hold for it.
        unread.append("R")
        context.value(node, ",".join(rule.flags), "L was expected beside R: without it later rules are tried on the new URL, which is not read")
    if level.turns == _MOST_TURNS and later and _goes_out(rule, level):
        unread.append("turns")
        context.value(node, substitution, "L was expected: rules lead out of the folder and back again so often that what the later ones see is not read")
    if level.whole and rule.has("p", "proxy"):
        unread.append("P")
        context.value(node, substitution, "L was expected on the rule before that leads out of the folder: what sections say of an origin that is asked then is not read")
    if level.whole and changes_inside(rule) and substitution[:1] in "$%":
        unread.append("whole")
        context.value(node, substitution, "a substitution that begins with a slash, or has none at its front for sure, was expected behind a rule that leads out of the folder")
    if pattern is None:
        held: Condition = ALWAYS if level.prefix is None or level.whole else PathStartsWith(level.prefix)
        return Choose((Route(held, (Unserved(node.span.directive, node.span),), node.span, node.comments),), node.span)
    matched: Condition = PathMatches(replace(pattern, label=label), span=node.span)
    if negated:
        matched = Not(matched, node.span)
    elif text in ANY and not any(re.search(r"\$\d", word) for item in (node, *rule.conditions) for word in item.args[(item is node):2]):
        matched = ALWAYS if level.prefix in (None, "/") or level.whole else PathStartsWith(level.prefix, span=node.span)
    read = _conditions(rule.conditions, level, label, condition_label, own, context)
    if read is None or unread:
        return Choose((Route(matched, (Unserved(node.span.directive, node.span),), node.span, node.comments),), node.span)
    asked, kept = read
    if NEVER in asked:
        return Choose((), node.span)
    # mod_rewrite.c, apply_rewrite_list: the server's own lookups skip rules that redirect, and those with NS (2.4.71: not those with P).
    client_only = (Not(LookedUpInside(node.span), node.span),) if rule.has("r", "redirect", "ns", "nosubreq") else ()
    parts = [part for part in (matched, *asked, *client_only) if part is not ALWAYS]
    whole = AllOf(tuple(parts), node.span) if len(parts) > 1 else parts[0] if parts else ALWAYS
    steps = condition_groups.put_in(_effects(rule, substitution, level, label, condition_label, own, after, context), condition_label, kept)
    if steps is None:
        context.value(node, substitution, "a condition with a pattern was expected as the last one: what `%0` to `%9` stand for is not known behind these")
        steps = (Unserved(node.span.directive, node.span),)
    if empty := _empty_groups(pattern, negated, needs_whole):
        parts, steps = transform((tuple(parts), steps), lambda value: "" if isinstance(value, Capture) and value.pattern == label and value.group in empty else value)
        whole = AllOf(parts, node.span) if len(parts) > 1 else parts[0] if parts else ALWAYS
    also = tuple(item.span for item in rule.conditions)
    comments = (*(comment for item in rule.conditions for comment in item.comments), *node.comments)
    if steps and all(isinstance(step, Field) and not any(isinstance(item, Capture) for item in walk(step.value)) for step in steps) and not any(isinstance(item, LookedUpInside) for item in walk(whole)):
        # Nothing but cookies: a field with a condition, which is no way of its own through all that follows.
        return Choose((Route(ALWAYS, tuple(replace(step, when=None if whole is ALWAYS else whole) for step in steps), node.span, comments, also=also),), node.span)  # type: ignore[type-var]
    routes = [Route(whole, steps, node.span, comments, also=also)]
    if level.bare is not None and (changes_inside(rule) or rule.has("p", "proxy")) and not spares_folders(rule):
        # mod_dir.c, fixup_dir (2.4.71, probed): the redirect to the folder has the query that the rule has made.
        path, mark, query = substitution.partition("?")
        edit = condition_groups.put_in(_query(rule, mark, query, _templates(rule, level, label, condition_label, own, context)), condition_label, kept)
        edited = (Rewrite(None, edit, internal=False, keeps_url=True, span=node.span),) if edit is not None else ()
        said = tuple(itertools.takewhile(lambda step: isinstance(step, SetVariable | Field) or isinstance(step, Choose) and all(route.accident for route in step.routes) and not _looks_for_index(step), steps))
        routes.insert(0, Route(AllOf((*parts, level.bare), node.span), (*edited, *said, Leave(level.label, node.span)), node.span, accident=True))
    # mod_rewrite.c, hook_fixup (2.4.71, probed): what comes to the same file is no change, and is not carried out for anybody.
    is_same = text in _WHOLE and substitution in ("$0", "$1") and not rule.has("b", "bnp", "bctls", "bne")
    if level.prefix is not None and not level.whole and changes_inside(rule) and not is_same and not any(other.has("p", "proxy") for other in later):
        # A lookup inside is not carried out, so that what a rule would make of an index file that is not there is never found.
        there = FileExists((level.folder,), (Var(Variable.PATH),), FileKind.ANY, strip=level.strip, span=node.span, walks=True)
        lost = AllOf((*parts, LookedUpInside(node.span), Not(there, node.span)), node.span)
        routes.insert(0, Route(lost, (Respond(404, raises=True, insists=True, span=node.span),), node.span, accident=True))
    made = Choose(tuple(routes), node.span)
    if not needs_whole:
        return made
    return transform(made, lambda value: replace(value, group=value.group + 1) if isinstance(value, Capture) and value.pattern == label and isinstance(value.group, int) else value)


def _empty_groups(pattern: Pattern, negated: bool, needs_whole: bool) -> range:
    """The groups that a rule may refer to although its pattern has none of these, or is one that must not match: they are empty."""
    if negated:
        return range(10)
    return range(0) if problem(pattern) else range(compiled(pattern).groups + 1 - needs_whole, 10)


def _pattern(text: str, level: Level, ignores_case: bool, node: Node, context: Context, needs_whole: bool = False) -> Pattern | None:
    """The rule's pattern for the whole path; in a folder it was written for what follows the folder. None: not read."""
    if level.prefix is not None and not level.whole:
        made = under_with_whole(text, level.prefix) if needs_whole else under(text, level.prefix)
        if made is None:
            context.value(node, text, "a pattern that is anchored as a whole, or not at all, was expected in a folder")
            return None
        text = made
    return context.pattern(text, node, ignores_case=ignores_case)




# --- conditions -----------------------------------------------------------------------------------------------------------

def _conditions(nodes: list[Node], level: Level, rule: str, condition: str, own: dict[str, Template], context: Context) -> tuple[list[Condition], Kept] | None:
    """The conditions, those joined by OR as one, and what groups they leave; None when one of them is not read."""
    made: list[Condition] = []
    waiting: list[tuple[Condition, Kept | None]] = []
    kept = condition_groups.BY_PATTERN
    nodes = _without_links(nodes, context)
    for node in nodes:
        flags = {piece.strip().lower() for piece in (node.args[2].strip("[]").split(",") if len(node.args) > 2 else [])}
        if len(node.args) < 2 or flags - {"nc", "nocase", "or", "ornext", "nv", "novary"}:
            context.condition_unread(node.span, node.span.directive)
            return None
        one = _condition(node, bool(flags & {"nc", "nocase"}), level, rule, condition, own, context)
        if one is None:
            return None
        asked, given = one
        asked = condition_groups.put_in(asked, condition, kept)
        if asked is None:
            context.condition_unread(node.span, node.span.directive)
            return None
        waiting.append((asked, given))
        if not flags & {"or", "ornext"} or node is nodes[-1]:
            made.append(_any([asked for asked, _ in waiting]))
            kept = condition_groups.behind(kept, waiting)
            waiting = []
    return made, kept


# ap_rewrite, RewriteCond: three letters ask for a symbolic link.
_LINKS = frozenset({"-l", "-L", "-h"})


def _without_links(nodes: list[Node], context: Context) -> list[Node]:
    """The conditions without those on symbolic links whose neighbours ask for files and folders of the same name: links lead to one of them."""
    groups: list[list[Node]] = [[]]
    for node in nodes:
        groups[-1].append(node)
        if len(node.args) < 3 or not re.search(r"\bor(next)?\b", node.args[2], re.IGNORECASE):
            groups.append([])
    alone = [group[0] for group in groups if len(group) == 1]
    left_out = []
    for group in groups:
        left_out += [node for node in group if _is_link(node, "") and _asks_both(node, group, "")]
        left_out += [node for node in group if len(group) == 1 and _is_link(node, "!") and _asks_both(node, alone, "!")]
    for node in left_out:
        context.say(LINK_BESIDE, node.span, condition=node.span.directive)
    kept = []
    for group in groups:
        rest = [node for node in group if node not in left_out]
        if rest and group[-1] in left_out:
            # The last of a group has no OR: whoever is last now.
            flags = [piece for piece in rest[-1].args[2].strip("[]").split(",") if piece.strip().lower() not in ("or", "ornext")]
            rest[-1] = replace(rest[-1], args=[*rest[-1].args[:2], *([f"[{','.join(flags)}]"] if flags else [])])
        kept += rest
    return kept


def _is_link(node: Node, sign: str) -> bool:
    return len(node.args) > 1 and node.args[1].startswith(sign) and node.args[1].removeprefix(sign) in _LINKS


def _asks_both(node: Node, beside: list[Node], sign: str) -> bool:
    """Whether files and folders of that name are asked for, too."""
    asked = {other.args[1].removeprefix(sign) for other in beside if len(other.args) > 1 and other.args[0] == node.args[0] and other.args[1].startswith(sign)}
    return "-d" in asked and bool(asked & {"-f", "-s"})


def _any(parts: list[Condition]) -> Condition:
    kept = [part for part in parts if part != NEVER]
    return ALWAYS if ALWAYS in kept else AnyOf(tuple(kept)) if len(kept) > 1 else kept[0] if kept else NEVER


def _condition(node: Node, ignores_case: bool, level: Level, rule: str, label: str, own: dict[str, Template], context: Context) -> tuple[Condition, Kept | None] | None:
    """One condition, and what groups it leaves."""
    tested, wanted = node.args[0], node.args[1]
    # cmd_rewritecond: the sign at the front is the condition's, before an expression, too, all of which it turns round (2.4.71, probed).
    negated, wanted = wanted.startswith("!"), wanted.removeprefix("!")
    if tested.upper() in _FIXED and "(" not in wanted and not wanted.startswith("="):  # a group of it may be asked for
        given = condition_groups.fixed("on" if level.secure else "off", wanted, ignores_case)
        return (ALWAYS if negated is (given is None) else NEVER), None if negated else given
    made = _test(node, tested, wanted, ignores_case, level, rule, label, own, context)
    if made is None or not negated:
        return None if made is None else (made, condition_groups.given_by(node, made))
    if isinstance(made, TextMatches | PathMatches):
        made = replace(made, pattern=replace(made.pattern, label=""))  # what must not match leaves no groups
    return (NEVER if made is ALWAYS else ALWAYS if made == NEVER else Not(made, node.span)), None


_OF_THE_FILE = re.compile(r"%\{(?:REQUEST|SCRIPT)_FILENAME\}")
_FILE_TESTS = {"-f": FileKind.FILE, "-d": FileKind.FOLDER, "-s": FileKind.FILE, "-x": FileKind.PROGRAM, "-F": FileKind.ANY, **dict.fromkeys(("-h", "-l", "-L"), FileKind.LINK)}


def _test(node: Node, tested: str, wanted: str, ignores_case: bool, level: Level, rule: str, label: str, own: dict[str, Template], context: Context) -> Condition | None:
    if tested.lower() == "expr":
        asked = read_expression(wanted, node.span)
        if asked is None or asked.statuses is not None:
            context.condition_unread(node.span, node.span.directive)
            return None
        return asked.condition
    if wanted == "-F" and (level.prefix is None or level.whole or not _OF_THE_FILE.fullmatch(tested)):
        name = values.read_template(tested, rule=rule, condition=label, document_root=level.document_root, own={**_names(level), **own}, by=values.RULE)
        other = level.open_file(name, rule, node.span)
        if other is None:
            # Of another file the server asks who may have it, by the rules of folders alone.
            context.condition_unread(node.span, node.span.directive)
        return other
    if wanted in _FILE_TESTS:
        if wanted == "-s":
            context.say(SIZE_UNASKED, node.span, condition=node.span.directive)
        made = _file(node, tested, _FILE_TESTS[wanted], level, rule, label, own, context)
        return made if wanted != "-F" or made is None else AllOf((made, AnsweredInside((Var(Variable.PATH),), True, node.span)), node.span)
    # cmd_rewritecond (2.4.71, probed): alone a sign, or an operator for numbers, is a pattern.
    numbers = re.fullmatch(r"(-(?:eq|ne|gt|ge|lt|le))(?=.)\s*([+-]?\d*).*", wanted, re.DOTALL)
    orders = re.fullmatch(r"([<>]=|[<>](?=.))(.*)", wanted, re.DOTALL)
    if tested.upper() in _FIXED and wanted.startswith("="):
        return ALWAYS if wanted[1:].strip('"') == ("on" if level.secure else "off") else NEVER
    template = maps.with_maps(tested, rule, context, lambda text: values.read_template(
        text, rule=rule, condition=label, document_root=level.document_root, own={**_names(level), **own}, by=values.RULE))
    if any(isinstance(part, Unread) for part in template):
        context.checked(template, node.span, "RewriteCond")
        return None
    if wanted == "-U" and (not template or template[0] not in (Var(Variable.PATH), Var(Variable.URL_PATH)) and not str(template[0]).startswith("/") or any("?" in part for part in template if isinstance(part, str))):
        context.condition_unread(node.span, node.span.directive)
        return None
    if wanted == "-U":
        return AnsweredInside(template, span=node.span)
    bound = int(numbers[2]) if numbers and numbers[2].strip("+-") else 0
    if not -comparisons.WRAPS <= bound < comparisons.WRAPS:
        context.condition_unread(node.span, node.span.directive)
        return None
    if numbers or orders:
        context.say(COMPARED_ROUND, node.span, condition=node.span.directive)
    if numbers:
        return comparisons.number(template, numbers[1], bound, node.span)
    if orders:
        sorted_ = comparisons.order(template, orders[1], orders[2], ignores_case, node.span)
        if sorted_ is None:
            context.condition_unread(node.span, node.span.directive)
        return sorted_
    if wanted.startswith("=") and len(wanted) > 1:  # alone it is a pattern (cmd_rewritecond)
        return TextIs(template, (wanted[1:].strip('"'),), ignores_case, node.span)
    if template == (Var(Variable.METHOD),) and (methods := re.fullmatch(r"\^?\(?([A-Z]+(?:\|[A-Z]+)*)\)?\$?", wanted)) and wanted.startswith("^") and wanted.endswith("$"):
        return MethodIn(tuple(methods[1].split("|")), node.span)
    pattern = replace(context.pattern(wanted, node, ignores_case=ignores_case), label=label)
    return PathMatches(pattern, span=node.span) if template == (Var(Variable.PATH),) else TextMatches(template, pattern, span=node.span)


# What a virtual host knows beforehand: it speaks TLS, or it does not.
_FIXED = ("%{HTTPS}",)


def _names(level: Level) -> dict[str, Template]:
    # A lookahead for who asks finds him who is let in, once that is known (2.4.71, probed).
    user: dict[str, Template] = {"LA-U:REMOTE_USER": level.user or (Var(Variable.USER),)} if level.user or level.prefix is not None else {}
    if level.by_url:
        user["REQUEST_URI"] = (Var(Variable.URL_PATH),)
    if level.prefix is None or level.whole:
        return {**user, "REQUEST_FILENAME": (Var(Variable.PATH),), "SCRIPT_FILENAME": (Var(Variable.PATH),)}
    return user


def _file(node: Node, tested: str, kind: FileKind, level: Level, rule: str, label: str, own: dict[str, Template], context: Context) -> Condition | None:
    """`%{REQUEST_FILENAME}.html -f`: in a folder the file that the path stands for, and what is written behind its name; at server level the path itself, as a file's name."""
    if (found := re.fullmatch(r"%\{(?:REQUEST|SCRIPT)_FILENAME\}((?:[^%$\\]|\\.)*)", tested)) and level.prefix is not None and not level.whole:
        return FileExists((level.folder,), join((Var(Variable.PATH),), re.sub(r"\\(.)", r"\1", found[1])), kind, strip=level.strip, span=node.span, walks=True)
    template = values.read_template(tested, rule=rule, condition=label, document_root=level.document_root, own={**_names(level), **own}, by=values.RULE)
    if any(isinstance(part, Unread) for part in template):
        context.checked(template, node.span, "RewriteCond")
        return None
    if template and isinstance(template[0], str) and template[0].startswith("/"):
        root, rest = template[0], template[1:]
        if rest == (Var(Variable.PATH),):
            return FileExists((root.rstrip("/"),), rest, kind, span=node.span)
    return FileExists((), template, kind, span=node.span)


# --- what a rule does -------------------------------------------------------------------------------------------------------

def _effects(rule: Rule, substitution: str, level: Level, label: str, condition: str, own: dict[str, Template], after: tuple[Step, ...], context: Context) -> tuple[Step, ...]:
    node, template = rule.node, _templates(rule, level, label, condition, own, context)
    steps: list[Step] = []
    for flag in rule.variables:
        name, _, value = flag.partition(":")
        variable = SetVariable(name.removeprefix("!"), template(value, encoding=None), node.span, environment=True, by_rule=True)
        steps += environment.set_steps(variable, name.startswith("!"), context)
        if name.lower() == "no-gzip" and context.compressed and (type_of(rule) or not compression.leaves_alone(context.pattern(node.args[0], node), context.compressed, context.named_types)):
            context.value(node, flag, environment.COMPRESSED)
        if f"%{{ENV:{name.removeprefix('!')}}}" in substitution:
            # mod_rewrite.c, apply_rewrite_rule (2.4.71, probed): the substitution is completed before the rule's own variables are set.
            context.value(node, substitution, "a variable that an earlier rule sets was expected: this one is set when the substitution is made")
            return (Unserved(node.span.directive, node.span),)
    for flag in rule.cookies:
        steps += cookies.steps_of(flag, lambda text: template(text, encoding=None), node.args[0], node, context)
    if ends_for_good(rule):
        steps.append(SetVariable(ENDED, ("1",), node.span))
    if type_of(rule):
        steps.append(SetVariable(TYPE, (type_of(rule),), node.span, environment=True, by_rule=True))
    if handler_of(rule):
        steps.append(SetVariable(HANDLER, (handler_of(rule),), node.span, environment=True, by_rule=True))
    if rule.has("f", "forbidden") or rule.has("g", "gone"):
        return (*steps, Respond(403 if rule.has("f", "forbidden") else 410, raises=True, insists=True, span=node.span))
    code, status = rule.flags.get("r", rule.flags.get("redirect")), status_of(rule)
    if answers(rule):
        return (*steps, Respond(status, raises=True, insists=True, span=node.span))
    if substitution == "-" and code is None and rule.has("pt", "passthrough") and level.prefix is None:
        # What rules before it named as the file becomes the path that goes on.
        return (*steps, *_passed(rule, Rewrite(SetPath((Var(Variable.PATH),)), internal=False, span=node.span), level))
    if substitution == "-" and code is None and rule.has("n", "next"):
        # mod_rewrite.c, apply_rewrite_list (2.4.71, probed): a rule that changes nothing begins anew as well.
        return (*steps, Restart(level.label, node.span))
    if substitution == "-" and code is None:
        ends = rule.has("l", "last", "end")
        return (*steps, *after, *((Leave(level.label, node.span),) if ends else ()))
    path, mark, query = substitution.partition("?")
    encodes = not rule.has("ne", "noescape")
    if rule.has("p", "proxy"):
        made = template(path, escapes=True)
        if encodes:
            # mod_proxy_http.c, proxy_http_canon (2.4.71, probed): what is written out as well.
            made = values.as_path(made)
        if mark:
            more = (Var(Variable.QUERY, "&"),) if rule.has("qsa", "qsappend") else ()
            made = join(made, "?" if query else "", template(query), more)
        forward = level.forward(node, made, substitution, frozenset({*rule.flags, *({"qsd"} if rule.has("qsdiscard") else ())}))
        # What is refused is refused before the rule sets its variables (2.4.71, probed).
        refusal = forward[:1] if forward and isinstance(forward[0], Choose) and forward[0].routes[0].accident else ()
        return (*refusal, *steps, *_asked_first(level, node, rule.has("qsd", "qsdiscard") and not mark), *forward[len(refusal):])
    if code is not None or URL.match(substitution):
        redirect = _redirect(rule, status, path, mark, query, encodes, level, template)
        part, schemes, is_told = open_scheme(rule, context.set_to)
        if is_told:
            context.value(node, substitution, "a scheme that is http or https whatever comes was expected: behind another one the target is a path, which is not read")
        # A variable that lines set to http or https may be set to nothing as well, where none of them holds.
        other = Not(TextIs(template(part), schemes, span=node.span), node.span)
        unread = (Choose((Route(other, (Unserved(node.span.directive, node.span),), node.span, accident=not is_told),), node.span),) if part else ()
        return (*steps, *unread, redirect)
    if substitution == "-":
        return (*steps, *after)
    target = template(path)
    relative = not path.startswith(("/", "$", "%")) or (path.startswith(("$", "%")) and level.prefix is not None and not path.startswith("%{") and not _begins_with_map(path))
    if relative:
        target = join(level.base, target)
    if level.prefix is None and path[:1] in "$%" and not maps.asks_map(path) and not path.startswith(("$0", "%{REQUEST_URI}", "%{DOCUMENT_ROOT}")):
        # A group at the front may begin with the slash, or not; a path without one is refused.
        if not re.search(r"\((?:\?:)?/", node.args[0]) and not (path.startswith("$1") and _AT_START.match(node.args[0])):
            context.value(node, substitution, "a substitution that begins with a slash was expected")
            return (*steps, Unserved(node.span.directive, node.span))
    if level.prefix is None and re.match(r"(?:%\{DOCUMENT_ROOT\})?[$%][\d&]", path) and any(isinstance(part, Capture) and part.encoding for part in target):
        context.value(node, ",".join(rule.flags), "a path without B at its front was expected: where its first slash is encoded it is none, which is not read")
        return (*steps, Unserved(node.span.directive, node.span))
    edit = _query(rule, mark, query, template)
    leads = isinstance(target[0], str) and target[0].startswith("/") and not target[0].startswith("//") if target else False
    rewrite = Rewrite(SetPath(target, refuses_marks=not rule.has("unsafeallow3f"), one_slash=leads), edit, keeps_url=level.prefix is None and names_file(rule), span=node.span, comments=node.comments,
                      below=level.names if relative and level.prefix is not None and not level.whole else None)
    if rule.has("pt", "passthrough") and not rule.has("n", "next"):
        return (*steps, *_passed(rule, rewrite, level))
    steps.append(rewrite)
    if rule.has("n", "next"):
        return (*steps, Restart(level.label, node.span))
    if rule.has("l", "last", "end"):
        return (*steps, *level.goes_on)
    return (*steps, *after)


def _passed(rule: Rule, rewrite: Rewrite, level: Level) -> tuple[Step, ...]:
    """What a rule with PT leads to."""
    routes = tuple(replace(route, steps=(rewrite, *made(rule))) for route, made in level.by_came)
    return (*((Choose(routes),) if routes else ()), rewrite, *level.passes(rule))


def _templates(rule: Rule, level: Level, label: str, condition: str, own: dict[str, Template], context: Context) -> Callable[..., Template]:
    """What reads a rule's texts: its groups, its conditions' groups, and its maps."""
    encoding = _encoding(rule)

    def template(text: str, escapes: bool = False, encoding: GroupEncoding | None = encoding) -> Template:
        def plain(piece: str, escapes: bool = escapes) -> Template:
            return context.template(piece, rule.node, rule=label, condition=condition, escapes=escapes, document_root=level.document_root, own={**_names(level), **own}, encoding=encoding, by=values.RULE)

        return maps.with_maps(text, label, context, plain, escapes) if maps.asks_map(text) else plain(text)

    return template


def _encoding(rule: Rule) -> GroupEncoding | None:
    """mod_rewrite.c, escape_backref: what B, BCTLS and BNE make of groups; BNP alone does nothing (2.4.71, probed)."""
    if not rule.has("b", "bctls", "bne"):
        return None
    return GroupEncoding(rule.flags.get("b") or None, rule.flags.get("bne", ""), rule.has("bctls"), not rule.has("bnp", "backrefnoplus"))


def _asked_first(level: Level, node: Node, drops_query: bool) -> tuple[Step, ...]:
    """mod_dir.c, fixup_dir: a folder that is there has its index files asked for first, even if a rule has named an origin (2.4.71, probed)."""
    if level.prefix is None or not level.indexes:
        return ()
    dropped = (Rewrite(None, QueryEdit(), internal=False, keeps_url=level.by_url, span=node.span),) if drops_query else ()
    folder = FileExists((level.folder,), (level.came,), FileKind.FOLDER, strip=level.strip, span=node.span)
    return (index_first(folder, level.indexes, node.span, dropped, level.by_url, level.came),)


def _looks_for_index(step: Choose) -> bool:
    return any(isinstance(item, Restart) and item.indexes for item in walk(step))


def index_first(folder: Condition, indexes: tuple[tuple[Condition, tuple[str, ...]], ...], span: Span, before: tuple[Step, ...] = (), by_url: bool = False, came: Var = Var(Variable.PATH)) -> Choose:
    """The look for a folder's index files. indexes, by_url, came: as a level has them; before: what is done for the look.

    mod_dir.c, fixup_dir (2.4.71, probed): by the path that came, though a rule of the server led from there into the folder.
    """
    path = came if came != Var(Variable.PATH) else Var(Variable.URL_PATH if by_url else Variable.PATH)
    asked = tuple(Route(held, tuple(Restart(SITE, span, asks=tuple((path, name) for name in names), indexes=True) for _ in names[:1]), span) for held, names in indexes)
    with_slash = PathMatches(Pattern("/$"), PathForm.URL if by_url else PathForm.CURRENT, span=span) if path.variable is not Variable.VARIABLE else TextMatches((path,), Pattern("/$"), span=span)
    at_folder = AllOf((with_slash, folder), span)
    return Choose((Route(at_folder, (*before, Choose(asked, span)), accident=True),), span)


def _query(rule: Rule, mark: str, query: str, template: Callable[..., Template]) -> QueryEdit | None:
    if rule.has("qsd", "qsdiscard") and not mark:
        return QueryEdit(())
    if not mark:
        return None
    # mod_rewrite.c (2.4.71, probed): a rewritten query with blanks or controls, which captures may bring, is 403.
    return QueryEdit(template(query), appends_query=rule.has("qsa", "qsappend"), refuses_blanks=not rule.has("unsafeallow3f"))


def _redirect(rule: Rule, status: int, path: str, mark: str, query: str, encodes: bool, level: Level, template: Callable[..., Template]) -> Redirect:
    location = template(path, encodes)
    if path == "-":
        location = (Var(Variable.PATH_ESCAPED),)
    elif not URL.match(path) and not path.startswith(("/", "%{", "$", "%")):
        location = join(level.shown or level.base, location)
    elif path.startswith("$") and level.prefix is not None and not _begins_with_map(path):
        location = join(level.shown or level.base, location)
    if encodes and path != "-":
        location = values.as_path(location)  # also `#`, which is no fragment then, and what is written percent-encoded (2.4.71, probed)
    # mod_rewrite.c, hook_uri2file (2.4.71, probed): unless it is the client's as it came, the whole query is percent-encoded, percent signs and all.
    changed = encodes and bool(mark) and query not in (("",) if rule.has("qsa", "qsappend") else ("", "%{QUERY_STRING}"))
    if mark:
        written = template(query, encodes)
        if changed:
            written = tuple(quote(part, values.SPARED) if isinstance(part, str) else part for part in written)
        location = join(location, "?", written) if query else location
        if rule.has("qsa", "qsappend"):
            location = join(location, (Var(Variable.QUERY, "&" if query else "?"),))
    elif (told := maps.with_queries(location, not rule.has("qsd", "qsdiscard"), rule.has("qsa", "qsappend"))) is not None:
        location = told
    elif not rule.has("qsd", "qsdiscard"):
        location = join(location, (Var(Variable.QUERY, "?"),))
        changed = encodes and level.prefix is None and id(rule) in level.after_query
    return Redirect(status, location, absolute=True, insists=True, refuses_marks=not rule.has("unsafeallow3f"), span=rule.node.span, comments=rule.node.comments, encodes_path=encodes, encodes_query=changed)


def _begins_with_map(path: str) -> bool:
    """Whether a substitution begins with what a map says, which is a whole path."""
    return re.match(r"\$\{\w+:", path) is not None


