"""Lines of mod_rewrite -> rules, which of them are in force at a level, and what a rule says of itself.

Source:   Apache HTTP Server manual, mod_rewrite; mod_rewrite.c, config_perdir_merge (2.4.71, probed).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ....model import Pattern
from ....patterns.examples import literal_start
from ....patterns.groups import inside_group
from .context import Context, Node
from .rule_patterns import alternates

# mod_rewrite.c, is_absolute_uri: asked of the text that came out, so that `http%{ENV:with_s}://` and `http%2://` are URLs as well (2.4.71, probed).
URL = re.compile(r"(?:[a-z][a-z+.-]*|http(?P<rest>%\{ENV:[\w-]+\}|[%$]\d)|(?P<whole>%\{(?:ENV|HTTP):[\w-]+\}|[%$]\d)|%\{REQUEST_SCHEME\})://", re.IGNORECASE)
# Patterns that hold for every path.
ANY = ("^", "", ".*", "^.*$", "^.*", "(.*)", "^(.*)$", "^(.*)")
ENDED = "rewriting_ended"
TYPE = "type_of_rules"
HANDLER = "handler_of_rules"


@dataclass(slots=True)
class Rule:
    node: Node
    conditions: list[Node]
    flags: dict[str, str]
    variables: list[str] = field(default_factory=list)
    cookies: list[str] = field(default_factory=list)

    def has(self, *names: str) -> bool:
        return any(name in self.flags for name in names)


def is_on(nodes: list[Node], context: Context) -> bool:
    engine = context.last(nodes, "rewriteengine")
    return engine is not None and engine.args[:1] != [] and engine.args[0].lower() == "on"


# What makes a level have a configuration of its own, in the place of the one above.
OWN = ("rewriteengine", "rewriteoptions", "rewritebase", "rewritecond", "rewriterule")
_READ_OPTIONS = frozenset({"inherit", "inheritbefore", "inheritdown", "inheritdownbefore", "ignoreinherit", "longurloptimization", "mergebase"})


def in_force(levels: list[list[Node]], context: Context) -> list[Rule]:
    """The rules that are in force at the last of some levels.

    mod_rewrite.c, config_server_merge, config_perdir_merge: the rules of a level that has any line of the module's take the place of those above,
    unless it inherits them, behind its own (Inherit) or before them (InheritBefore), or the one above hands them down; options come down where none are said.
    """
    rules: list[Rule] = []
    options: frozenset[str] = frozenset()
    for nodes in levels:
        if not any(node.name in OWN for node in nodes):
            continue
        own, said = read_rules(nodes, context), _options(nodes, context)
        handed = options if said is None or "ignoreinherit" not in said else frozenset()
        if "inherit" in (said or ()) or "inheritdown" in handed:
            rules = own + rules
        elif "inheritbefore" in (said or ()) or "inheritdownbefore" in handed:
            rules = rules + own
        else:
            rules = own
        options = options if said is None else said
    return rules


def base_of(levels: list[list[Node]], context: Context) -> Node | None:
    """The `RewriteBase` that counts at the last of some levels.

    mod_rewrite.c, config_perdir_merge (2.4.71, probed): a level that has any line of the module's has a base of its own, or none; that of the level above
    comes down with MergeBase alone.
    """
    base: Node | None = None
    options: frozenset[str] = frozenset()
    for nodes in levels:
        if not any(node.name in OWN for node in nodes):
            continue
        said, own = _options(nodes, context), context.last(nodes, "rewritebase")
        options = options if said is None else said
        base = own if own is not None or "mergebase" not in options else base
    return base


def inherits(nodes: list[Node], around: list[list[Node]], context: Context) -> bool:
    """Whether the rules of a level are joined by those of another one: it says so, or one of those around hands its own down."""
    said = _options(nodes, context) or frozenset()
    handed = any((_options(other, context) or frozenset()) & {"inheritdown", "inheritdownbefore"} for other in around if other is not nodes)
    return bool(said & {"inherit", "inheritbefore"}) or handed and "ignoreinherit" not in said


def _options(nodes: list[Node], context: Context) -> frozenset[str] | None:
    """What `RewriteOptions` says at a level; None where nothing does."""
    lines = context.take(nodes, "rewriteoptions")
    for line in lines:
        if unread := [word for word in line.args if word.lower() not in _READ_OPTIONS]:
            context.value(line, unread[0], "what is inherited was expected: with AllowNoSlash rules see the name of the folder's file, which is not read, nor are the others")
    return frozenset(word.lower() for line in lines for word in line.args) if lines else None


_ENDING = frozenset({"l", "last", "end", "p", "proxy"})


def read_rules(nodes: list[Node], context: Context) -> list[Rule]:
    """The rules of a level with their conditions."""
    made: list[Rule] = []
    waiting: list[Node] = []
    for node in nodes:
        if node.name == "rewritecond":
            waiting.append(context.use(node))
        elif node.name == "rewriterule":
            context.use(node)
            text = node.args[2].strip() if len(node.args) > 2 else ""
            pairs = [(piece.strip().partition("=")[0].lower(), piece.strip().partition("=")[2]) for piece in _pieces(text.removeprefix("[").removesuffix("]"))]
            flags = dict(pairs)
            if _ENDING & set(flags):
                # mod_rewrite.c, apply_rewrite_list (2.4.71, probed): what ends the rules is looked at before N is.
                flags = {name: value for name, value in flags.items() if name not in ("n", "next")}
            variables, cookies = ([value for name, value in pairs if name in names] for names in (("e", "env"), ("co", "cookie")))
            made.append(Rule(node, waiting, flags, variables, [value.strip('"') for value in cookies]))
            waiting = []
    return made


def _pieces(text: str) -> list[str]:
    return [piece for piece in re.split(r",(?=(?:[^\"]*\"[^\"]*\")*[^\"]*$)", text) if piece.strip()]


def changes_midway(rules: list[Rule]) -> bool:
    """Whether a rule changes the path and lets others follow."""
    return any(len(rule.node.args) > 1 and rule.node.args[1] != "-" and not rule.has("l", "last", "end", "r", "redirect", "p", "proxy", "f", "g", "pt") for rule in rules[:-1])


def stand_apart(rules: list[Rule]) -> bool:
    """Whether each rule stands for itself: none follows upon what another has made."""
    return not changes_midway(rules) and not any(rule.has("n", "next") for rule in rules)


def minds_end(rule: Rule) -> bool:
    """Whether what stands behind a path makes a difference to a rule: its pattern is more than one that holds for all, or a group of it is used."""
    return bool(rule.node.args) and (rule.node.args[0] not in ANY or any(re.search(r"\$[\d&]", word) for item in (rule.node, *rule.conditions) for word in item.args))


def minds_no_path(rule: Rule) -> bool:
    """Whether a rule is for every path and asks for none, and answers or only sets variables."""
    args = rule.node.args
    words = [*args[1:2], *(word for node in rule.conditions for word in node.args[:2]), *rule.variables]
    if len(args) < 2 or args[0] not in (*ANY, ".", ".+") or any(re.search(r"\$\d|(?:REQUEST|SCRIPT)_FILENAME", word) for word in words):
        return False
    if rule.has("p", "proxy", "n", "next", "pt", "passthrough", "c", "chain", "s", "skip"):
        return False
    redirects = rule.has("r", "redirect") or URL.match(args[1])
    return not redirects or answers(rule) if args[1] == "-" else bool(redirects and (URL.match(args[1]) or args[1].startswith(("/", "%{"))))


def changes_inside(rule: Rule) -> bool:
    """Whether a rule gives the request another path inside the server."""
    target = rule.node.args[1] if len(rule.node.args) > 1 else "-"
    return target != "-" and not URL.match(target) and not rule.has("f", "forbidden", "g", "gone", "r", "redirect", "p", "proxy")


def rounds(rules: list[Rule]) -> int:
    """How often a list may begin anew: what the least N= says, else as good as for ever (mod_rewrite: 32000), then 500.

    mod_rewrite.c, apply_rewrite_list: rounds are counted from one, and the one that reaches the number is refused, so that N=3 lets it begin anew
    once (2.4.71, probed).
    """
    said = [rule.flags.get("n", rule.flags.get("next", "")) for rule in rules if rule.has("n", "next")]
    return min((max(0, int(text) - 2) for text in said if text.isdigit()), default=1000)


def ends_for_good(rule: Rule) -> bool:
    """Whether END leaves something to end: a request that goes on inside."""
    target = rule.node.args[1] if len(rule.node.args) > 1 else "-"
    return rule.has("end") and not URL.match(target) and not rule.has("r", "redirect", "f", "forbidden", "g", "gone", "p", "proxy")


def status_of(rule: Rule) -> int:
    code = rule.flags.get("r", rule.flags.get("redirect")) or ""
    return {"permanent": 301, "temp": 302, "seeother": 303}.get(code.lower(), int(code) if code.isdigit() else 302)


def type_of(rule: Rule) -> str:
    """The media type that files get, whatever their names, or the application that they go to by it; "": what their names say."""
    return (rule.flags.get("t") or rule.flags.get("type") or "").strip('"').lower()


def handler_of(rule: Rule) -> str:
    """What answers in the place of the file's own handler; "": nothing else."""
    return (rule.flags.get("h") or rule.flags.get("handler") or "").strip('"')


def answers(rule: Rule) -> bool:
    """Whether R says a status that is no redirect: the rule answers, and is the last one (mod_rewrite.c, RULEFLAG_STATUS)."""
    return rule.has("r", "redirect") and not 300 <= status_of(rule) < 400


def goes_on_as_url(rule: Rule) -> bool:
    target = rule.node.args[1] if len(rule.node.args) > 1 else "-"
    redirects = rule.has("r", "redirect") or bool(URL.match(target))
    return redirects and not rule.has("l", "last", "end", "p", "proxy", "f", "g") and not answers(rule)


def open_scheme(rule: Rule, set_to: dict[str, set[str]]) -> tuple[str, tuple[str, ...], bool]:
    """What stands at the front of a target or behind its `http`, what it may be for a URL, and whether lines set it to something else; ("", (), False) where it
    is a URL whatever comes.

    set_to: what lines set variables to
    """
    found = URL.match(rule.node.args[1])
    part = (found["rest"] or found["whole"]) if found else None
    if not found or not part:
        return "", (), False
    schemes = ("", "s") if found["rest"] else ("http", "https")
    if part.startswith("%{"):
        values = set_to.get(part[6:-1], {part})
    else:
        patterns = [rule.node.args[0]] if part[0] == "$" else [node.args[1] for node in rule.conditions if len(node.args) > 1]
        values = {inside.replace("?", "") for text in patterns if (inside := inside_group(text, int(part[1]))) is not None}
    if found["rest"] and values <= {*schemes, ""}:
        return "", (), False
    return part, schemes, not values or not values <= set(schemes)


def may_match_url(text: str) -> bool:
    """Whether a pattern may hold for a text that begins with `http://` or `https://`."""
    start = "" if text.startswith("!") or alternates(text) else literal_start(Pattern(text))
    return not start or any(scheme.startswith(start) or start.startswith(scheme) for scheme in ("http://", "https://"))


def names_file(rule: Rule) -> bool:
    """Whether, at server level, a rule says which file is meant: the path itself is changed only with PT."""
    return changes_inside(rule) and not rule.has("pt", "passthrough")


def spares_folders(rule: Rule) -> bool:
    return any(
        node.args[1:2] == ["!-d"] and re.fullmatch(r"%\{(REQUEST|SCRIPT)_FILENAME\}", node.args[0]) and not (len(node.args) > 2 and "or" in node.args[2].lower())
        for node in rule.conditions
    )
